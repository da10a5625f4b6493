// Incremental Delaunay tetrahedra (Bowyer 1981; Watson 1981) with a vertex at infinity, in integers.

#include "probe/delaunay.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "stasigraph/level.hpp"

namespace stasigraph {

namespace {

__extension__ typedef __int128 Wide;

constexpr std::uint32_t infinity = none;

struct Offset {
    std::int64_t x, y, z;
};
Offset from(const LatticePoint& a, const LatticePoint& b) {
    return {std::int64_t{b[0]} - a[0], std::int64_t{b[1]} - a[1], std::int64_t{b[2]} - a[2]};
}
int sign(Wide v) {
    return v > 0 ? 1 : v < 0 ? -1 : 0;
}
/// Within 2^66: offsets are within 2^21.
Wide volume(const Offset& a, const Offset& b, const Offset& c) {
    return Wide{a.x} * (b.y * c.z - b.z * c.y) - Wide{a.y} * (b.x * c.z - b.z * c.x) +
           Wide{a.z} * (b.x * c.y - b.y * c.x);
}
std::int64_t square(const Offset& a) {
    return a.x * a.x + a.y * a.y + a.z * a.z;
}

/// The sphere's side with ties broken by the order of the points' coordinates: never 0 for five distinct
/// points the first four of which span a volume.
int perturbed_side(std::array<const LatticePoint*, 5> p) {
    const int exact = side_of_sphere(*p[0], *p[1], *p[2], *p[3], *p[4]);
    if (exact != 0) return exact;
    std::array<int, 5> order = {0, 1, 2, 3, 4};
    std::sort(order.begin(), order.end(), [&](int a, int b) { return *p[a] > *p[b]; });
    for (const int i : order) {
        if (i == 4) return -1;
        auto q = p;
        q[i] = p[4];
        if (const int s = side_of_plane(*q[0], *q[1], *q[2], *q[3]); s != 0) return s;
    }
    return -1;
}

/// Interleaves the bits of three coordinates, so that points close in order are close in space.
std::uint64_t along_curve(const LatticePoint& p) {
    std::uint64_t key = 0;
    for (int bit = 20; bit >= 0; --bit)
        for (const std::int32_t c : p)
            key = key << 1 | (static_cast<std::uint32_t>(c + most_coordinate) >> bit & 1u);
    return key;
}

class Builder {
public:
    explicit Builder(std::span<const LatticePoint> points) : points_(points) {}

    Tetrahedra run() {
        std::vector<std::uint32_t> order(points_.size());
        std::iota(order.begin(), order.end(), 0u);
        std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
            const std::uint64_t ka = along_curve(points_[a]), kb = along_curve(points_[b]);
            return ka != kb ? ka < kb : points_[a] < points_[b];
        });
        if (!start(order)) return {};
        for (std::size_t i = 4; i < order.size(); ++i) insert(order[i]);
        return finished();
    }

private:
    struct Cell {
        std::array<std::uint32_t, 4> vertex, adjacent;
    };
    struct Face {
        std::uint32_t inside, outside;  ///< Cells.
        int number;                     ///< Of the face, within the first.
    };

    const LatticePoint& at(std::uint32_t vertex) const { return points_[vertex]; }

