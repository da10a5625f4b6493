#pragma once
// What a picture sees along a ray, and the rays of a camera.

#include <algorithm>
#include <memory>

#include "finish/pages.hpp"
#include "light/direct.hpp"
#include "picture/colors.hpp"
#include "picture/highlight.hpp"
#include "probe/lamps.hpp"
#include "stasigraph/picture.hpp"
#include "stasigraph/reflect.hpp"
#include "trace/scene_tree.hpp"

namespace stasigraph {

/// What rays meet: shared by viewers of one level under several lights.
struct SeenLevel {
    TextureSet textures;
    std::shared_ptr<const SceneTree> tree;
    const RayCaster& caster;
    SeenLevel(const Level& level, const std::function<bool(const Surface&)>& takes_part)
        : textures(level), tree(tree_of(level, takes_part, 1)), caster(tree->rays()) {}
};

class Viewer {
public:
    struct Sees {
        bool live = true;  ///< Light that is not baked at all.
        /// What rays meet; null: all that stands still, and what moves where the settings say so.
        std::shared_ptr<const SeenLevel> meets = nullptr;
    };
    Viewer(const ChartedLevel& charted, const ViewLight& light, const ViewOptions& settings,
           float vertical_fov, const Sees& sees)
        : level_(charted.level),
          atlas_(charted.atlas),
          light_(light),
          settings_(settings),
          seen_(sees.meets ? sees.meets
                           : std::make_shared<const SeenLevel>(charted.level,
                                                               [&](const Surface& s) {
                                                                   return s.part == Part::still ||
                                                                          (s.part == Part::moving &&
                                                                           settings.moving);
                                                               })),
          textures_(seen_->textures),
          caster_(seen_->caster),
          pixel_angle_(2 * std::tan(vertical_fov / 2) / static_cast<float>(settings.height)) {
        if (!light.set) return;
        const Level& level = charted.level;
        for (const BakeSet& b : level.sets)
            if (b.name == light.set->name) recipe_ = b;
        for (std::uint32_t i = 0; i < level.lights.size(); ++i) {
            const Light& l = level.lights[i];
            if (l.role == BakeRole::whole || (!sees.live && l.role == BakeRole::realtime) ||
                !(max_channel(light_gain(i)) > 0) || !(max_channel(l.color) > 0))
                continue;
            live_.push_back({i, {}});
            if (!light.visibility) continue;
            for (const VisibilityPage& page : *light.visibility) {
                const auto at = std::find(page.lights.begin(), page.lights.end(), l.name);
                live_.back().channel.push_back(
                    at == page.lights.end() ? -1 : static_cast<int>(at - page.lights.begin()));
            }
        }
    }

    /// `first` becomes the first surface that is seen.
    Rgb along(Vec3 origin, Vec3 direction, std::uint32_t& first) const {
        first = none;
        Rgb through{1, 1, 1}, sum;
        const bool sky = meet(origin, direction, 1e30f, [&](const Hit& hit) {
            if (first == none) first = hit.surface;
            return adds(hit, direction, through, sum);
        });
        return sky ? sum + through * background(direction) : sum;
    }

