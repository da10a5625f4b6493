#include "probe/candidates.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/text.hpp"
#include "level/volume_rules.hpp"
#include "probe/net.hpp"
#include "probe/place_grid.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t places_per_task = 64;
/// Things that `objects` goes around where no glob names them, metres of their longest side.
constexpr float least_object = 0.4f, most_object = 5.0f;

enum class Fate : std::uint8_t { kept, nudged, in_solid, too_close, excepted, beneath, empty };

float merge_distance(const Level& level, const Volume& v) {
    return level.probes.merge > 0 ? level.probes.merge : v.spacing * 0.25f;
}

/// No lookup goes through more cells than this at once.
float cell_size(const Level& level) {
    float most = level.probes.merge;
    for (const Volume& v : level.volumes) most = std::max(most, merge_distance(level, v));
    return std::max(most, 0.05f);
}

}  // namespace

struct PlaceList::State {
    const Level& level;
    FreeSpace space;
    Job& job;
    std::vector<std::unique_ptr<RayCaster>> floors;  ///< Of each volume that names one.
    TextureSet textures;
    std::vector<ProbePlace> places;
    PlaceGrid near;
    PlaceFigures figures;

    State(const Level& l, const RayCaster& caster, Job& j)
        : level(l), space(l, caster), job(j), textures(l), near(cell_size(l)) {
        for (const Volume& v : level.volumes)
            floors.push_back(v.floor.empty()
                                 ? nullptr
                                 : std::make_unique<RayCaster>(level, textures, [&](const Surface& s) {
                                       return s.part != Part::moving &&
                                              (glob_match(v.floor, s.node) || glob_match(v.floor, s.name));
                                   }));
    }

    bool belongs(std::uint32_t volume, Vec3 p) const {
        const float own = level.volumes[volume].priority;
        return std::none_of(level.volumes.begin(), level.volumes.end(), [&](const Volume& other) {
            return (other.except || other.priority > own) && holds(other, p);
        });
    }

    /// What becomes of a place; `p` is moved where it is nudged.
    Fate judge(std::uint32_t volume, Vec3& p) const {
        const Volume& v = level.volumes[volume];
        if (!belongs(volume, p)) return Fate::excepted;
        if (v.near > 0 && !(space.clearance(p, v.near) < v.near)) return Fate::empty;
        if (floors[volume] && floors[volume]->closest({p, {0, 1, 0}}).surface != none) return Fate::beneath;
        const bool solid = space.solid(p);
        if (!solid && space.clearance(p, v.clearance) >= v.clearance) return Fate::kept;
        const std::optional<Vec3> free = space.freed(p, v.clearance, v.spacing * 0.5f);
        if (free) {
            // Snapping moves it by less than the clearance was overstepped.
            const Vec3 to = snapped(*free);
            if (holds(v, to) && belongs(volume, to) && space.clearance(to, v.clearance) >= v.clearance &&
                !(floors[volume] && floors[volume]->closest({to, {0, 1, 0}}).surface != none)) {
                p = to;
                return Fate::nudged;
            }
        }
        return solid ? Fate::in_solid : Fate::too_close;
    }

    std::size_t& count_of(Fate fate) {
        switch (fate) {
            case Fate::in_solid:
                return figures.in_solids;
            case Fate::too_close:
                return figures.too_close;
            case Fate::excepted:
                return figures.excepted;
            case Fate::beneath:
                return figures.beneath;
            default:
                return figures.empty;
        }
    }
};

PlaceList::PlaceList(const Level& level, const RayCaster& caster, Job& job)
    : state_(std::make_unique<State>(level, caster, job)) {}
PlaceList::~PlaceList() = default;

const std::vector<ProbePlace>& PlaceList::places() const {
    return state_->places;
}
PlaceFigures& PlaceList::figures() {
    return state_->figures;
}
const FreeSpace& PlaceList::space() const {
    return state_->space;
}