    /// Brings four points that span a volume to the front, and makes their tetrahedron and the four cells
    /// around it that reach to infinity.
    bool start(std::vector<std::uint32_t>& order) {
        const auto take = [&](std::size_t place, auto&& fits) {
            for (std::size_t i = place; i < order.size(); ++i)
                if (fits(order[i])) {
                    std::rotate(order.begin() + static_cast<std::ptrdiff_t>(place),
                                order.begin() + static_cast<std::ptrdiff_t>(i),
                                order.begin() + static_cast<std::ptrdiff_t>(i) + 1);
                    return true;
                }
            return false;
        };
        if (order.size() < 4) return false;
        const bool spans =
            take(2, [&](std::uint32_t v) { return !in_line(at(order[0]), at(order[1]), at(v)); }) &&
            take(3, [&](std::uint32_t v) {
                return side_of_plane(at(order[0]), at(order[1]), at(order[2]), at(v)) != 0;
            });
        if (!spans) return false;
        std::array<std::uint32_t, 4> v = {order[0], order[1], order[2], order[3]};
        if (side_of_plane(at(v[0]), at(v[1]), at(v[2]), at(v[3])) < 0) std::swap(v[0], v[1]);
        cells_.push_back({v, {1, 2, 3, 4}});
        // Seen from outside, a face turns the other way about: swapping two vertices turns the cell around.
        for (std::uint32_t k = 0; k < 4; ++k) {
            Cell out{v, {}};
            out.vertex[k] = infinity;
            const std::uint32_t a = (k + 1) % 4, b = (k + 2) % 4, c = (k + 3) % 4;
            std::swap(out.vertex[a], out.vertex[b]);
            // Opposite vertex v[a], now at place b, lies the cell whose infinite vertex stands for v[a].
            out.adjacent[k] = 0;
            out.adjacent[b] = a + 1;
            out.adjacent[a] = b + 1;
            out.adjacent[c] = c + 1;
            cells_.push_back(out);
        }
        last_ = 0;
        mark_.assign(cells_.size(), 0);
        return true;
    }

    int infinite_vertex(const Cell& cell) const {
        for (int k = 0; k < 4; ++k)
            if (cell.vertex[k] == infinity) return k;
        return -1;
    }
    /// On which side of a cell's face a point lies: above 0 on the inner one.
    int side_of_face(const Cell& cell, int face, const LatticePoint& p) const {
        std::array<const LatticePoint*, 4> q;
        for (int k = 0; k < 4; ++k) q[k] = k == face ? &p : &at(cell.vertex[k]);
        return side_of_plane(*q[0], *q[1], *q[2], *q[3]);
    }

    /// Whether a point lies in the sphere of a cell. For a cell that reaches to infinity, the sphere is
    /// everything beyond its face and, in the plane of that face, the circle of the cell behind it.
    bool holds(std::uint32_t number, const LatticePoint& p) const {
        const Cell& cell = cells_[number];
        if (const int k = infinite_vertex(cell); k >= 0) {
            const int side = side_of_face(cell, k, p);
            return side != 0 ? side > 0 : holds(cell.adjacent[k], p);
        }
        return perturbed_side({&at(cell.vertex[0]), &at(cell.vertex[1]), &at(cell.vertex[2]),
                               &at(cell.vertex[3]), &p}) > 0;
    }

    /// A cell that holds the point: walks towards it from the last one.
    std::uint32_t find(const LatticePoint& p) const {
        std::uint32_t cell = last_, before = none;
        for (;;) {
            const Cell& c = cells_[cell];
            if (infinite_vertex(c) >= 0) return cell;
            int over = -1;
            for (int k = 0; k < 4 && over < 0; ++k)
                if (c.adjacent[k] != before && side_of_face(c, k, p) < 0) over = k;
            if (over < 0) return cell;
            before = cell;
            cell = c.adjacent[over];
        }
    }

