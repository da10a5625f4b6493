#include "level/field_keys.hpp"

#include "level/texture.hpp"

namespace stasigraph {

void add_texture(Hasher& h, const Scene& scene, const TextureUse& use) {
    h.number(use.image == none ? 0 : 1);
    if (use.image == none) return;
    add_shared(h, scene.images[use.image]);
    add_fields(h, scene, use, depends::content);
}

void add_shared(Hasher& h, const Shared<Image>& image) {
    h.text(image.key([](const Image& x) {
        Hasher own("image");
        add_fields(own, {}, x, depends::content);
        return own.key();
    }));
}

void add_shared(Hasher& h, const Shared<Mesh>& mesh) {
    h.text(mesh.key([](const Mesh& x) {
        Hasher own("mesh");
        add_fields(own, {}, x, depends::geometry);
        return own.key();
    }));
}

void add_shared(Hasher& h, const Shared<std::vector<Rgb>>& pixels) {
    h.text(pixels.key([](const std::vector<Rgb>& x) {
        Hasher own("pixels");
        own.array(x);
        return own.key();
    }));
}

void add_passage(Hasher& h, const Scene& scene, const Material& m) {
    h.number(is_transmissive(m));
    add_fields(h, scene, m, is_transmissive(m) ? depends::geometry | depends::passage : depends::geometry);
}

}  // namespace stasigraph
