// Reflection probes: what is seen all around from a place, under every set, from rays that are sent once.

#include <algorithm>
#include <map>
#include <span>

#include "bake/costs.hpp"
#include "bake/keys.hpp"
#include "base/blob.hpp"
#include "base/text.hpp"
#include "picture/viewer.hpp"
#include "probe/cube_map.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

constexpr std::uint32_t back_bit = 0x80000000u;
/// What is kept of hits has another name where it is kept in another way.
constexpr int form_of_hits = 1;

/// How a ray went on after the last face it met, where that did not hide the rest: too many panes leave
/// nothing.
constexpr std::uint32_t sky_ends = 0, nothing_ends = 1;

/// A face that a ray met, to be lit at any time; `surface` is `none` and `triangle` one of the above where it
/// met none any more.
struct SeenHit {
    std::uint32_t surface = none, triangle = 0;
    float u = 0, v = 0;
    Hit hit() const { return {surface & ~back_bit, triangle, u, v, 0, (surface & back_bit) != 0}; }
};

/// Of a cube map's rays the faces each met, glass first, up to one that hides the rest or the sky.
struct SeenHits {
    std::vector<std::uint64_t> first;  ///< Of each row of texels, and the end of all.
    std::vector<SeenHit> own;          ///< Empty where they lie in a blob.
    std::span<const SeenHit> hits;
    Blob blob;
};

/// Where a ray of a texel goes: samples lie in an even grid.
Vec3 ray_of(const ReflectionProbe& p, int samples, std::size_t row, int x, int sample) {
    const int side = p.resolution, y = static_cast<int>(row) % side, face = static_cast<int>(row) / side;
    const float step = 1 / static_cast<float>(samples);
    const Vec3 w = cube_direction(
        side, face, static_cast<float>(x) + (static_cast<float>(sample % samples) + 0.5f) * step,
        static_cast<float>(y) + (static_cast<float>(sample / samples) + 0.5f) * step);
    if (p.shape != ReflectionShape::plane) return w;
    // Below a plane lies the mirror image of what is above it.
    const float up = dot(w, p.axes[1]);
    return up < 0 ? w - p.axes[1] * (2 * up) : w;
}

/// Samples along a texel's side.
int samples_of(Tier tier) {
    return tier == Tier::glance ? 1 : tier == Tier::proof ? 2 : 3;
}

std::string hits_name(const Level& level, const ReflectionProbe& p, const std::string& geometry,
                      int samples) {
    Hasher h("seen");
    h.number(form_of_hits);
    h.text(geometry);
    h.vector(p.capture);
    h.vector(p.shape == ReflectionShape::plane ? p.axes[1] : Vec3{});
    for (const float v : {p.near, p.sky_beyond}) h.number(v);
    for (const int v : {p.resolution, samples}) h.number(v);
    // Of what is seen the names count, which are in the geometry's key, by what the glob makes of them.
    for (const Surface& s : level.surfaces)
        h.number(glob_match(p.sees, s.node) || glob_match(p.sees, s.name));
    return "seen-" + h.key();
}

bool load_hits(const BakeStore& store, const std::string& name, const Level& level, std::size_t rows,
               SeenHits& to) {
    if (!store.load || !store.load(name, to.blob)) return false;
    BlobReader r(to.blob);
    r.array(to.first, rows + 1);
    to.hits = r.view<SeenHit>();
    if (!r.done() || to.first.back() != to.hits.size() || !std::is_sorted(to.first.begin(), to.first.end()))
        return false;
    for (const SeenHit& h : to.hits) {
        if (h.surface == none) continue;
        const std::uint32_t s = h.surface & ~back_bit;
        if (s >= level.surfaces.size() || h.triangle >= level.meshes[level.surfaces[s].mesh].triangle_count())
            return false;
    }
    return true;
}

SeenHits send_rays(const Viewer& viewer, const ReflectionProbe& p, int samples, Job& job) {
    const std::size_t rows = 6 * static_cast<std::size_t>(p.resolution);
    std::vector<std::vector<SeenHit>> of_row(rows);
    job.parallel(rows, 1, [&](std::size_t row, std::size_t) {
        std::vector<SeenHit>& out = of_row[row];
        out.reserve(static_cast<std::size_t>(p.resolution * samples * samples));
        for (int x = 0; x < p.resolution; ++x)
            for (int s = 0; s < samples * samples; ++s) {
                const Vec3 w = ray_of(p, samples, row, x, s);
                Rgb through{1, 1, 1};
                float share = 0;
                bool on = true;
                const bool sky =
                    viewer.meet(p.capture + w * p.near, w, p.sky_beyond - p.near, [&](const Hit& hit) {
                        out.push_back({hit.surface | (hit.back ? back_bit : 0u), hit.triangle, hit.u, hit.v});
                        return on = viewer.passes(hit, through, share);
                    });
                if (sky)
                    out.push_back({.surface = none, .triangle = sky_ends});
                else if (on)
                    out.push_back({.surface = none, .triangle = nothing_ends});
            }
    });
    SeenHits hits;
    hits.first.push_back(0);
    for (const std::vector<SeenHit>& row : of_row) {
        hits.own.insert(hits.own.end(), row.begin(), row.end());
        hits.first.push_back(hits.own.size());
    }
    hits.hits = hits.own;
    return hits;
}

