// Reflection probes: what is seen all around from a place, light group by light group, from rays that are
// sent once; and the mixes of that which sets show.

#include <algorithm>
#include <cmath>
#include <map>
#include <memory>
#include <span>

#include "bake/costs.hpp"
#include "bake/keys.hpp"
#include "base/blob.hpp"
#include "base/text.hpp"
#include "picture/viewer.hpp"
#include "probe/cube_map.hpp"
#include "runtime/half.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

constexpr std::uint32_t back_bit = 0x80000000u;
/// What is kept of hits has another name where it is kept in another way.
constexpr int form_of_hits = 1, form_of_maps = 1;

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
        if (s >= level.surfaces.size() ||
            h.triangle >= level.meshes[level.surfaces[s].mesh]->triangle_count())
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

/// What a probe captured of one layer, all levels one after the other: halves, times `unit`; empty where it
/// is dark.
struct KeptMap {
    bool known = false;
    float unit = 1;
    std::vector<std::uint16_t> texels;
};

std::size_t texels_of(int resolution) {
    std::size_t sum = 0;
    for (int l = 0; l < reflection_levels(resolution); ++l) {
        const auto side = static_cast<std::size_t>(resolution >> l);
        sum += 6 * side * side;
    }
    return sum;
}

KeptMap kept_map(const ReflectionMap& map) {
    KeptMap kept;
    float most = 0;
    for (const CubeMap& level : map.levels)
        for (const Rgb c : level.texels) most = std::max(most, max_channel(c));
    if (!(most > 0)) return kept;
    // A power of two, so that the same light is the same in any unit.
    kept.unit = std::exp2(std::ceil(std::log2(most / 32768)));
    for (const CubeMap& level : map.levels)
        for (const Rgb c : level.texels)
            for (const float v : {c.r, c.g, c.b})
                kept.texels.push_back(runtime::to_half(v * (1 / kept.unit)));
    return kept;
}

/// What one glob lets probes see.
using Seen = std::map<std::string, std::shared_ptr<const SeenLevel>>;

/// The captures of one bake. Rays are sent, and what they meet is brought from the store, once a layer asks.
class Captures {
public:
    Captures(const Level& level, const Atlas& atlas, const std::vector<ReflectionProbe>& probes, Job& job,
             const BakeStore& store)
        : level_(level),
          atlas_(atlas),
          probes_(probes),
          job_(job),
          store_(store),
          samples_(samples_of(level.quality.tier)),
          normals_(level.quality.tier == Tier::glance ? 512 : 2048) {
        const std::string geometry = geometry_key(level);
        for (const ReflectionProbe& p : probes) names_.push_back(hits_name(level, p, geometry, samples_));
        figures_.probes = probes.size();
    }

    /// Whether some probe's capture of a layer is not known.
    bool wants(const std::string& layer) {
        auto [at, is_new] = captured_.try_emplace(layer);
        if (!is_new) return false;
        ++figures_.layers;
        std::vector<KeptMap>& maps = at->second;
        maps.resize(probes_.size());
        for (std::size_t p = 0; p < maps.size(); ++p) maps[p].known = load(layer, p, maps[p]);
        return !std::all_of(maps.begin(), maps.end(), [](const KeptMap& m) { return m.known; });
    }

    void take(const BakedLayer& layer) {
        job_.begin(Stage::reflections, probes_.size());
        ++figures_.captured;
        const std::vector<KeptMap>& maps = captured_.at(layer.key);
        for (std::size_t p = 0; p < probes_.size(); ++p) {
            if (!maps[p].known) {
                const Viewer viewer = viewer_of(layer, p);
                to_filter_[probes_[p].resolution].push_back(
                    {layer.key, p, lit(viewer, probes_[p], samples_, hits(viewer, p), job_)});
            }
            job_.advance(1);
        }
        for (auto& [width, waiting] : to_filter_)
            while (waiting.size() >= FramedCubes::most) filter(waiting, FramedCubes::most);
    }

    CaptureFigures mix(Baked& baked) {
        job_.begin(Stage::reflections, baked.sets.size());
        for (auto& [width, maps] : to_filter_) filter(maps, maps.size());
        baked.reflections = probes_;
        for (BakedSet& set : baked.sets) {
            set.reflections.resize(probes_.size());
            job_.parallel(probes_.size(), 1,
                          [&](std::size_t p, std::size_t) { set.reflections[p] = mixed(set, p); });
            job_.advance(1);
        }
        job_.finish();
        return figures_;
    }

private:
    struct ToFilter {
        std::string layer;
        std::size_t probe = 0;
        CubeMap sharp;
    };

    Viewer viewer_of(const BakedLayer& layer, std::size_t p) {
        const ReflectionProbe& probe = probes_[p];
        std::shared_ptr<const SeenLevel>& seen = seen_[probe.sees];
        if (!seen)
            seen = std::make_shared<const SeenLevel>(level_, [&](const Surface& surface) {
                return surface.part == Part::still &&
                       (glob_match(probe.sees, surface.node) || glob_match(probe.sees, surface.name));
            });
        const ViewLight light{&layer.light, &layer.baked.probes, &layer.baked.visibility, nullptr, nullptr};
        return Viewer({layer.level, atlas_}, light, settings_, 1, {.live = false, .meets = seen});
    }

