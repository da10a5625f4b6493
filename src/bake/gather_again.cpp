#include "bake/gather_again.hpp"

#include <algorithm>
#include <unordered_map>

#include "bake/learn_guides.hpp"

namespace stasigraph {

namespace {

constexpr std::uint32_t again_seed = 0x61676169u;
constexpr std::size_t rows_at_once = std::size_t{1} << 16;

/// Some of them, the first of which is number `begin`.
struct SomeAgain {
    const TexelsAgain& looks;
    std::size_t begin = 0;
};

void gather_some(const GatheringAgain& what, const SomeAgain& some, const CopiesOfRow& of_row,
                 std::vector<Said>& said, Job& job) {
    const Making& m = what.making;
    const Solved& solved = what.solved;
    const TexelsAgain& looks = some.looks;
    const std::size_t begin = some.begin;
    UnlitLevel& g = m.unlit;
    const std::uint32_t copies = of_row.count;
    const std::size_t end = std::min(looks.texel.size(), begin + rows_at_once / copies);
    const std::size_t groups = m.size(), count = (end - begin) * copies;
    RowSource rows;
    std::vector<std::uint32_t> texel;
    for (std::size_t k = begin; k < end; ++k)
        for (std::uint32_t c = 0; c < copies; ++c) {
            const std::uint32_t i = looks.texel[k];
            texel.push_back(i);
            rows.receivers.push_back(g.judged.rows.receivers[i]);
            rows.seeds.push_back(combine_bits(g.judged.rows.seeds[i], again_seed + of_row.from + c));
        }
    const std::uint32_t first = solved.lengths.first;
    const std::vector<std::uint32_t> lengths(count, first);
    Links links(count);
    record_links(g.traced(), {rows, lengths}, g.judged.states, links, job);
    const RecordedRows recorded{rows, links};
    std::vector<GuidedLinks> guided(solved.guided.size());
    for (std::size_t c = 0; c < guided.size(); ++c) {
        std::unordered_map<std::uint32_t, std::uint32_t> number;
        const RowSource& source = solved.guided[c].source;
        for (std::uint32_t row = 0; row < count; ++row) {
            const std::uint32_t at = solved.guided[c].at(texel[row]);
            if (at == none || !looks.asked[(begin + row / copies) * groups + c]) continue;
            const auto [known, anew] =
                number.try_emplace(source.guide[at], static_cast<std::uint32_t>(number.size()));
            if (anew) guided[c].source.guides.add(source.guides.of(source.guide[at]));
            guided[c].row.push_back(row);
            guided[c].source.guide.push_back(known->second);
        }
        trace_guided(g, rows, guided[c], job);
    }
    const RowLengths same{.first = first, .groups = groups, .log2_scale = {}};
    LightField light(count, groups);
    apply_links(links, same, what.sent, light, job);
    apply_guided({guided, recorded}, same, what.sent, light, job);
    job.parallel(count, 256, [&](std::size_t row_begin, std::size_t row_end) {
        RowParts parts(recorded);
        for (std::size_t row = row_begin; row < row_end; ++row)
            for (std::size_t c = 0; c < groups; ++c) {
                if (!m.sky(c) || !looks.asked[(begin + row / copies) * groups + c]) continue;
                Rgb sky;
                gathered_sky(*m.sky(c), recorded, {row, 0, first}, m.weights.at(texel[row]),
                             [&](std::uint32_t, Vec3, Rgb e) { sky += e; });
                sky = sky * (pi / static_cast<float>(first));
                if (!guided.empty())
                    sky += guided_sky(*m.sky(c), guided[c], parts, {row, 0, first}, m.weights.at(texel[row]));
                light.add(row, c, sky);
            }
    });
    for (std::size_t row = 0; row < count; ++row)
        for (std::size_t c = 0; c < groups; ++c)
            if (looks.asked[(begin + row / copies) * groups + c])
                said[(begin + row / copies) * groups + c].add(light.get(row, c));
}

}  // namespace

std::vector<Said> gather_again(const GatheringAgain& what, const TexelsAgain& looks,
                               const CopiesOfRow& copies, Job& job) {
    std::vector<Said> said(looks.asked.size());
    for (std::size_t begin = 0; begin < looks.texel.size(); begin += rows_at_once / copies.count)
        gather_some(what, {looks, begin}, copies, said, job);
    return said;
}

}  // namespace stasigraph