    /// Calls f for the faces that a ray meets, one after the other, while that answers true: backs of
    /// single-sided faces are not there, as a game culls them, or end it. True where it went past all of
    /// them.
    template <class F>
    bool meet(Vec3 origin, Vec3 direction, float far, F f) const {
        Vec3 start = origin;
        Hit before;
        for (int step = 0; step < 48; ++step) {
            const Hit hit = caster_.closest({start, direction, far});
            if (hit.surface == none) return true;
            // So little behind a face that it may be met once more.
            const bool again = step > 0 && hit.surface == before.surface && hit.triangle == before.triangle;
            before = hit;
            const bool shown =
                !hit.back || level_.materials[level_.surfaces[hit.surface].material].double_sided;
            if (!shown && !again && settings_.black_backs) return false;
            if (shown && !again && !f(hit)) return false;
            const float on = hit.distance + past(start, hit);
            start = start + direction * on;
            far -= on;
        }
        return false;
    }
    /// Whether what is behind a face is seen; `through` loses what the face keeps, which is 1 - `share`.
    bool passes(const Hit& hit, Rgb& through, float& share) const {
        share = 0;
        if (!caster_.is_glass(hit.surface) || settings_.show == Show::charts ||
            settings_.show == Show::density || settings_.show == Show::marks || settings_.show == Show::lux ||
            settings_.show == Show::groups)
            return false;
        const TextureSet::Transmission p =
            textures_.transmission(level_, level_.surfaces[hit.surface], hit.triangle, hit.u, hit.v);
        share = p.share;
        through = through * p.tint * p.share;
        return max_channel(through) > 0.002f;
    }
    /// Adds what a face sends against a direction; true where what is behind it is seen as well.
    bool adds(const Hit& hit, Vec3 direction, Rgb& through, Rgb& sum) const {
        const RayCaster::SurfacePoint place = bumped_place(hit);
        Rgb mirrored;
        const Rgb before = through, own = shade(hit, place, direction, mirrored);
        float share = 0;
        const bool on = passes(hit, through, share);
        sum += before * (own * (1 - share) + mirrored);
        return on;
    }
    Rgb background(Vec3 direction) const {
        if (settings_.show != Show::lit && settings_.show != Show::light && settings_.show != Show::probes &&
            settings_.show != Show::reflections)
            return {0.05f, 0.06f, 0.08f};
        if (level_.sky.group == none) return {};
        return sky_radiance(level_.sky, direction) * recipe_.gain(level_.sky.group);
    }

    const RayCaster& caster() const { return caster_; }

    /// The irradiance of what has no lightmap where ViewOptions::probe_light is false.
    void set_even_light(Rgb lux) { even_light_ = lux; }

    Rgb light_gain(std::uint32_t light) const {
        return light_.light_gains ? (*light_.light_gains)[light] : recipe_.gain(level_.lights[light].group);
    }
    Rgb surface_gain(std::uint32_t surface) const {
        return light_.surface_gains ? (*light_.surface_gains)[surface]
                                    : recipe_.gain(level_.surfaces[surface].group);
    }

    /// Metres to the first face that hides what is behind it.
    float depth(Vec3 origin, Vec3 direction) const {
        float far = 0;
        for (int step = 0; step < 24; ++step) {
            const Hit hit = caster_.closest({origin + direction * far, direction});
            if (hit.surface == none) break;
            far += hit.distance;
            const bool two_sided = level_.materials[level_.surfaces[hit.surface].material].double_sided;
            if ((!hit.back || two_sided) && !caster_.is_glass(hit.surface)) return far;
            far += past(origin, hit);
        }
        return 1e30f;
    }

private:
    /// How far behind a face a ray goes on, metres: as little as floats can tell there, since what ends at a
    /// pane must not be missed right behind it.
    static float past(Vec3 start, const Hit& hit) {
        const float size = std::max({std::abs(start.x), std::abs(start.y), std::abs(start.z), hit.distance});
        return 2e-6f + 2e-7f * size;
    }

    /// The place of a hit, its normal bent by the material's map.
    RayCaster::SurfacePoint bumped_place(const Hit& hit) const {
        RayCaster::SurfacePoint place = caster_.place(hit);
        const Surface& surface = level_.surfaces[hit.surface];
        if (level_.materials[surface.material].normal_texture.image == none) return place;
        const float side = hit.back ? -1.0f : 1.0f;
        place.normal = textures_.mapped_normal(level_, surface, {hit.triangle, {hit.u, hit.v}, {}},
                                               {place.normal * side, place.face_normal * side}) *
                       side;
        return place;
    }

