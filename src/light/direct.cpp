#include "light/direct.hpp"

#include <algorithm>
#include <limits>
#include <optional>

#include "level/texture_bounds.hpp"

namespace stasigraph {

namespace {

/// Textured emitters are cut up until a part is this even (its brightest and darkest place over and under the
/// mean), or is smaller than a pixel of its texture, or has been cut so often.
constexpr float even_enough = 1.3f;
constexpr int most_cuts = 5;

/// The mean of what a part of a triangle sends, over a lattice of places inside it.
Rgb mean_emission(const Level& level, const TextureSet& textures, const EmissiveTriangle& t) {
    constexpr int steps = 6;
    Rgb sum;
    int count = 0;
    for (int i = 0; i < steps; ++i)
        for (int j = 0; i + j < steps; ++j, ++count) {
            const Vec2 p = t.corner + t.u * ((static_cast<float>(i) + 1 / 3.0f) / steps) +
                           t.v * ((static_cast<float>(j) + 1 / 3.0f) / steps);
            sum += textures.emission(level, level.surfaces[t.surface], t.triangle, p.x, p.y);
        }
    return sum * (1.0f / static_cast<float>(count));
}

/// The angle from the aim beyond which a profile sends nothing, radians.
float profile_reach(const Profile& p) {
    if (p.type_b) return pi;
    std::size_t last = 0;
    for (std::size_t i = 0; i < p.candela.size(); ++i)
        if (p.candela[i] > 0) last = std::max(last, i % p.angle.size());
    return std::min(pi, p.angle[std::min(last + 1, p.angle.size() - 1)] + 1e-3f);
}

SourceBounds bounds_of(const Lamp& lamp) {
    const Light& l = lamp.light;
    SourceBounds b{.low = l.position, .high = l.position, .axis = l.direction, .range = l.range};
    const auto grow = [&](Vec3 by) {
        b.low = b.low - by;
        b.high = b.high + by;
    };
    const auto around = [](Vec3 axis, float radius) {
        const auto side = [&](float a) { return radius * std::sqrt(std::max(0.0f, 1 - a * a)); };
        return Vec3{side(axis.x), side(axis.y), side(axis.z)};
    };
    // What a range ends is measured to the place met on the source, which may lie nearer than its middle.
    if (l.kind == LightKind::disc) {
        b.cone = 0;
        b.power = luminance(l.color) * pi * l.radius * l.radius;
        grow(around(l.direction, l.radius));
    } else if (l.kind == LightKind::tube) {
        b.cone = pi;
        b.power = luminance(l.color) * 2 * l.radius * l.width;
        const Vec3 half = l.across * (0.5f * l.width);
        grow(max(half, -half) + around(l.across, l.radius));
    } else {
        b.emit = pi;
        if (l.kind == LightKind::spot && !lamp.profile) {
            b.cone = 0;
            b.emit = l.outer_cone + 1e-3f;
        }
        if (lamp.profile) {
            b.cone = 0;
            b.emit = profile_reach(*lamp.profile);
        }
        b.uneven = l.kind == LightKind::spot || lamp.profile;
        b.power = luminance(l.color);
        if (!(b.power > 0)) b.power = max_channel(l.color) * 1e-3f;
    }
    return b;
}

SourceBounds bounds_of(const EmissiveTriangle& t) {
    const Vec3 b = t.a + t.ab, c = t.a + t.ac;
    return {.low = min(t.a, min(b, c)),
            .high = max(t.a, max(b, c)),
            .axis = t.normal,
            .cone = t.two_sided ? pi : 0.0f,
            .power = std::max(luminance(t.emission), max_channel(t.emission) * 1e-3f) * t.area,
            .range = t.range};
}

}  // namespace

LightEffort light_effort(const TierOptions& tier, float noise) {
    return {.samples = tier.light_samples, .cut = tier.light_cut, .error = noise > 0 ? noise : tier.noise};
}

DirectLight::DirectLight(const LitScene& scene, std::uint32_t group, BakeRole role)
    : level_(scene.level), textures_(scene.textures), caster_(scene.caster), tree_({}) {
    const Level& level = scene.level;
    for (const Light& light : level.lights) {
        if (light.group != group || light.role != role || !(max_channel(light.color) > 0)) continue;
        if (light.kind == LightKind::sun)
            suns_.push_back(light);
        else if (light.kind == LightKind::rectangle)
            for (EmissiveTriangle& half : rectangle_halves(light)) triangles_.push_back(half);
        else
            lamps_.push_back(make_lamp(light, level.profiles));
        if (light.kind == LightKind::point || light.kind == LightKind::spot)
            ball_radius_ = std::max(ball_radius_, light.radius);
    }
    if (role == BakeRole::whole) {
        if (level.sky.group == group && scene.sky.sampled()) sky_ = &scene.sky;
        for (std::uint32_t s = 0; s < level.surfaces.size(); ++s)
            if (level.surfaces[s].group == group && level.surfaces[s].part != Part::moving &&
                max_channel(level.materials[level.surfaces[s].material].emission) *
                        level.surfaces[s].emission_gain >
                    0)
                add_surface(s);
    }
    std::vector<SourceBounds> bounds;
    for (const Lamp& lamp : lamps_) bounds.push_back(bounds_of(lamp));
    for (const EmissiveTriangle& t : triangles_) bounds.push_back(bounds_of(t));
    tree_ = LightTree(std::move(bounds));
}

bool DirectLight::passes(const Receiver& r, float reach, const Box& box) const {
    for (const Light& sun : suns_) {
        // A sun's disc seen over the distance to the far end of the box.
        const float far = length(box.middle() - r.position) + length(box.half());
        const float wide = reach + far * std::tan(0.5f * sun.angular_diameter);
        if (box.grown(wide).meets(r.position, -sun.direction, std::numeric_limits<float>::infinity()))
            return true;
    }
    return tree_.passes(r, reach, ball_radius_, box);
}

bool DirectLight::sky_passes(const Receiver& r, float reach, int samples, std::uint32_t seed,
                             const Box& box) const {
    if (!sky_) return false;
    const Box wide = box.grown(reach);
    if (!r.in_air && !wide.reaches_over(r.position, r.face_normal)) return false;
    for (int k = 0; k < samples; ++k) {
        const SkyLight::Sample s =
            sky_->sample(sobol_point(combine_bits(seed, sky_seed), static_cast<std::uint32_t>(k)));
        if (s.density > 0 && wide.meets(r.position, s.direction, std::numeric_limits<float>::infinity()))
            return true;
    }
    return false;
}

namespace {

/// A piece of a glowing triangle, cut this many times.
struct GlowPiece {
    EmissiveTriangle triangle;
    int cuts = 0;