void PlaceList::add_by_hand(const std::vector<Vec3>& places) {
    State& s = *state_;
    for (const Vec3 given : places) {
        const Vec3 p = snapped(given);
        ++s.figures.made[static_cast<int>(ProbeRule::hand)];
        const bool known = std::any_of(s.places.begin(), s.places.end(),
                                       [&](const ProbePlace& o) { return o.position == p; });
        if (known) {
            ++s.figures.merged;
            continue;
        }
        if (s.space.solid(p)) ++s.figures.bad_by_hand;
        ++s.figures.candidates[static_cast<int>(ProbeRule::hand)];
        s.places.push_back({p, ProbeRule::hand, none});
        s.near.add(p);
    }
}

void PlaceList::add_as_they_are(const std::vector<ProbePlace>& places) {
    for (const ProbePlace& p : places) {
        ++state_->figures.candidates[static_cast<int>(p.rule)];
        state_->places.push_back(p);
        state_->near.add(p.position);
    }
}

void PlaceList::add(std::uint32_t volume, ProbeRule rule, const std::vector<Vec3>& given) {
    State& s = *state_;
    std::vector<Vec3> places(given.size());
    std::vector<Fate> fate(given.size());
    s.job.parallel(given.size(), places_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            places[i] = snapped(given[i]);
            fate[i] = s.judge(volume, places[i]);
        }
    });
    s.figures.made[static_cast<int>(rule)] += given.size();
    const float apart = merge_distance(s.level, s.level.volumes[volume]);
    for (std::size_t i = 0; i < places.size(); ++i) {
        if (fate[i] != Fate::kept && fate[i] != Fate::nudged) {
            ++s.count_of(fate[i]);
            continue;
        }
        if (s.near.any_within(places[i], apart)) {
            ++s.figures.merged;
            continue;
        }
        s.figures.nudged += fate[i] == Fate::nudged ? 1 : 0;
        ++s.figures.candidates[static_cast<int>(rule)];
        s.places.push_back({places[i], rule, volume});
        s.near.add(places[i]);
    }
}

std::vector<Vec3> around_objects(const Level& level, const Volume& volume) {
    std::vector<Vec3> out;
    const bool named = volume.around != "*";
    for (const Surface& s : level.surfaces) {
        if (s.part != Part::still ||
            !(glob_match(volume.around, s.node) || glob_match(volume.around, s.name)))
            continue;
        const Mesh& mesh = level.meshes[s.mesh];
        if (mesh.positions.empty()) continue;
        Vec3 low = transform_point(s.to_world, mesh.positions[0]), high = low;
        for (const Vec3 p : mesh.positions) {
            low = min(low, transform_point(s.to_world, p));
            high = max(high, transform_point(s.to_world, p));
        }
        const Vec3 size = high - low;
        const float longest = std::max({size.x, size.y, size.z});
        if (!named && (longest < least_object || longest > most_object)) continue;
        const float off = std::max(1.5f * volume.clearance, 0.25f * volume.spacing);
        low = low - Vec3{off, off, off};
        high = high + Vec3{off, off, off};
        const Vec3 span = high - low;
        const auto nodes = [&](float along) {
            return std::max(1, static_cast<int>(std::ceil(along / volume.spacing)));
        };
        const int nx = nodes(span.x), ny = nodes(span.y), nz = nodes(span.z);
        const auto share = [](int i, int n) {
            return (static_cast<float>(i) + 0.5f) / static_cast<float>(n);
        };
        for (int z = 0; z <= nz + 1; ++z)
            for (int y = 0; y <= ny + 1; ++y)
                for (int x = 0; x <= nx + 1; ++x) {
                    // Faces but the lower one: those with one coordinate at its end and the others between.
                    const int ends =
                        (x == 0 || x == nx + 1) + (y == 0 || y == ny + 1) + (z == 0 || z == nz + 1);
                    if (ends != 1 || y == 0) continue;
                    const auto at = [&](int i, int n, float l, float extent) {
                        return i == 0 ? l : i == n + 1 ? l + extent : l + extent * share(i - 1, n);
                    };
                    const Vec3 p{at(x, nx, low.x, span.x), at(y, ny, low.y, span.y),
                                 at(z, nz, low.z, span.z)};
                    if (holds(volume, p)) out.push_back(p);
                }
    }
    return out;
}

