#include "transport/link_gradients.hpp"

#include <algorithm>

#include "transport/half_row.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t gradient_rows_per_task = 256;
/// Gather rays below this height over the horizon count as this high; otherwise the few of them would
/// outweigh all others. The loss is under one hundredth of the gradient of an even sky on one side.
constexpr float gradient_cosine = 0.02f;

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

Vec3 gathered_gradient(const Receiver& receiver, Vec3 direction) {
    return gradient_of(receiver.normal, direction) *
           (1 / std::max(gradient_cosine, dot(receiver.normal, direction)));
}

LightField link_gradients(const RecordedRows& recorded, const RowLengths& lengths, const GradientRows& kept,
                          const HalfField& from, Job& job) {
    const RowSource& rows = recorded.rows;
    const Links& links = recorded.links;
    LightField out(kept.texel.size(), 3 * lengths.groups);
    const std::size_t stride = from.unit.size();
    job.parallel(out.rows, gradient_rows_per_task, [&](std::size_t begin, std::size_t end) {
        std::array<Vec3, direction_batch> directions;
        std::vector<float> sum[3];
        for (std::size_t at = begin; at < end; ++at) {
            const std::uint32_t row = kept.texel[at], longest = lengths.longest(row);
            for (std::vector<float>& s : sum) s.assign(stride, 0.0f);
            const std::uint32_t* words = links.row(row);
            TintReader tints(links, row);
            const bool tinted = !links.tints_of(row).empty();
            float* to = &out.values[at * out.stride];
            for (std::uint32_t k = 0; k < longest;) {
                // No batch reaches over a length at which some group is done.
                std::uint32_t until = lengths.first;
                while (until <= k) until *= 2;
                const std::uint32_t count = std::min(direction_batch, until - k);
                row_directions(rows, row, k, count, directions);
                for (std::uint32_t i = 0; i < count; ++i) {
                    if (words[k + i] >= from.last) continue;
                    const Rgb tint = tinted ? tints.at(k + i) : Rgb{};
                    add_row(from.values.data() + static_cast<std::size_t>(words[k + i]) * stride, stride,
                            gathered_gradient(rows.receivers[row], directions[i]), tinted ? &tint : nullptr,
                            sum);
                }
                k += count;
                for (std::size_t g = 0; g < lengths.groups && k == until; ++g)
                    for (std::size_t c = 0; c < 9 && lengths.at(row, g) == until; ++c)
                        to[9 * g + c] =
                            sum[c / 3][3 * g + c % 3] * from.unit[3 * g + c % 3] / static_cast<float>(until);
            }
        }
    });
    return out;
}

}  // namespace stasigraph
