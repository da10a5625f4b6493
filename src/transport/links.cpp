#include "transport/links.hpp"

#include <bit>
#include <cmath>
#include <numeric>
#include <string_view>

#include "base/random.hpp"
#include "transport/directions.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t link_rows_per_task = 256;

}  // namespace

void LinkPiece::set_tints(std::vector<TintedLink> unordered) {
    tints = std::move(unordered);
    std::sort(tints.begin(), tints.end(), [](const TintedLink& a, const TintedLink& b) {
        return a.row != b.row ? a.row < b.row : a.link < b.link;
    });
    first_tint.clear();
    if (tints.empty()) return;
    first_tint.assign(rows() + 1, 0);
    for (const TintedLink& t : tints) ++first_tint[t.row + 1];
    std::partial_sum(first_tint.begin(), first_tint.end(), first_tint.begin());
}

Links::Links(std::size_t rows) : rows_(rows) {
    for (std::size_t at = 0; at < rows; at += rows_per_piece)
        pieces.emplace_back(std::min(rows_per_piece, rows - at));
}

Links::Links(const std::vector<std::vector<std::uint32_t>>& rows) : Links(rows.size()) {
    for (std::size_t p = 0; p < pieces.size(); ++p) {
        std::vector<std::uint32_t> words;
        for (std::size_t i = 0; i < pieces[p].rows(); ++i) {
            const auto& row = rows[p * rows_per_piece + i];
            words.insert(words.end(), row.begin(), row.end());
            pieces[p].start[i + 1] = static_cast<std::uint32_t>(words.size());
        }
        pieces[p].words = LinkWords(std::move(words));
    }
}

std::size_t Links::count() const {
    std::size_t sum = 0;
    for (const LinkPiece& p : pieces) sum += p.words.all().size();
    return sum;
}

void Links::raise_hit_error(const std::vector<float>& other) {
    hit_error.resize(std::max(hit_error.size(), other.size()), 0.0f);
    for (std::size_t g = 0; g < other.size(); ++g) hit_error[g] = std::max(hit_error[g], other[g]);
}

void Links::for_rows(std::size_t grain, Job& job,
                     const std::function<void(std::size_t, std::size_t)>& body) const {
    std::size_t first = 0;
    while (first < pieces.size()) {
        std::size_t end = first;
        std::uint64_t bytes = 0;
        while (end < pieces.size() && (end == first || in_memory == 0 || bytes < in_memory))
            bytes += pieces[end++].words.all().size_bytes();
        const std::size_t from = first * rows_per_piece, rows = std::min(rows_, end * rows_per_piece) - from;
        job.parallel(rows, grain, [&](std::size_t a, std::size_t b) { body(from + a, from + b); });
        const bool all = first == 0 && end == pieces.size();
        for (std::size_t p = first; p < end && !all; ++p) pieces[p].words.rest();
        first = end;
    }
}

void row_directions(const RowSource& source, std::size_t row, std::uint32_t first, std::uint32_t count,
                    std::array<Vec3, direction_batch>& out) {
    fill_directions({source, row}, numbers_from(first), count, out);
}

Vec3 row_direction(const RowSource& source, std::size_t row, std::uint32_t k) {
    std::array<Vec3, direction_batch> out;
    fill_directions({source, row}, numbers_from(k), 1, out);
    return out[0];
}

RowSource texel_rows(const Level& level, const TexelSet& texels, std::uint32_t seed) {
    std::vector<std::uint32_t> names;
    for (const Surface& surface : level.surfaces) {
        std::uint32_t h = mix_bits(seed + 0x5bd1e995u);
        for (const char c : std::string_view(surface.name))
            h = combine_bits(h, static_cast<unsigned char>(c));
        names.push_back(h);
    }
    RowSource source;
    source.receivers.reserve(texels.size());
    source.seeds.reserve(texels.size());
    for (std::size_t i = 0; i < texels.size(); ++i) {
        source.receivers.push_back(
            surface_receiver(texels.position[i], texels.normal[i], texels.face_normal[i]));
        source.seeds.push_back(
            combine_bits(names[texels.grid[i] / 2], 2 * texels.cell[i] + texels.grid[i] % 2));
    }
    return source;
}

bool open_by_links(const Links& links, std::size_t row) {
    return static_cast<float>(std::popcount(links.back(row))) <=
           invalid_share * static_cast<float>(std::min<std::uint32_t>(links.length(row), links_that_judge));
}

