#include "results/lit_glb.hpp"

#include <algorithm>
#include <map>
#include <set>

#include "codec/files.hpp"
#include "codec/images.hpp"
#include "gltf/glb_builder.hpp"
#include "level/texture.hpp"
#include "picture/prelit.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

namespace {

/// File names of images: those of pages by number, of surfaces by name with all but plain characters
/// replaced.
std::vector<std::string> image_names(const Level& level, const PrelitOptions& settings,
                                     const std::vector<PrelitImage>& images) {
    std::vector<std::string> names;
    std::set<std::string> taken;
    for (const PrelitImage& image : images) {
        if (settings.by == PrelitBy::page) {
            names.push_back("prelit-" + std::to_string(names.size()) + ".png");
            continue;
        }
        std::string name = level.surfaces[image.spots[0].surface].name;
        for (char& c : name)
            if (!std::isalnum(static_cast<unsigned char>(c)) && c != '-' && c != '_') c = '_';
        std::string free = name;
        for (int k = 2; !taken.insert(free).second; ++k) free = name + "-" + std::to_string(k);
        names.push_back("prelit/" + free + ".png");
    }
    return names;
}

/// A level in world space whose unlit base colour is the light it sends back: textures where there is a
/// lightmap, vertex colours from the probes where there is none.
class LitWriter {
public:
    /// `folder`: where images are written, each a file of its own; empty: they go into the .glb.
    LitWriter(const LitSet& lit, const PrelitOptions& settings, const std::filesystem::path& folder)
        : level_(lit.level),
          atlas_(lit.atlas),
          baked_(lit.baked),
          set_(lit.set),
          made_from_(lit.made_from),
          recipe_(lit.level.sets[set_index(lit.level, lit.set.name)]),
          settings_(settings),
          exposure_(settings.exposure ? settings.exposure : recipe_.exposure),
          folder_(folder) {}

    Bytes run() {
        Json& j = out_.json;
        j["asset"] = {
            {"version", "2.0"}, {"generator", "stasigraph"}, {"extras", {{"colours", "baked light"}}}};
        j["extensionsUsed"] = Json::array({"KHR_materials_unlit"});
        add_images();
        Json roots = Json::array();
        for (std::uint32_t s = 0; s < level_.surfaces.size(); ++s) {
            if (level_.surfaces[s].part == Part::bake_only ||
                level_.meshes[level_.surfaces[s].mesh]->indices.empty())
                continue;
            Json primitive = atlas_.surfaces[s].page != none ? mapped(s) : probed(s);
            primitive["mode"] = 4;
            j["meshes"].push_back({{"primitives", Json::array({std::move(primitive)})}});
            j["nodes"].push_back({{"name", level_.surfaces[s].name}, {"mesh", j["meshes"].size() - 1}});
            roots.push_back(j["nodes"].size() - 1);
        }
        j["scenes"] = Json::array({{{"nodes", roots}}});
        j["scene"] = 0;
        j["extras"] = {{"set", set_.name}, {"exposure_ev", ev_}, {"made_from", made_from_}};
        return out_.finish();
    }

    float exposure() const { return ev_; }
    /// Of the files written, within the folder.
    const std::vector<std::string>& files() const { return files_; }

private:
    void add_images() {
        Job job;
        std::vector<PrelitImage> images = combine(level_, atlas_, set_, settings_, job);
        if (exposure_) {
            ev_ = *exposure_;
        } else {
            // One exposure for all images, metered as a picture would be.
            Picture all{1, 0, {}};
            for (const PrelitImage& image : images)
                all.pixels.insert(all.pixels.end(), image.nit.begin(), image.nit.end());
            ev_ = auto_exposure(all);
        }
        const std::vector<std::string> names = image_names(level_, settings_, images);
        for (std::size_t i = 0; i < images.size(); ++i) {
            texture_.push_back(add_image(images[i], names[i]));
            for (std::size_t k = 0; k < images[i].spots.size(); ++k)
                place_[images[i].spots[k].surface] = {i, k};
            images[i].nit = {};
            images[i].alpha = {};
        }
        images_ = std::move(images);
    }

