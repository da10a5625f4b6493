#include "bake/judge_texels.hpp"

#include "bake/open_places.hpp"
#include "bake/sources.hpp"

namespace stasigraph {

JudgedTexels judge_texels(const JudgedLevel& from, ReadyRows ready, FirstLinks& first, Job& job) {
    const auto& [level, caster, atlas, texels] = from;
    const TracedLevel traced{level, caster, texels};
    Links& links = first.adopted.links;
    JudgedTexels judged;
    judged.rows = std::move(ready.rows);
    judged.states = find_open(ready.uncovered, traced, judged.rows, links, job);
    judged.moved = move_to_open(level, caster, {texels, judged.rows, links, judged.states}, job);
    TexelFlags valid(texels.size());
    for (std::size_t i = 0; i < valid.size(); ++i) valid.set(i, judged.is_valid(i));
    std::vector<SharedPair> parted = find_shared(texels, valid, caster, job);
    for (const SharedPair& pair : parted) judged.states[pair.a] = judged.states[pair.b] = TexelState::parted;
    if (first.from) {
        const LinkMarks misled =
            misled_links(first.from->edit, first.from->before, {texels, judged.states}, first.adopted, job);
        trace_again(traced, judged.rows, misled, links, job);
        first.traced += misled.link.size();
    }
    const Redirection redirection{traced, judged.rows, judged.states, true};
    for (std::size_t p = 0; p < links.pieces.size(); ++p) redirect_invalid_links(redirection, p, links, job);
    judged.shared = std::move(parted);
    const TexelFlags shown = lightmapped_texels(texels, atlas, judged);
    std::erase_if(judged.shared, [&](const SharedPair& pair) { return !shown[pair.a] || !shown[pair.b]; });
    judged.hidden = find_hidden(texels, shown, links, judged.shared);
    judged.footprints = Footprints(texels, judged.states, caster, job);
    judged.sky_sample_share = find_sky_sample_share(texels, judged.states, links, job);
    judged.graph = connect_texels(texels, lightmapped_texels(texels, atlas, judged), caster, job);
    return judged;
}

TexelFlags lightmapped_texels(const TexelSet& texels, const Atlas& atlas, const JudgedTexels& judged) {
    TexelFlags shown(texels.size());
    for (std::size_t i = 0; i < texels.size(); ++i)
        shown.set(i, judged.is_valid(i) && (judged.hidden.empty() || !judged.hidden[i]) &&
                         texels.grid[i] % 2 == 0 && atlas.surfaces[texels.grid[i] / 2].page != none);
    return shown;
}

TexelFlags sampled_otherwise(const TakenOver& from, const JudgedTexels& now) {
    const JudgedTexels& before = from.before.judged;
    TexelFlags other(now.states.size(), true);
    for (std::size_t i = 0; i < other.size(); ++i) {
        const std::uint32_t was = from.edit.was[i];
        if (was == none) continue;
        const Receiver &a = now.rows.receivers[i], &b = before.rows.receivers[was];
        const bool same = a.position == b.position && a.normal == b.normal &&
                          a.face_normal == b.face_normal && now.states[i] == before.states[was] &&
                          now.footprints.sides()[i] == before.footprints.sides()[was] &&
                          now.sky_sample_share[i] == before.sky_sample_share[was];
        other.set(i, !same);
    }
    return other;
}

}  // namespace stasigraph
