// Tracing: gather rays of rows become links.

#include <cmath>
#include <limits>
#include <numeric>

#include "transport/directions.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t recorded_rows_per_task = 256;  // fixed: pieces never depend on the number of threads
constexpr std::uint32_t batch = direction_batch;

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
        if (triangle[i] && triangle[i]->width == 0) triangle[i] = nullptr;  // covered, or a sliver
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

/// Traces links of rows, a batch at a time. One for each thread's piece of work.
struct Tracer {
    const RayCaster& caster;
    const TexelSet& texels;
    const RowSource& source;
    // What a hit needs of its surface, by number: no pointer is followed per ray but the texel's own.
    const std::vector<std::uint8_t>&two_sided, &glass;
    std::vector<float> hit_error{};
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
        fill_directions({source, row}, number, count, directions, &order);
        std::array<std::uint32_t, batch> numbers;
        for (std::uint32_t i = 0; i < count; ++i) numbers[i] = number(i);
        any_tint = caster.gathered_batch(
            {r.position, {directions.data(), count}, order.data(), source.seeds[row], numbers.data()},
            hits.data(), tints.data());
        find_texels(texels, two_sided, hits, count, out);
        for (std::uint32_t i = 0; i < count; ++i) {
            if (!meets_texel(out[i])) continue;
            const float off =
                std::abs(hits[i].distance - stasigraph::length(texels.position[out[i]] - r.position));
            float& most = hit_error[texels.grid[out[i]]];
            most = std::max(most, off);
        }
    }
    bool is_tinted(std::uint32_t i, std::uint32_t word) const {
        return any_tint && word != absorbed_word && !(tints[i] == Rgb{1, 1, 1});
    }
};

/// What a parallel run over the rows of a piece leaves behind beside the words.
struct Traced {
    std::vector<std::uint8_t> two_sided, glass;
    std::vector<std::vector<float>> hit_error;
    std::vector<std::vector<TintedLink>> tints;

    Traced(const TracedLevel& traced, std::size_t rows)
        : two_sided(traced.level.surfaces.size()), glass(traced.level.surfaces.size()) {
        const Level& level = traced.level;
        const std::size_t tasks = (rows + recorded_rows_per_task - 1) / recorded_rows_per_task;
        hit_error.resize(tasks);
        tints.resize(tasks);
        for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
            two_sided[s] = level.materials[level.surfaces[s].material].double_sided;
            glass[s] = traced.caster.is_glass(s);
        }
    }
    void collect(Links& links, std::vector<TintedLink> old, LinkPiece& piece) {
        for (const std::vector<float>& part : hit_error) links.raise_hit_error(part);
        for (const std::vector<TintedLink>& part : tints) old.insert(old.end(), part.begin(), part.end());
        piece.set_tints(std::move(old));
    }
};

}  // namespace

void extend_piece(const TracedLevel& level, const LinksWanted& wanted, std::size_t number, Links& links,
                  Job& job) {
    std::vector<float>* distances = wanted.distances;
    LinkPiece& piece = links.pieces[number];
    const std::size_t first_row = number * rows_per_piece, rows = piece.rows();
    std::vector<std::uint32_t> start(rows + 1, 0);
    for (std::size_t i = 0; i < rows; ++i)
        start[i + 1] = start[i] + std::max(wanted.lengths[first_row + i], piece.length(i));
    if (start == piece.start) return job.advance(rows);
    std::vector<std::uint32_t> words(start[rows]);
    if (distances) distances->assign(start[rows], 0);
    Traced traced(level, rows);
    const std::span<const std::uint32_t> had_words = piece.words.all();
    job.parallel(rows, recorded_rows_per_task, [&](std::size_t begin, std::size_t end) {
        Tracer tracer{level.caster, level.texels, wanted.rows, traced.two_sided, traced.glass};
        tracer.hit_error.assign(level.texels.grids.size(), 0.0f);
        for (std::size_t i = begin; i < end; ++i) {
            const std::uint32_t had = piece.length(i), want = start[i + 1] - start[i];
            std::uint32_t* out = &words[start[i]];
            std::copy_n(had_words.begin() + piece.start[i], had, out);
            if (wanted.open && !(*wanted.open)[first_row + i]) {
                std::fill(out + had, out + want, absorbed_word);
                continue;
            }
            for (std::uint32_t k = had; k < want; k += batch) {
                const std::uint32_t count = std::min(batch, want - k);
                tracer.trace(first_row + i, numbers_from(k), count, out + k);
                for (std::uint32_t h = 0; h < count; ++h) {
                    const bool back = tracer.is_back(tracer.hits[h]);
                    const float far = tracer.length(h);
                    piece.far[i] = std::max(piece.far[i], far);
                    if (back && k + h < 64) piece.back[i] |= std::uint64_t{1} << (k + h);
                    if (tracer.is_tinted(h, out[k + h]))
                        traced.tints[begin / recorded_rows_per_task].push_back(
                            {static_cast<std::uint32_t>(i), k + h, tracer.tints[h]});
                    if (distances) (*distances)[start[i] + k + h] = back ? -std::max(far, 1e-6f) : far;
                }
            }
        }
        traced.hit_error[begin / recorded_rows_per_task] = std::move(tracer.hit_error);
        job.advance(end - begin);
    });
    piece.start = std::move(start);
    piece.words = LinkWords(std::move(words));
    traced.collect(links, std::move(piece.tints), piece);
}