    /// `mirrored`: what it mirrors, apart from its own.
    Rgb shade(const Hit& hit, const RayCaster::SurfacePoint& place, Vec3 direction, Rgb& mirrored) const {
        const Surface& surface = level_.surfaces[hit.surface];
        switch (settings_.show) {
            case Show::albedo:
                return textures_.albedo(level_, surface, hit.triangle, hit.u, hit.v);
            case Show::charts:
                return charts(hit) * shape(place);
            case Show::zones:
                return zone_color(light_.zones->surface[hit.surface]) * shape(place);
            case Show::density:
                return density(hit, place, direction) * shape(place);
            case Show::occlusion: {
                const std::uint32_t page = hit.back ? none : atlas_.surfaces[hit.surface].page;
                if (page == none) return Rgb{0.09f, 0.09f, 0.1f};
                const float open = sample_page((*light_.occlusion)[page], texel_on_page(hit));
                return {open, open, open};
            }
            case Show::light:
                return irradiance(hit, place) * (1 / pi);
            case Show::plain:
                return plain(hit, place);
            case Show::marks:
                return mark(hit) * shape(place);
            case Show::lux:
                return lux_color(luminance(irradiance(hit, place)), settings_.lux_low, settings_.lux_high);
            case Show::groups:
                return group_mix(hit, place) * shape(place);
            case Show::lit:
            case Show::probes:
            case Show::reflections:
                break;
        }
        Rgb emitted = textures_.emission(level_, surface, hit.triangle, hit.u, hit.v);
        if (surface.group != none && light_.set) emitted = emitted * surface_gain(hit.surface);
        const Rgb albedo = textures_.albedo(level_, surface, hit.triangle, hit.u, hit.v);
        Rgb kept{1, 1, 1};
        if (settings_.show == Show::lit && settings_.mirror && light_.reflections)
            mirrored = mirror(hit, place, direction, albedo, kept);
        if (settings_.show == Show::lit && settings_.mirror && lit_by_probes(hit))
            mirrored += highlights(hit, place, direction, albedo);
        return albedo * kept * irradiance(hit, place) * (1 / pi) + emitted;
    }

    /// What reflection probes tell of the light a surface mirrors; `kept`: what that leaves of its own
    /// colour. Reflectance as in glTF 2.0, appendix B.
    Rgb mirror(const Hit& hit, const RayCaster::SurfacePoint& place, Vec3 direction, Rgb albedo,
               Rgb& kept) const {
        const ReflectionWeights weights =
            reflection_weights(*light_.reflections, place.position, place.face_normal);
        const TextureSet::MetallicRoughness s =
            textures_.metallic_roughness(level_, level_.surfaces[hit.surface], hit.triangle, hit.u, hit.v);
        const float cosine = std::max(-dot(direction, place.normal), 0.0f);
        const Vec3 way = direction + place.normal * (2 * cosine);
        const Rgb straight = straight_reflectance(s, albedo);
        const EnvironmentBrdf m = environment_brdf(cosine, s.roughness);
        const Rgb share = straight * m.scale + Rgb{m.bias, m.bias, m.bias};
        Rgb sum;
        float covered = 0;
        for (int k = 0; k < weights.count; ++k) {
            const std::uint32_t p = weights.probe[static_cast<std::size_t>(k)];
            const float w = weights.weight[static_cast<std::size_t>(k)];
            sum += reflected(light_.set->reflections[p],
                             lookup_direction((*light_.reflections)[p], place.position, way), s.roughness) *
                   w;
            covered += w;
        }
        kept = (Rgb{1, 1, 1} - share * covered) * (1 - s.metallic * covered);
        return sum * share;
    }

    /// Whether it has no lightmap there and gets the light of probes.
    bool lit_by_probes(const Hit& hit) const {
        return (atlas_.surfaces[hit.surface].page == none || hit.back) && settings_.probe_light &&
               light_.probes && level_.surfaces[hit.surface].lit_by != LitBy::nothing;
    }
    ProbeWeights weights_at(const RayCaster::SurfacePoint& place) const {
        return probe_weights(*light_.probes, place.position + place.face_normal * 0.05f);
    }

