// The rule `explore`: free space that hangs together with the seeds.

#include <algorithm>
#include <cmath>

#include "probe/candidates.hpp"

namespace stasigraph {

namespace {

/// Cells of the flood, at most, and metres of one: a doorway must not fall between two.
constexpr double most_cells = 4e6;
constexpr float most_cell = 0.4f;
constexpr std::size_t cells_per_task = 256;

struct Grid {
    const Volume& volume;
    std::array<int, 3> count;
    std::size_t size() const {
        return static_cast<std::size_t>(count[0]) * static_cast<std::size_t>(count[1]) *
               static_cast<std::size_t>(count[2]);
    }
    std::array<int, 3> at(std::uint32_t cell) const {
        const auto nx = static_cast<std::uint32_t>(count[0]), ny = static_cast<std::uint32_t>(count[1]);
        return {static_cast<int>(cell % nx), static_cast<int>(cell / nx % ny),
                static_cast<int>(cell / nx / ny)};
    }
    std::uint32_t number(std::array<int, 3> c) const {
        return static_cast<std::uint32_t>((c[2] * count[1] + c[1]) * count[0] + c[0]);
    }
    Vec3 middle(std::uint32_t cell) const {
        const std::array<int, 3> c = at(cell);
        const auto share = [&](int a) {
            return (static_cast<float>(c[a]) + 0.5f) / static_cast<float>(count[a]);
        };
        return place_in(volume, {share(0), share(1), share(2)});
    }
    /// The cell of a place in the volume, along its own axes.
    std::array<int, 3> holding(Vec3 place) const {
        const Vec3 low = place_in(volume, {0, 0, 0});
        std::array<int, 3> c{};
        for (int a = 0; a < 3; ++a) {
            const Vec3 end = place_in(volume, {a == 0 ? 1.0f : 0, a == 1 ? 1.0f : 0, a == 2 ? 1.0f : 0});
            const float whole = dot(end - low, end - low);
            const float share = whole > 0 ? dot(place - low, end - low) / whole : 0;
            c[a] = std::clamp(static_cast<int>(share * static_cast<float>(count[a])), 0, count[a] - 1);
        }
        return c;
    }
    float smallest_step() const {
        const Vec3 size = size_of(volume);
        return std::min({size.x / static_cast<float>(count[0]), size.y / static_cast<float>(count[1]),
                         size.z / static_cast<float>(count[2])});
    }
    template <class F>
    void beside(std::uint32_t cell, F f) const {
        const std::array<int, 3> c = at(cell);
        for (int a = 0; a < 3; ++a)
            for (const int d : {-1, 1}) {
                std::array<int, 3> n = c;
                n[a] += d;
                if (n[a] >= 0 && n[a] < count[a]) f(number(n), 2 * a + (d > 0 ? 1 : 0));
            }
    }
};

Grid grid_of(const Volume& v, float& cell) {
    const Vec3 size = size_of(v);
    const double whole =
        static_cast<double>(size.x) * static_cast<double>(size.y) * static_cast<double>(size.z);
    // A whole number of them to a spacing.
    const float least = std::max(most_cell, static_cast<float>(std::cbrt(whole / most_cells)));
    cell = v.spacing / std::max(2.0f, std::ceil(v.spacing / least));
    if (whole / static_cast<double>(cell * cell * cell) > 2 * most_cells) cell = least;
    const auto along = [&](float s) { return std::max(1, static_cast<int>(std::ceil(s / cell))); };
    return {v, {along(size.x), along(size.y), along(size.z)}};
}

/// The nearest cell whose middle a seed sees; none where there is none. Cells are asked in shells around the
/// seed's own.
std::uint32_t cell_seen_from(const Grid& grid, Vec3 seed, const FreeSpace& space) {
    const std::array<int, 3> own = grid.holding(seed);
    const int most = std::max({grid.count[0], grid.count[1], grid.count[2]});
    const float cell = grid.smallest_step();
    float nearest = 1e30f;
    std::uint32_t first = none;
    const auto ask = [&](std::array<int, 3> c) {
        for (int a = 0; a < 3; ++a)
            if (c[a] < 0 || c[a] >= grid.count[a]) return;
        const std::uint32_t number = grid.number(c);
        const Vec3 m = grid.middle(number);
        const float d = length(m - seed);
        if ((d < nearest || (d == nearest && number < first)) && holds(grid.volume, m) &&
            space.sees(seed, m)) {
            nearest = d;
            first = number;
        }
    };
    for (int shell = 0; shell < most; ++shell) {
        // What lies farther out is at least so far away.
        if (nearest <= (static_cast<float>(shell) - 0.5f) * cell) break;
        for (int z = -shell; z <= shell; ++z)
            for (int y = -shell; y <= shell; ++y) {
                const bool face = std::abs(z) == shell || std::abs(y) == shell;
                for (int x = -shell; x <= shell; x += face || shell == 0 ? 1 : 2 * shell)
                    ask({own[0] + x, own[1] + y, own[2] + z});
            }
    }
    return first;
}

/// Cells that can be reached from the seeds, in the order in which they are reached; `open` has a bit for
/// each neighbour that a cell sees.
std::vector<std::uint32_t> flood(const Grid& grid, const std::vector<Vec3>& seeds, const FreeSpace& space,
                                 std::vector<std::uint8_t>& open, Job& job) {
    std::vector<std::uint8_t> seen(grid.size(), 0);
    std::vector<std::uint32_t> order, front;
    for (const Vec3 s : seeds) {
        const std::uint32_t first = cell_seen_from(grid, s, space);
        if (first != none && !seen[first]) {
            seen[first] = 1;
            front.push_back(first);
        }
    }
    while (!front.empty()) {
        order.insert(order.end(), front.begin(), front.end());
        job.parallel(front.size(), cells_per_task, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i) {
                const Vec3 from = grid.middle(front[i]);
                grid.beside(front[i], [&](std::uint32_t n, int side) {
                    const Vec3 to = grid.middle(n);
                    if (holds(grid.volume, to) && space.sees(from, to))
                        open[front[i]] = static_cast<std::uint8_t>(open[front[i]] | 1u << side);
                });
            }
        });
        std::vector<std::uint32_t> next;
        for (const std::uint32_t c : front)
            grid.beside(c, [&](std::uint32_t n, int side) {
                if (!(open[c] >> side & 1u) || seen[n]) return;
                seen[n] = 1;
                next.push_back(n);
            });
        front.swap(next);
    }
    return order;
}

}  // namespace

