#include "bake/unlit_level.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "bake/costs.hpp"
#include "bake/guide_denoise.hpp"
#include "bake/judge_texels.hpp"
#include "bake/kept_array.hpp"
#include "bake/keys.hpp"
#include "base/text.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

/// A piece at least.
constexpr std::uint64_t least_links_in_memory = std::uint64_t{16} << 20;

/// What links may take of the memory that was allowed; 0: any.
std::uint64_t memory_for_links(const UnlitLevel& u, const Job& job) {
    if (job.memory() == 0) return 0;
    const double own = bake_memory(static_cast<double>(u.texels.size()),
                                   static_cast<double>(u.level.groups.size())),
                 allowed = static_cast<double>(job.memory());
    if (own > allowed)
        throw Error{.what = "a bake of this level needs more memory than it may take",
                    .where = u.level.name,
                    .value = std::to_string(u.texels.size()) + " texels, about " +
                             to_text(std::ceil(own / 1e6)) + " MB besides links; " +
                             to_text(std::floor(allowed / 1e6)) + " MB allowed",
                    .remedy = "Lower the density, light more surfaces by probes, or allow more."};
    return std::max(least_links_in_memory, static_cast<std::uint64_t>(allowed - own));
}

/// Texels judged by their first links, and those links: traced, or after an edit taken over.
void judge(UnlitLevel& u, const LinkStore& kept, const std::vector<SurfaceMark>& marks, Job& job) {
    ReadyRows ready = ready_rows(u.traced(), job);
    FirstLinks first = record_first_links(u.traced(), ready, kept, marks, job);
    u.judged = judge_texels({u.level, u.caster(), u.atlas, u.texels}, std::move(ready), first, job);
    if (first.from) {
        u.other = sampled_otherwise(*first.from, u.judged);
        u.edit = std::move(first.from->edit);
    }
    u.links = std::move(first.adopted.links);
    u.links_traced += first.traced;
    u.judged.save(kept.store, kept.key, u.texels.position);
    for (std::size_t p = 0; p < u.links.pieces.size(); ++p) {
        save_piece(kept.store, piece_name("links", kept.key, p), u.links, p);
        if (kept.store.drop) kept.store.drop(piece_name("judging", kept.key, p));
    }
}

}  // namespace

bool same_passage(const Material& a, const Material& b) {
    if (is_transmissive(a) != is_transmissive(b) || a.double_sided != b.double_sided) return false;
    return !is_transmissive(a) ||
           (a.alpha_mode == b.alpha_mode && a.alpha == b.alpha && a.alpha_cutoff == b.alpha_cutoff &&
            tints(a) == tints(b) &&
            (!tints(a) || (a.transmission == b.transmission && a.base_color == b.base_color)));
}

UnlitLevel::UnlitLevel(Level l, BakeStore s, unsigned threads)
    : level(std::move(l)),
      tier(tier_options(level.quality)),
      textures(level),
      store(std::move(s)),
      threads_(threads) {}

std::unique_ptr<UnlitLevel> make_unlit_level(Level level, const Atlas* previous, BakeStore store, Job& job) {
    auto made = std::make_unique<UnlitLevel>(std::move(level), std::move(store), job.threads());
    UnlitLevel& u = *made;
    u.atlas = unwrap(u.level, u.tier.density_scale, job, previous);
    u.texels = place_texels(u.level, u.atlas, job);
    u.footprint = uv_footprints(u.level, u.texels, job);
    u.key = unlit_key(u.level, u.atlas);
    u.asked_key = probe_key(u.level, u.key);

    // The rows that judge, then the rest of the first links; or what texels need besides.
    job.begin(Stage::links, u.texels.size() * (u.tier.first_links > links_that_judge ? 6 : 4) / 3);
    const LinkStore kept{u.store, u.key, memory_for_links(u, job)};
    std::vector<SurfaceMark> marks;
    if (u.store.load || u.store.save) marks = mark_surfaces(u.level, u.texels);
    const bool known = u.judged.load(u.store, u.key, u.texels.size(), u.texels.position);
    expect_unlit(u, known, job);
    if (known)
        u.links = load_links(u.store, u.key, u.texels.size(), kept.in_memory);
    else
        judge(u, kept, marks, job);
    save_marks(u.store, marks_name(u.level), {u.key, std::move(marks)});
    u.extend(std::vector<std::uint32_t>(u.texels.size(), static_cast<std::uint32_t>(u.tier.first_links)),
             job);

    u.pages = plan_shown_texels({u.level, u.textures, u.atlas, u.texels, u.footprint, u.judged,
                                 [&]() -> const RayCaster& { return u.caster(); }},
                                u.store, u.key, job);
    u.set_probes(u.level.placed.value_or(std::vector<ProbePlace>{}), job);
    return made;
}

