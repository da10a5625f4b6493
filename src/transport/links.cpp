#include "transport/links.hpp"

#include <algorithm>
#include <array>
#include <limits>
#include <string_view>

#include "base/random.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t rows_per_task = 256;      // fixed: pieces never depend on the number of threads
constexpr std::uint32_t batch = 64;

/// Directions first .. first + count of one row, written as plain arrays so that the compiler vectorises it.
void fill_directions(const Receiver& r, std::uint32_t seed, std::uint32_t first, std::uint32_t count, std::array<Vec3, batch>& out) {
    alignas(32) float x[batch], y[batch];
    const std::uint32_t second_seed = mix_bits(seed ^ 0x68bc21ebu);
    for (std::uint32_t k = 0; k < count; ++k) {
        const std::uint32_t index = first + k;
        const std::uint32_t s = index < sobol_table_size ? sobol_table[index] : sobol_reversed(index);
        x[k] = unit_float(reverse_bits(scramble_reversed(index, seed)));
        y[k] = unit_float(reverse_bits(scramble_reversed(s, second_seed)));
    }
    if (r.in_air) {
        for (std::uint32_t k = 0; k < count; ++k) out[k] = sphere_direction({x[k], y[k]});
        return;
    }
    const Frame frame(r.normal);
    for (std::uint32_t k = 0; k < count; ++k) out[k] = gather_direction(r, frame, {x[k], y[k]});
}

struct TaskResult {
    std::vector<EmitterHit> emitter_hits;
};

}  // namespace

Vec3 row_direction(const RowSource& source, std::size_t row, std::uint32_t k) {
    std::array<Vec3, batch> out;
    fill_directions(source.receivers[row], source.seeds[row], k, 1, out);
    return out[0];
}

void extend_links(const Level& level, const RayCaster& caster, const TexelSet& texels, const RowSource& source,
                  const std::vector<std::uint32_t>& lengths, Links& links, Job& job, std::vector<float>* distances) {
    const std::size_t rows = source.size();
    if (links.first.empty()) {
        links.first.assign(rows + 1, 0);
        links.back_hits.assign(rows, 0);
    }
    Links longer;
    longer.first.resize(rows + 1);
    for (std::size_t i = 0; i < rows; ++i) longer.first[i + 1] = longer.first[i] + std::max(lengths[i], links.length(i));
    longer.words.resize(longer.first[rows]);
    longer.back_hits = std::move(links.back_hits);
    if (distances) distances->assign(longer.first[rows], 0);

    // What a hit needs of its surface, by number: no pointer is followed per ray but the texel's own.
    std::vector<std::uint8_t> two_sided(level.surfaces.size()), emits(level.surfaces.size());
    for (std::size_t s = 0; s < level.surfaces.size(); ++s) {
        const Material& m = level.materials[level.surfaces[s].material];
        two_sided[s] = m.double_sided;
        emits[s] = max_channel(m.emission) > 0;
    }
    std::vector<TaskResult> results((rows + rows_per_task - 1) / rows_per_task);
    job.parallel(rows, rows_per_task, [&](std::size_t begin, std::size_t end) {
        std::array<Vec3, batch> directions;
        std::array<Hit, batch> hits;
        TaskResult& result = results[begin / rows_per_task];
        for (std::size_t row = begin; row < end; ++row) {
            const std::uint32_t had = links.length(row), want = static_cast<std::uint32_t>(longer.first[row + 1] - longer.first[row]);
            std::uint32_t* out = &longer.words[longer.first[row]];
            std::copy_n(links.words.begin() + static_cast<std::ptrdiff_t>(links.first[row]), had, out);
            const Receiver& r = source.receivers[row];
            std::uint32_t back_hits = longer.back_hits[row];
            for (std::uint32_t k = had; k < want; k += batch) {
                const std::uint32_t count = std::min(batch, want - k);
                fill_directions(r, source.seeds[row], k, count, directions);
                for (std::uint32_t i = 0; i < count; ++i) hits[i] = caster.closest({r.position, directions[i]});
                for (std::uint32_t i = 0; i < count; ++i) {
                    const Hit& hit = hits[i];
                    std::uint32_t word = absorbed_word;
                    if (hit.surface == none) word = sky_word;
                    else if (!hit.back || two_sided[hit.surface]) {
                        word = texels.at(hit.surface, hit.back, hit.triangle, hit.u, hit.v);
                        if (emits[hit.surface])
                            result.emitter_hits.push_back({static_cast<std::uint32_t>(row), k + i, hit.surface, hit.triangle, hit.u, hit.v, directions[i], hit.distance});
                    } else ++back_hits;
                    out[k + i] = word;
                    if (distances)
                        (*distances)[longer.first[row] + k + i] = hit.surface == none ? std::numeric_limits<float>::infinity() : hit.distance;
                }
            }
            longer.back_hits[row] = static_cast<std::uint16_t>(std::min(back_hits, 65535u));
        }
        job.advance(end - begin);
    });

    // Old hits of a row come before its new ones, which lie further on in its sequence.
    std::size_t old = 0;
    longer.emitter_hits.reserve(links.emitter_hits.size());
    for (const TaskResult& result : results)
        for (const EmitterHit& hit : result.emitter_hits) {
            while (old < links.emitter_hits.size() && links.emitter_hits[old].row <= hit.row)
                longer.emitter_hits.push_back(links.emitter_hits[old++]);
            longer.emitter_hits.push_back(hit);
        }
    longer.emitter_hits.insert(longer.emitter_hits.end(), links.emitter_hits.begin() + static_cast<std::ptrdiff_t>(old), links.emitter_hits.end());
    links = std::move(longer);
}

