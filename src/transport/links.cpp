#include "transport/links.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <limits>
#include <string_view>

#include "base/random.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t rows_per_task = 256;  // fixed: pieces never depend on the number of threads
constexpr std::uint32_t batch = direction_batch;

/// Morton number of a cell of an 8 by 8 grid.
constexpr std::uint8_t morton(std::uint32_t x, std::uint32_t y) {
    std::uint32_t m = 0;
    for (std::uint32_t b = 0; b < 3; ++b) m |= (x >> b & 1) << (2 * b) | (y >> b & 1) << (2 * b + 1);
    return static_cast<std::uint8_t>(m);
}

/// Counting sort of points of the unit square by the Morton number of their cell.
void order_by_cell(const float* x, const float* y, std::uint32_t count,
                   std::array<std::uint8_t, batch>& order) {
    static constexpr auto table = [] {
        std::array<std::uint8_t, 64> t{};
        for (std::uint32_t i = 0; i < 64; ++i) t[i] = morton(i % 8, i / 8);
        return t;
    }();
    std::uint8_t key[batch], start[65] = {};
    for (std::uint32_t k = 0; k < count; ++k) {
        key[k] = table[static_cast<std::uint32_t>(x[k] * 8) + 8 * static_cast<std::uint32_t>(y[k] * 8)];
        ++start[key[k] + 1];
    }
    for (int i = 0; i < 64; ++i) start[i + 1] = static_cast<std::uint8_t>(start[i + 1] + start[i]);
    for (std::uint32_t k = 0; k < count; ++k) order[start[key[k]]++] = static_cast<std::uint8_t>(k);
}

/// Directions number(0) .. number(count - 1) of one row, written as plain arrays so that the compiler
/// vectorises it. `order`, where given, receives an order in which neighbours point nearly the same way:
/// traced like that, one ray finds in the cache what the last one left there.
template <class Number>
void fill_directions(const Receiver& r, std::uint32_t seed, Number number, std::uint32_t count,
                     std::array<Vec3, batch>& out, std::array<std::uint8_t, batch>* order = nullptr) {
    alignas(32) float x[batch], y[batch];
    const std::uint32_t second_seed = mix_bits(seed ^ 0x68bc21ebu);
    for (std::uint32_t k = 0; k < count; ++k) {
        const std::uint32_t index = number(k);
        const std::uint32_t s = index < sobol_table_size ? sobol_table[index] : sobol_reversed(index);
        x[k] = unit_float(reverse_bits(scramble_reversed(index, seed)));
        y[k] = unit_float(reverse_bits(scramble_reversed(s, second_seed)));
    }
    if (order) order_by_cell(x, y, count, *order);
    if (r.in_air) {
        for (std::uint32_t k = 0; k < count; ++k) out[k] = sphere_direction({x[k], y[k]});
        return;
    }
    const Frame frame(r.normal);
    for (std::uint32_t k = 0; k < count; ++k) out[k] = gather_direction(r, frame, {x[k], y[k]});
}

auto from(std::uint32_t first) {
    return [first](std::uint32_t k) { return first + k; };
}

/// The words of a batch of hits. Three passes, each asking the memory for what the next one reads.
void find_texels(const TexelSet& texels, const std::vector<std::uint8_t>& two_sided,
                 const std::array<Hit, batch>& hits, std::uint32_t count, std::uint32_t* words) {
    std::array<const UvTriangle*, batch> triangle;
    std::array<const std::uint32_t*, batch> cell;
    for (std::uint32_t i = 0; i < count; ++i) {
        const Hit& hit = hits[i];
        triangle[i] = nullptr;
        words[i] = hit.surface == none ? sky_word : absorbed_word;
        if (hit.surface == none || (hit.back && !two_sided[hit.surface])) continue;
        const TexelGrid& g = texels.grids[2 * hit.surface + (hit.back ? 1 : 0)];
        if (g.layout == none) continue;
        triangle[i] = &texels.uv[g.layout][hit.triangle];
        __builtin_prefetch(triangle[i]);
    }
    for (std::uint32_t i = 0; i < count; ++i) {
        if (!triangle[i]) continue;
        cell[i] = &texels.cells[texels.cell_at(2 * hits[i].surface + (hits[i].back ? 1 : 0), *triangle[i],
                                               hits[i].u, hits[i].v)];
        __builtin_prefetch(cell[i]);
    }
    for (std::uint32_t i = 0; i < count; ++i) {
        if (!triangle[i]) continue;
        words[i] = *cell[i];
        if (words[i] == none)
            words[i] = texels.at(hits[i].surface, hits[i].back, hits[i].triangle, hits[i].u, hits[i].v);
    }
}

}  // namespace