void extend_links(const TracedLevel& traced, const LinksWanted& wanted, Links& links, Job& job) {
    if (links.rows() != wanted.rows.size()) links = Links(wanted.rows.size());
    std::vector<float> here;
    LinksWanted of_piece = wanted;
    if (wanted.distances) of_piece.distances = &here;
    for (std::size_t p = 0; p < links.pieces.size(); ++p) {
        extend_piece(traced, of_piece, p, links, job);
        if (wanted.distances) wanted.distances->insert(wanted.distances->end(), here.begin(), here.end());
    }
}

void trace_again(const TracedLevel& level, const RowSource& source, const LinkMarks& marks, Links& links,
                 Job& job) {
    for (std::size_t p = 0; p < links.pieces.size(); ++p) {
        LinkPiece& piece = links.pieces[p];
        const std::size_t first_row = p * rows_per_piece, rows = piece.rows();
        if (marks.first[first_row] == marks.first[first_row + rows]) continue;
        std::vector<std::uint32_t>& all = piece.words.own();
        Traced traced(level, rows);
        job.parallel(rows, recorded_rows_per_task, [&](std::size_t begin, std::size_t end) {
            Tracer tracer{level.caster, level.texels, source, traced.two_sided, traced.glass};
            tracer.hit_error.assign(level.texels.grids.size(), 0.0f);
            std::array<std::uint32_t, batch> words;
            for (std::size_t i = begin; i < end; ++i) {
                std::uint32_t* out = all.data() + piece.start[i];
                const std::span<const std::uint32_t> which = marks.of(first_row + i);
                for (std::size_t at = 0; at < which.size(); at += batch) {
                    const auto count =
                        static_cast<std::uint32_t>(std::min<std::size_t>(batch, which.size() - at));
                    tracer.trace(
                        first_row + i, [&](std::uint32_t h) { return which[at + h]; }, count, words.data());
                    for (std::uint32_t h = 0; h < count; ++h) {
                        const std::uint32_t k = which[at + h];
                        out[k] = words[h];
                        piece.far[i] = std::max(piece.far[i], tracer.length(h));
                        const std::uint64_t bit = k < 64 ? std::uint64_t{1} << k : 0;
                        piece.back[i] = (piece.back[i] & ~bit) | (tracer.is_back(tracer.hits[h]) ? bit : 0);
                        if (tracer.is_tinted(h, words[h]))
                            traced.tints[begin / recorded_rows_per_task].push_back(
                                {static_cast<std::uint32_t>(i), k, tracer.tints[h]});
                    }
                }
            }
            traced.hit_error[begin / recorded_rows_per_task] = std::move(tracer.hit_error);
        });
        std::vector<TintedLink> old = std::move(piece.tints);
        std::erase_if(old, [&](const TintedLink& t) { return marks.has(first_row + t.row, t.link); });
        traced.collect(links, std::move(old), piece);
    }
}

}  // namespace stasigraph
