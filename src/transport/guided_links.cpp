#include "transport/guided_links.hpp"

#include "transport/half_row.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t guided_rows_per_task = 256;

}  // namespace

Rgb sent_of(const HalfField& from, std::uint32_t word, std::size_t group) {
    const std::uint16_t* p =
        &from.values[static_cast<std::size_t>(std::min(word, from.last)) * from.unit.size() + 3 * group];
    return Rgb{one_half(p[0]) * from.unit[3 * group], one_half(p[1]) * from.unit[3 * group + 1],
               one_half(p[2]) * from.unit[3 * group + 2]};
}

void apply_guided(const AllGuided& guided, const RowLengths& lengths, const HalfField& from, LightField& to,
                  Job& job) {
    guided.recorded.links.for_rows(guided_rows_per_task, job, [&](std::size_t begin, std::size_t end) {
        RowParts parts(guided.recorded);
        for (std::size_t row = begin; row < end; ++row)
            for (std::size_t g = 0; g < guided.groups.size(); ++g) {
                const std::uint32_t i = guided.groups[g].at(row);
                if (i == none) continue;
                Rgb sum;
                for_guided(guided.groups[g], i, parts, lengths.at(row, g), [&](const WeighedLink& l, auto&&) {
                    if (l.word < from.last) sum += sent_of(from, l.word, g) * l.tint * (l.weight - l.plain);
                });
                // Weights are rounded: what should cancel out may end a little below nothing.
                const Rgb now = to.get(row, g) + sum;
                float* p = &to.values[row * to.stride + 3 * g];
                p[0] = std::max(0.0f, now.r);
                p[1] = std::max(0.0f, now.g);
                p[2] = std::max(0.0f, now.b);
            }
    });
}

}  // namespace stasigraph