    /// What a probe's rays met, brought from the store or sent when first asked for.
    const SeenHits& hits(const Viewer& viewer, std::size_t p) {
        SeenHits& to = hits_[p];
        if (!to.first.empty()) return to;
        const std::size_t rows = 6 * static_cast<std::size_t>(probes_[p].resolution);
        if (load_hits(store_, names_[p], level_, rows, to)) return to;
        to = send_rays(viewer, probes_[p], samples_, job_);
        figures_.rays += rows * static_cast<std::size_t>(probes_[p].resolution * samples_ * samples_);
        if (!store_.save) return to;
        BlobWriter w;
        w.array(to.first);
        w.array(to.hits);
        store_.save(names_[p], w.parts());
        return to;
    }

    std::string map_name(const std::string& layer, std::size_t p) const {
        Hasher h("mirror");
        h.number(form_of_maps);
        h.text(names_[p]);
        h.text(layer);
        h.number(normals_);
        return "mirror-" + h.key();
    }
    bool load(const std::string& layer, std::size_t p, KeptMap& to) const {
        Blob blob;
        if (!store_.load || !store_.load(map_name(layer, p), blob)) return false;
        BlobReader r(blob);
        std::vector<float> unit;
        r.array(unit, 1);
        r.array(to.texels);
        if (!r.done() || !(unit[0] > 0) || !std::isfinite(unit[0]) ||
            (!to.texels.empty() && to.texels.size() != 3 * texels_of(probes_[p].resolution)))
            return false;
        to.unit = unit[0];
        return true;
    }
    /// Filters the first of some maps of one width, and keeps them.
    void filter(std::vector<ToFilter>& maps, std::size_t count) {
        std::vector<CubeMap> sharp;
        for (std::size_t i = 0; i < count; ++i) sharp.push_back(std::move(maps[i].sharp));
        const std::vector<ReflectionMap> done = filter_levels(std::move(sharp), job_, normals_);
        for (std::size_t i = 0; i < count; ++i) {
            KeptMap& to = captured_[maps[i].layer][maps[i].probe];
            to = kept_map(done[i]);
            to.known = true;
            if (!store_.save) continue;
            const std::vector<float> unit{to.unit};
            BlobWriter w;
            w.array(unit);
            w.array(to.texels);
            store_.save(map_name(maps[i].layer, maps[i].probe), w.parts());
        }
        maps.erase(maps.begin(), maps.begin() + static_cast<std::ptrdiff_t>(count));
    }
    ReflectionMap mixed(const BakedSet& set, std::size_t p) const {
        ReflectionMap map;
        for (int l = 0; l < reflection_levels(probes_[p].resolution); ++l) {
            const int side = probes_[p].resolution >> l;
            map.levels.push_back({side, {}});
            map.levels.back().texels.resize(6 * static_cast<std::size_t>(side) *
                                            static_cast<std::size_t>(side));
        }
        for (const LayerShare& share : set.layers) {
            const KeptMap& kept = captured_.at(share.layer)[p];
            const Rgb gain = share.gain * kept.unit;
            const std::uint16_t* from = kept.texels.data();
            if (kept.texels.empty()) continue;
            for (CubeMap& level : map.levels)
                for (Rgb& to : level.texels) {
                    to += Rgb{runtime::from_half(from[0]), runtime::from_half(from[1]),
                              runtime::from_half(from[2])} *
                          gain;
                    from += 3;
                }
        }
        return map;
    }

    const Level& level_;
    const Atlas& atlas_;
    const std::vector<ReflectionProbe>& probes_;
    Job& job_;
    const BakeStore& store_;
    int samples_;
    std::uint32_t normals_;
    ViewOptions settings_{.moving = false, .mirror = false};
    std::vector<std::string> names_;  ///< Of what is kept of their hits, by probe.
    Seen seen_;
    std::vector<SeenHits> hits_ = std::vector<SeenHits>(probes_.size());
    std::map<std::string, std::vector<KeptMap>> captured_;  ///< By layer, then probe.
    std::map<int, std::vector<ToFilter>> to_filter_;        ///< By width, eight at a time.
    CaptureFigures figures_;
};

}  // namespace

CapturedBake light_and_capture(Baker& baker, const Level& lit, const CapturesWanted& wanted, Job& job,
                               const BakeStore& store) {
    const auto& [probes, only] = wanted;
    if (probes.empty()) return {baker.light(lit, job, only), {}};
    double cost = 0;
    for (const ReflectionProbe& p : probes) cost += capture_cost(1, p.resolution, lit.quality.tier);
    job.expect(Stage::reflections, cost * static_cast<double>(lit.groups.size()));
    Captures captures(lit, baker.atlas(), probes, job, store);
    CapturedBake out;
    out.baked = baker.light(lit, job, only,
                            {.wants = [&](const std::string& layer) { return captures.wants(layer); },
                             .take = [&](const BakedLayer& layer) { captures.take(layer); }});
    out.figures = captures.mix(out.baked);
    return out;
}

}  // namespace stasigraph
