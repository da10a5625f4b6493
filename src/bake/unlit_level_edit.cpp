// How an unlit level takes over what still holds of the last one.

#include <algorithm>

#include "bake/keys.hpp"
#include "bake/unlit_level.hpp"

namespace stasigraph {

void UnlitLevel::record_links(const std::vector<std::uint8_t>& open, Job& job) {
    const auto judging = static_cast<std::uint32_t>(std::min(links_that_judge, tier.first_links));
    if (record_edited(judging, open, job)) return;
    edit.reset();
    links = Links(judged.rows.size());
    links.in_memory = links_in_memory_;
    const std::vector<std::uint32_t> lengths(judged.rows.size(), judging);
    for (std::size_t p = 0; p < links.pieces.size(); ++p) {
        if (load_piece(store, piece_name("judging", key, p), links, p)) {
            job.advance(links.pieces[p].rows());
            continue;
        }
        extend_piece(level, caster(), texels, judged.rows, lengths, p, links, job, &open);
        traced += links.pieces[p].words.all().size();
        save_piece(store, piece_name("judging", key, p), links, p);
    }
}

bool UnlitLevel::record_edited(std::uint32_t judging, const std::vector<std::uint8_t>& open, Job& job) {
    const std::optional<LevelMarks> before = load_marks(store, marks_name(level));
    if (!before || before->key == key) return false;
    edit = find_edit(*before, marks_, texels.size());
    if (!edit || !before_.load(store, before->key, edit->texels_before, positions_before_)) return false;
    const Links kept = load_links(store, before->key, edit->texels_before, links_in_memory_);
    links = adopt_links(*edit, before_.rows.receivers, before_.valid, kept, judged.rows, kept_, judging, job);
    links.in_memory = links_in_memory_;
    again_ = touched_links(*edit, texels, judged.rows, kept_, links, job);
    trace_again(level, caster(), texels, judged.rows, again_, links, job);
    std::size_t had = links.count();
    for (std::size_t i = 0; i < judged.rows.size(); ++i)  // rows that get no rays
        if (!open[i]) had += judging - std::min<std::size_t>(judging, links.length(i));
    extend_links(level, caster(), texels, judged.rows,
                 std::vector<std::uint32_t>(judged.rows.size(), judging), links, job, nullptr, &open);
    traced += again_.link.size() + links.count() - had;
    return true;
}

void UnlitLevel::find_misled(Job& job) {
    const LinkMarks misled = misled_links(*edit, positions_before_, before_.valid, texels, judged.valid,
                                          kept_, again_, links, job);
    trace_again(level, caster(), texels, judged.rows, misled, links, job);
    traced += misled.link.size();
    kept_ = {};
    again_ = {};
}

/// Light is sampled alike where a texel starts its rays from the same places and weighs them alike; what
/// stands in their way is another question.
void UnlitLevel::find_other() {
    other.assign(texels.size(), 1);
    for (std::size_t i = 0; i < other.size(); ++i) {
        const std::uint32_t was = edit->was[i];
        if (was == none) continue;
        const Receiver &a = judged.rows.receivers[i], &b = before_.rows.receivers[was];
        const Footprints::Sides &s = judged.footprints.sides()[i], &t = before_.footprints.sides()[was];
        other[i] = a.position == b.position && a.normal == b.normal && a.face_normal == b.face_normal &&
                           judged.valid[i] == before_.valid[was] && s == t &&
                           judged.sky_sample_share[i] == before_.sky_sample_share[was]
                       ? 0
                       : 1;
    }
    before_ = {};
    positions_before_ = {};
}

}  // namespace stasigraph
