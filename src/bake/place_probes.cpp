// Placing probes: candidates by rule, a quick bake of them, more where they tell light wrong, fewer where
// they are not needed.

#include <algorithm>
#include <memory>
#include <numeric>

#include "bake/direct_layers.hpp"
#include "bake/probe_layers.hpp"
#include "bake/unit_light.hpp"
#include "level/volume_rules.hpp"
#include "probe/body_places.hpp"
#include "probe/candidates.hpp"
#include "probe/decimate.hpp"
#include "probe/net.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/place.hpp"
#include "trace/scene_tree.hpp"

namespace stasigraph {

namespace {

constexpr int light_rounds = 3;
/// Between probes of the rule `light`, of the volume's spacing.
constexpr float least_light_spacing = 0.25f;
/// How different light is that asks for one more where no tolerance is set.
constexpr float usual_tolerance = 0.1f;

/// Of each candidate in the quick bake. With a quarter of them noise passes for changes of light, and a third
/// more probes stay. Of each check point: this many are guided.
constexpr int links = 512, check_links = 1024;
/// Check points for each candidate, and at least.
constexpr float checks_a_candidate = 0.5f;
constexpr std::size_t least_checks = 1000;

/// The quick bake: texels once, then probes wherever they are asked for.
class QuickBake {
public:
    QuickBake(const Level& level, const BakeStore& store, Job& job) : job_(job), lit_(quick(level)) {
        unlit_ = make_unlit_level(lit_, nullptr, texels_alone(store), job);
        to_unit_strength(lit_);
        albedo_ = reflectance(*unlit_, lit_, color_key(lit_), job);
        work_ = std::make_unique<LightWork>(*unlit_, lit_, albedo_);
        layers_.resize(lit_.groups.size());
        for (std::uint32_t g = 0; g < layers_.size(); ++g) {
            layers_[g].keys = layer_keys(lit_, g, unlit_->key, color_key(lit_));
            if (max_channel(group_strength(lit_, g)) > 0) make_.push_back({work_.get(), g, &layers_[g]});
        }
    }