TexelStates find_valid(const Links& links) {
    TexelStates valid(links.rows());
    for (std::size_t i = 0; i < valid.size(); ++i)
        valid[i] = open_by_links(links, i) ? TexelState::open : TexelState::invalid;
    return valid;
}

namespace {

bool sees(const RayCaster& caster, const TexelSet& texels, std::uint32_t texel,
          const RayCaster::SurfacePoint& place) {
    const Vec3 from = place.position + place.face_normal * ray_start_offset;
    const Vec3 to = texels.position[texel] + texels.face_normal[texel] * ray_start_offset - from;
    const float distance = length(to);
    return !(distance > 0) || !caster.blocked({from, to * (1 / distance), distance});
}

/// The valid texel nearest to a met place, in steps around the invalid texel, that the place sees.
std::uint32_t visible_neighbour(const RayCaster& caster, const TexelSet& texels, std::uint32_t invalid,
                                const RayCaster::SurfacePoint& place, const TexelStates& states) {
    std::array<std::pair<float, std::uint32_t>, 24> near;
    std::size_t count = 0;
    for (int dy = -2; dy <= 2; ++dy)
        for (int dx = -2; dx <= 2; ++dx) {
            const std::uint32_t n = texels.neighbour(invalid, dx, dy);
            if (n == none || n == invalid || !is_valid(states[n]) ||
                dot(texels.face_normal[n], place.face_normal) < 0.7f)
                continue;
            const Vec3 d = texels.position[n] - place.position;
            near[count++] = {dot(d, d), n};
        }
    std::sort(near.begin(), near.begin() + static_cast<std::ptrdiff_t>(count));
    for (std::size_t i = 0; i < count; ++i)
        if (sees(caster, texels, near[i].second, place)) return near[i].second;
    return none;
}

}  // namespace

void redirect_invalid_links(const Redirection& redirection, std::size_t number, Links& links, Job& job) {
    const RayCaster& caster = redirection.traced.caster;
    const TexelSet& texels = redirection.traced.texels;
    const TexelStates& states = redirection.texels;
    LinkPiece& piece = links.pieces[number];
    const std::size_t first_row = number * rows_per_piece, rows = piece.rows();
    std::vector<std::uint32_t>& all = piece.words.own();
    std::vector<std::vector<float>> hit_error((rows + link_rows_per_task - 1) / link_rows_per_task);
    job.parallel(rows, link_rows_per_task, [&](std::size_t begin, std::size_t end) {
        std::vector<float>& most = hit_error[begin / link_rows_per_task];
        for (std::size_t i = begin; i < end; ++i) {
            const std::size_t row = first_row + i;
            std::uint32_t* words = all.data() + piece.start[i];
            const std::uint32_t count = piece.length(i);
            if (redirection.texel_rows && !is_valid(states[row])) {
                std::fill_n(words, count, absorbed_word);
                continue;
            }
            const Vec3 origin = redirection.rows.receivers[row].position;
            for (std::uint32_t k = 0; k < count; ++k) {
                if (!meets_texel(words[k]) || states[words[k]] == TexelState::open) continue;
                Rgb tint;
                const Hit hit = caster.gathered({origin, row_direction(redirection.rows, row, k)},
                                                gather_seed(redirection.rows.seeds[row], k), tint);
                std::uint32_t open = none;
                if (hit.surface != none) {
                    const RayCaster::SurfacePoint place = caster.place(hit);
                    if (states[words[k]] == TexelState::parted && sees(caster, texels, words[k], place))
                        continue;
                    open = visible_neighbour(caster, texels, words[k], place, states);
                }
                words[k] = open == none ? lost_word : open;
                if (open == none) continue;
                most.resize(texels.grids.size(), 0.0f);
                float& here = most[texels.grid[open]];
                here = std::max(here, std::abs(hit.distance - length(texels.position[open] - origin)));
            }
        }
    });
    for (const std::vector<float>& part : hit_error) links.raise_hit_error(part);
}

void record_links(const TracedLevel& traced, const LinksWanted& wanted, const TexelStates& texels,
                  Links& links, Job& job) {
    extend_links(traced, wanted, links, job);
    const Redirection redirection{traced, wanted.rows, texels};
    for (std::size_t p = 0; p < links.pieces.size(); ++p) redirect_invalid_links(redirection, p, links, job);
}

}  // namespace stasigraph
