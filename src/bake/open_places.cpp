#include "bake/open_places.hpp"

#include <algorithm>
#include <iterator>

#include "bake/footprint.hpp"
#include "parts/covered.hpp"

namespace stasigraph {

namespace {

/// Shares of the way to a neighbour that are tried; a texel ends at a half.
constexpr float tries[] = {0.12f, 0.25f, 0.37f, 0.48f};
constexpr std::uint32_t looks = 32;  ///< Rays that tell whether a place is open.

/// Judged as whole rows are: by the share of rays that meet faces from behind; and a place that sees the sky
/// below the horizon must not lie in ground without an underside.
bool is_open(const Level& level, const RayCaster& caster, const Receiver& r, std::uint32_t seed) {
    if (lies_on_another(level, caster, r.position, r.face_normal)) return false;
    const Frame frame(r.normal);
    std::uint32_t back = 0;
    bool below = false;
    for (std::uint32_t k = 0; k < looks; ++k) {
        const Vec3 way = gather_direction(r, frame, sobol_point(seed, k));
        const Hit hit = caster.closest({r.position, way});
        back += meets_back(level, caster, hit) ? 1 : 0;
        below |= hit.surface == none && way.y < 0;
    }
    return static_cast<float>(back) <= invalid_share * static_cast<float>(looks) &&
           !(below && lies_within(level, caster, r.position, r.face_normal));
}

/// Whether at least two invalid texels stay between the two sides of a wall if texel i moves that way, and
/// the one on the other side does so, too: fewer would let light of either side show on the other.
bool keeps_apart(const TexelSet& texels, const TexelStates& states, std::uint32_t i, int x, int y) {
    const auto invalid_along = [&](int dx, int dy) {
        for (int step = 1; step <= 3 && (dx != 0 || dy != 0); ++step)
            if (const std::uint32_t n = texels.neighbour(i, step * dx, step * dy);
                n != none && is_valid(states[n]))
                return false;
        return true;
    };
    return invalid_along(-x, -y) && invalid_along(-x, 0) && invalid_along(0, -y);
}

constexpr int ways[8][2] = {{-1, -1}, {0, -1}, {1, -1}, {-1, 0}, {1, 0}, {-1, 1}, {0, 1}, {1, 1}};

/// The way to a neighbour of texel i in one plane with it, metres; zero where there is none. Where the chart
/// ends (a whole row may lie under a wall but for its edge) the neighbours on the other side give it.
Vec3 way_to(const TexelSet& texels, std::uint32_t i, int x, int y) {
    const auto step = [&](int dx, int dy) {
        const std::uint32_t n = texels.neighbour(i, dx, dy);
        return n != none && in_one_plane(texels, i, n) ? texels.position[n] - texels.position[i] : Vec3{};
    };
    if (texels.neighbour(i, x, y) != none) return step(x, y);
    const auto either = [&](int dx, int dy) {
        const Vec3 way = step(dx, dy);
        return way == Vec3{} ? -step(-dx, -dy) : way;
    };
    const Vec3 across = x == 0 ? Vec3{} : either(x, 0), down = y == 0 ? Vec3{} : either(0, y);
    if ((x != 0 && across == Vec3{}) || (y != 0 && down == Vec3{})) return {};
    return across + down;
}

/// The nearest open place between an invalid texel and its valid neighbours, else toward an edge of its
/// chart; its own where there is none.
Vec3 open_place(const TracedLevel& traced, const RowSource& rows, const TexelStates& states,
                std::uint32_t i) {
    const TexelSet& texels = traced.texels;
    constexpr float above = 1e-3f;  // its own surface is looked for from there
    const Vec3 own = texels.position[i];
    for (const bool at_edge : {false, true}) {
        std::array<Vec3, 8> toward;
        std::size_t count = 0;
        for (const auto& [x, y] : ways) {
            const std::uint32_t n = texels.neighbour(i, x, y);
            if ((at_edge ? n != none : n == none || !is_valid(states[n])) ||
                !keeps_apart(texels, states, i, x, y))
                continue;
            if (const Vec3 way = way_to(texels, i, x, y); !(way == Vec3{})) toward[count++] = way;
        }
        for (const float t : tries)
            for (std::size_t k = 0; k < count; ++k) {
                const Vec3 place = own + toward[k] * t;
                if (at_edge && !on_own_surface(texels, traced.caster, {i, place}, above, above)) continue;
                if (is_open(traced.level, traced.caster,
                            surface_receiver(place, texels.normal[i], texels.face_normal[i]),
                            mix_bits(rows.seeds[i])))
                    return place;
            }
    }
    return own;
}

}  // namespace

RowFlags find_uncovered(const TracedLevel& traced, Job& job) {
    const TexelSet& texels = traced.texels;
    RowFlags open(texels.size());
    job.parallel(open.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            open.set(
                i, !lies_on_another(traced.level, traced.caster, texels.position[i], texels.face_normal[i]));
    });
    return open;
}