    /// Exact light at places, and as candidates what probes there tell and what their rays met, appended to
    /// what is known; otherwise they are check points.
    void light(const std::vector<ProbePlace>& places, bool candidates, LitPlaces& into) {
        std::vector<float> distances;
        unlit_->tier.probe_links = candidates ? links : check_links;
        unlit_->set_probes(places, job_, &distances);
        append(mix_light(LightBasis::sides, places.size()), into.sides);
        if (!candidates) {
            for (const ProbePlace& p : places) into.checks.push_back(p.position);
            return;
        }
        append(mix_light(LightBasis::harmonics, places.size()), into.light);
        add_lamps(places.size(), into);
        into.places.insert(into.places.end(), places.begin(), places.end());
        into.links = static_cast<std::uint32_t>(links);
        into.distances.insert(into.distances.end(), distances.begin(), distances.end());
        const RowSource& rows = unlit_->probes.rows;
        into.rows.receivers.insert(into.rows.receivers.end(), rows.receivers.begin(), rows.receivers.end());
        into.rows.seeds.insert(into.rows.seeds.end(), rows.seeds.begin(), rows.seeds.end());
    }
    const UnlitLevel& unlit() const { return *unlit_; }
    void find_white(LitPlaces& lit) const {
        lit.white.clear();
        for (std::size_t s = 0; s < lit_.sets.size(); ++s)
            lit.white.push_back(white_of(lit_.sets[s], lit.light[s]));
    }

private:
    static void append(const std::vector<ProbeLight>& more, std::vector<ProbeLight>& to) {
        to.resize(more.size());
        for (std::size_t s = 0; s < more.size(); ++s)
            to[s].insert(to[s].end(), more[s].begin(), more[s].end());
    }
    /// Light by set at the places that the unlit level has as probes.
    std::vector<ProbeLight> mix_light(LightBasis basis, std::size_t count) {
        unlit_->probes.basis = basis;
        for (Layer& l : layers_) {
            l.at_probes.clear();
            l.probes.assign(count, {});
            l.rest = l.probes;
            l.lamps.clear();
            l.openings.clear();
        }
        if (!make_.empty()) {
            light_direct(make_, job_);
            Making making(make_);
            if (!solved_) carry_light(making, solve_layers(making, job_).light, job_);
            solved_ = true;
            light_probe_layers(make_, job_);
        }
        return mix_probes(lit_, layers_, count);
    }
    /// The rest of the light at these places, and the lamps that they see.
    void add_lamps(std::size_t count, LitPlaces& into) const {
        const OpeningSight& openings = unlit_->probes.openings;
        const std::vector<Light> lamps = lamps_of(lit_, unlit_->textures);
        if (into.lamp_color.empty()) {
            into.rest.resize(lit_.sets.size());
            into.lamp_color.resize(lit_.sets.size());
            for (const Light& light : lamps) add_lamp(into.lamps, light, lit_.profiles);
            for (std::size_t s = 0; s < lit_.sets.size(); ++s)
                for (const Light& light : lamps)
                    into.lamp_color[s].push_back(
                        light.group == none ? Rgb{} : light.color * lit_.sets[s].gain(light.group));
            // Openings are numbered after all lamps.
            for (std::size_t o = 0; o < openings.lamp.size(); ++o) {
                into.lamps.lamp.push_back(openings.lamp[o]);
                into.lamps.name.push_back(opening_name(o));
                into.lamps.color.push_back({});
            }
            for (std::uint32_t s = 0; s < lit_.sets.size(); ++s)
                for (const Rgb nit : mix_openings(lit_, s, layers_, openings))
                    into.lamp_color[s].push_back(nit);
        }
        const std::vector<ProbeLamps> mixed = mix_lamps(lit_, layers_, *unlit_);
        for (std::size_t s = 0; s < mixed.size(); ++s)
            into.rest[s].insert(into.rest[s].end(), mixed[s].rest.begin(), mixed[s].rest.end());
        std::vector<ListedLamp> listed;
        for (const Layer& l : layers_) listed.insert(listed.end(), l.lamps.begin(), l.lamps.end());
        for (const OpeningSight::Seen& seen : openings.seen)
            listed.push_back({seen.probe, static_cast<std::uint32_t>(lamps.size()) + seen.lamp, seen.seen});
        std::sort(listed.begin(), listed.end(), [](const ListedLamp& a, const ListedLamp& b) {
            return a.probe < b.probe || (a.probe == b.probe && a.light < b.light);
        });
        std::size_t at = 0;
        for (std::uint32_t p = 0; p < count; ++p) {
            for (; at < listed.size() && listed[at].probe == p; ++at)
                if (listed[at].light < runtime::most_lamps)
                    into.lamp_entry.push_back(listed[at].light << 16 | listed[at].seen);
            into.lamp_first.push_back(static_cast<std::uint32_t>(into.lamp_entry.size()));
        }
    }
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
    std::unique_ptr<UnlitLevel> unlit_;
    std::vector<Rgb> albedo_;
    std::unique_ptr<LightWork> work_;
    std::vector<Layer> layers_;
    std::vector<LayerToMake> make_;
    bool solved_ = false;
};

/// A tetrahedron of candidates.
struct WideCell {
    float difference = 0;  ///< Of its corners.
    std::uint32_t volume = none;
    Vec3 middle;
};

/// Those that a volume with the rule `light` holds and that are wide enough for one more.
std::vector<WideCell> wide_cells(const Level& level, const ProbeNet& net, const LitPlaces& lit, Job& job) {
    const LightnessDifference difference(lit, job);
    std::vector<WideCell> cells;
    for (const auto& v : net.vertex) {
        WideCell cell;
        float longest = 0;
        if (std::any_of(v.begin(), v.end(), [&](std::uint32_t p) { return p >= net.size(); })) continue;
        for (std::size_t a = 0; a < 4; ++a) {
            cell.middle = cell.middle + net.position[v[a]] * 0.25f;
            for (std::size_t b = a + 1; b < 4; ++b)
                longest = std::max(longest, length(net.position[v[a]] - net.position[v[b]]));
        }
        for (std::uint32_t k = 0; k < level.volumes.size() && cell.volume == none; ++k) {
            const Volume& volume = level.volumes[k];
            if (volume.has(ProbeRule::light) && !volume.except && holds(volume, cell.middle) &&
                longest >= 2 * least_light_spacing * volume.spacing)
                cell.volume = k;
        }
        if (cell.volume == none) continue;
        for (std::size_t a = 0; a < 4; ++a)
            for (std::size_t b = a + 1; b < 4; ++b)
                cell.difference = std::max(cell.difference, difference.between(v[a], v[b]));
        cells.push_back(cell);
    }
    return cells;
}

/// Middles of tetrahedra at which probes tell light wrong, the worst first; by volume. Where there are more
/// than `most`, light is looked at in those whose corners differ most.
std::vector<std::pair<std::uint32_t, Vec3>> told_wrong(const Level& level, QuickBake& quick,
                                                       const LitPlaces& lit, std::size_t most, Job& job) {
    ProbeNet net = connect_probes(lit.places, {});
    std::vector<std::uint32_t> all(net.size());
    std::iota(all.begin(), all.end(), 0u);
    measure_probes({lit.rows, lit.distances, lit.links}, all, net, job);
    const float tolerance = level.probes.tolerance > 0 ? level.probes.tolerance : usual_tolerance;
    std::vector<WideCell> cells = wide_cells(level, net, lit, job);
    std::stable_sort(cells.begin(), cells.end(),
                     [](const WideCell& a, const WideCell& b) { return a.difference > b.difference; });
    if (cells.size() > most) cells.resize(most);
    if (cells.empty()) return {};
    std::vector<ProbePlace> middles;
    for (WideCell& cell : cells)
        middles.push_back({cell.middle = snapped(cell.middle), ProbeRule::light, none});
    LitPlaces looked_at = lit;
    quick.light(middles, false, looked_at);
    const LightnessDifference difference(looked_at, job);
    std::vector<float> error(cells.size());
    job.parallel(cells.size(), 64, [&](std::size_t begin, std::size_t end) {
        std::vector<Rgb> scratch;
        for (std::size_t i = begin; i < end; ++i)
            error[i] = difference.of_answer(lit.places.size() + i, probe_weights(net, cells[i].middle), all,
                                            scratch);
    });
    std::vector<std::uint32_t> order;
    for (std::uint32_t i = 0; i < cells.size(); ++i)
        if (error[i] > tolerance) order.push_back(i);
    std::stable_sort(order.begin(), order.end(), [&](auto a, auto b) { return error[a] > error[b]; });
    std::vector<std::pair<std::uint32_t, Vec3>> out;
    for (const std::uint32_t i : order) out.push_back({cells[i].volume, cells[i].middle});
    return out;
}

/// Places that are in the list and not lit yet.
void light_new(QuickBake& quick, const PlaceList& list, LitPlaces& lit) {
    const std::vector<ProbePlace> fresh(
        list.places().begin() + static_cast<std::ptrdiff_t>(lit.places.size()), list.places().end());
    if (!fresh.empty()) quick.light(fresh, true, lit);
}

void add_by_light(const Level& level, QuickBake& quick, PlaceList& list, LitPlaces& lit, Job& job) {
    for (int round = 0; round < light_rounds; ++round) {
        light_new(quick, list, lit);
        quick.find_white(lit);
        const std::size_t before = list.places().size();
        const auto wanted = told_wrong(level, quick, lit, before + 2000, job);
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

/// Where a figure's body can be; where that is nowhere, as in levels without floors, wherever it is free.
std::vector<ProbePlace> check_points(const Level& level, const RayCaster& caster,
                                     const std::vector<ProbePlace>& candidates) {
    std::vector<Vec3> around;
    for (const ProbePlace& p : candidates) around.push_back(p.position);
    const std::size_t count = std::max(
        least_checks, static_cast<std::size_t>(checks_a_candidate * static_cast<float>(around.size())));
    std::vector<Vec3> places = body_places(level, caster, around, count, true);
    if (10 * places.size() < count) places = body_places(level, caster, around, count, false);
    std::vector<ProbePlace> out;
    for (const Vec3 p : places) out.push_back({p, ProbeRule::lattice, none});
    return out;
}

/// Metres of a block in which most places must be told well: a small room.
float block_of(const Level& level) {
    float least = 4;
    for (const Volume& v : level.volumes)
        if (!v.except) least = std::max(least, 2 * v.spacing);
    return least;
}

/// A figure's body is no more than this over what it stands on, metres.
constexpr float body_height = 2;

/// Where a figure's body can be; where that is nearly nowhere, as in levels without floors, all counts.
void find_reach(const RayCaster& caster, LitPlaces& lit, Job& job) {
    lit.in_reach.assign(lit.size(), 0);
    job.parallel(lit.size(), 256, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            lit.in_reach[i] = caster.blocked({lit.at(i), {0, -1, 0}, body_height}) ? 1 : 0;
    });
    const auto count =
        static_cast<std::size_t>(std::count(lit.in_reach.begin(), lit.in_reach.end(), std::uint8_t{1}));
    if (10 * count < lit.size()) lit.in_reach.clear();
}

PlacedProbes by_light(const Level& level, PlaceList& list, const BakeStore& store, Job& job) {
    QuickBake quick(level, store, job);
    LitPlaces lit;
    add_by_light(level, quick, list, lit, job);
    if (const std::vector<ProbePlace> checks = check_points(level, quick.unlit().caster(), lit.places);
        !checks.empty())
        quick.light(checks, false, lit);
    quick.find_white(lit);
    find_reach(quick.unlit().caster(), lit, job);
    PlacedProbes out;
    for (const std::uint32_t k : decimate(lit, level.probes, block_of(level), list.figures(), job))
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
    const Job::Within placing(job, Stage::place_probes);
    job.begin(Stage::place_probes, level.volumes.size());
    const std::shared_ptr<const SceneTree> tree = tree_of(level, stands_in_bake, job.threads());
    PlaceList list(level, tree->rays(), job);
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
    const std::shared_ptr<const SceneTree> tree = tree_of(level, stands_in_bake, job.threads());
    PlaceList list(level, tree->rays(), job);
    find_candidates(level, {}, list, job);
    return list.places().size();
}

}  // namespace stasigraph