CubeMap lit(const Viewer& viewer, const ReflectionProbe& p, int samples, const SeenHits& seen, Job& job) {
    CubeMap map{p.resolution, {}};
    const auto width = static_cast<std::size_t>(p.resolution);
    map.texels.resize(6 * width * width);
    job.parallel(6 * width, 1, [&](std::size_t row, std::size_t) {
        const SeenHit *h = seen.hits.data() + seen.first[row], *end = seen.hits.data() + seen.first[row + 1];
        const float share = 1 / static_cast<float>(samples * samples);
        for (int x = 0; x < p.resolution; ++x) {
            Rgb sum;
            for (int s = 0; s < samples * samples; ++s) {
                const Vec3 w = ray_of(p, samples, row, x, s);
                Rgb through{1, 1, 1}, light;
                for (bool on = true; on && h != end; ++h) {
                    if (h->surface == none) {
                        if (h->triangle == sky_ends) light += through * viewer.background(w);
                        on = false;
                    } else {
                        on = viewer.adds(h->hit(), w, through, light);
                    }
                }
                sum += light;
            }
            map.texels[row * width + static_cast<std::size_t>(x)] = sum * share;
        }
    });
    return map;
}

/// One set's captures, filtered: those of one width together.
std::vector<ReflectionMap> filtered(std::vector<CubeMap> sharp, std::uint32_t normals, Job& job) {
    std::vector<ReflectionMap> out(sharp.size());
    std::map<int, std::vector<std::size_t>> of_width;
    for (std::size_t p = 0; p < sharp.size(); ++p) of_width[sharp[p].side].push_back(p);
    for (const auto& [width, list] : of_width) {
        std::vector<CubeMap> maps;
        for (const std::size_t p : list) maps.push_back(std::move(sharp[p]));
        std::vector<ReflectionMap> done = filter_levels(std::move(maps), job, normals);
        for (std::size_t i = 0; i < list.size(); ++i) out[list[i]] = std::move(done[i]);
    }
    return out;
}

/// What one glob lets probes see.
using Seen = std::map<std::string, std::shared_ptr<const SeenLevel>>;

}  // namespace

CaptureFigures capture_reflections(const Level& level, const Atlas& atlas,
                                   const std::vector<ReflectionProbe>& probes, Baked& baked, Job& job,
                                   const BakeStore& store) {
    CaptureFigures figures{.probes = probes.size()};
    baked.reflections = probes;
    for (BakedSet& set : baked.sets) set.reflections.clear();
    if (probes.empty() || baked.sets.empty()) return figures;
    double cost = 0;
    for (const ReflectionProbe& p : probes) cost += capture_cost(1, p.resolution, level.quality.tier);
    job.expect("reflections", cost * static_cast<double>(baked.sets.size()));
    job.begin("reflections", probes.size() * (1 + baked.sets.size()));
    const int samples = samples_of(level.quality.tier);
    const std::uint32_t normals = level.quality.tier == Tier::glance ? 512 : 2048;
    const std::string geometry = geometry_key(level);
    const ViewOptions settings{.moving = false, .mirror = false};
    Seen seen;
    for (const ReflectionProbe& p : probes)
        if (auto& s = seen[p.sees]; !s)
            s = std::make_shared<const SeenLevel>(level, [&](const Surface& surface) {
                return surface.part == Part::still &&
                       (glob_match(p.sees, surface.node) || glob_match(p.sees, surface.name));
            });
    const auto viewer = [&](const Level& shown, const BakedSet& set, const ReflectionProbe& p) {
        const ViewLight light{&set, &baked.probes, &baked.visibility, nullptr, nullptr};
        return Viewer(shown, atlas, light, settings, 1, false, seen[p.sees]);
    };
    std::vector<SeenHits> hits(probes.size());
    for (std::size_t i = 0; i < probes.size(); ++i) {
        const ReflectionProbe& p = probes[i];
        const std::size_t rows = 6 * static_cast<std::size_t>(p.resolution);
        const std::string name = hits_name(level, p, geometry, samples);
        if (load_hits(store, name, level, rows, hits[i])) {
            ++figures.from_cache;
        } else {
            hits[i] = send_rays(viewer(level, baked.sets[0], p), p, samples, job);
            figures.rays += rows * static_cast<std::size_t>(p.resolution * samples * samples);
            if (store.save) {
                BlobWriter w;
                w.array(hits[i].first);
                w.array(hits[i].hits);
                store.save(name, w.parts());
            }
        }
        job.advance(1);
    }
    for (BakedSet& set : baked.sets) {
        // A copy of the level for each set at a time: a series has many.
        const Level shown = as_in_set(level, set_index(level, set.name));
        std::vector<CubeMap> sharp;
        for (std::size_t i = 0; i < probes.size(); ++i)
            sharp.push_back(lit(viewer(shown, set, probes[i]), probes[i], samples, hits[i], job));
        set.reflections = filtered(std::move(sharp), normals, job);
        job.advance(probes.size());
    }
    job.finish();
    return figures;
}

}  // namespace stasigraph
