// Joints that are open, and rooms with holes: where rays get out that should not.

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "base/random.hpp"
#include "inspect/check_scene.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t most_places = 96;  ///< From which is looked, of all there are.
/// Directions of a place: a grid over the sphere, rings by columns. An opening is found by single rays that
/// slip through it; a slit of 1 cm three metres off lets one in seven of those along it through.
constexpr int rings = 60, columns = 120;
constexpr float hand = 0.05f;          ///< Metres; narrower is a gap,
constexpr float widest = 0.3f;         ///< wider is meant to be there,
constexpr float narrowest = 1e-3f;     ///< and narrower no light gets through.
constexpr float mouth = 0.008f;        ///< Metres beyond what is around an opening that a ray has to get in,
constexpr float jump = 0.5f;           ///< and from there on.
constexpr float roomy = 0.12f;         ///< Metres around some place behind it that are free.
constexpr float longest = 4;           ///< Metres that an opening is measured along.
constexpr float closed_share = 0.98f;  ///< Of a place's rays that stay in a room with a hole.
constexpr float closed_enough = 0.6f;  ///< Of a place's rays that meet something in any room.
constexpr float one_opening = 0.1f;    ///< Metres.
constexpr std::size_t witnesses = 96;  ///< Places of a room that do not see what is behind a gap.

struct Opening {
    Vec3 at, facing;                         ///< In the opening, and back towards the room.
    Vec3 normal;                             ///< Of what is beside it, unit length.
    Vec3 across;                             ///< The way along which it is narrow, unit length.
    float width = 0;                         ///< Metres, where it is narrowest.
    bool sky = false;                        ///< What is behind it is the sky.
    std::uint32_t beside[2] = {none, none};  ///< Surfaces on either side.
    float stays = 1;                         ///< Share of the place's rays that meet something.
};

struct View {
    std::vector<Hit> hits;
    std::vector<Vec3> ways;
    float stays = 0;
};

/// Each ring is shifted against the one before by the golden ratio, so that no upright slit falls between the
/// columns of all of them.
Vec3 way_of(int ring, int column) {
    const float theta = pi * (static_cast<float>(ring) + 0.5f) / rings,
                shift = std::fmod(static_cast<float>(ring) * 0.6180340f, 1.0f),
                phi = 2 * pi * (static_cast<float>(column) + shift) / columns;
    return {std::sin(theta) * std::cos(phi), std::cos(theta), std::sin(theta) * std::sin(phi)};
}

/// Whether so few rays stay that it is no room; by one in sixteen.
bool in_the_open(const CheckScene& scene, Vec3 place) {
    int met = 0, all = 0;
    for (int r = 2; r < rings; r += 4)
        for (int c = 0; c < columns; c += 4, ++all)
            met += scene.caster.closest({place, way_of(r, c)}).surface != none;
    return static_cast<float>(met) < 0.9f * closed_enough * static_cast<float>(all);
}

View look(const CheckScene& scene, Vec3 place) {
    View v;
    if (in_the_open(scene, place)) return v;
    float met = 0;
    for (int r = 0; r < rings; ++r)
        for (int c = 0; c < columns; ++c) {
            v.ways.push_back(way_of(r, c));
            v.hits.push_back(scene.caster.closest({place, v.ways.back()}));
            // Rings near the poles are short.
            const float weight = std::sin(pi * (static_cast<float>(r) + 0.5f) / rings);
            v.stays += v.hits.back().surface != none ? weight : 0;
            met += weight;
        }
    v.stays /= met;
    return v;
}

class Seeker {
public:
    Seeker(const CheckScene& scene, Vec3 place) : scene_(scene), place_(place), view_(look(scene, place)) {}

