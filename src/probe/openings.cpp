#include "probe/openings.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "base/random.hpp"

namespace stasigraph {

namespace {

constexpr float cell = 0.1f;            ///< Metres between rays.
constexpr float apart = 0.01f;          ///< Faces so far apart are of different planes, metres.
constexpr float widest = 8;             ///< Of an opening; faces farther apart are of different walls.
constexpr float skin = 0.06f;           ///< What covers a plane lies within this much of it.
constexpr float beside = 0.04f;         ///< Off the plane, where it is asked what bounds an opening.
constexpr float least_plane = 1;        ///< Square metres.
constexpr std::size_t least_faces = 4;  ///< Fewer leave no hole.
constexpr float least_opening = 0.35f, least_area = 0.2f, least_filled = 0.65f;
constexpr float least_room = 1;      ///< Metres to what lies beyond, at half of the rays.
constexpr float most_sky = 0.6f;     ///< Share of the rays that meet the sky outdoors, at least.
constexpr float see_through = 0.3f;  ///< What a pane lets through.
constexpr float wall = 0.8f;         ///< Openings so near one another are two faces of one.
constexpr std::size_t most_cells = std::size_t{1} << 20, most_openings = 8192;

struct Face {
    float offset, area;
    float low[2], high[2];  ///< Along the two axes of its plane.
};

/// Faces of one direction, whichever way they look.
struct Direction {
    Vec3 normal, across, up;
    std::vector<Face> faces;
};

Vec3 across_of(Vec3 normal, Vec3 edge) {
    const Vec3 level = cross({0, 1, 0}, normal);
    if (length(level) > 0.1f) return normalize(level);
    // Of a floor or a roof along its edges.
    const Vec3 along = edge - normal * dot(edge, normal);
    return length(along) > 0 ? normalize(along) : Vec3{1, 0, 0};
}

std::vector<Direction> directions_of(const Level& level, const RayCaster& caster) {
    std::map<std::array<int, 3>, std::size_t> known;
    std::vector<Direction> out;
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        const Surface& surface = level.surfaces[s];
        if (surface.part == Part::moving || caster.is_glass(s)) continue;
        const std::size_t count = level.meshes[surface.mesh]->indices.size() / 3;
        for (std::uint32_t t = 0; t < count; ++t) {
            const RayCaster::Corners at = caster.corners(s, t);
            const Vec3 product = cross(at.b - at.a, at.c - at.a);
            const float twice = length(product);
            if (!(twice > 1e-6f)) continue;
            Vec3 n = at.normal;
            const float first = std::abs(n.x) > 0.01f ? n.x : (std::abs(n.y) > 0.01f ? n.y : n.z);
            if (first < 0) n = n * -1.0f;
            const auto step = [](float v) { return static_cast<int>(std::lround(64 * v)); };
            const auto [entry, fresh] = known.try_emplace({step(n.x), step(n.y), step(n.z)}, out.size());
            if (fresh) {
                Vec3 edge = at.b - at.a;
                for (const Vec3 e : {at.c - at.b, at.a - at.c}) {
                    // The longest of a right-angled triangle is a diagonal: the second counts.
                    if (length(e) < length(edge)) edge = e;
                }
                const Vec3 across = across_of(n, edge);
                out.push_back({n, across, cross(n, across), {}});
            }
            Direction& d = out[entry->second];
            Face face{dot(at.a, d.normal), 0.5f * twice, {}, {}};
            for (int k = 0; k < 2; ++k) {
                const Vec3 axis = k == 0 ? d.across : d.up;
                const auto [low, high] = std::minmax({dot(at.a, axis), dot(at.b, axis), dot(at.c, axis)});
                face.low[k] = low;
                face.high[k] = high;
            }
            d.faces.push_back(face);
        }
    }
    return out;
}

/// A part of a plane with faces, none of which is far from all others.
struct Wall {
    Vec3 normal, across, up;
    float offset = 0, low[2] = {0, 0}, high[2] = {0, 0};

