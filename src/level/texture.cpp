#include "level/texture.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace stasigraph {

namespace {

/// An sRGB-coded byte as linear light (IEC 61966-2-1).
const std::array<float, 256>& linear_table() {
    static const std::array<float, 256> table = [] {
        std::array<float, 256> t{};
        for (int i = 0; i < 256; ++i) {
            const double c = i / 255.0;
            t[i] = static_cast<float>(c <= 0.04045 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4));
        }
        return t;
    }();
    return table;
}

Rgb hold(Rgb c) {
    return {std::clamp(c.r, 0.0f, most_albedo), std::clamp(c.g, 0.0f, most_albedo),
            std::clamp(c.b, 0.0f, most_albedo)};
}

}  // namespace

float linear_byte(std::uint8_t code) {
    return linear_table()[code];
}

bool tints(const Material& m) {
    return m.transmission > 0 && !(max_channel(m.emission) > 0);
}
bool is_transmissive(const Material& m) {
    return m.alpha_mode != AlphaMode::opaque || tints(m);
}

bool has_normal_maps(const Scene& scene) {
    return std::any_of(scene.surfaces.begin(), scene.surfaces.end(), [&](const Surface& s) {
        return s.part == Part::still && s.lit_by == LitBy::lightmap &&
               scene.materials[s.material].normal_texture.image != none && !scene.meshes[s.mesh]->uv0.empty();
    });
}

TextureSet::TextureSet(const Scene& scene) : images_(scene.images.size()), vectors_(scene.images.size()) {
    for (const Material& m : scene.materials) {
        for (const TextureUse* use : {&m.base_texture, &m.emission_texture, &m.transmission_texture})
            if (use->image != none && images_[use->image].empty())
                images_[use->image] = make_mips(scene.images[use->image], true);
        for (const TextureUse* use : {&m.normal_texture, &m.roughness_texture})
            if (use->image != none && vectors_[use->image].empty())
                vectors_[use->image] = make_mips(scene.images[use->image], false);
    }
}

TextureSet::Mips TextureSet::make_mips(const Image& image, bool colors) {
    Mips mips;
    Mip base{image.width, image.height,
             std::vector<Texel4>(static_cast<std::size_t>(image.width) * image.height)};
    const auto& table = linear_table();
    const auto value = [&](std::uint8_t code) {
        return colors ? table[code] : static_cast<float>(code) * (2 / 255.0f) - 1;
    };
    for (std::size_t i = 0; i < base.pixels.size(); ++i) {
        const std::uint8_t* p = &image.rgba[4 * i];
        base.pixels[i] = {value(p[0]), value(p[1]), value(p[2]), static_cast<float>(p[3]) / 255.0f};
    }
    mips.push_back(std::move(base));
    while (mips.back().width > 1 || mips.back().height > 1) {
        const Mip& from = mips.back();
        Mip to{std::max(1, from.width / 2), std::max(1, from.height / 2), {}};
        for (int y = 0; y < to.height; ++y)
            for (int x = 0; x < to.width; ++x) {
                Texel4 sum;
                for (int k = 0; k < 4; ++k) {
                    const int sx = std::min(2 * x + (k & 1), from.width - 1),
                              sy = std::min(2 * y + (k >> 1), from.height - 1);
                    const Texel4& p = from.pixels[static_cast<std::size_t>(sy) * from.width + sx];
                    sum = {sum.r + p.r / 4, sum.g + p.g / 4, sum.b + p.b / 4, sum.a + p.a / 4};
                }
                to.pixels.push_back(sum);
            }
        mips.push_back(std::move(to));
    }
    return mips;
}

