#include "bake/first_links.hpp"

#include <algorithm>

#include "bake/footprint.hpp"
#include "bake/kept_links.hpp"
#include "bake/keys.hpp"
#include "bake/open_places.hpp"

namespace stasigraph {

namespace {

std::uint32_t judging_links(const Level& level) {
    return static_cast<std::uint32_t>(std::min(links_that_judge, tier_options(level.quality).first_links));
}

/// What the store has of the level before; none where it is of no use.
std::optional<TakenOver> find_before(const Level& level, const LinkStore& kept,
                                     const std::vector<SurfaceMark>& marks, std::size_t texels) {
    const std::optional<LevelMarks> before = load_marks(kept.store, marks_name(level));
    if (!before || before->key == kept.key) return {};
    std::optional<Edit> edit = find_edit(*before, marks, texels);
    if (!edit) return {};
    TakenOver from{std::move(*edit), {}};
    const std::size_t count = from.edit.texels_before;
    if (!from.before.judged.load(kept.store, before->key, count, from.before.positions)) return {};
    from.before.links = load_links(kept.store, before->key, count, kept.in_memory);
    return from;
}

FirstLinks after_edit(TakenOver from, const TracedLevel& traced, const ReadyRows& ready,
                      std::uint64_t in_memory, Job& job) {
    const RowSource& rows = ready.rows;
    const std::uint32_t judging = judging_links(traced.level);
    FirstLinks out{.adopted = adopt_links(from.edit, from.before, rows, judging, job)};
    Links& links = out.adopted.links;
    links.in_memory = in_memory;
    out.adopted.again = touched_links(from.edit, traced.texels, rows, out.adopted, job);
    trace_again(traced, rows, out.adopted.again, links, job);
    std::size_t had = links.count();
    for (std::size_t i = 0; i < rows.size(); ++i)  // rows that get no rays
        if (!ready.uncovered[i]) had += judging - std::min<std::size_t>(judging, links.length(i));
    const std::vector<std::uint32_t> lengths(rows.size(), judging);
    extend_links(traced, {.rows = rows, .lengths = lengths, .open = &ready.uncovered}, links, job);
    out.traced = out.adopted.again.link.size() + links.count() - had;
    from.before.links = {};
    out.from = std::move(from);
    return out;
}

}  // namespace

ReadyRows ready_rows(const TracedLevel& traced, Job& job) {
    ReadyRows ready{texel_rows(traced.level, traced.texels, traced.level.quality.seed), {}};
    lift_receivers(traced.level, traced.texels, traced.caster, ready.rows, job);
    ready.uncovered = find_uncovered(traced, job);
    return ready;
}

FirstLinks record_first_links(const TracedLevel& traced, const ReadyRows& ready, const LinkStore& kept,
                              const std::vector<SurfaceMark>& marks, Job& job) {
    if (std::optional<TakenOver> from = find_before(traced.level, kept, marks, traced.texels.size()))
        return after_edit(std::move(*from), traced, ready, kept.in_memory, job);
    FirstLinks out;
    Links& links = out.adopted.links;
    links = Links(ready.rows.size());
    links.in_memory = kept.in_memory;
    const std::vector<std::uint32_t> lengths(ready.rows.size(), judging_links(traced.level));
    const LinksWanted wanted{.rows = ready.rows, .lengths = lengths, .open = &ready.uncovered};
    for (std::size_t p = 0; p < links.pieces.size(); ++p) {
        const std::string name = piece_name("judging", kept.key, p);
        if (load_piece(kept.store, name, links, p)) {
            job.advance(links.pieces[p].rows());
            continue;
        }
        extend_piece(traced, wanted, p, links, job);
        out.traced += links.pieces[p].words.all().size();
        save_piece(kept.store, name, links, p);
    }
    return out;
}

}  // namespace stasigraph