    Vec3 at(float u, float v) const { return normal * offset + across * u + up * v; }
};

/// Splits sorted faces where between two the key leaves more than `gap`; calls f for each part.
template <class Low, class High, class F>
void split(std::vector<Face> faces, Low low, High high, float gap, F f) {
    std::stable_sort(faces.begin(), faces.end(),
                     [&](const Face& a, const Face& b) { return low(a) < low(b); });
    std::vector<Face> part;
    float end = 0;
    for (const Face& face : faces) {
        if (!part.empty() && low(face) > end + gap) {
            f(part);
            part.clear();
        }
        end = part.empty() ? high(face) : std::max(end, high(face));
        part.push_back(face);
    }
    if (!part.empty()) f(part);
}

std::vector<Wall> walls_of(const Direction& d) {
    std::vector<Wall> out;
    const auto add = [&](const std::vector<Face>& faces) {
        Wall w{d.normal, d.across, d.up};
        float area = 0, offset = 0;
        for (int k = 0; k < 2; ++k) {
            w.low[k] = faces[0].low[k];
            w.high[k] = faces[0].high[k];
        }
        for (const Face& f : faces) {
            area += f.area;
            offset += f.area * f.offset;
            for (int k = 0; k < 2; ++k) {
                w.low[k] = std::min(w.low[k], f.low[k]);
                w.high[k] = std::max(w.high[k], f.high[k]);
            }
        }
        if (!(area >= least_plane) || faces.size() < least_faces) return;
        w.offset = offset / area;
        out.push_back(w);
    };
    const auto offset = [](const Face& f) { return f.offset; };
    const auto low = [](int k) { return [k](const Face& f) { return f.low[k]; }; };
    const auto high = [](int k) { return [k](const Face& f) { return f.high[k]; }; };
    split(d.faces, offset, offset, apart, [&](const std::vector<Face>& plane) {
        if (plane.size() < least_faces) return;
        split(plane, low(0), high(0), widest,
              [&](const std::vector<Face>& strip) { split(strip, low(1), high(1), widest, add); });
    });
    return out;
}

/// The cells of a wall, and the openings among them.
class WallGrid {
public:
    WallGrid(const Wall& wall, const RayCaster& caster) : wall_(wall), caster_(caster) {
        for (int k = 0; k < 2; ++k)
            size_[k] = static_cast<int>(std::ceil((wall.high[k] - wall.low[k]) / cell)) + 4;
    }

    std::vector<Opening> find() {
        std::vector<Opening> out;
        const std::size_t cells = static_cast<std::size_t>(size_[0]) * static_cast<std::size_t>(size_[1]);
        if (cells > most_cells) return out;
        state_.assign(cells, unknown);
        // What is around the wall first, then what that does not reach.
        for (int i = 0; i < size_[0]; ++i)
            for (const int j : {0, size_[1] - 1}) flood(i, j);
        for (int j = 0; j < size_[1]; ++j)
            for (const int i : {0, size_[0] - 1}) flood(i, j);
        for (int j = 0; j < size_[1]; ++j)
            for (int i = 0; i < size_[0]; ++i) {
                if (!flood(i, j)) continue;
                if (Opening o; takes(o)) out.push_back(o);
            }
        return out;
    }

private:
    enum State : std::uint8_t { unknown, covered, open };

    Vec3 middle(int i, int j) const {
        return wall_.at(wall_.low[0] + (static_cast<float>(i) - 1.5f) * cell,
                        wall_.low[1] + (static_cast<float>(j) - 1.5f) * cell);
    }
    bool is_open(Vec3 p) const {
        return max_channel(caster_.transmitted({p - wall_.normal * skin, wall_.normal, 2 * skin})) >
               see_through;
    }
    /// Whether nothing stands between two places of the plane, on either side of it.
    bool passes(Vec3 from, Vec3 to) const {
        const Vec3 way = to - from;
        const float far = length(way);
        for (const float side : {beside, -beside})
            if (caster_.blocked({from + wall_.normal * side, way * (1 / far), far})) return false;
        return true;
    }
    std::uint8_t& state(int i, int j) {
        return state_[static_cast<std::size_t>(j) * static_cast<std::size_t>(size_[0]) +
                      static_cast<std::size_t>(i)];
    }
    /// All that is open around a cell; whether it was open and new.
    bool flood(int i, int j) {
        if (state(i, j) != unknown) return false;
        if (!is_open(middle(i, j))) {
            state(i, j) = covered;
            return false;
        }
        state(i, j) = open;
        count_ = 0;
        for (int k = 0; k < 2; ++k) {
            low_[k] = size_[k];
            high_[k] = -1;
        }
        std::vector<std::array<int, 2>> todo{{i, j}};
        while (!todo.empty()) {
            const std::array<int, 2> at = todo.back();
            todo.pop_back();
            ++count_;
            for (int k = 0; k < 2; ++k) {
                low_[k] = std::min(low_[k], at[static_cast<std::size_t>(k)]);
                high_[k] = std::max(high_[k], at[static_cast<std::size_t>(k)]);
            }
            const Vec3 here = middle(at[0], at[1]);
            for (const auto& [di, dj] : {std::array<int, 2>{1, 0}, {-1, 0}, {0, 1}, {0, -1}}) {
                const int a = at[0] + di, b = at[1] + dj;
                if (a < 0 || b < 0 || a >= size_[0] || b >= size_[1] || state(a, b) != unknown) continue;
                const Vec3 there = middle(a, b);
                if (!is_open(there))
                    state(a, b) = covered;
                else if (passes(here, there)) {
                    state(a, b) = open;
                    todo.push_back({a, b});
                }
            }
        }
        return true;
    }