    std::size_t add_image(const PrelitImage& image, const std::string& name) {
        const std::vector<std::uint8_t> rgb = tone_map({image.width, image.height, image.nit}, ev_);
        Bytes png;
        if (image.alpha.empty()) {
            png = encode_png(image.width, image.height, rgb);
        } else {
            std::vector<std::uint8_t> rgba;
            for (std::size_t i = 0; i < image.alpha.size(); ++i) {
                rgba.insert(rgba.end(), &rgb[3 * i], &rgb[3 * i] + 3);
                rgba.push_back(static_cast<std::uint8_t>(image.alpha[i] * 255 + 0.5f));
            }
            png = encode_png_rgba(image.width, image.height, rgba);
        }
        if (folder_.empty()) return add_texture(png, "image/png");
        write_file(folder_ / name, png);
        files_.push_back(name);
        return use_image({{"uri", name}});
    }

    std::size_t use_image(Json image) {
        Json& j = out_.json;
        j["images"].push_back(std::move(image));
        j["textures"].push_back({{"source", j["images"].size() - 1}});
        return j["textures"].size() - 1;
    }

    std::size_t add_texture(const Bytes& encoded, const char* type) {
        return use_image({{"bufferView", out_.add_view(encoded)}, {"mimeType", type}});
    }

    /// The material of an image for surfaces that are cut out, let light through or are seen from behind like
    /// this one.
    std::size_t image_material(std::size_t image, const Material& of) {
        const AlphaMode mode = tints(of) ? AlphaMode::blend : of.alpha_mode;
        const float cutoff = mode == AlphaMode::mask ? of.alpha_cutoff : 0;
        const auto [at, fresh] = image_material_.try_emplace({image, mode, cutoff, of.double_sided}, 0);
        if (fresh) {
            at->second = add_material({{"baseColorTexture", {{"index", texture_[image]}}}}, of.double_sided);
            Json& material = out_.json["materials"][at->second];
            if (mode == AlphaMode::mask) {
                material["alphaMode"] = "MASK";
                material["alphaCutoff"] = cutoff;
            } else if (mode == AlphaMode::blend) {
                material["alphaMode"] = "BLEND";
            }
        }
        return at->second;
    }

    std::size_t add_material(Json pbr, bool double_sided) {
        pbr["metallicFactor"] = 0;
        pbr["roughnessFactor"] = 1;
        Json material = {{"pbrMetallicRoughness", std::move(pbr)},
                         {"extensions", {{"KHR_materials_unlit", Json::object()}}}};
        if (double_sided) material["doubleSided"] = true;
        out_.json["materials"].push_back(std::move(material));
        return out_.json["materials"].size() - 1;
    }

    /// Triangles of a mirrored node turn over when its transform is applied.
    std::vector<std::uint32_t> turned(const std::vector<std::uint32_t>& indices,
                                      const Surface& surface) const {
        std::vector<std::uint32_t> out(indices);
        if (determinant(surface.to_world) < 0)
            for (std::size_t t = 0; t + 2 < out.size(); t += 3) std::swap(out[t + 1], out[t + 2]);
        return out;
    }

    Json mapped(std::uint32_t s) {
        const Surface& surface = level_.surfaces[s];
        const Mesh& mesh = level_.meshes[surface.mesh];
        const Layout& layout = atlas_.layouts[atlas_.surfaces[s].layout];
        const auto [image_number, spot_number] = place_.at(s);
        const PrelitImage& image = images_[image_number];
        const PrelitImage::Spot& spot = image.spots[spot_number];
        std::vector<std::uint32_t> chart(layout.source.size(), none);
        for (std::size_t t = 0; t < layout.chart.size(); ++t)
            for (std::size_t k = 0; k < 3; ++k)
                if (layout.chart[t] != none) chart[layout.indices[3 * t + k]] = layout.chart[t];
        const float detail = static_cast<float>(image.detail);
        std::vector<Vec3> positions;
        std::vector<Vec2> uv;
        for (std::size_t i = 0; i < layout.source.size(); ++i) {
            positions.push_back(transform_point(surface.to_world, mesh.positions[layout.source[i]]));
            const Vec2 at = (layout.uv[i] + (chart[i] == none ? Vec2{} : spot.shift[chart[i]])) * detail;
            uv.push_back({at.x / static_cast<float>(image.width), at.y / static_cast<float>(image.height)});
        }
        return {{"attributes",
                 {{"POSITION", out_.add_positions(positions)}, {"TEXCOORD_0", out_.add_floats(uv)}}},
                {"indices", out_.add_indices(turned(layout.indices, surface))},
                {"material", image_material(image_number, level_.materials[surface.material])}};
    }