std::vector<Vec3> explored_space(const Volume& volume, const std::vector<Vec3>& seeds, const FreeSpace& space,
                                 Job& job) {
    float cell = 0;
    const Grid grid = grid_of(volume, cell);
    std::vector<std::uint8_t> open(grid.size(), 0);
    std::vector<std::uint32_t> order = flood(grid, seeds, space, open, job);
    // Those that would lie on a lattice first, so that open space is filled evenly.
    const int every = std::max(1, static_cast<int>(std::lround(volume.spacing / cell)));
    const auto rest = std::stable_partition(order.begin(), order.end(), [&](std::uint32_t c) {
        const std::array<int, 3> at = grid.at(c);
        return std::all_of(at.begin(), at.end(), [&](int i) { return i % every == every / 2; });
    });
    // Steps go along the axes: the middle of eight lattice nodes is one and a half spacings from each.
    const int steps = std::max(1, 3 * every / 2);
    std::vector<Vec3> out;
    for (const std::uint32_t c :
         spread_out(grid.size(), order, static_cast<std::size_t>(rest - order.begin()), steps,
                    [&](std::uint32_t a, auto&&f) {
                        grid.beside(a, [&](std::uint32_t b, int side) {
                            if (open[a] >> side & 1u) f(b);
                        });
                    }))
        out.push_back(grid.middle(c));
    return out;
}

}  // namespace stasigraph
