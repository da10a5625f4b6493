// Where reflection probes stand: those that a level names, and those that rules find.

#include <algorithm>
#include <cmath>
#include <optional>

#include "bake/keys.hpp"
#include "base/blob.hpp"
#include "base/text.hpp"
#include "level/reflection_rules.hpp"
#include "probe/candidates.hpp"
#include "probe/planes.hpp"
#include "probe/rooms.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/reflect.hpp"
#include "trace/scene_tree.hpp"

namespace stasigraph {

namespace {

constexpr float least_clearance = 0.1f;  ///< Metres around a place over open ground.

std::string text_of(Vec3 v) {
    return to_text(v.x) + ", " + to_text(v.y) + ", " + to_text(v.z);
}

/// What all probes of a rule have in common.
ReflectionProbe probe_of(const ReflectionRule& r, ReflectionOrigin origin, const std::string& what) {
    ReflectionProbe p;
    p.name = r.name + " " + what;
    p.origin = origin;
    p.blend = r.blend;
    p.resolution = r.resolution;
    p.near = r.near;
    p.sky_beyond = r.sky_beyond;
    p.sees = r.sees;
    p.priority = r.priority;
    return p;
}

void add_rooms(const ReflectionRule& r, const Spaces& spaces, std::vector<ReflectionProbe>& out) {
    std::size_t number = 0;
    for (const Room& room : spaces.rooms) {
        ReflectionProbe p = probe_of(r, ReflectionOrigin::rooms, "room " + std::to_string(++number));
        p.room_middle = room.middle;
        p.room_half = room.half;
        // A vault and the wall of a round room belong to the room as a whole; otherwise probes outside would
        // answer for the rest of them.
        p.middle = room.all_middle;
        p.half = room.all_half;
        p.axes = room.axes;
        p.capture = room.widest;
        out.push_back(p);
    }
}

void add_planes(const Level& level, const ReflectionRule& r, const RayCaster& caster,
                std::vector<ReflectionProbe>& out) {
    bool any = false;
    for (const Surface& s : level.surfaces) {
        if (s.part != Part::still || !(glob_match(r.on, s.node) || glob_match(r.on, s.name))) continue;
        const ReflectionProbe plane = plane_of(level, s, "reflection " + r.name);
        if (!r.everywhere && !holds(r.region, plane.middle)) continue;
        ReflectionProbe p =
            probe_of(r, r.everywhere ? ReflectionOrigin::hand : ReflectionOrigin::water, s.name);
        p.shape = plane.shape;
        p.axes = plane.axes;
        p.middle = plane.middle;
        p.half = plane.half;
        p.capture = plane.capture;
        p.blend = 0;
        fit_room(p, caster);
        out.push_back(p);
        any = true;
    }
    if (!any && r.everywhere)
        throw Error{.what = "names no surface that could mirror",
                    .where = "reflection " + r.name,
                    .value = r.on,
                    .remedy = "Check the names of its nodes."};
}

/// The ground below a place, if there is any that is near. `floor`: glob of what counts as ground; empty:
/// all.
std::optional<Vec3> ground_below(const Level& level, const RayCaster& caster, Vec3 at, float most,
                                 const std::string& floor) {
    const Hit hit = caster.closest({at, {0, -1, 0}, most});
    if (hit.surface == none || hit.back || caster.place(hit).face_normal.y < 0.5f) return {};
    const Surface& s = level.surfaces[hit.surface];
    if (!floor.empty() && !glob_match(floor, s.node) && !glob_match(floor, s.name)) return {};
    return at - Vec3{0, hit.distance, 0};
}

/// Where a level's air is. Borrowed.
struct LevelAir {
    const Level& level;
    const RayCaster& caster;
    const FreeSpace& space;
};

void add_rows(const LevelAir& air, const ReflectionRule& r, const Spaces& spaces,
              std::vector<ReflectionProbe>& out) {
    const auto& [level, caster, space] = air;
    const Vec3 size = size_of(r.region);
    const int columns[2] = {std::max(1, static_cast<int>(std::lround(size.x / r.spacing))),
                            std::max(1, static_cast<int>(std::lround(size.z / r.spacing)))};
    const auto share = [](int i, int n) { return (static_cast<float>(i) + 0.5f) / static_cast<float>(n); };
    const float wide = size.x / static_cast<float>(columns[0]),
                deep = size.z / static_cast<float>(columns[1]);
    std::size_t number = 0;
    for (int z = 0; z < columns[1]; ++z)
        for (int x = 0; x < columns[0]; ++x) {
            const Vec3 middle = place_in(r.region, {share(x, columns[0]), 0.5f, share(z, columns[1])});
            // Of the free places in this column the one closest to its middle.
            float nearest = 1e30f;
            Vec3 best, ground;
            for (const Vec3 p : spaces.open) {
                const Vec3 d = p - middle;
                const float along = std::abs(dot(d, r.region.axes[0])),
                            across = std::abs(dot(d, r.region.axes[2]));
                const float far = std::hypot(along, across);
                if (along > 0.5f * wide || across > 0.5f * deep || !(far < nearest)) continue;
                const std::optional<Vec3> below =
                    ground_below(level, caster, p, 2 * r.height + 4, r.region.floor);
                if (!below) continue;
                const Vec3 at = *below + Vec3{0, r.height, 0};
                if (!space.sees(p, at) || space.clearance(at, least_clearance) < least_clearance) continue;
                nearest = far;
                best = at;
                ground = *below;
            }
            if (!(nearest < 1e29f)) continue;
            ReflectionProbe p = probe_of(r, ReflectionOrigin::ground, "ground " + std::to_string(++number));
            const float high = std::max(2 * r.height, 0.5f * r.spacing);
            p.blend = 0.25f * r.spacing;
            p.axes = r.region.axes;
            p.middle = {middle.x, ground.y + high - 1, middle.z};
            p.half = {0.5f * wide, high, 0.5f * deep};
            p.capture = best;
            p.parallax = false;
            out.push_back(p);
        }
}

void add_rule(const Level& level, const ReflectionRule& r, const RayCaster& caster,
              std::vector<ReflectionProbe>& out, Job& job) {
    const FreeSpace space(level, caster);
    const std::size_t before = out.size();
    if (r.water) add_planes(level, r, caster, out);
    if (!r.rooms && !r.ground) return;
    const std::vector<Vec3> seeds = seeds_of(level, r.region, "reflection " + r.name, space);
    const Spaces spaces = find_spaces(r.region, seeds, caster, space, job);
    if (r.rooms) add_rooms(r, spaces, out);
    if (r.ground) add_rows({level, caster, space}, r, spaces, out);
    if (out.size() == before)
        throw Error{.what = "finds no place for a reflection probe",
                    .where = "reflection " + r.name,
                    .value = std::to_string(spaces.open.size()) + " free places under the open sky, no room",
                    .remedy = "Write seeds = [[x, y, z]] in free space, or make its region larger."};
}

/// Of a box or ball; a plane's is its thickness times its area.
float size_of(const ReflectionProbe& p) {
    return p.shape == ReflectionShape::sphere ? 4.19f * p.radius * p.radius * p.radius
                                              : 8 * p.half.x * p.half.y * p.half.z;
}

std::vector<ReflectionProbe> found(const Level& level, Job& job) {
    const std::shared_ptr<const SceneTree> tree = tree_of(level, stands_still, job.threads());
    const RayCaster& caster = tree->rays();
    const FreeSpace space(level, caster);
    std::vector<ReflectionProbe> out = level.reflections;
    for (const ReflectionProbe& p : out)
        if (space.solid(p.capture))
            throw Error{.what = "a reflection probe looks from inside of something or from behind it",
                        .where = "reflection " + p.name,
                        .value = text_of(p.capture),
                        .remedy = "Move it to where there is air: capture = [x, y, z]."};
    for (const ReflectionRule& r : level.reflection_rules) add_rule(level, r, caster, out, job);
    double texels = 0;
    for (const ReflectionProbe& p : out) texels += reflection_texels(1, p.resolution);
    check_reflection_texels(texels);
    std::stable_sort(out.begin(), out.end(), [](const ReflectionProbe& a, const ReflectionProbe& b) {
        if (a.priority != b.priority) return a.priority > b.priority;
        // Probes over open ground have boxes without walls: they would answer for what stands in a large
        // room.
        const bool open_a = a.origin == ReflectionOrigin::ground,
                   open_b = b.origin == ReflectionOrigin::ground;
        return open_a != open_b ? open_b : size_of(a) < size_of(b);
    });
    return out;
}

std::vector<char> letters(const std::string& s) {
    return {s.begin(), s.end()};
}

/// As numbers and letters, for a store.
void keep(const BakeStore& store, const std::string& name, const std::vector<ReflectionProbe>& probes) {
    BlobWriter w;
    std::vector<std::vector<char>> texts;
    std::vector<std::vector<float>> numbers;
    std::vector<std::vector<std::uint32_t>> kinds;
    for (const ReflectionProbe& p : probes) {
        texts.push_back(letters(p.name));
        texts.push_back(letters(p.sees));
        std::vector<float>& n = numbers.emplace_back();
        for (const Vec3 v :
             {p.middle, p.half, p.axes[0], p.axes[1], p.axes[2], p.capture, p.room_middle, p.room_half})
            n.insert(n.end(), {v.x, v.y, v.z});
        n.insert(n.end(), {p.radius, p.blend, p.near, p.sky_beyond, p.priority});
        kinds.push_back({static_cast<std::uint32_t>(p.shape), static_cast<std::uint32_t>(p.origin),
                         p.parallax, static_cast<std::uint32_t>(p.resolution)});
    }
    w.number(probes.size());
    for (std::size_t i = 0; i < probes.size(); ++i) {
        w.array(texts[2 * i]);
        w.array(texts[2 * i + 1]);
        w.array(numbers[i]);
        w.array(kinds[i]);
    }
    store.save(name, w.parts());
}

bool kept(const BakeStore& store, const std::string& name, std::vector<ReflectionProbe>& probes) {
    Blob blob;
    if (!store.load || !store.load(name, blob)) return false;
    BlobReader r(blob);
    const std::uint64_t count = r.number();
    for (std::uint64_t i = 0; i < count && r.good(); ++i) {
        std::vector<char> called, sees;
        std::vector<float> n;
        std::vector<std::uint32_t> kinds;
        r.array(called);
        r.array(sees);
        r.array(n, 29);
        r.array(kinds, 4);
        if (!r.good() || kinds[0] > 2 || kinds[1] > 3) return false;
        ReflectionProbe& p = probes.emplace_back();
        p.name.assign(called.begin(), called.end());
        p.sees.assign(sees.begin(), sees.end());
        Vec3* vectors[] = {&p.middle,  &p.half,    &p.axes[0],     &p.axes[1],
                           &p.axes[2], &p.capture, &p.room_middle, &p.room_half};
        for (std::size_t k = 0; k < 8; ++k) *vectors[k] = {n[3 * k], n[3 * k + 1], n[3 * k + 2]};
        float* single[] = {&p.radius, &p.blend, &p.near, &p.sky_beyond, &p.priority};
        for (std::size_t k = 0; k < 5; ++k) *single[k] = n[24 + k];
        p.shape = static_cast<ReflectionShape>(kinds[0]);
        p.origin = static_cast<ReflectionOrigin>(kinds[1]);
        p.parallax = kinds[2] != 0;
        p.resolution = static_cast<int>(kinds[3]);
    }
    return r.done();
}

}  // namespace

std::vector<ReflectionProbe> place_reflections(const Level& level, Job& job, const BakeStore& store) {
    if (!has_reflections(level)) return {};
    check_reflections(level);
    const std::string name = "reflections-" + reflections_key(level);
    std::vector<ReflectionProbe> probes;
    if (kept(store, name, probes)) return probes;
    job.begin(Stage::reflection_places, 1);
    probes = found(level, job);
    if (store.save) keep(store, name, probes);
    return probes;
}

}  // namespace stasigraph
