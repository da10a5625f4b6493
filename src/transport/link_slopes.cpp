#include "transport/link_slopes.hpp"

#include <algorithm>

#include "transport/half_row.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t rows_per_task = 256;
/// Gather rays nearer to the horizon than this count as this high, else the few there are would outweigh all
/// others; what they then lack is under one hundredth of an even sky's pull to one side.
constexpr float least_cosine = 0.02f;

/// sum[axis][i] += value[i] * by[axis] over one row of 16-bit floats.
void add_row(const std::uint16_t* values, std::size_t stride, Vec3 by, const Rgb* tint,
             std::vector<float> (&sum)[3]) {
    const float axis[3] = {by.x, by.y, by.z};
    const float color[3] = {tint ? tint->r : 1, tint ? tint->g : 1, tint ? tint->b : 1};
    for (std::size_t i = 0; i < stride; i += 8) {
        Lane v = load_half(values + i);
        if (tint)
            for (std::size_t k = 0; k < 8; ++k) v[k] *= color[(i + k) % 3];
        for (int a = 0; a < 3; ++a) {
            Lane s;
            __builtin_memcpy(&s, &sum[a][i], sizeof s);
            s += v * axis[a];
            __builtin_memcpy(&sum[a][i], &s, sizeof s);
        }
    }
}

}  // namespace

Vec3 gathered_slope(const Receiver& receiver, Vec3 direction) {
    return slope_of(receiver.normal, direction) *
           (1 / std::max(least_cosine, dot(receiver.normal, direction)));
}

LightField link_slopes(const Links& links, const std::vector<std::uint32_t>& lengths, const RowSource& rows,
                       const SlopeRows& kept, const HalfField& from, std::size_t groups,
                       Job& job) {
    LightField out(kept.texel.size(), 3 * groups);
    const std::size_t stride = from.unit.size();
    job.parallel(out.rows, rows_per_task, [&](std::size_t begin, std::size_t end) {
        std::array<Vec3, direction_batch> directions;
        std::vector<float> sum[3];
        for (std::size_t at = begin; at < end; ++at) {
            const std::uint32_t row = kept.texel[at];
            if (lengths[row] == 0) continue;
            for (std::vector<float>& s : sum) s.assign(stride, 0.0f);
            const std::uint32_t* words = &links.words[links.first[row]];
            TintReader tints(links, row);
            const bool tinted = !links.tints_of(row).empty();
            for (std::uint32_t k = 0; k < lengths[row]; k += direction_batch) {
                const std::uint32_t count = std::min(direction_batch, lengths[row] - k);
                row_directions(rows, row, k, count, directions);
                for (std::uint32_t i = 0; i < count; ++i) {
                    if (words[k + i] >= from.last) continue;
                    const Rgb tint = tinted ? tints.at(k + i) : Rgb{};
                    add_row(from.values.data() + static_cast<std::size_t>(words[k + i]) * stride, stride,
                            gathered_slope(rows.receivers[row], directions[i]), tinted ? &tint : nullptr,
                            sum);
                }
            }
            const float share = 1 / static_cast<float>(lengths[row]);
            float* to = &out.values[at * out.stride];
            for (std::size_t g = 0; g < groups; ++g)
                for (std::size_t a = 0; a < 3; ++a)
                    for (std::size_t c = 0; c < 3; ++c)
                        to[9 * g + 3 * a + c] = sum[a][3 * g + c] * from.unit[3 * g + c] * share;
        }
    });
    return out;
}

}  // namespace stasigraph