    /// What it mirrors of the lamps that probes tell of.
    Rgb highlights(const Hit& hit, const RayCaster::SurfacePoint& place, Vec3 direction, Rgb albedo) const {
        std::array<SeenLamp, most_seen_lamps> lamps;
        const int count = lamps_at(weights_at(place), light_.set->lamps, place.position, lamps);
        if (count == 0) return {};
        const TextureSet::MetallicRoughness s =
            textures_.metallic_roughness(level_, level_.surfaces[hit.surface], hit.triangle, hit.u, hit.v);
        const Rgb straight = straight_reflectance(s, albedo);
        Rgb sum;
        for (int i = 0; i < count; ++i) {
            const SeenLamp& l = lamps[static_cast<std::size_t>(i)];
            sum +=
                l.lux * highlight(place.normal, direction * -1.0f, l.toward, {s.roughness, l.sine, straight});
        }
        return sum;
    }
    static Rgb straight_reflectance(const TextureSet::MetallicRoughness& s, Rgb albedo) {
        return Rgb{0.04f, 0.04f, 0.04f} * (1 - s.metallic) + albedo * s.metallic;
    }

    /// Direct light of the lamps that are not baked whole, lux.
    Rgb live_light(const Hit& hit, const RayCaster::SurfacePoint& place) const {
        Rgb sum;
        const Receiver r = surface_receiver(place.position, place.normal, place.face_normal);
        const std::uint32_t page = hit.back ? none : atlas_.surfaces[hit.surface].page;
        for (const LiveLight& live : live_) {
            const Light& light = level_.lights[live.light];
            const bool mapped = light.role == BakeRole::bounce && page < live.channel.size();
            const float map = mapped ? visibility(hit, page, live.channel[page]) : 1;
            if (!(map > 0)) continue;
            draw_light(light, level_.profiles, r, {live_samples, 0x6c697665u + live.light},
                       [&](Vec3 w, Rgb e, float distance) {
                           const float weight = r.weight(w) * map;
                           if (!(weight > 0)) return;
                           sum += e * light_gain(live.light) * weight *
                                  (mapped ? Rgb{1, 1, 1} : caster_.transmitted({r.position, w, distance}));
                       });
        }
        return sum;
    }

    /// A page's map as a game's sampler reads it.
    float visibility(const Hit& hit, std::uint32_t page, int channel) const {
        const VisibilityPage& map = (*light_.visibility)[page];
        if (channel < 0 || map.texels.empty()) return 0;
        const Vec2 at = texel_on_page(hit) - Vec2{0.5f, 0.5f};
        const float fx = std::floor(at.x), fy = std::floor(at.y), tx = at.x - fx, ty = at.y - fy;
        const auto texel = [&](float x, float y) {
            const int px = std::clamp(static_cast<int>(x), 0, map.side - 1),
                      py = std::clamp(static_cast<int>(y), 0, map.side - 1);
            return static_cast<float>(map.texels[static_cast<std::size_t>(py) * map.side + px]
                                                [static_cast<std::size_t>(channel)]) /
                   255;
        };
        return (texel(fx, fy) * (1 - tx) + texel(fx + 1, fy) * tx) * (1 - ty) +
               (texel(fx, fy + 1) * (1 - tx) + texel(fx + 1, fy + 1) * tx) * ty;
    }

    Vec2 texel_on_page(const Hit& hit) const {
        const SurfaceUv& uv = atlas_.surfaces[hit.surface];
        return texel_of(hit, atlas_.layouts[uv.layout]) +
               Vec2{static_cast<float>(uv.x), static_cast<float>(uv.y)};
    }

    /// A faint shading by direction, so that forms read without light.
    static float shape(const RayCaster::SurfacePoint& place) {
        return 0.8f + 0.2f * dot(place.normal, Vec3{0.36f, 0.8f, 0.48f});
    }

    Vec2 texel_of(const Hit& hit, const Layout& layout) const {
        const std::uint32_t* c = &layout.indices[3 * static_cast<std::size_t>(hit.triangle)];
        return layout.uv[c[0]] * (1 - hit.u - hit.v) + layout.uv[c[1]] * hit.u + layout.uv[c[2]] * hit.v;
    }

    Rgb irradiance(const Hit& hit, const RayCaster::SurfacePoint& place) const {
        const Surface& surface = level_.surfaces[hit.surface];
        const SurfaceUv& uv = atlas_.surfaces[hit.surface];
        const Rgb live = live_light(hit, place);
        if (uv.page != none && !hit.back) return live + mapped_light(hit, place);
        if (surface.lit_by == LitBy::nothing) return live;
        if (!settings_.probe_light) return even_light_;
        return live + probe_irradiance(weights_at(place), light_.set->probes, light_.set->lamps,
                                       place.position, place.normal);
    }