std::vector<Vec3> seeds_of(const Level& level, const Volume& v, const std::string& where,
                           const FreeSpace& space) {
    std::vector<Vec3> seeds = v.seeds;
    for (const Vec3 s : seeds)
        if (space.solid(s))
            throw Error{.what = "a seed lies inside of something",
                        .where = where,
                        .value = to_text(s.x) + ", " + to_text(s.y) + ", " + to_text(s.z),
                        .remedy = "Move it to where there is air."};
    if (!seeds.empty()) return seeds;
    for (const Camera& c : level.cameras)
        if (holds(v, c.eye) && !space.solid(c.eye)) seeds.push_back(c.eye);
    if (!v.from_floors) return seeds;
    for (const Vec3 ground : walkable_ground(level, v, {})) {
        const Vec3 middle = ground + Vec3{0, 0.5f * v.figure.height, 0};
        if (holds(v, middle) && !space.solid(middle)) seeds.push_back(middle);
    }
    return seeds;
}

namespace {

void add_rule(const Level& level, std::uint32_t number, ProbeRule rule, PlaceList& list, Job& job) {
    const Volume& v = level.volumes[number];
    switch (rule) {
        case ProbeRule::walkable: {
            std::vector<Vec3> places, seeds;
            if (!v.from_floors) seeds = seeds_of(level, v, "volume " + v.name, list.space());
            for (const Vec3 p : walkable_ground(level, v, seeds))
                for (const float h : v.heights)
                    if (holds(v, p + Vec3{0, h, 0})) places.push_back(p + Vec3{0, h, 0});
            return list.add(number, rule, places);
        }
        case ProbeRule::explore:
            return list.add(
                number, rule,
                explored_space(v, seeds_of(level, v, "volume " + v.name, list.space()), list.space(), job));
        case ProbeRule::objects:
            return list.add(number, rule, around_objects(level, v));
        case ProbeRule::lattice:
            return list.add(number, rule, lattice_places(v));
        default:
            return;
    }
}

}  // namespace

void find_candidates(const Level& level, const std::vector<std::uint8_t>& only, PlaceList& list, Job& job) {
    list.add_by_hand(level.hand_probes);
    std::vector<std::uint32_t> order;
    for (std::uint32_t i = 0; i < level.volumes.size(); ++i)
        if (!level.volumes[i].except && (only.empty() || only[i])) order.push_back(i);
    std::stable_sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
        return level.volumes[a].priority > level.volumes[b].priority;
    });
    for (const std::uint32_t i : order) {
        const Volume& v = level.volumes[i];
        const PlaceFigures before = list.figures();
        const std::size_t places = list.places().size();
        for (const ProbeRule rule :
             {ProbeRule::walkable, ProbeRule::explore, ProbeRule::objects, ProbeRule::lattice})
            if (v.has(rule)) add_rule(level, i, rule, list, job);
        const PlaceFigures& f = list.figures();
        if (list.places().size() > places || f.merged > before.merged || f.excepted > before.excepted ||
            f.empty > before.empty || v.by_default)
            continue;
        std::size_t made = 0;
        for (int r = 0; r < probe_rules; ++r) made += f.made[r] - before.made[r];
        throw Error{.what = "there is no free place in a volume",
                    .where = "volume " + v.name,
                    .value = std::to_string(made) + " places tried, " +
                             std::to_string(f.in_solids - before.in_solids) +
                             " inside of something or behind faces, " +
                             std::to_string(f.too_close - before.too_close) + " closer than " +
                             to_text(v.clearance) + " m to a surface, " +
                             std::to_string(f.beneath - before.beneath) + " beneath the floor",
                    .remedy = "Move it, make it larger, or lower its spacing or clearance."};
    }
}

}  // namespace stasigraph