    /// A quarter of it: from a place of its barycentrics on, by halves.
    GlowPiece part(Vec2 at, float sign) const {
        GlowPiece p = *this;
        const EmissiveTriangle& g = triangle;
        ++p.cuts;
        p.triangle.a = g.a + g.ab * at.x + g.ac * at.y;
        p.triangle.ab = g.ab * (0.5f * sign);
        p.triangle.ac = g.ac * (0.5f * sign);
        p.triangle.corner = g.corner + g.u * at.x + g.v * at.y;
        p.triangle.u = g.u * (0.5f * sign);
        p.triangle.v = g.v * (0.5f * sign);
        return p;
    }
};

/// How a surface's texture glows over pieces of its triangles.
class GlowTexture {
public:
    GlowTexture(const Level& level, const Surface& surface)
        : material_(level.materials[surface.material]), mesh_(level.meshes[surface.mesh]) {
        for (const TextureUse* use : {&material_.emission_texture, &material_.base_texture})
            if (use->image != none)
                pixel_ =
                    std::min(pixel_, 1.0f / static_cast<float>(std::max(level.images[use->image]->width,
                                                                        level.images[use->image]->height)));
        if (material_.emission_texture.image != none)
            bounds_.emplace(level.images[material_.emission_texture.image]);
    }