    /// From the lightmap, as a game's shader reads it.
    Rgb mapped_light(const Hit& hit, const RayCaster::SurfacePoint& place) const {
        const std::uint32_t page = atlas_.surfaces[hit.surface].page;
        const Vec2 at = texel_on_page(hit);
        const Rgb flat = sample_page(light_.set->pages[page], at);
        if (light_.set->directional.empty()) return flat;
        return directional_irradiance(flat, sample_page(light_.set->directional[page], at),
                                      caster_.place(hit).normal, place.normal);
    }

    /// Its colour, held between grey and white so that neither black nor glaring things hide their form.
    Rgb plain(const Hit& hit, const RayCaster::SurfacePoint& place) const {
        const Rgb c = textures_.albedo(level_, level_.surfaces[hit.surface], hit.triangle, hit.u, hit.v);
        return (Rgb{0.12f, 0.12f, 0.12f} + c * 0.75f) * (0.55f + 0.45f * shape(place) * shape(place));
    }

    Rgb mark(const Hit& hit) const {
        const TexelMarks& marks = *light_.marks;
        const std::uint32_t page = hit.back ? none : atlas_.surfaces[hit.surface].page;
        std::uint8_t number = hit.surface < marks.surfaces.size() ? marks.surfaces[hit.surface] : 0;
        if (page != none && page < marks.pages.size() && !marks.pages[page].empty()) {
            const int side = atlas_.pages[page];
            const Vec2 at = texel_on_page(hit);
            const int x = std::clamp(static_cast<int>(at.x), 0, side - 1),
                      y = std::clamp(static_cast<int>(at.y), 0, side - 1);
            number = marks.pages[page][static_cast<std::size_t>(y) * static_cast<std::size_t>(side) +
                                       static_cast<std::size_t>(x)];
        }
        return marks.colors[number];
    }

    /// The colours of light groups, each by its share of the light; darker where there is little.
    Rgb group_mix(const Hit& hit, const RayCaster::SurfacePoint& place) const {
        Rgb sum;
        float all = 0;
        for (std::uint32_t g = 0; g < light_.groups->size(); ++g) {
            const BakedSet& set = (*light_.groups)[g];
            const std::uint32_t page = hit.back ? none : atlas_.surfaces[hit.surface].page;
            Rgb e;
            if (page != none && page < set.pages.size())
                e = sample_page(set.pages[page], texel_on_page(hit));
            else if (!set.probes.empty() && light_.probes)
                e = probe_irradiance(
                    probe_weights(*light_.probes, place.position + place.face_normal * 0.05f), set.probes,
                    set.lamps, place.position, place.normal);
            sum += group_color(g) * luminance(e);
            all += luminance(e);
        }
        return all > 0 ? sum * (1 / all) : Rgb{0.02f, 0.02f, 0.02f};
    }

    Rgb charts(const Hit& hit) const {
        const SurfaceUv& uv = atlas_.surfaces[hit.surface];
        if (uv.page == none) return {0.09f, 0.09f, 0.1f};
        return chart_color(hit.surface, atlas_.layouts[uv.layout].chart[hit.triangle]);
    }

    Rgb density(const Hit& hit, const RayCaster::SurfacePoint& place, Vec3 direction) const {
        const SurfaceUv& uv = atlas_.surfaces[hit.surface];
        if (uv.page == none) return {0.09f, 0.09f, 0.1f};
        const Layout& layout = atlas_.layouts[uv.layout];
        const Vec2 t = texel_of(hit, layout);
        const RayCaster::Corners c = caster_.corners(hit.surface, hit.triangle);
        const std::uint32_t* i = &layout.indices[3 * static_cast<std::size_t>(hit.triangle)];
        const float texels =
            std::abs(cross(layout.uv[i[1]] - layout.uv[i[0]], layout.uv[i[2]] - layout.uv[i[0]]));
        const float metres = length(cross(c.b - c.a, c.c - c.a));
        const float reached = metres > 0 ? std::sqrt(texels / metres) : 0;
        // Squares are single texels; where the picture cannot show them they fade instead of flickering.
        const float facing = std::max(0.05f, std::abs(dot(place.face_normal, direction)));
        const float pixels = 1 / (hit.distance * pixel_angle_ * reached) * std::sqrt(facing);
        const float contrast = 0.4f * std::clamp((pixels - 1) / 2, 0.0f, 1.0f);
        const bool dark = ((static_cast<int>(t.x) + static_cast<int>(t.y)) & 1) != 0;
        const float share = reached / (level_.lightmap.density * atlas_.density_scale);
        return density_color(share) * (dark ? 1 - contrast : 1 + contrast / 4);
    }