RowSource texel_rows(const Level& level, const TexelSet& texels, std::uint32_t seed) {
    std::vector<std::uint32_t> names;
    for (const Surface& surface : level.surfaces) {
        std::uint32_t h = mix_bits(seed + 0x5bd1e995u);
        for (const char c : std::string_view(surface.name)) h = combine_bits(h, static_cast<unsigned char>(c));
        names.push_back(h);
    }
    RowSource source;
    source.receivers.reserve(texels.size());
    source.seeds.reserve(texels.size());
    for (std::size_t i = 0; i < texels.size(); ++i) {
        source.receivers.push_back(surface_receiver(texels.position[i], texels.normal[i], texels.face_normal[i]));
        source.seeds.push_back(combine_bits(names[texels.grid[i] / 2], 2 * texels.cell[i] + texels.grid[i] % 2));
    }
    return source;
}

std::vector<std::uint8_t> find_valid(const Links& links) {
    std::vector<std::uint8_t> valid(links.rows());
    for (std::size_t i = 0; i < valid.size(); ++i)
        valid[i] = static_cast<float>(links.back_hits[i]) <= buried_share * static_cast<float>(links.length(i));
    return valid;
}

std::vector<std::uint32_t> stand_ins(const TexelSet& texels, const std::vector<std::uint8_t>& valid) {
    // Steps in order of distance, then by row: the nearest one wins, ties by rule.
    std::vector<std::pair<int, int>> steps;
    for (int dy = -2; dy <= 2; ++dy)
        for (int dx = -2; dx <= 2; ++dx)
            if (dx || dy) steps.push_back({dx, dy});
    std::stable_sort(steps.begin(), steps.end(), [](auto a, auto b) { return a.first * a.first + a.second * a.second < b.first * b.first + b.second * b.second; });
    std::vector<std::uint32_t> stand_in(texels.size());
    for (std::uint32_t i = 0; i < texels.size(); ++i) {
        stand_in[i] = i;
        if (valid[i]) continue;
        stand_in[i] = none;
        const TexelGrid& g = texels.grids[texels.grid[i]];
        const int x = static_cast<int>(texels.cell[i]) % g.width, y = static_cast<int>(texels.cell[i]) / g.width;
        for (const auto& [dx, dy] : steps) {
            const int nx = x + dx, ny = y + dy;
            if (nx < 0 || ny < 0 || nx >= g.width || ny >= g.height) continue;
            const std::uint32_t n = texels.cells[g.first_cell + static_cast<std::size_t>(ny) * g.width + nx];
            if (n != none && valid[n]) {
                stand_in[i] = n;
                break;
            }
        }
    }
    return stand_in;
}

void redirect(Links& links, const std::vector<std::uint32_t>& stand_in) {
    for (std::uint32_t& word : links.words)
        if (word < stand_in.size()) word = stand_in[word];
}

}  // namespace stasigraph