Texel4 TextureSet::fetch(const Mip& mip, const TextureUse& use, float x, float y) {
    const auto wrap = [](int i, int n, bool repeat) {
        if (!repeat) return std::clamp(i, 0, n - 1);
        i %= n;
        return i < 0 ? i + n : i;
    };
    const float fx = std::floor(x), fy = std::floor(y);
    const int x0 = wrap(static_cast<int>(fx), mip.width, use.repeat_x),
              x1 = wrap(static_cast<int>(fx) + 1, mip.width, use.repeat_x);
    const int y0 = wrap(static_cast<int>(fy), mip.height, use.repeat_y),
              y1 = wrap(static_cast<int>(fy) + 1, mip.height, use.repeat_y);
    const auto at = [&](int px, int py) -> const Texel4& {
        return mip.pixels[static_cast<std::size_t>(py) * mip.width + px];
    };
    const float tx = x - fx, ty = y - fy;
    const float w[4] = {(1 - tx) * (1 - ty), tx * (1 - ty), (1 - tx) * ty, tx * ty};
    const Texel4* p[4] = {&at(x0, y0), &at(x1, y0), &at(x0, y1), &at(x1, y1)};
    Texel4 sum;
    for (int k = 0; k < 4; ++k)
        sum = {sum.r + w[k] * p[k]->r, sum.g + w[k] * p[k]->g, sum.b + w[k] * p[k]->b,
               sum.a + w[k] * p[k]->a};
    return sum;
}

Texel4 TextureSet::sample(const TextureUse& use, Vec2 uv, float footprint) const {
    return use.image == none ? Texel4{1, 1, 1, 1} : look_up(images_[use.image], use, uv, footprint);
}

Texel4 TextureSet::look_up(const Mips& mips, const TextureUse& use, Vec2 uv, float footprint) {
    // KHR_texture_transform: scale, then rotate, then move.
    const float c = std::cos(use.rotation), s = std::sin(use.rotation);
    const Vec2 q{uv.x * use.scale.x, uv.y * use.scale.y};
    const Vec2 p = Vec2{c * q.x + s * q.y, -s * q.x + c * q.y} + use.offset;
    const float pixels = footprint * std::max(use.scale.x, use.scale.y) *
                         static_cast<float>(std::max(mips[0].width, mips[0].height));
    const int level = pixels > 1 ? static_cast<int>(std::log2(pixels)) : 0;
    const Mip& mip = mips[static_cast<std::size_t>(std::min<int>(level, static_cast<int>(mips.size()) - 1))];
    // A coordinate far out of any sensible range would overflow the integer pixel.
    const auto tame = [](float v, bool repeat) {
        return repeat ? v - std::floor(v) : std::clamp(v, -1.0f, 2.0f);
    };
    return fetch(mip, use, tame(p.x, use.repeat_x) * static_cast<float>(mip.width) - 0.5f,
                 tame(p.y, use.repeat_y) * static_cast<float>(mip.height) - 0.5f);
}

Vec3 shading_normal(const Mesh& mesh, std::uint32_t triangle, Vec2 barycentric, const Affine& to_world,
                    Vec3 face) {
    const auto [u, v] = barycentric;
    const std::uint32_t* i = &mesh.indices[3 * static_cast<std::size_t>(triangle)];
    const Vec3 local = mesh.normals[i[0]] * (1 - u - v) + mesh.normals[i[1]] * u + mesh.normals[i[2]] * v;
    const Vec3 normal = normalize(transform_normal(to_world, local));
    return dot(normal, face) > 0.05f ? normal : face;
}

Vec2 mesh_uv(const Mesh& mesh, std::uint32_t triangle, float u, float v) {
    if (mesh.uv0.empty()) return {};
    const std::uint32_t* i = &mesh.indices[3 * static_cast<std::size_t>(triangle)];
    return mesh.uv0[i[0]] * (1 - u - v) + mesh.uv0[i[1]] * u + mesh.uv0[i[2]] * v;
}

Rgb TextureSet::albedo(const Scene& scene, const Surface& surface, std::uint32_t triangle, float u,
                       float v) const {
    const Material& m = scene.materials[surface.material];
    Rgb c = m.base_color;
    if (m.base_texture.image != none) {
        const Texel4 t = sample(m.base_texture, mesh_uv(scene.meshes[surface.mesh], triangle, u, v));
        c = c * Rgb{t.r, t.g, t.b};
    }
    return hold(c);
}