    Json probed(std::uint32_t s) {
        const Surface& surface = level_.surfaces[s];
        const Mesh& mesh = level_.meshes[surface.mesh];
        const Material& material = level_.materials[surface.material];
        std::vector<Vec3> positions, colors;
        const float scale = 0.18f * 8 / std::exp2(ev_);
        for (std::size_t i = 0; i < mesh.positions.size(); ++i) {
            const Vec3 p = transform_point(surface.to_world, mesh.positions[i]);
            const Vec3 n = normalize(transform_normal(surface.to_world, mesh.normals[i]));
            const Vec3 up = length(n) > 0.5f ? n : Vec3{0, 1, 0};
            Rgb c;
            if (surface.lit_by == LitBy::probes || surface.part == Part::moving)
                c = probe_irradiance(probe_weights(baked_.probes, p + up * 0.05f), set_.probes, set_.lamps, p,
                                     up) *
                    material.base_color * (1 / pi);
            if (surface.group != none)
                c += material.emission * surface.emission_gain * recipe_.gain(surface.group);
            positions.push_back(p);
            colors.push_back(
                {std::min(c.r * scale, 1.0f), std::min(c.g * scale, 1.0f), std::min(c.b * scale, 1.0f)});
        }
        Json primitive = {
            {"attributes",
             {{"POSITION", out_.add_positions(positions)}, {"COLOR_0", out_.add_floats(colors)}}},
            {"indices", out_.add_indices(turned(mesh.indices, surface))}};
        const auto [at, fresh] = probed_material_.try_emplace(surface.material, 0);
        if (fresh) at->second = probed_material(material);
        primitive["material"] = at->second;
        if (!mesh.uv0.empty() && material.base_texture.image != none)
            primitive["attributes"]["TEXCOORD_0"] = out_.add_floats(mesh.uv0);
        return primitive;
    }

    std::size_t probed_material(const Material& material) {
        Json pbr = Json::object();
        if (material.base_texture.image != none) {
            const Image& image = level_.images[material.base_texture.image];
            std::vector<std::uint8_t> rgb;
            for (std::size_t i = 0; i < image.rgba.size(); i += 4)
                rgb.insert(rgb.end(), {image.rgba[i], image.rgba[i + 1], image.rgba[i + 2]});
            const bool cut = material.alpha_mode == AlphaMode::mask;
            pbr["baseColorTexture"] = {
                {"index", add_texture(cut ? encode_png_rgba(image.width, image.height, image.rgba)
                                          : encode_png(image.width, image.height, rgb),
                                      "image/png")}};
            const std::size_t index = add_material(std::move(pbr), material.double_sided);
            if (cut) {
                out_.json["materials"][index]["alphaMode"] = "MASK";
                out_.json["materials"][index]["alphaCutoff"] = material.alpha_cutoff;
            }
            return index;
        }
        return add_material(std::move(pbr), material.double_sided);
    }

    const Level& level_;
    const Atlas& atlas_;
    const Baked& baked_;
    const BakedSet& set_;
    const std::string& made_from_;
    const BakeSet& recipe_;
    const PrelitOptions& settings_;
    const std::optional<float> exposure_;  ///< Empty: metered.
    const std::filesystem::path folder_;
    GlbBuilder out_;
    float ev_ = 0;
    std::vector<std::string> files_;
    std::vector<PrelitImage> images_;   ///< Once drawn, without their pixels.
    std::vector<std::size_t> texture_;  ///< Of each image.
    std::map<std::uint32_t, std::pair<std::size_t, std::size_t>> place_;  ///< Image and spot of a surface.
    std::map<std::tuple<std::size_t, AlphaMode, float, bool>, std::size_t> image_material_;
    std::map<std::uint32_t, std::size_t> probed_material_;
};

}  // namespace

void write_preview_glb(const std::filesystem::path& to, const LitSet& lit) {
    const PrelitOptions plain{.by = PrelitBy::page, .detail = 1, .exposure = {}};
    write_file(to, LitWriter(lit, plain, {}).run());
}

PrelitFiles write_prelit(const std::filesystem::path& folder, const LitSet& lit) {
    LitWriter writer(lit, lit.level.prelit, folder);
    const Bytes glb = writer.run();
    write_file(folder / "prelit.glb", glb);
    return {.exposure = writer.exposure(), .images = writer.files()};
}

}  // namespace stasigraph