void row_directions(const RowSource& source, std::size_t row, std::uint32_t first, std::uint32_t count,
                    std::array<Vec3, direction_batch>& out) {
    fill_directions(source.receivers[row], source.seeds[row], from(first), count, out);
}

Vec3 row_direction(const RowSource& source, std::size_t row, std::uint32_t k) {
    std::array<Vec3, batch> out;
    fill_directions(source.receivers[row], source.seeds[row], from(k), 1, out);
    return out[0];
}

namespace {

/// Traces links of rows, a batch at a time. One for each thread's piece of work.
struct Tracer {
    const RayCaster& caster;
    const TexelSet& texels;
    const RowSource& source;
    // What a hit needs of its surface, by number: no pointer is followed per ray but the texel's own.
    const std::vector<std::uint8_t>&two_sided, &glass;
    std::vector<float> stray{};
    std::array<Vec3, batch> directions{};
    std::array<Hit, batch> hits{};
    std::array<std::uint8_t, batch> order{};
    std::array<Rgb, batch> tints{};
    bool any_tint = false;

    bool is_back(const Hit& hit) const {
        return hit.surface != none && hit.back && !two_sided[hit.surface] && !glass[hit.surface];
    }
    float length(std::uint32_t i) const {
        return hits[i].surface == none ? std::numeric_limits<float>::infinity() : hits[i].distance;
    }
    /// Words of links number(0) .. number(count - 1) of a row.
    template <class Number>
    void trace(std::size_t row, Number number, std::uint32_t count, std::uint32_t* out) {
        const Receiver& r = source.receivers[row];
        fill_directions(r, source.seeds[row], number, count, directions, &order);
        std::array<std::uint32_t, batch> numbers;
        for (std::uint32_t i = 0; i < count; ++i) numbers[i] = number(i);
        any_tint = caster.gathered_batch(r.position, {directions.data(), count}, order.data(),
                                         source.seeds[row], numbers.data(), hits.data(), tints.data());
        find_texels(texels, two_sided, hits, count, out);
        for (std::uint32_t i = 0; i < count; ++i) {
            if (!meets_texel(out[i])) continue;
            const float off =
                std::abs(hits[i].distance - stasigraph::length(texels.position[out[i]] - r.position));
            float& most = stray[texels.grid[out[i]]];
            most = std::max(most, off);
        }
    }
    bool is_tinted(std::uint32_t i, std::uint32_t word) const {
        return any_tint && word != absorbed_word && !(tints[i] == Rgb{1, 1, 1});
    }
};

/// What each surface is to rays, and the strays of the pieces of a parallel run.
struct Tracing {
    std::vector<std::uint8_t> two_sided, glass;
    std::vector<std::vector<float>> stray;

    Tracing(const Level& level, const RayCaster& caster, std::size_t pieces)
        : two_sided(level.surfaces.size()), glass(level.surfaces.size()), stray(pieces) {
        for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
            two_sided[s] = level.materials[level.surfaces[s].material].double_sided;
            glass[s] = caster.is_glass(s);
        }
    }
};

void collect_strays(const std::vector<std::vector<float>>& pieces, std::vector<float>& into) {
    for (const std::vector<float>& piece : pieces) {
        into.resize(std::max(into.size(), piece.size()), 0.0f);
        for (std::size_t g = 0; g < piece.size(); ++g) into[g] = std::max(into[g], piece[g]);
    }
}

std::size_t pieces_of(std::size_t rows) {
    return (rows + rows_per_task - 1) / rows_per_task;
}

/// Tints in the order of rows, from ordered ones and pieces of further ones, which come after those of their
/// row.
void merge_tints(std::vector<TintedLink> old, const std::vector<std::vector<TintedLink>>& fresh,
                 Links& links) {
    const auto before = [](const TintedLink& a, const TintedLink& b) {
        return a.row != b.row ? a.row < b.row : a.link < b.link;
    };
    const auto had = static_cast<std::ptrdiff_t>(old.size());
    for (const std::vector<TintedLink>& piece : fresh) old.insert(old.end(), piece.begin(), piece.end());
    std::inplace_merge(old.begin(), old.begin() + had, old.end(), before);
    links.tints = std::move(old);
    links.first_tint.clear();
    if (links.tints.empty()) return;
    links.first_tint.assign(links.rows() + 1, 0);
    for (const TintedLink& t : links.tints) ++links.first_tint[t.row + 1];
    for (std::size_t i = 0; i < links.rows(); ++i) links.first_tint[i + 1] += links.first_tint[i];
}

}  // namespace