const RayCaster& UnlitLevel::caster() const {
    if (!tree_) tree_ = tree_of(level, stands_in_bake, threads_);
    return tree_->rays();
}

TexelFlags UnlitLevel::lightmapped() const {
    return lightmapped_texels(texels, atlas, judged);
}

void UnlitLevel::extend(const std::vector<std::uint32_t>& lengths, Job& job) {
    const auto lacks = [&](std::size_t p) {
        for (std::size_t i = 0; i < links.pieces[p].rows(); ++i)
            if (links.pieces[p].length(i) < lengths[p * rows_per_piece + i]) return true;
        return false;
    };
    RowFlags open;
    for (const TexelState state : judged.states) open.push_back(is_valid(state));
    const LinksWanted wanted{.rows = judged.rows, .lengths = lengths, .open = &open};
    for (std::size_t p = 0; p < links.pieces.size(); ++p) {
        if (!lacks(p)) {
            job.advance(links.pieces[p].rows());
            continue;
        }
        const std::size_t before = links.pieces[p].words.all().size();
        const TracedLevel here = traced();
        extend_piece(here, wanted, p, links, job);
        links_traced += links.pieces[p].words.all().size() - before;
        redirect_invalid_links({here, judged.rows, judged.states, true}, p, links, job);
        save_piece(store, piece_name("links", key, p), links, p);
    }
}

void UnlitLevel::set_probes(const std::vector<ProbePlace>& places, Job& job, std::vector<float>* distances) {
    job.begin(Stage::probe_links, places.size());
    join_probes(level, places, key, probes);
    if (places.empty() || (!distances && probes.load(store))) return;
    if (!openings_) openings_ = find_openings(level, caster(), job);
    const TracedLevel here = traced();
    std::vector<float> own;
    trace_probes({.traced = here,
                  .texels = judged.states,
                  .openings = *openings_,
                  .links = static_cast<std::uint32_t>(tier.probe_links),
                  .candidates = distances != nullptr},
                 probes, distances ? *distances : own, job);
    if (!distances) probes.save(store);
}

const std::vector<float>& UnlitLevel::reach(Job& job) {
    if (!reach_.empty() || texels.size() == 0) return reach_;
    const auto first = static_cast<std::uint32_t>(tier.first_links);
    const std::string name = piece_name("reach", key, first);
    if (load_kept(store, name, reach_, texels.size())) return reach_;
    reach_ = measure_reach(texels, links, lightmapped(), first, job);
    save_kept(store, name, reach_);
    return reach_;
}

std::vector<Rgb> reflectance(const UnlitLevel& unlit, const Level& lit, const std::string& colors, Job& job) {
    Hasher h("albedo");
    h.text(unlit.key);
    h.text(colors);
    const std::string name = "albedo-" + h.key();
    std::vector<Rgb> out;
    if (load_kept(unlit.store, name, out, unlit.texels.size())) return out;
    out.resize(unlit.texels.size());
    const float gain = lit.quality.bounce_gain, saturation = lit.quality.saturation;
    const bool plain = gain == 1 && saturation == 1;
    job.parallel(out.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const Surface& s = lit.surfaces[unlit.texels.grid[i] / 2];
            out[i] = unlit.textures.mean_albedo(lit, s, unlit.texels.triangle[i], unlit.texels.barycentric[i],
                                                unlit.footprint[i]);
            if (plain) continue;
            const float grey = luminance(out[i]);
            for (float* c : {&out[i].r, &out[i].g, &out[i].b})
                *c = std::clamp((grey + (*c - grey) * saturation) * gain, 0.0f, most_albedo);
        }
    });
    save_kept(unlit.store, name, out);
    return out;
}

}  // namespace stasigraph