    /// Of what the texture shows there; nothing at most where the piece is black all over.
    TextureBounds::Range range(const EmissiveTriangle& g) const {
        TextureBounds::Range range{1, 1};
        const auto uv_at = [&](Vec2 p) { return mesh_uv(mesh_, g.triangle, p.x, p.y); };
        if (bounds_)
            range = bounds_->within(material_.emission_texture, uv_at(g.corner), uv_at(g.corner + g.u),
                                    uv_at(g.corner + g.v));
        if (material_.alpha_mode != AlphaMode::opaque) range.least = 0;
        return range;
    }
    /// Whether cutting it once more tells more apart: smaller than a pixel there is nothing.
    bool can_cut(const GlowPiece& p) const {
        const Vec2 uv = mesh_uv(mesh_, p.triangle.triangle, 0, 0);
        const float size = std::max(length(mesh_uv(mesh_, p.triangle.triangle, 1, 0) - uv),
                                    length(mesh_uv(mesh_, p.triangle.triangle, 0, 1) - uv));
        return p.cuts < most_cuts && size * std::exp2(-static_cast<float>(p.cuts)) > 2 * pixel_;
    }

private:
    const Material& material_;
    const Mesh& mesh_;
    float pixel_ = 1;  ///< Width in UVs.
    std::optional<TextureBounds> bounds_;
};

void measure_glow(EmissiveTriangle& g) {
    g.area = 0.5f * length(cross(g.ab, g.ac));
    const Vec3 middle = (g.ab + g.ac) * (1 / 3.0f);
    g.radius = std::max({length(middle), length(g.ab - middle), length(g.ac - middle)});
}

}  // namespace

void DirectLight::add_surface(std::uint32_t number) {
    const Surface& surface = level_.surfaces[number];
    const Material& material = level_.materials[surface.material];
    const bool textured = material.emission_texture.image != none || material.alpha_mode != AlphaMode::opaque;
    const GlowTexture texture(level_, surface);
    std::vector<GlowPiece> stack;
    for (std::uint32_t t = 0; t < level_.meshes[surface.mesh]->triangle_count(); ++t) {
        const RayCaster::Corners c = caster_.corners(number, t);
        stack.push_back({{.a = c.a,
                          .ab = c.b - c.a,
                          .ac = c.c - c.a,
                          .normal = c.normal,
                          .two_sided = material.double_sided,
                          .textured = textured,
                          .surface = number,
                          .triangle = t,
                          .corner = {0, 0},
                          .u = {1, 0},
                          .v = {0, 1}}});
        while (!stack.empty()) {
            GlowPiece piece = stack.back();
            stack.pop_back();
            EmissiveTriangle& g = piece.triangle;
            measure_glow(g);
            if (!(g.area > 0)) continue;
            g.emission = material.emission * surface.emission_gain;
            if (textured) {
                const TextureBounds::Range range = texture.range(g);
                if (!(range.most > 0)) continue;  // black all over: it is no light
                const Rgb whole = g.emission;
                g.emission = mean_emission(level_, textures_, g);
                const float mean = luminance(g.emission), unit = luminance(whole);
                const bool even =
                    range.most * unit <= even_enough * mean && range.least * unit * even_enough >= mean;
                if (!even && texture.can_cut(piece)) {
                    stack.push_back(piece.part({0.5f, 0.5f}, -1));
                    for (const Vec2 at : {Vec2{0, 0.5f}, Vec2{0.5f, 0}, Vec2{0, 0}})
                        stack.push_back(piece.part(at, 1));
                    continue;
                }
                // A little of the brightest is added, so that no lit pixel between the looks is ever out of
                // reach.
                g.emission += whole * (0.05f * range.most);
            }
            triangles_.push_back(g);
        }
    }
}

}  // namespace stasigraph