namespace {

/// Calls f(uv, width) for sixteen places in an even grid over a parallelogram of UVs.
template <class F>
void for_places(Vec2 middle, const Footprint& footprint, F f) {
    constexpr int side = 4;
    const float width = std::max(length(footprint.across), length(footprint.down)) / side;
    for (int i = 0; i < side * side; ++i) {
        const float x = (static_cast<float>(i % side) + 0.5f) / side - 0.5f,
                    y = (static_cast<float>(i / side) + 0.5f) / side - 0.5f;
        f(middle + footprint.across * x + footprint.down * y, width);
    }
}

/// Toward +U along a triangle, and up the image, in the world; neither unit length.
struct Along {
    Vec3 right, up;
};
Along along_triangle(const Mesh& mesh, std::uint32_t triangle, const Affine& to_world) {
    const std::uint32_t* i = &mesh.indices[3 * static_cast<std::size_t>(triangle)];
    const Vec3 b = transform_vector(to_world, mesh.positions[i[1]] - mesh.positions[i[0]]),
               c = transform_vector(to_world, mesh.positions[i[2]] - mesh.positions[i[0]]);
    const Vec2 p = mesh.uv0[i[1]] - mesh.uv0[i[0]], q = mesh.uv0[i[2]] - mesh.uv0[i[0]];
    const float sign = cross(p, q) < 0 ? -1.0f : 1.0f;
    return {(b * q.y - c * p.y) * sign, (b * q.x - c * p.x) * sign};
}

}  // namespace

Rgb TextureSet::mean_albedo(const Scene& scene, const Surface& surface, std::uint32_t triangle,
                            Vec2 barycentric, const Footprint& footprint) const {
    const Material& m = scene.materials[surface.material];
    if (m.base_texture.image == none) return hold(m.base_color);
    Rgb sum;
    for_places(mesh_uv(scene.meshes[surface.mesh], triangle, barycentric.x, barycentric.y), footprint,
               [&](Vec2 uv, float width) {
                   const Texel4 t = sample(m.base_texture, uv, width);
                   sum += Rgb{t.r, t.g, t.b} * m.base_color;
               });
    return hold(sum * (1.0f / 16));
}

Vec3 TextureSet::mapped_normal(const Scene& scene, const Surface& surface, const Around& at,
                               const Normals& normals) const {
    const auto& [triangle, barycentric, footprint] = at;
    const auto& [normal, face] = normals;
    const Material& m = scene.materials[surface.material];
    const Mesh& mesh = scene.meshes[surface.mesh];
    if (m.normal_texture.image == none || mesh.uv0.empty()) return normal;
    Vec3 sum;
    const Vec2 middle = mesh_uv(mesh, triangle, barycentric.x, barycentric.y);
    const auto add = [&](Vec2 uv, float width) {
        const Texel4 t = look_up(vectors_[m.normal_texture.image], m.normal_texture, uv, width);
        sum = sum + Vec3{t.r * m.normal_scale, t.g * m.normal_scale, std::max(t.b, 0.0f)};
    };
    if (footprint.across == Vec2{} && footprint.down == Vec2{})
        add(middle, 0);
    else
        for_places(middle, footprint, add);
    const Along along = along_triangle(mesh, triangle, surface.to_world);
    Vec3 right = along.right;
    float side = dot(cross(normal, right), along.up) < 0 ? -1.0f : 1.0f;
    if (!mesh.tangents.empty()) {
        const std::uint32_t* i = &mesh.indices[3 * static_cast<std::size_t>(triangle)];
        const Vec3 t = mesh.tangents[i[0]].along * (1 - barycentric.x - barycentric.y) +
                       mesh.tangents[i[1]].along * barycentric.x + mesh.tangents[i[2]].along * barycentric.y;
        right = transform_vector(surface.to_world, t);
        side = mesh.tangents[i[0]].side * (determinant(surface.to_world) < 0 ? -1.0f : 1.0f);
    }
    right = normalize(right - normal * dot(normal, right));
    if (!(length(right) > 0.5f)) return normal;
    const Vec3 bent = normalize(right * sum.x + cross(normal, right) * (side * sum.y) + normal * sum.z);
    if (!(length(bent) > 0.5f)) return normal;
    // A bump that would look behind its own face is held at the horizon.
    constexpr float least = 0.05f;
    const float up = dot(bent, face);
    return up >= least ? bent : normalize(bent + face * (least - up));
}

