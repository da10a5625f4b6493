#include "stasigraph/compare.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "chart/texels.hpp"
#include "finish/pages.hpp"
#include "light/path_tracer.hpp"
#include "picture/draw.hpp"
#include "stasigraph/error.hpp"
#include "trace/scene_tree.hpp"

namespace stasigraph {

namespace {

constexpr float floor_share = 1.0f / 500;
constexpr double worth_counting = 0.1;  ///< Stops.

/// A texel of the result after, and the light in both.
struct Pair {
    std::uint32_t texel = 0;
    double area = 0;
    Rgb before, after;
};

/// Where a point of a triangle lies on its page, texels.
Vec2 texel_on_page(const Atlas& atlas, std::uint32_t surface, std::uint32_t triangle, Vec2 barycentric) {
    const SurfaceUv& uv = atlas.surfaces[surface];
    const Layout& layout = atlas.layouts[uv.layout];
    const std::uint32_t* c = &layout.indices[3 * std::size_t{triangle}];
    return layout.uv[c[0]] * (1 - barycentric.x - barycentric.y) + layout.uv[c[1]] * barycentric.x +
           layout.uv[c[2]] * barycentric.y + Vec2{static_cast<float>(uv.x), static_cast<float>(uv.y)};
}

/// By surface of the one level, that of the other with the same name and triangles; none where there is none.
std::vector<std::uint32_t> match_surfaces(const LitLevel& from, const LitLevel& to) {
    std::map<std::string, std::uint32_t> names;
    for (std::uint32_t s = 0; s < to.level.surfaces.size(); ++s) names[to.level.surfaces[s].name] = s;
    std::vector<std::uint32_t> match;
    const auto triangles = [](const Level& l, std::uint32_t s) {
        return l.meshes[l.surfaces[s].mesh]->triangle_count();
    };
    for (std::uint32_t s = 0; s < from.level.surfaces.size(); ++s) {
        const auto found = names.find(from.level.surfaces[s].name);
        const bool same = found != names.end() && to.atlas.surfaces[found->second].page != none &&
                          triangles(from.level, s) == triangles(to.level, found->second);
        match.push_back(same ? found->second : none);
    }
    return match;
}

/// Valid texels of pages, in order.
template <class F>
void for_texels(const LitLevel& lit, const TexelSet& texels, F f) {
    for (std::uint32_t t = 0; t < texels.size(); ++t) {
        const std::uint32_t surface = texels.grid[t] / 2;
        if (texels.grid[t] % 2 != 0 || lit.atlas.surfaces[surface].page == none) continue;
        if (lit.level.surfaces[surface].part == Part::bake_only) continue;
        f(t, surface);
    }
}

/// Whether a texel shows light of its own: a bake fills those inside of geometry, or beyond a wall where
/// nothing can look, from others.
bool in_the_open(const Level& level, const RayCaster& caster, const TexelSet& texels, std::uint32_t t) {
    constexpr std::uint32_t looks = 64;
    constexpr float room = 0.5f;  // metres
    constexpr std::uint32_t most_backs = looks * 3 / 10, least_far = looks / 4;
    const Frame frame(texels.face_normal[t]);
    std::uint32_t backs = 0, far = 0;
    for (std::uint32_t i = 0; i < looks; ++i) {
        Vec3 way = sphere_direction(sobol_point(0x6f70656eu, i));
        way.z = std::abs(way.z);
        const Hit hit = caster.closest(
            {texels.position[t] + texels.face_normal[t] * ray_start_offset, frame.to_world(way)});
        far += hit.surface == none || hit.distance > room ? 1 : 0;
        backs += hit.surface != none && hit.back &&
                         !level.materials[level.surfaces[hit.surface].material].double_sided
                     ? 1
                     : 0;
    }
    return backs <= most_backs && far > least_far;
}

LightDifference figures(const LitLevel& after, const TexelSet& texels, const std::vector<Pair>& pairs) {
    LightDifference d{.texels = pairs.size()};
    double area = 0;
    for (const Pair& p : pairs) {
        area += p.area;
        d.mean_before += p.area * static_cast<double>(luminance(p.before));
        d.mean_after += p.area * static_cast<double>(luminance(p.after));
    }
    if (!(area > 0)) return d;
    d.mean_before /= area;
    d.mean_after /= area;
    d.floor = static_cast<float>(std::max(d.mean_before, d.mean_after)) * floor_share;
    std::vector<std::pair<double, double>> sizes;
    const Pair* worst = nullptr;
    for (const Pair& p : pairs) {
        const double stops =
            std::log2(static_cast<double>(std::max(luminance(p.after), d.floor)) /
                      static_cast<double>(std::max(luminance(p.before), std::max(d.floor, 1e-20f))));
        const double size = std::abs(stops);
        if (!std::isfinite(stops)) continue;
        d.mean += p.area * stops / area;
        d.mean_size += p.area * size / area;
        d.brighter += stops > worth_counting ? p.area / area : 0;
        d.darker += stops < -worth_counting ? p.area / area : 0;
        sizes.push_back({size, p.area});
        if (!worst || size > std::abs(d.largest)) {
            worst = &p;
            d.largest = stops;
        }
    }
    std::sort(sizes.begin(), sizes.end());
    double passed = 0;
    for (const auto& [size, own] : sizes) {
        passed += own;
        d.p95 = size;
        if (passed >= 0.95 * area) break;
    }
    if (!worst) return d;
    const std::uint32_t surface = texels.grid[worst->texel] / 2;
    const Vec2 on_page =
        texel_on_page(after.atlas, surface, texels.triangle[worst->texel], texels.barycentric[worst->texel]);
    d.surface = after.level.surfaces[surface].name;
    d.at = texels.position[worst->texel];
    d.page = after.atlas.surfaces[surface].page;
    d.x = static_cast<int>(on_page.x);
    d.y = static_cast<int>(on_page.y);
    d.before = worst->before;
    d.after = worst->after;
    return d;
}

}  // namespace

LightDifference compare_light(const LitLevel& before, const LitLevel& after, Job& job) {
    const TexelSet texels = place_texels(after.level, after.atlas, job);
    const std::vector<std::uint32_t> match = match_surfaces(after, before);
    std::vector<Pair> pairs;
    std::size_t unmatched = 0;
    for_texels(after, texels, [&](std::uint32_t t, std::uint32_t surface) {
        if (match[surface] == none) {
            ++unmatched;
            return;
        }
        const auto light = [&](const LitLevel& lit, std::uint32_t s) {
            return sample_page(lit.set.pages[lit.atlas.surfaces[s].page],
                               texel_on_page(lit.atlas, s, texels.triangle[t], texels.barycentric[t]));
        };
        pairs.push_back(
            {t, static_cast<double>(texels.area[t]), light(before, match[surface]), light(after, surface)});
    });
    LightDifference d = figures(after, texels, pairs);
    d.unmatched = unmatched;
    return d;
}

ReferenceDifference compare_with_reference(const LitLevel& after, const ReferenceSampling& sampling,
                                           Job& job) {
    const TexelSet texels = place_texels(after.level, after.atlas, job);
    double area = 0;
    for_texels(after, texels,
               [&](std::uint32_t t, std::uint32_t) { area += static_cast<double>(texels.area[t]); });
    // Texels at even steps of area.
    std::vector<std::uint32_t> chosen;
    double passed = 0;
    const auto count = static_cast<double>(sampling.points);
    for_texels(after, texels, [&](std::uint32_t t, std::uint32_t) {
        passed += static_cast<double>(texels.area[t]);
        if (passed * count >= (static_cast<double>(chosen.size()) + 0.5) * area) chosen.push_back(t);
    });
    const std::shared_ptr<const SceneTree> tree = tree_of(after.level, stands_in_bake, job.threads());
    const RayCaster& caster = tree->rays();
    std::erase_if(chosen, [&](std::uint32_t t) { return !in_the_open(after.level, caster, texels, t); });
    std::vector<ReferencePoint> points;
    for (const std::uint32_t t : chosen)
        points.push_back({texels.position[t], texels.normal[t], texels.face_normal[t]});
    const Level lit = as_in_set(after.level, set_index(after.level, after.set.name));
    const std::uint32_t set = set_index(lit, after.set.name);
    std::vector<ReferenceLight> half[2];
    for (std::uint32_t k = 0; k < 2; ++k)
        half[k] = reference_light(lit, set, points,
                                  {.paths = std::max(1, sampling.paths / 2), .seed = 101 + k}, job);
    std::vector<Pair> pairs;
    double unsure = 0;
    for (std::size_t i = 0; i < chosen.size(); ++i) {
        const std::uint32_t t = chosen[i], s = texels.grid[t] / 2;
        const Rgb a = half[0][i].direct + half[0][i].bounced, b = half[1][i].direct + half[1][i].bounced;
        pairs.push_back(
            {t, 1.0, (a + b) * 0.5f,
             sample_page(after.set.pages[after.atlas.surfaces[s].page],
                         texel_on_page(after.atlas, s, texels.triangle[t], texels.barycentric[t]))});
        // The mean of both is off by half of what they are apart.
        const float low = 1e-6f;
        unsure += 0.5 * static_cast<double>(
                            std::abs(std::log2(std::max(luminance(a), low) / std::max(luminance(b), low))));
    }
    ReferenceDifference d{.light = figures(after, texels, pairs)};
    d.noise = chosen.empty() ? 0 : unsure / static_cast<double>(chosen.size());
    return d;
}

Picture reference_view(const Level& level, std::uint32_t set, const Camera& camera,
                       const ReferencePicture& asked, Job& job) {
    const auto [width, height, paths] = asked;
    check_place(camera.eye, "camera " + camera.name);
    check_place(camera.toward, "camera " + camera.name);
    const SeenLevel seen(level, stands_in_bake);
    const PathTracer tracer(level, set, seen.textures, seen.caster);
    Atlas atlas;
    atlas.surfaces.resize(level.surfaces.size());
    const ViewOptions settings{.width = width, .height = height, .show = Show::plain, .moving = false};
    const Viewer viewer({level, atlas}, {}, settings, camera.vertical_fov, {});
    const Shot shot(viewer, camera, settings);
    const BakeSet& recipe = level.sets[set];
    Picture picture{width, height,
                    std::vector<Rgb>(static_cast<std::size_t>(width) * static_cast<std::size_t>(height))};
    const auto columns = static_cast<std::size_t>(width);
    job.begin(Stage::reference_picture, picture.pixels.size());
    job.parallel(picture.pixels.size(), 64, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const Vec3 way = shot.direction(static_cast<float>(i % columns) + 0.5f,
                                            static_cast<float>(i / columns) + 0.5f);
            const bool sky = viewer.meet(shot.eye(), way, 1e30f, [&](const Hit& hit) {
                const Surface& surface = level.surfaces[hit.surface];
                if (surface.part == Part::bake_only || seen.caster.is_glass(hit.surface)) return true;
                const RayCaster::SurfacePoint place = seen.caster.place(hit);
                const ReferenceLight e =
                    tracer.irradiance(surface_receiver(place.position, place.normal, place.face_normal),
                                      {.paths = asked.paths, .bounces = -1, .seed = 7},
                                      combine_bits(7, static_cast<std::uint32_t>(i)));
                const Rgb albedo = seen.textures.albedo(level, surface, hit.triangle, hit.u, hit.v);
                picture.pixels[i] = albedo * (e.direct + e.bounced) * (1 / pi);
                if (surface.group != none)
                    picture.pixels[i] += seen.textures.emission(level, surface, hit.triangle, hit.u, hit.v) *
                                         recipe.gain(surface.group);
                return false;
            });
            if (sky && level.sky.group != none)
                picture.pixels[i] = sky_radiance(level.sky, way) * recipe.gain(level.sky.group);
        }
        job.advance(end - begin);
    });
    job.finish();
    return picture;
}

Rgb difference_color(float stops, float range) {
    constexpr Rgb same{0.22f, 0.22f, 0.22f}, more{1, 0.42f, 0.02f}, less{0.02f, 0.35f, 0.95f};
    const float share = std::clamp(stops / range, -1.0f, 1.0f);
    const Rgb to = share > 0 ? more : less;
    return same + (to - same) * std::abs(share);
}

Picture difference_picture(const Picture& before, const Picture& after, float range, float floor) {
    if (before.width != after.width || before.height != after.height)
        throw Error{.what = "pictures of two sizes cannot be compared",
                    .where = "difference_picture",
                    .value = std::to_string(before.width) + " and " + std::to_string(after.width),
                    .remedy = "Draw both in one size."};
    Picture out{after.width, after.height, {}};
    out.pixels.reserve(after.pixels.size());
    for (std::size_t i = 0; i < after.pixels.size(); ++i)
        out.pixels.push_back(difference_color(std::log2(std::max(luminance(after.pixels[i]), floor) /
                                                        std::max(luminance(before.pixels[i]), floor)),
                                              range));
    return out;
}

}  // namespace stasigraph