    void insert(std::uint32_t number) {
        const LatticePoint& p = at(number);
        // All cells that hold the point hang together; they give way to new ones from the point to their rim.
        std::vector<std::uint32_t>& gone = gone_;
        gone.assign(1, find(p));
        rim_.clear();
        mark_[gone[0]] = 1;
        for (std::size_t i = 0; i < gone.size(); ++i)
            for (int k = 0; k < 4; ++k) {
                const std::uint32_t next = cells_[gone[i]].adjacent[k];
                if (mark_[next]) continue;
                if (holds(next, p)) {
                    mark_[next] = 1;
                    gone.push_back(next);
                } else {
                    rim_.push_back({gone[i], next, k});
                }
            }
        edges_.clear();
        fresh_.clear();
        for (const Face& f : rim_) {
            Cell cell = cells_[f.inside];
            cell.vertex[f.number] = number;
            cell.adjacent[f.number] = f.outside;
            fresh_.push_back(cell);
        }
        for (std::uint32_t i = 0; i < fresh_.size(); ++i) {
            const std::uint32_t place = i < gone.size() ? gone[i] : new_cell();
            places_.resize(std::max<std::size_t>(places_.size(), i + 1));
            places_[i] = place;
        }
        for (std::uint32_t i = 0; i < fresh_.size(); ++i) {
            const Face& f = rim_[i];
            Cell& out = cells_[f.outside];
            for (std::uint32_t& b : out.adjacent)
                if (b == f.inside && shares_face(f, out, &b - out.adjacent.data())) b = places_[i];
            for (int k = 0; k < 4; ++k)
                if (k != f.number) note_edge(fresh_[i], k, f.number, i);
        }
        join_edges();
        for (const std::uint32_t g : gone) mark_[g] = 0;
        for (std::uint32_t i = 0; i < fresh_.size(); ++i) cells_[places_[i]] = fresh_[i];
        for (std::size_t i = fresh_.size(); i < gone.size(); ++i) free_.push_back(gone[i]);
        last_ = places_[0];
        for (std::uint32_t i = 0; i < fresh_.size(); ++i)
            if (infinite_vertex(fresh_[i]) < 0) last_ = places_[i];
    }

    std::uint32_t new_cell() {
        if (!free_.empty()) {
            const std::uint32_t cell = free_.back();
            free_.pop_back();
            return cell;
        }
        cells_.push_back({});
        mark_.push_back(0);
        return static_cast<std::uint32_t>(cells_.size() - 1);
    }

    /// Whether `out` borders the face on its side k: it holds all of it but for its own vertex k.
    bool shares_face(const Face& f, const Cell& out, std::ptrdiff_t k) const {
        const Cell& in = cells_[f.inside];
        for (int i = 0; i < 4; ++i)
            if (i != f.number && in.vertex[i] == out.vertex[k]) return false;
        return true;
    }

    struct Edge {
        std::uint32_t low, high;  ///< Vertices of the rim.
        std::uint32_t cell;       ///< Of the fresh ones,
        int face;                 ///< and its face between the new point and the edge.
    };
    /// The face of a fresh cell opposite vertex k holds the new point and an edge of the rim.
    void note_edge(const Cell& cell, int k, int point, std::uint32_t number) {
        std::uint32_t ends[2];
        int n = 0;
        for (int i = 0; i < 4; ++i)
            if (i != k && i != point) ends[n++] = cell.vertex[i];
        edges_.push_back({std::min(ends[0], ends[1]), std::max(ends[0], ends[1]), number, k});
    }
    void join_edges() {
        std::sort(edges_.begin(), edges_.end(), [](const Edge& a, const Edge& b) {
            return a.low != b.low ? a.low < b.low : a.high != b.high ? a.high < b.high : a.cell < b.cell;
        });
        for (std::size_t i = 0; i + 1 < edges_.size(); i += 2) {
            const Edge &a = edges_[i], &b = edges_[i + 1];
            fresh_[a.cell].adjacent[a.face] = places_[b.cell];
            fresh_[b.cell].adjacent[b.face] = places_[a.cell];
        }
    }

    /// Without the cells at infinity, in order.
    Tetrahedra finished() {
        std::vector<std::uint8_t> is_free(cells_.size(), 0);
        for (const std::uint32_t f : free_) is_free[f] = 1;
        std::vector<std::uint32_t> kept;
        for (std::uint32_t i = 0; i < cells_.size(); ++i)
            if (!is_free[i] && infinite_vertex(cells_[i]) < 0) kept.push_back(i);
        for (const std::uint32_t i : kept) lowest_first(cells_[i]);
        std::sort(kept.begin(), kept.end(),
                  [&](std::uint32_t a, std::uint32_t b) { return cells_[a].vertex < cells_[b].vertex; });
        std::vector<std::uint32_t> number(cells_.size(), none);
        for (std::uint32_t i = 0; i < kept.size(); ++i) number[kept[i]] = i;
        Tetrahedra out;
        for (const std::uint32_t i : kept) {
            out.vertex.push_back(cells_[i].vertex);
            std::array<std::uint32_t, 4> adjacent;
            for (int k = 0; k < 4; ++k) adjacent[k] = number[cells_[i].adjacent[k]];
            out.adjacent.push_back(adjacent);
        }
        return out;
    }