    std::vector<Opening> run() const {
        std::vector<Opening> found;
        std::vector<Vec3> tried;
        if (view_.stays < closed_enough) return found;
        for (int r = 1; r + 1 < rings; ++r)
            for (int c = 0; c < columns; ++c)
                if (Opening o; opening(r, c, o) && is_new(o.at, tried) && goes_on(o) && narrow(o) &&
                               leads_out(o) && (o.width <= hand || o.sky))
                    found.push_back(o);
        return found;
    }

private:
    /// Whether no opening near was looked through already.
    static bool is_new(Vec3 at, std::vector<Vec3>& tried) {
        for (const Vec3 t : tried)
            if (length(t - at) < one_opening) return false;
        tried.push_back(at);
        return true;
    }
    std::size_t index(int ring, int column) const {
        return static_cast<std::size_t>(ring) * columns +
               static_cast<std::size_t>((column + columns) % columns);
    }
    /// A ray that goes on between two beside it that stop, on opposite sides.
    bool opening(int r, int c, Opening& best) const {
        constexpr int sides[4][2] = {{1, 0}, {0, 1}, {1, 1}, {1, -1}};
        const Hit& here = view_.hits[index(r, c)];
        const float depth = here.surface == none ? 1e30f : here.distance;
        const Vec3 way = view_.ways[index(r, c)];
        best.width = 1e30f;
        for (const auto& s : sides)
            for (const int step : {1, 2, 4, 8}) {
                const int dr = s[0] * step, dc = s[1] * step;
                if (r + dr >= rings || r - dr < 0) break;
                const std::size_t i = index(r + dr, c + dc), j = index(r - dr, c - dc);
                const Hit &a = view_.hits[i], &b = view_.hits[j];
                if (a.surface == none || b.surface == none) continue;
                if (depth < std::min(a.distance, b.distance) + mouth) break;
                const Vec3 pa = place_ + view_.ways[i] * a.distance, pb = place_ + view_.ways[j] * b.distance;
                float mid = 0;
                if (!crosses(pa, pb, way, mid)) break;
                if (depth < length(pa + (pb - pa) * mid - place_) + mouth) continue;
                // Both of one wall or of two that meet, not one behind the other.
                if (a.back || b.back || std::abs(a.distance - b.distance) > 0.9f * length(pa - pb)) break;
                // How wide it is is measured later, for the few that lead anywhere.
                const float wide = length(pb - pa), half = 0.5f * widest / wide;
                const auto open = [&](float share) { return passes(pa + (pb - pa) * share); };
                // Across a corner of a room the whole line is open.
                if (wide < best.width && open(mid) && !open(std::max(0.04f, mid - half)) &&
                    !open(std::min(0.96f, mid + half))) {
                    best.at = pa + (pb - pa) * mid;
                    best.width = wide;
                    best.beside[0] = a.surface;
                    best.beside[1] = b.surface;
                    best.across = normalize(pb - pa);
                    best.normal = scene_.corners(a.surface, a.triangle).normal;
                }
                break;
            }
        if (best.width > 1e29f) return false;
        best.facing = -way;
        best.stays = view_.stays;
        return true;
    }
    /// Where a ray from the place passes the line between two others, as a share of it.
    bool crosses(Vec3 a, Vec3 b, Vec3 through, float& mid) const {
        const Vec3 n = cross(cross(through, b - a), through);
        const float along = dot(n, b - a);
        if (!(std::abs(along) > 1e-12f)) return false;
        mid = std::clamp(dot(n, place_ - a) / along, 0.0f, 1.0f);
        return true;
    }
    /// Whether a ray from the place gets through a point of an opening's mouth.
    bool passes(Vec3 at) const {
        const Vec3 d = at - place_;
        const float l = length(d);
        return scene_.caster.closest({place_, d * (1 / l), l + mouth}).surface == none;
    }
    /// How far the opening reaches from a point along a direction, metres; `longest` at most.
    float reaches(Vec3 at, Vec3 along) const {
        float open = 0, shut = 2e-3f;
        while (shut < longest && passes(at + along * shut)) {
            open = shut;
            shut *= 2;
        }
        if (shut >= longest) return longest;
        for (int step = 0; step < 6; ++step) {
            const float half = 0.5f * (open + shut);
            (passes(at + along * half) ? open : shut) = half;
        }
        return open;
    }
    /// Measures an opening where it is widest: in the corner of a window every chord is short. False where it
    /// is too wide after all.
    bool narrow(Opening& o) const {
        // Quickly, by the one chord that is known to end.
        const Vec3 chord = normalize(o.across - o.normal * dot(o.across, o.normal));
        if (reaches(o.at, chord) + reaches(o.at, -chord) >= 2 * widest) return false;
        const Frame frame(o.normal);  // in the wall: before it everything is open
        constexpr int turns = 8;
        const auto way = [&](int k) {
            const float a = pi * static_cast<float>(k) / turns;
            return frame.tangent * std::cos(a) + frame.bitangent * std::sin(a);
        };
        float most = 0;
        for (int round = 0; round < 3; ++round) {
            most = 0;
            float least = 1e30f;
            Vec3 middle = o.at;
            for (int k = 0; k < turns; ++k) {
                const float ahead = reaches(o.at, way(k)), behind = reaches(o.at, -way(k)),
                            all = ahead + behind;
                if (all > most) {
                    most = all;
                    middle = o.at + way(k) * (0.5f * (ahead - behind));
                }
                if (all < least) {
                    least = all;
                    o.across = way(k);
                }
            }
            o.width = least;
            if (round < 2) o.at = middle;
        }
        if (o.width <= narrowest || o.width >= widest) return false;
        // A long one that is more than a hand wide is a window, seen aslant.
        return o.width <= hand || (view_.stays >= closed_share && most < 1.5f * widest);
    }
    /// From its mouth through a slit, which may run aslant: the way that gets farthest, in the plane across
    /// which it is narrow.
    float farthest_way(const Opening& o, Vec3& best) const {
        const Vec3 ahead = normalize(-o.facing - o.across * dot(-o.facing, o.across)),
                   aside = cross(o.across, ahead);
        float most = 0;
        for (int turn = -12; turn <= 12; ++turn)
            for (const float tilt : {0.0f, -0.03f, 0.03f, -0.1f, 0.1f}) {
                const float angle = static_cast<float>(turn) * (pi / 30);
                const Vec3 w = normalize(ahead * std::cos(angle) + aside * std::sin(angle) + o.across * tilt);
                const Hit hit = scene_.caster.closest({o.at, w});
                const float far = hit.surface == none ? 1e30f : hit.distance;
                if (far <= most) continue;
                most = far;
                best = w;
            }
        return most;
    }
    /// Whether a slit is more than a groove: quickly, since most are no more.
    bool goes_on(const Opening& o) const {
        Vec3 way;
        return farthest_way(o, way) >= jump;
    }
    /// Whether an opening leads on, and to where the rest of the room does not see.
    bool leads_out(Opening& o) const {
        Vec3 way;
        const float far = farthest_way(o, way);
        if (far < jump) return false;
        o.sky = far > 1e29f;
        // Behind it there has to be room: between a crate and the wall it stands at there is none.
        Vec3 behind[2] = {o.at, o.at + way * (o.sky ? 20.0f : far - 0.05f)};
        float most = 0;
        for (int step = 1; step <= 8; ++step) {
            const Vec3 at = o.at + way * (std::min(far, 4.0f) * static_cast<float>(step) / 8.5f);
            if (const float free = scene_.space.clearance(at, roomy); free > most) {
                most = free;
                behind[0] = at;
            }
        }
        if (most < roomy) return false;
        std::size_t see = 0, asked = 0;
        const std::size_t step = view_.hits.size() / witnesses;
        for (std::size_t i = step / 2; i < view_.hits.size(); i += step) {
            const Hit& h = view_.hits[i];
            if (h.surface == none || h.back) continue;
            const Vec3 from = place_ + view_.ways[i] * std::max(0.0f, h.distance - 0.1f);
            // What stands beside the opening sees through it.
            if (length(from - o.at) < 0.5f) continue;
            ++asked;
            for (const Vec3 to : behind) {
                if (!scene_.space.sees(from, to)) continue;
                ++see;
                break;
            }
        }
        return asked > 8 && see * 20 < asked;
    }