TextureSet::MetallicRoughness TextureSet::metallic_roughness(const Scene& scene, const Surface& surface,
                                                             std::uint32_t triangle, float u, float v) const {
    const Material& m = scene.materials[surface.material];
    MetallicRoughness s{m.metallic, m.roughness};
    if (m.roughness_texture.image != none) {
        const Texel4 t = look_up(vectors_[m.roughness_texture.image], m.roughness_texture,
                                 mesh_uv(scene.meshes[surface.mesh], triangle, u, v), 0);
        s.roughness *= 0.5f * t.g + 0.5f;
        s.metallic *= 0.5f * t.b + 0.5f;
    }
    return {std::clamp(s.metallic, 0.0f, 1.0f), std::clamp(s.roughness, 0.0f, 1.0f)};
}

Rgb TextureSet::emission(const Scene& scene, const Surface& surface, std::uint32_t triangle, float u,
                         float v) const {
    const Material& m = scene.materials[surface.material];
    Rgb e = m.emission * surface.emission_gain;
    if (m.alpha_mode != AlphaMode::opaque) e = e * (1 - transmission(scene, surface, triangle, u, v).share);
    if (m.emission_texture.image == none) return e;
    const Texel4 t = sample(m.emission_texture, mesh_uv(scene.meshes[surface.mesh], triangle, u, v));
    return e * Rgb{t.r, t.g, t.b};
}

float TextureSet::alpha(const Scene& scene, const Surface& surface, std::uint32_t triangle, float u,
                        float v) const {
    const Material& m = scene.materials[surface.material];
    if (m.base_texture.image == none) return m.alpha;
    return m.alpha * sample(m.base_texture, mesh_uv(scene.meshes[surface.mesh], triangle, u, v)).a;
}

TextureSet::Transmission TextureSet::transmission(const Scene& scene, const Surface& surface,
                                                  std::uint32_t triangle, float u, float v) const {
    const Material& m = scene.materials[surface.material];
    const Vec2 uv = mesh_uv(scene.meshes[surface.mesh], triangle, u, v);
    const Texel4 base = m.base_texture.image == none ? Texel4{1, 1, 1, 1} : sample(m.base_texture, uv);
    const float alpha = std::clamp(m.alpha * base.a, 0.0f, 1.0f);
    if (m.alpha_mode == AlphaMode::mask && alpha < m.alpha_cutoff) return {1, {1, 1, 1}};
    const float free = m.alpha_mode == AlphaMode::blend ? 1 - alpha : 0.0f;
    if (!tints(m)) return {free, {1, 1, 1}};
    float sent = (1 - free) * m.transmission;
    if (m.transmission_texture.image != none) {
        // Not a colour: the byte itself counts, and images are kept as linear light.
        const float r = sample(m.transmission_texture, uv).r;
        sent *= r <= 0.0031308f ? 12.92f * r : 1.055f * std::pow(r, 1 / 2.4f) - 0.055f;
    }
    const float share = free + sent;
    if (!(share > 0)) return {0, {1, 1, 1}};
    const Rgb color{std::clamp(m.base_color.r * base.r, 0.0f, 1.0f),
                    std::clamp(m.base_color.g * base.g, 0.0f, 1.0f),
                    std::clamp(m.base_color.b * base.b, 0.0f, 1.0f)};
    return {share, (Rgb{free, free, free} + color * sent) * (1 / share)};
}

}  // namespace stasigraph