    const Level& level_;
    const Atlas& atlas_;
    Rgb even_light_;
    /// Rays for the live light of one sample of a pixel: its disc is softened by the pixel's samples alone.
    static constexpr int live_samples = 4;
    struct LiveLight {
        std::uint32_t light = 0;
        std::vector<int> channel;  ///< Of each page's visibility map; -1 where the light does not reach it.
    };

    ViewLight light_;
    ViewOptions settings_;
    std::shared_ptr<const SeenLevel> seen_;
    const TextureSet& textures_;
    const RayCaster& caster_;
    float pixel_angle_;  ///< Radians, in the middle of the picture.
    BakeSet recipe_;
    std::vector<LiveLight> live_;
};

/// Where a place is in a picture.
struct Projected {
    float x = 0, y = 0;  ///< Pixels.
    float depth = 0;     ///< Metres ahead; 0 or less: behind the eye.
    float pixels_per_metre = 0;
};

/// The camera's rays.
class Shot {
public:
    Shot(const Viewer& viewer, const Camera& camera, const ViewOptions& settings)
        : viewer_(viewer), eye_(camera.eye), width_(settings.width), height_(settings.height) {
        ahead_ = normalize(camera.toward - camera.eye);
        const Vec3 up = std::abs(ahead_.y) > 0.999f ? Vec3{0, 0, -1} : Vec3{0, 1, 0};
        const Vec3 right = normalize(cross(ahead_, up));
        const float half = std::tan(camera.vertical_fov / 2);
        across_ = right * (half * static_cast<float>(width_) / static_cast<float>(height_));
        above_ = cross(right, ahead_) * half;
    }

    /// The mean of side times side samples; `surface` is what the last one met.
    Rgb pixel(int x, int y, int side, std::uint32_t& surface) const {
        Rgb sum;
        const float step = 1 / static_cast<float>(side);
        for (int s = 0; s < side * side; ++s) {
            const float px = (static_cast<float>(x) + (static_cast<float>(s % side) + 0.5f) * step) /
                             static_cast<float>(width_);
            const float py = (static_cast<float>(y) + (static_cast<float>(s / side) + 0.5f) * step) /
                             static_cast<float>(height_);
            sum += viewer_.along(eye_, normalize(ahead_ + across_ * (2 * px - 1) + above_ * (1 - 2 * py)),
                                 surface);
        }
        return sum * (step * step);
    }

    Vec3 eye() const { return eye_; }
    Vec3 ahead() const { return ahead_; }
    /// Through a place of the picture, pixels.
    Vec3 direction(float x, float y) const {
        return normalize(ahead_ + across_ * (2 * x / static_cast<float>(width_) - 1) +
                         above_ * (1 - 2 * y / static_cast<float>(height_)));
    }
    Projected project(Vec3 place) const {
        const Vec3 d = place - eye_;
        Projected p{.depth = dot(d, ahead_)};
        if (!(p.depth > 0)) return p;
        const float w = static_cast<float>(width_), h = static_cast<float>(height_);
        p.x = (dot(d, across_) / (dot(across_, across_) * p.depth) + 1) * 0.5f * w;
        p.y = (1 - dot(d, above_) / (dot(above_, above_) * p.depth)) * 0.5f * h;
        p.pixels_per_metre = 0.5f * h / (length(above_) * p.depth);
        return p;
    }

private:
    const Viewer& viewer_;
    Vec3 eye_, ahead_, across_, above_;  ///< The last two reach to the picture's edges.
    int width_, height_;
};

}  // namespace stasigraph