    /// Turns a cell, without turning it inside out, so that its lowest vertex is first and the lowest of the
    /// others second.
    static void lowest_first(Cell& cell) {
        const auto turn = [&](int a, int b, int c) {  // a takes what c had, b what a had, c what b had
            std::swap(cell.vertex[a], cell.vertex[b]);
            std::swap(cell.adjacent[a], cell.adjacent[b]);
            std::swap(cell.vertex[a], cell.vertex[c]);
            std::swap(cell.adjacent[a], cell.adjacent[c]);
        };
        const auto lowest = [&](int first) {
            return static_cast<int>(std::min_element(cell.vertex.begin() + first, cell.vertex.end()) -
                                    cell.vertex.begin());
        };
        if (const int k = lowest(0); k != 0) turn(0, k == 3 ? 1 : 3, k);
        while (lowest(1) != 1) turn(1, 2, 3);
    }

    std::span<const LatticePoint> points_;
    std::vector<Cell> cells_, fresh_;
    std::vector<std::uint8_t> mark_;  ///< Of cells that give way.
    std::vector<std::uint32_t> free_, gone_, places_;
    std::vector<Face> rim_;
    std::vector<Edge> edges_;
    std::uint32_t last_ = 0;
};

}  // namespace

bool in_line(const LatticePoint& a, const LatticePoint& b, const LatticePoint& c) {
    const Offset u = from(a, b), v = from(a, c);
    return u.y * v.z == u.z * v.y && u.z * v.x == u.x * v.z && u.x * v.y == u.y * v.x;
}

int side_of_plane(const LatticePoint& a, const LatticePoint& b, const LatticePoint& c,
                  const LatticePoint& d) {
    return sign(volume(from(a, b), from(a, c), from(a, d)));
}

int side_of_sphere(const LatticePoint& a, const LatticePoint& b, const LatticePoint& c, const LatticePoint& d,
                   const LatticePoint& e) {
    // The determinant of the offsets from e and their squares, by the last column: within 2^114.
    const Offset p = from(e, a), q = from(e, b), r = from(e, c), s = from(e, d);
    const Wide sum = -Wide{square(p)} * volume(q, r, s) + Wide{square(q)} * volume(p, r, s) -
                     Wide{square(r)} * volume(p, q, s) + Wide{square(s)} * volume(p, q, r);
    return -sign(sum);
}

Tetrahedra delaunay(std::span<const LatticePoint> points) {
    return Builder(points).run();
}

LatticePoint PlaceLattice::at(Vec3 place) const {
    const Vec3 d = place - origin;
    const auto rounded = [&](float v) {
        return static_cast<std::int32_t>(std::lround(static_cast<double>(v) / static_cast<double>(step)));
    };
    return {rounded(d.x), rounded(d.y), rounded(d.z)};
}

PlaceLattice lattice_of(std::span<const Vec3> places) {
    PlaceLattice out;
    out.step = 0x1p-14f;
    if (places.empty()) return out;
    Vec3 low = places[0], high = places[0];
    for (const Vec3 p : places) {
        low = min(low, p);
        high = max(high, p);
    }
    const Vec3 half = (high - low) * 0.5f, middle = (low + high) * 0.5f;
    const float most = std::max({half.x, half.y, half.z});
    while (most >= out.step * static_cast<float>(most_coordinate - 2)) out.step *= 2;
    // A multiple of the step, so that places on a coarser lattice of powers of two keep their distances.
    const auto snap = [&](float v) { return std::round(v / out.step) * out.step; };
    out.origin = {snap(middle.x), snap(middle.y), snap(middle.z)};
    return out;
}

}  // namespace stasigraph
