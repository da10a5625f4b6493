// Placing probes: candidates by rule, a quick bake of them, more where light changes, fewer where it does
// not.

#include <algorithm>
#include <memory>

#include "bake/direct_layers.hpp"
#include "bake/probe_layers.hpp"
#include "bake/unit_light.hpp"
#include "level/volume_rules.hpp"
#include "probe/candidates.hpp"
#include "probe/net.hpp"
#include "probe/thin.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/place.hpp"

namespace stasigraph {

namespace {

constexpr int light_rounds = 3;
/// Between probes of the rule `light`, of the volume's spacing.
constexpr float least_light_spacing = 0.25f;
/// How different light is that asks for one more where no tolerance is set.
constexpr float usual_tolerance = 0.1f;

/// Of each probe in the quick bake. With a quarter of them noise passes for changes of light, and a third
/// more probes stay.
constexpr int links = 512;

/// The quick bake: texels once, then probes wherever they are asked for.
class QuickBake {
public:
    QuickBake(const Level& level, const BakeStore& store, Job& job) : job_(job), lit_(quick(level)) {
        ground_ = std::make_unique<Ground>(lit_, nullptr, texels_alone(store), job);
        ground_->tier.probe_links = links;
        to_unit_strength(lit_);
        albedo_ = reflectance(*ground_, lit_, color_key(lit_), job);
        work_ = std::make_unique<LightWork>(*ground_, lit_, albedo_);
        layers_.resize(lit_.groups.size());
        for (std::uint32_t g = 0; g < layers_.size(); ++g) {
            layers_[g].keys = layer_keys(lit_, g, ground_->key, color_key(lit_));
            if (max_channel(group_strength(lit_, g)) > 0) make_.push_back({work_.get(), g, &layers_[g]});
        }
    }

    /// Light at places, appended to what is known; as candidates with what their rays met, or as check
    /// points.
    void light(const std::vector<ProbePlace>& places, bool candidates, LitPlaces& into) {
        std::vector<float> distances;
        ground_->set_probes(places, job_, &distances);
        for (Layer& l : layers_) {
            l.at_probes.clear();
            l.probes.assign(places.size(), {});
        }
        if (!make_.empty()) {
            light_direct(make_, job_);
            Making making(make_);
            if (!solved_) carry_light(making, solve_layers(making, job_).light, job_);
            solved_ = true;
            light_probe_layers(make_, job_, false);
        }
        const std::vector<ProbeLight> light = mix_probes(lit_, layers_, places.size());
        into.light.resize(light.size());
        for (std::size_t s = 0; s < light.size(); ++s)
            into.light[s].insert(into.light[s].end(), light[s].begin(), light[s].end());
        if (!candidates) {
            for (const ProbePlace& p : places) into.checks.push_back(p.position);
            return;
        }
        into.places.insert(into.places.end(), places.begin(), places.end());
        into.links = static_cast<std::uint32_t>(links);
        into.distances.insert(into.distances.end(), distances.begin(), distances.end());
        const RowSource& rows = ground_->probe_rows;
        into.rows.receivers.insert(into.rows.receivers.end(), rows.receivers.begin(), rows.receivers.end());
        into.rows.seeds.insert(into.rows.seeds.end(), rows.seeds.begin(), rows.seeds.end());
    }
    const Ground& ground() const { return *ground_; }
    void find_white(LitPlaces& lit) const {
        lit.white.clear();
        for (std::size_t s = 0; s < lit_.sets.size(); ++s)
            lit.white.push_back(white_of(lit_.sets[s], lit.light[s]));
    }

private:
    /// Probes here are none that a bake has.
    static BakeStore texels_alone(const BakeStore& store) {
        BakeStore kept = store;
        const auto of_probes = [](const std::string& name) { return name.starts_with("lit-probes-"); };
        if (store.load)
            kept.load = [store, of_probes](const std::string& name, Blob& blob) {
                return !of_probes(name) && store.load(name, blob);
            };
        if (store.save)
            kept.save = [store, of_probes](const std::string& name, const std::vector<BlobPart>& parts) {
                if (!of_probes(name)) store.save(name, parts);
            };
        return kept;
    }
    /// The level at glance, without what pages alone need. Of a series the sets would each want a sun and a
    /// sky of their own: the middle one stands for all.
    static Level quick(const Level& level) {
        Level l = level;
        l.quality.tier = Tier::glance;
        l.quality.links = 0;
        l.quality.noise = 0;
        l.quality.edges = Edges::sharp;  // nobody sees them
        l.lightmap.shape = LightmapShape::flat;
        l.occlusion = {};
        l.placed = std::vector<ProbePlace>{};
        const bool own =
            std::any_of(l.sets.begin(), l.sets.end(), [](const BakeSet& set) { return set.step == none; });
        if (own) {
            std::erase_if(l.sets, [](const BakeSet& set) { return set.step != none; });
            return l;
        }
        const std::size_t middle = l.sets.size() / 2;
        l = as_in_set(l, static_cast<std::uint32_t>(middle));
        l.sets = {l.sets[middle]};
        l.sets[0].step = none;
        return l;
    }

