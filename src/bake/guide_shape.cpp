#include "bake/guide_shape.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace stasigraph {

namespace {

/// A block that met this many links of what brings most of a cell's light is trusted as much as bright places
/// are.
constexpr float enough_met = 8;
/// Cells are guided that make this many times the variance of ordinary ones, and as many times their share of
/// what is allowed: rays that all cells want are longer rows.
constexpr float over_mean = 8, over_share = 2;
/// Guided rays leave half of the variance that is asked for, where the rest makes as much.
constexpr float least_share = 0.5f;
/// Guided rays in one cell, of a row's first links.
constexpr float most_in_cell = 1.0f / 4;

constexpr std::uint32_t wide = DirectionGuide::wide, high = DirectionGuide::high,
                        parts = DirectionGuide::parts;

/// What few rays met in one part lies in the next one for another texel of the block.
OfParts spread_out(const OfParts& own) {
    // As one grid with a rim of nothing: sums of three in a line, and of three of those.
    constexpr std::uint32_t stride = wide + 2;
    std::array<float, stride*(high + 2)> grid{}, lines{};
    for (std::uint32_t y = 0; y < high; ++y)
        for (std::uint32_t x = 0; x < wide; ++x) grid[(y + 1) * stride + x + 1] = own[part_number(x, y)];
    for (std::uint32_t k = 1; k + 1 < grid.size(); ++k) lines[k] = grid[k - 1] + grid[k] + grid[k + 1];
    OfParts out;
    for (std::uint32_t y = 0; y < high; ++y)
        for (std::uint32_t x = 0; x < wide; ++x) {
            const std::uint32_t k = (y + 1) * stride + x + 1;
            const float columns = x == 0 || x + 1 == wide ? 2 : 3, rows = y == 0 || y + 1 == high ? 2 : 3;
            out[part_number(x, y)] =
                0.5f * (grid[k] + (lines[k - stride] + lines[k] + lines[k + stride]) / (columns * rows));
        }
    return out;
}

/// How densely a cell's rays are sent to a part, over evenly, by the root of what it brings over the mean
/// root.
float dense(float root) {
    constexpr float at_least = 0.25f;  // of a cell's rays are spread evenly
    return at_least + (1 - at_least) * root;
}

CellNoise noise_of_cell(const float* means, const float* squares) {
    float mean = 0, square = 0, roots = 0, root[parts];
    for (std::uint32_t p = 0; p < parts; ++p) {
        root[p] = std::sqrt(squares[p]);
        mean += means[p] / parts;
        square += squares[p] / parts;
        roots += root[p] / parts;
    }
    if (!(roots > 0)) return {std::max(0.0f, square - mean * mean), 0};
    float under_guide = 0;
    for (std::uint32_t p = 0; p < parts; ++p) under_guide += squares[p] / dense(root[p] / roots) / parts;
    return {std::max(0.0f, square - mean * mean), std::max(under_guide - mean * mean, 0.1f * under_guide)};
}
DirectionGuide::Parts parts_of_cell(const float* squares) {
    float roots = 0;
    for (std::uint32_t p = 0; p < parts; ++p) roots += std::sqrt(squares[p]) / parts;
    DirectionGuide::Parts out;
    for (std::uint32_t p = 0; p < parts; ++p)
        out[p] = static_cast<std::uint8_t>(
            std::clamp(15 * dense(std::sqrt(squares[p]) / roots) + 0.5f, 1.0f, 255.0f));
    return out;
}

/// The mean of cells that are not far over it themselves.
float ordinary_variance(const std::array<CellNoise, DirectionGuide::cells>& cells) {
    constexpr int rounds = 3;
    float mean = std::numeric_limits<float>::max();
    for (int k = 0; k < rounds; ++k) {
        float sum = 0, count = 0;
        for (const CellNoise& c : cells)
            if (c.evenly <= over_mean * mean) {
                sum += c.evenly;
                count += 1;
            }
        mean = sum / count;
    }
    return mean;
}

}  // namespace

void PartMoments::average() {
    if (!(looked > 0)) return;
    for (float& v : mean) v /= looked;
    for (float& v : square) v /= looked;
}

LearntParts::LearntParts(const PartMoments& block) : square_(spread_out(block.square)) {
    for (std::uint32_t c = 0; c < cells_.size(); ++c)
        cells_[c] = noise_of_cell(&block.mean[c * parts], &square_[c * parts]);
}

void LearntParts::add(const PartMoments& block, const BrightParts& seen) {
    for (const std::uint16_t c : seen.cells()) {
        const float *mean = &seen.mean()[c * parts], *square = &seen.square()[c * parts],
                    *own_mean = &block.mean[c * parts];
        float *out = &square_[c * parts], mixed[parts], sum = 0, squares = 0;
        for (std::uint32_t p = 0; p < parts; ++p) {
            sum += mean[p];
            squares += square[p];
        }
        if (!(squares > 0)) continue;
        const float share = enough_met / (enough_met + block.looked * sum * sum / squares);
        for (std::uint32_t p = 0; p < parts; ++p) {
            mixed[p] = own_mean[p] + share * (mean[p] - own_mean[p]);
            out[p] += share * (square[p] - out[p]);
        }
        cells_[c] = noise_of_cell(mixed, out);
    }
}

void LearntParts::restore(const LearntParts& block, const BrightParts& seen) {
    for (const std::uint16_t c : seen.cells()) {
        cells_[c] = block.cells_[c];
        std::copy_n(&block.square_[c * parts], parts, &square_[c * parts]);
    }
}

bool LearntParts::guide(std::uint32_t first, float variance, float most_rays, GuideSet& set) const {
    constexpr float share = 1.0f / DirectionGuide::cells;
    const auto n = static_cast<float>(first);
    const float in_cell = n * share;
    // Cells that make more than their share of what is allowed are guided; the rest stays as it is.
    float rest = 0, roots = 0;
    const float least = std::max(over_share * variance * share,
                                 over_mean * ordinary_variance(cells_) * share * share / in_cell);
    for (const CellNoise& c : cells_) {
        const float here = share * share * c.evenly / in_cell;
        if (here > least)
            roots += share * std::sqrt(c.guided);
        else
            rest += here;
    }
    if (!(roots > 0)) return false;
    const float scale = roots / std::max(least_share * variance, variance - rest);
    float sum = 0;
    std::array<float, DirectionGuide::cells> wanted{};
    for (std::size_t c = 0; c < cells_.size(); ++c) {
        if (!(share * share * cells_[c].evenly / in_cell > least)) continue;
        wanted[c] = std::max(1.0f, scale * share * std::sqrt(cells_[c].guided));
        sum += wanted[c];
    }
    std::array<GuidedCell, DirectionGuide::cells> guided;
    std::size_t count = 0;
    const float most = most_rays * n, fewer = sum > most ? most / sum : 1;
    for (std::size_t c = 0; c < cells_.size(); ++c) {
        const auto rays =
            static_cast<std::uint16_t>(std::lround(std::min(most_in_cell * n, wanted[c] * fewer)));
        if (rays > 0)
            guided[count++] = {static_cast<std::uint16_t>(c), rays, parts_of_cell(&square_[c * parts])};
    }
    if (count > 0) set.add({guided.data(), count});
    return count > 0;
}

}  // namespace stasigraph