    /// Where an opening ends, from a place in it on: between there and one cell farther.
    Vec3 edge(Vec3 inside, Vec3 way) const {
        float free = 0, not_free = cell;
        for (int k = 0; k < 6; ++k) {
            const float at = 0.5f * (free + not_free);
            const Vec3 p = inside + way * at;
            (is_open(p) && passes(inside, p) ? free : not_free) = at;
        }
        return inside + way * (0.5f * (free + not_free));
    }

    /// The rectangle of what was flooded last, where it is one.
    bool takes(Opening& o) const {
        const int wide = high_[0] - low_[0] + 1, high = high_[1] - low_[1] + 1;
        if (static_cast<float>(count_) < least_filled * static_cast<float>(wide * high)) return false;
        const int i = (low_[0] + high_[0]) / 2, j = (low_[1] + high_[1]) / 2;
        const Vec3 left = edge(middle(low_[0], j), wall_.across * -1.0f),
                   right = edge(middle(high_[0], j), wall_.across),
                   bottom = edge(middle(i, low_[1]), wall_.up * -1.0f),
                   top = edge(middle(i, high_[1]), wall_.up);
        o.normal = wall_.normal;
        o.across = wall_.across;
        o.width = dot(right - left, wall_.across);
        o.height = dot(top - bottom, wall_.up);
        o.middle = wall_.at(0.5f * dot(left + right, wall_.across), 0.5f * dot(bottom + top, wall_.up));
        return o.width >= least_opening && o.height >= least_opening && o.width * o.height >= least_area &&
               leads_somewhere(o);
    }

    /// Whether there is room on both sides, and one of them is not outdoors.
    bool leads_somewhere(const Opening& o) const {
        constexpr std::uint32_t looks = 32;
        float least = 1;
        for (const float side : {1.0f, -1.0f}) {
            const Frame frame(o.normal * side);
            std::array<float, looks> far;
            std::uint32_t sky = 0;
            for (std::uint32_t k = 0; k < looks; ++k) {
                const Hit hit = caster_.closest({o.middle + o.normal * (side * ray_start_offset),
                                                 frame.to_world(cosine_direction(sobol_point(7, k)))});
                sky += hit.surface == none ? 1 : 0;
                far[k] = hit.surface == none ? 1e30f : hit.distance;
            }
            std::nth_element(far.begin(), far.begin() + looks / 2, far.end());
            if (!(far[looks / 2] >= least_room)) return false;
            least = std::min(least, static_cast<float>(sky) / looks);
        }
        return least < most_sky;
    }

    const Wall& wall_;
    const RayCaster& caster_;
    int size_[2] = {0, 0};
    std::vector<std::uint8_t> state_;
    // Of what was flooded last.
    int count_ = 0, low_[2] = {0, 0}, high_[2] = {0, 0};
};

/// Whether two are the faces of one hole through a wall.
bool same_hole(const Opening& a, const Opening& b) {
    if (std::abs(dot(a.normal, b.normal)) < 0.99f) return false;
    const Vec3 way = b.middle - a.middle, up = cross(a.normal, a.across);
    if (std::abs(dot(way, a.normal)) > wall) return false;
    return std::abs(dot(way, a.across)) < 0.5f * std::min(a.width, b.width) &&
           std::abs(dot(way, up)) < 0.5f * std::min(a.height, b.height);
}

}  // namespace

std::vector<Opening> find_openings(const Level& level, const RayCaster& caster, Job& job) {
    std::vector<Wall> walls;
    for (const Direction& d : directions_of(level, caster))
        for (const Wall& w : walls_of(d)) walls.push_back(w);
    std::vector<std::vector<Opening>> found(walls.size());
    job.parallel(walls.size(), 1, [&](std::size_t begin, std::size_t end) {
        for (std::size_t w = begin; w < end; ++w) found[w] = WallGrid(walls[w], caster).find();
    });
    std::vector<Opening> all;
    for (const std::vector<Opening>& of_wall : found) all.insert(all.end(), of_wall.begin(), of_wall.end());
    std::stable_sort(all.begin(), all.end(), [](const Opening& a, const Opening& b) {
        return a.width * a.height < b.width * b.height;
    });
    std::vector<Opening> out;
    for (const Opening& o : all)
        if (out.size() < most_openings &&
            std::none_of(out.begin(), out.end(), [&](const Opening& known) { return same_hole(known, o); }))
            out.push_back(o);
    return out;
}

}  // namespace stasigraph