    Job& job_;
    Level lit_;
    std::unique_ptr<Ground> ground_;
    std::vector<Rgb> albedo_;
    std::unique_ptr<LightWork> work_;
    std::vector<Layer> layers_;
    std::vector<LayerToMake> make_;
    bool solved_ = false;
};

/// Around each lamp, where its light is strong, ends or is cut off: along its aim and its cone's edge, or
/// four ways out.
std::vector<Vec3> around_lamps(const Level& level, const Volume& v, const RayCaster& caster) {
    std::vector<Vec3> out;
    const auto along = [&](Vec3 from, Vec3 way, float range) {
        const float far = std::min(caster.closest({from + way * 0.01f, way}).distance, 3 * v.spacing);
        const float end = range > 0 ? std::min(far, range) : far;
        for (const float share : {0.3f, 0.6f, 0.9f})
            if (const Vec3 p = from + way * (end * share); end > 0 && holds(v, p)) out.push_back(p);
    };
    for (const Light& l : level.lights) {
        if (l.kind == LightKind::sun || l.role == BakeRole::realtime) continue;
        along(l.position, l.direction, l.range);
        if (l.kind == LightKind::spot) {
            const Frame frame(l.direction);
            for (int k = 0; k < 6; ++k) {
                const float turn = pi / 3 * static_cast<float>(k);
                const Vec3 side = frame.tangent * std::cos(turn) + frame.bitangent * std::sin(turn);
                along(l.position,
                      normalize(l.direction * std::cos(l.outer_cone) + side * std::sin(l.outer_cone)),
                      l.range);
            }
        } else {
            for (const Vec3 way : {Vec3{1, 0, 0}, Vec3{-1, 0, 0}, Vec3{0, 0, 1}, Vec3{0, 0, -1}})
                along(l.position, way, l.range);
        }
    }
    return out;
}

/// Middles of the net's edges whose ends look too different, the most different first; by volume.
std::vector<std::pair<std::uint32_t, Vec3>> between_different(const Level& level, const LitPlaces& lit,
                                                              std::size_t most, Job& job) {
    const ProbeNet net = connect_probes(lit.places, {});
    std::vector<std::pair<std::uint32_t, std::uint32_t>> edges;
    for (const auto& v : net.vertex)
        for (int a = 0; a < 4; ++a)
            for (int b = a + 1; b < 4; ++b)
                if (v[a] < net.size() && v[b] < net.size())
                    edges.push_back({std::min(v[a], v[b]), std::max(v[a], v[b])});
    std::sort(edges.begin(), edges.end());
    edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
    const LightnessDifference difference(lit, job);
    const float tolerance = level.probes.tolerance > 0 ? level.probes.tolerance : usual_tolerance;
    struct Found {
        float difference;
        std::uint32_t edge, volume;
    };
    std::vector<Found> found;
    for (std::uint32_t e = 0; e < edges.size(); ++e) {
        const Vec3 a = net.position[edges[e].first], b = net.position[edges[e].second];
        for (std::uint32_t v = 0; v < level.volumes.size(); ++v) {
            const Volume& volume = level.volumes[v];
            if (!volume.has(ProbeRule::light) || volume.except || !holds(volume, (a + b) * 0.5f) ||
                length(a - b) < 2 * least_light_spacing * volume.spacing)
                continue;
            if (const float d = difference.between(edges[e].first, edges[e].second); d > tolerance)
                found.push_back({d, e, v});
            break;
        }
    }
    std::sort(found.begin(), found.end(), [](const Found& a, const Found& b) {
        return a.difference != b.difference ? a.difference > b.difference : a.edge < b.edge;
    });
    if (found.size() > most) found.resize(most);
    std::vector<std::pair<std::uint32_t, Vec3>> out;
    for (const Found& f : found)
        out.push_back(
            {f.volume, (net.position[edges[f.edge].first] + net.position[edges[f.edge].second]) * 0.5f});
    return out;
}

/// Places that are in the list and not lit yet.
void light_new(QuickBake& quick, const PlaceList& list, LitPlaces& lit) {
    const std::vector<ProbePlace> fresh(
        list.places().begin() + static_cast<std::ptrdiff_t>(lit.places.size()), list.places().end());
    if (!fresh.empty()) quick.light(fresh, true, lit);
}

void add_by_light(const Level& level, QuickBake& quick, PlaceList& list, LitPlaces& lit, Job& job) {
    for (std::uint32_t v = 0; v < level.volumes.size(); ++v)
        if (level.volumes[v].has(ProbeRule::light) && !level.volumes[v].except)
            list.add(v, ProbeRule::light, around_lamps(level, level.volumes[v], quick.ground().caster()));
    for (int round = 0; round < light_rounds; ++round) {
        light_new(quick, list, lit);
        quick.find_white(lit);
        const std::size_t before = list.places().size();
        const auto wanted = between_different(level, lit, before + 1000, job);
        for (std::uint32_t v = 0; v < level.volumes.size(); ++v) {
            std::vector<Vec3> places;
            for (const auto& [volume, place] : wanted)
                if (volume == v) places.push_back(place);
            list.add(v, ProbeRule::light, places);
        }
        if (list.places().size() == before) break;
    }
    light_new(quick, list, lit);
}

/// One in every tetrahedron of all candidates, as far as probes are wanted there; about as many as
/// candidates.
std::vector<ProbePlace> check_points(const LitPlaces& lit, const PlaceList& list, Job& job) {
    const ProbeNet net = connect_probes(lit.places, {});
    const std::size_t cells = net.vertex.size(),
                      every = std::max<std::size_t>(1, cells / std::max<std::size_t>(1, lit.places.size()));
    std::vector<ProbePlace> points;
    for (std::size_t c = 0; c < cells; c += every) {
        Vec3 sum;
        bool real = true;
        for (const std::uint32_t v : net.vertex[c]) {
            real = real && v < net.size();
            sum = sum + net.points[v] * 0.25f;
        }
        if (real) points.push_back({snapped(sum), ProbeRule::lattice, none});
    }
    std::vector<std::uint8_t> good(points.size(), 0);
    job.parallel(points.size(), 64, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) good[i] = list.wants(points[i].position) ? 1 : 0;
    });
    std::vector<ProbePlace> out;
    for (std::size_t i = 0; i < points.size(); ++i)
        if (good[i]) out.push_back(points[i]);
    return out;
}