void extend_links(const Level& level, const RayCaster& caster, const TexelSet& texels,
                  const RowSource& source, const std::vector<std::uint32_t>& lengths, Links& links, Job& job,
                  std::vector<float>* distances) {
    const std::size_t rows = source.size();
    if (links.first.empty()) {
        links.first.assign(rows + 1, 0);
        links.back.assign(rows, 0);
        links.far.assign(rows, 0.0f);
    }
    Links longer;
    longer.first.resize(rows + 1);
    for (std::size_t i = 0; i < rows; ++i)
        longer.first[i + 1] = longer.first[i] + std::max(lengths[i], links.length(i));
    longer.words.resize(longer.first[rows]);
    longer.back = std::move(links.back);
    longer.far = std::move(links.far);
    longer.stray = std::move(links.stray);
    if (distances) distances->assign(longer.first[rows], 0);

    Tracing tracing(level, caster, pieces_of(rows));
    std::vector<std::vector<TintedLink>> tinted(pieces_of(rows));
    job.parallel(rows, rows_per_task, [&](std::size_t begin, std::size_t end) {
        Tracer tracer{caster, texels, source, tracing.two_sided, tracing.glass};
        tracer.stray.assign(texels.grids.size(), 0.0f);
        for (std::size_t row = begin; row < end; ++row) {
            const std::uint32_t had = links.length(row),
                                want = static_cast<std::uint32_t>(longer.first[row + 1] - longer.first[row]);
            std::uint32_t* out = &longer.words[longer.first[row]];
            std::copy_n(links.words.begin() + static_cast<std::ptrdiff_t>(links.first[row]), had, out);
            for (std::uint32_t k = had; k < want; k += batch) {
                const std::uint32_t count = std::min(batch, want - k);
                tracer.trace(row, from(k), count, out + k);
                for (std::uint32_t i = 0; i < count; ++i) {
                    const bool back = tracer.is_back(tracer.hits[i]);
                    const float far = tracer.length(i);
                    longer.far[row] = std::max(longer.far[row], far);
                    if (back && k + i < 64) longer.back[row] |= std::uint64_t{1} << (k + i);
                    if (tracer.is_tinted(i, out[k + i]))
                        tinted[begin / rows_per_task].push_back(
                            {static_cast<std::uint32_t>(row), k + i, tracer.tints[i]});
                    if (!distances) continue;
                    (*distances)[longer.first[row] + k + i] = back ? -std::max(far, 1e-6f) : far;
                }
            }
        }
        tracing.stray[begin / rows_per_task] = std::move(tracer.stray);
        job.advance(end - begin);
    });
    longer.stray.resize(texels.grids.size(), 0.0f);
    collect_strays(tracing.stray, longer.stray);
    std::vector<TintedLink> old = std::move(links.tints);
    links = std::move(longer);
    merge_tints(std::move(old), tinted, links);
}