TexelStates find_open(const RowFlags& uncovered, const TracedLevel& traced, const RowSource& rows,
                      const Links& links, Job& job) {
    const TexelSet& texels = traced.texels;
    TexelStates open = find_valid(links);
    job.parallel(open.size(), 1024, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            if (!uncovered[i]) open[i] = TexelState::invalid;
            if (!is_valid(open[i])) continue;
            // Only what sees the sky below the horizon can be in ground without an underside.
            bool below = false;
            for_sky_links({rows, links}, {i, 0, std::min<std::uint32_t>(links.length(i), links_that_judge)},
                          [&](std::uint32_t, Vec3 way) { below |= way.y < 0; });
            if (below && lies_within(traced.level, traced.caster, texels.position[i], texels.face_normal[i]))
                open[i] = TexelState::invalid;
        }
    });
    return open;
}

std::size_t move_to_open(const Level& level, const RayCaster& caster, const MovedTexels& m, Job& job) {
    TexelSet& texels = m.texels;
    const TracedLevel traced{level, caster, texels};
    TexelFlags moved(texels.size());
    std::vector<Vec3> place(texels.size());
    job.parallel(texels.size(), 1024, [&](std::size_t begin, std::size_t end) {
        for (std::size_t k = begin; k < end; ++k) {
            const auto i = static_cast<std::uint32_t>(k);
            if (is_valid(m.states[i])) continue;
            place[i] = open_place(traced, m.rows, m.states, i);
            moved.set(i, !(place[i] == texels.position[i]));
        }
    });
    std::vector<std::uint32_t> which;
    for (std::uint32_t i = 0; i < moved.size(); ++i) {
        if (!moved[i]) continue;
        which.push_back(i);
        texels.position[i] = place[i];
        m.rows.receivers[i] = surface_receiver(place[i], texels.normal[i], texels.face_normal[i]);
    }
    trace_rows_anew(traced, m.rows, which, m.links, job);
    const TexelStates now = find_valid(m.links);
    std::size_t open = 0;
    for (const std::uint32_t i : which) {
        m.states[i] = now[i];
        open += is_valid(now[i]) ? 1 : 0;
    }
    return open;
}

void trace_rows_anew(const TracedLevel& traced, const RowSource& rows,
                     const std::vector<std::uint32_t>& which, Links& links, Job& job) {
    if (which.empty()) return;
    RowSource some;
    std::vector<std::uint32_t> lengths;
    for (const std::uint32_t i : which) {
        some.receivers.push_back(rows.receivers[i]);
        some.seeds.push_back(rows.seeds[i]);
        lengths.push_back(links.length(i));
    }
    Links fresh;
    extend_links(traced, {some, lengths}, fresh, job);
    links.raise_hit_error(fresh.hit_error);
    for (std::size_t p = 0, k = 0; p < links.pieces.size(); ++p) {
        LinkPiece& piece = links.pieces[p];
        const std::size_t first_row = p * rows_per_piece, end = first_row + piece.rows();
        if (k == which.size() || which[k] >= end) continue;
        std::vector<std::uint32_t>& words = piece.words.own();
        std::vector<std::uint8_t> anew(piece.rows(), 0);
        std::vector<TintedLink> tints;
        for (; k < which.size() && which[k] < end; ++k) {
            const std::size_t i = which[k] - first_row;
            anew[i] = 1;
            std::copy_n(fresh.row(k), lengths[k], words.begin() + piece.start[i]);
            piece.back[i] = fresh.back(k);
            piece.far[i] = fresh.far(k);
            for (TintedLink t : fresh.tints_of(k)) {
                t.row = static_cast<std::uint32_t>(i);
                tints.push_back(t);
            }
        }
        std::copy_if(piece.tints.begin(), piece.tints.end(), std::back_inserter(tints),
                     [&](const TintedLink& t) { return !anew[t.row]; });
        piece.set_tints(std::move(tints));
    }
}

}  // namespace stasigraph