/// Metres of a block in which most places must be told well: a small room.
float block_of(const Level& level) {
    float least = 4;
    for (const Volume& v : level.volumes)
        if (!v.except) least = std::max(least, 2 * v.spacing);
    return least;
}

PlacedProbes by_light(const Level& level, PlaceList& list, const BakeStore& store, Job& job) {
    QuickBake quick(level, store, job);
    LitPlaces lit;
    add_by_light(level, quick, list, lit, job);
    if (const std::vector<ProbePlace> checks = check_points(lit, list, job); !checks.empty())
        quick.light(checks, false, lit);
    quick.find_white(lit);
    PlacedProbes out;
    for (const std::uint32_t k : thin(lit, level.probes, block_of(level), list.figures(), job))
        out.places.push_back(lit.places[k]);
    return out;
}

}  // namespace

PlacedProbes place_probes(const Level& given, Job& job, const BakeStore& store,
                          const std::vector<std::string>& only, const std::vector<ProbePlace>& before) {
    Level level = given;
    complete_level(level);
    check_level(level);
    PlacedProbes out;
    if (!has_probes(level)) return out;
    std::vector<std::uint8_t> anew;
    for (const std::string& name : only)
        if (std::none_of(level.volumes.begin(), level.volumes.end(),
                         [&](const Volume& v) { return v.name == name; }))
            throw Error{.what = "there is no such volume", .where = "--only", .value = name, .remedy = ""};
    if (!only.empty())
        for (const Volume& v : level.volumes)
            anew.push_back(std::find(only.begin(), only.end(), v.name) != only.end() ? 1 : 0);
    const Job::Within placing(job, "place probes");
    job.begin("place probes", level.volumes.size());
    const TextureSet textures(level);
    const RayCaster caster(level, textures, [](const Surface& s) { return s.part != Part::moving; });
    PlaceList list(level, caster, job);
    std::vector<ProbePlace> kept;
    for (const ProbePlace& p : before)
        if (!anew.empty() && p.volume < anew.size() && !anew[p.volume]) kept.push_back(p);
    list.add_as_they_are(kept);
    find_candidates(level, anew, list, job);
    if (asks_for_light(level))
        out = by_light(level, list, store, job);
    else
        out.places = list.places();
    out.figures = list.figures();
    for (const ProbePlace& p : out.places) ++out.figures.kept[static_cast<int>(p.rule)];
    out.key = places_key(given);
    return out;
}

std::size_t count_candidates(const Level& level, Job& job) {
    if (!has_probes(level)) return 0;
    const TextureSet textures(level);
    const RayCaster caster(level, textures, [](const Surface& s) { return s.part != Part::moving; });
    PlaceList list(level, caster, job);
    find_candidates(level, {}, list, job);
    return list.places().size();
}

}  // namespace stasigraph