void trace_again(const Level& level, const RayCaster& caster, const TexelSet& texels, const RowSource& source,
                 const LinkMarks& marks, Links& links, Job& job) {
    const std::size_t rows = source.size();
    Tracing tracing(level, caster, pieces_of(rows));
    std::vector<std::vector<TintedLink>> tinted(pieces_of(rows));
    job.parallel(rows, rows_per_task, [&](std::size_t begin, std::size_t end) {
        Tracer tracer{caster, texels, source, tracing.two_sided, tracing.glass};
        tracer.stray.assign(texels.grids.size(), 0.0f);
        std::array<std::uint32_t, batch> words;
        for (std::size_t row = begin; row < end; ++row) {
            std::uint32_t* out = &links.words[links.first[row]];
            const std::span<const std::uint32_t> which = marks.of(row);
            for (std::size_t at = 0; at < which.size(); at += batch) {
                const auto count =
                    static_cast<std::uint32_t>(std::min<std::size_t>(batch, which.size() - at));
                tracer.trace(
                    row, [&](std::uint32_t i) { return which[at + i]; }, count, words.data());
                for (std::uint32_t i = 0; i < count; ++i) {
                    const std::uint32_t k = which[at + i];
                    out[k] = words[i];
                    links.far[row] = std::max(links.far[row], tracer.length(i));
                    if (k < 64) {
                        const std::uint64_t bit = std::uint64_t{1} << k;
                        links.back[row] =
                            (links.back[row] & ~bit) | (tracer.is_back(tracer.hits[i]) ? bit : 0);
                    }
                    if (tracer.is_tinted(i, words[i]))
                        tinted[begin / rows_per_task].push_back(
                            {static_cast<std::uint32_t>(row), k, tracer.tints[i]});
                }
            }
        }
        tracing.stray[begin / rows_per_task] = std::move(tracer.stray);
    });
    collect_strays(tracing.stray, links.stray);
    std::vector<TintedLink> old = std::move(links.tints);
    std::erase_if(old, [&](const TintedLink& t) { return marks.has(t.row, t.link); });
    merge_tints(std::move(old), tinted, links);
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

std::vector<std::uint8_t> find_valid(const Links& links) {
    std::vector<std::uint8_t> valid(links.rows());
    for (std::size_t i = 0; i < valid.size(); ++i)
        valid[i] =
            static_cast<float>(std::popcount(links.back[i])) <=
            buried_share * static_cast<float>(std::min<std::uint32_t>(links.length(i), links_that_judge));
    return valid;
}

namespace {

/// The valid texel nearest to a met place, in steps around the buried texel, that the place sees.
std::uint32_t visible_neighbour(const RayCaster& caster, const TexelSet& texels, std::uint32_t buried,
                                const RayCaster::Place& place, const std::vector<std::uint8_t>& valid) {
    std::array<std::pair<float, std::uint32_t>, 24> near;
    std::size_t count = 0;
    for (int dy = -2; dy <= 2; ++dy)
        for (int dx = -2; dx <= 2; ++dx) {
            const std::uint32_t n = texels.neighbour(buried, dx, dy);
            if (n == none || n == buried || !valid[n] || dot(texels.face_normal[n], place.face_normal) < 0.7f)
                continue;
            const Vec3 d = texels.position[n] - place.position;
            near[count++] = {dot(d, d), n};
        }
    std::sort(near.begin(), near.begin() + static_cast<std::ptrdiff_t>(count));
    const Vec3 from = place.position + place.face_normal * ray_start_offset;
    for (std::size_t i = 0; i < count; ++i) {
        const std::uint32_t n = near[i].second;
        const Vec3 to = texels.position[n] + texels.face_normal[n] * ray_start_offset - from;
        const float distance = length(to);
        if (!(distance > 0) || !caster.blocked({from, to * (1 / distance), distance})) return n;
    }
    return none;
}

}  // namespace

void lead_past_buried(const RayCaster& caster, const TexelSet& texels, const RowSource& source,
                      const std::vector<std::uint8_t>& row_valid,
                      const std::vector<std::uint8_t>& texel_valid, Links& links, Job& job,
                      const std::vector<std::uint32_t>* done) {
    std::vector<std::vector<float>> stray(pieces_of(links.rows()));
    job.parallel(links.rows(), rows_per_task, [&](std::size_t begin, std::size_t end) {
        std::vector<float>& most = stray[begin / rows_per_task];
        for (std::size_t row = begin; row < end; ++row) {
            std::uint32_t* words = links.words.data() + links.first[row];
            const std::uint32_t count = links.length(row);
            const Vec3 origin = source.receivers[row].position;
            if (!row_valid[row]) {
                std::fill_n(words, count, absorbed_word);
                continue;
            }
            for (std::uint32_t k = done ? (*done)[row] : 0; k < count; ++k) {
                if (words[k] >= texel_valid.size() || texel_valid[words[k]]) continue;
                Rgb tint;
                const Hit hit = caster.gathered({origin, row_direction(source, row, k)},
                                                gather_seed(source.seeds[row], k), tint);
                const std::uint32_t open =
                    hit.surface == none
                        ? none
                        : visible_neighbour(caster, texels, words[k], caster.place(hit), texel_valid);
                words[k] = open == none ? lost_word : open;
                if (open == none) continue;
                most.resize(texels.grids.size(), 0.0f);
                float& here = most[texels.grid[open]];
                here = std::max(here, std::abs(hit.distance - length(texels.position[open] - origin)));
            }
        }
    });
    collect_strays(stray, links.stray);
}

}  // namespace stasigraph