    const CheckScene& scene_;
    Vec3 place_;
    View view_;
};

}  // namespace

void check_gaps(const CheckScene& scene, Findings& out) {
    const std::vector<Vec3>& places = scene.looks.places;
    const std::size_t step = std::max<std::size_t>(1, (places.size() + most_places - 1) / most_places);
    std::vector<std::vector<Opening>> found((places.size() + step - 1) / step);
    scene.job.parallel(found.size(), 1,
                       [&](std::size_t i, std::size_t) { found[i] = Seeker(scene, places[i * step]).run(); });
    // By the surfaces beside them: a slit is seen from many places. Aslant less of it is open than there is.
    std::map<std::array<std::uint32_t, 2>, std::vector<Opening>> groups;
    for (const auto& list : found)
        for (const Opening& o : list) {
            const auto [a, b] = std::minmax(o.beside[0], o.beside[1]);
            groups[{a, b}].push_back(o);
        }
    for (const auto& [key, g] : groups) {
        const Opening& o = *std::max_element(
            g.begin(), g.end(), [](const Opening& a, const Opening& b) { return a.width < b.width; });
        const std::string a = scene.level.surfaces[key[0]].name, b = scene.level.surfaces[key[1]].name;
        const bool gap = o.width <= hand;
        const std::string share =
            o.stays < 1
                ? ", and " + short_text(100.0 * static_cast<double>(1 - o.stays)) + " % of rays get out"
                : "";
        const std::string where = a == b ? "in " + a : "between " + a + " and " + b;
        out.push_back({.id = gap ? "gap" : "open-room",
                       .severity = Severity::warning,
                       .names = a == b ? std::vector{a} : std::vector{a, b},
                       .what = (gap ? "The joint " + where + " is open by "
                                    : "The room is closed but for a hole " + where + " of ") +
                               short_text(100.0 * static_cast<double>(o.width)) + " cm: light gets " +
                               (gap ? "through." : "in" + share + "."),
                       .remedy = gap ? "Let the walls overlap by a few centimetres, or set a bake-only "
                                       "surface behind the joint."
                                     : "Close it; if it is a window, accept this.",
                       .measure = static_cast<double>(o.width),
                       .unit = "m",
                       .places = g.size(),
                       .at = o.at,
                       .facing = o.facing,
                       .size = std::max(0.4f, 3 * o.width)});
    }
}

}  // namespace stasigraph
