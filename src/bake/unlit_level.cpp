#include "bake/unlit_level.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "bake/costs.hpp"
#include "bake/guide_denoise.hpp"
#include "bake/keys.hpp"
#include "bake/open_places.hpp"
#include "bake/sources.hpp"
#include "base/blob.hpp"
#include "base/text.hpp"
#include "finish/denoise.hpp"
#include "probe/net.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

/// A piece at least.
constexpr std::uint64_t least_links_in_memory = std::uint64_t{16} << 20;
/// Of each probe, for its map of nearness: at least four a cell. While many candidates are tried, those there
/// are do.
constexpr std::uint32_t least_map_rays = 1024;
/// Of each row that looks out of an opening.
constexpr std::uint32_t links_out = 128;

Footprint footprint_of(const Level& level, const TexelSet& texels, std::uint32_t i) {
    const Mesh& mesh = level.meshes[level.surfaces[texels.grid[i] / 2].mesh];
    if (mesh.uv0.empty()) return {};
    const UvTriangle& uv = texels.uv_of(i);
    const float turn = cross(uv.ab, uv.ac);
    if (!(std::abs(turn) > 1e-12f)) return {};
    const Vec2 corner = mesh_uv(mesh, texels.triangle[i], 0, 0);
    const Vec2 b = mesh_uv(mesh, texels.triangle[i], 1, 0) - corner,
               c = mesh_uv(mesh, texels.triangle[i], 0, 1) - corner;
    // The inverse of the map from barycentrics to texels, then on to the texture's UVs.
    return {b * (uv.ac.y / turn) - c * (uv.ab.y / turn), c * (uv.ab.x / turn) - b * (uv.ac.x / turn)};
}

/// What the normal maps of materials make of the texels' normals, on average.
std::vector<Vec3> shading_normals_of(const UnlitLevel& g, Job& job) {
    std::vector<Vec3> out(g.texels.size());
    job.parallel(out.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const float side = g.texels.grid[i] % 2 == 1 ? -1.0f : 1.0f;
            out[i] = g.textures.mapped_normal(g.level, g.level.surfaces[g.texels.grid[i] / 2],
                                              g.texels.triangle[i], g.texels.barycentric[i], g.footprint[i],
                                              g.texels.normal[i] * side, g.texels.face_normal[i] * side) *
                     side;
        }
    });
    return out;
}

}  // namespace

bool same_passage(const Material& a, const Material& b) {
    if (is_transmissive(a) != is_transmissive(b) || a.double_sided != b.double_sided) return false;
    return !is_transmissive(a) ||
           (a.alpha_mode == b.alpha_mode && a.alpha == b.alpha && a.alpha_cutoff == b.alpha_cutoff &&
            tints(a) == tints(b) &&
            (!tints(a) || (a.transmission == b.transmission && a.base_color == b.base_color)));
}

UnlitLevel::UnlitLevel(Level l, const Atlas* previous, BakeStore s, Job& job)
    : level(std::move(l)),
      tier(tier_options(level.quality)),
      textures(level),
      atlas(unwrap(level, tier.density_scale, job, previous)),
      texels(place_texels(level, atlas, job)),
      key(unlit_key(level, atlas)),
      asked_key(stasigraph::probe_key(level, key)),
      store(std::move(s)),
      threads_(job.threads()) {
    plan_memory(job);
    footprint.resize(texels.size());
    job.parallel(texels.size(), 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            footprint[i] = footprint_of(level, texels, static_cast<std::uint32_t>(i));
    });
    // The rows that judge, then the rest of the first links; or what texels need besides.
    job.begin(Stage::links, texels.size() * (tier.first_links > links_that_judge ? 6 : 4) / 3);
    if (store.load || store.save) marks_ = mark_surfaces(level, texels);
    const bool kept = judged.load(store, key, texels.size(), texels.position);
    expect_unlit(*this, kept, job);
    if (kept) {
        links = load_links(store, key, judged.rows.size(), links_in_memory_);
    } else {
        record(job);
        judged.save(store, key, texels.position);
        save_links();
        for (std::size_t p = 0; store.drop && p < links.pieces.size(); ++p)
            store.drop(piece_name("judging", key, p));
    }
    save_marks(store, marks_name(level), {key, std::move(marks_)});
    extend(std::vector<std::uint32_t>(judged.rows.size(), static_cast<std::uint32_t>(tier.first_links)), job);
    std::vector<std::uint8_t> on_pages = judged.valid;
    for (std::size_t i = 0; i < judged.hidden.size(); ++i)
        if (judged.hidden[i]) on_pages[i] = 0;
    pages.plans = plan_pages(atlas, texels, on_pages, job);
    std::vector<std::uint8_t> open_seams;
    const bool known = load_list("seams-" + key, open_seams);
    pages.seams = plan_seams(
        level, atlas, pages.plans, [this]() -> const RayCaster& { return caster(); }, open_seams, job);
    if (!known) save_array("seams-" + key, open_seams);
    set_probes(level.placed.value_or(std::vector<ProbePlace>{}), job);
    plan_gradients(job);
}

/// What links may take of the memory that was allowed.
void UnlitLevel::plan_memory(Job& job) {
    if (job.memory() == 0) return;
    const double own = bake_memory(static_cast<double>(texels.size()),
                                   static_cast<double>(level.groups.size())),
                 allowed = static_cast<double>(job.memory());
    if (own > allowed)
        throw Error{.what = "a bake of this level needs more memory than it may take",
                    .where = level.name,
                    .value = std::to_string(texels.size()) + " texels, about " +
                             to_text(std::ceil(own / 1e6)) + " MB besides links; " +
                             to_text(std::floor(allowed / 1e6)) + " MB allowed",
                    .remedy = "Lower the density, light more surfaces by probes, or allow more."};
    links_in_memory_ = std::max(least_links_in_memory, static_cast<std::uint64_t>(allowed - own));
}

const RayCaster& UnlitLevel::caster() const {
    if (!caster_)
        caster_.emplace(
            level, textures, [](const Surface& s) { return s.part != Part::moving; }, threads_);
    return *caster_;
}

/// What is invalid and what is hidden is told by the same first links in every tier, however many it has.
void UnlitLevel::record(Job& job) {
    judged.rows = texel_rows(level, texels, level.quality.seed);
    lift_receivers(level, texels, caster(), judged.rows, job);
    const std::vector<std::uint8_t> uncovered = find_uncovered(level, caster(), texels, job);
    record_links(uncovered, job);
    judged.valid = find_open(uncovered, level, caster(), texels, judged.rows, links, job);
    judged.hidden.clear();
    judged.moved = move_to_open(level, caster(), texels, judged.rows, links, judged.valid, job);
    std::vector<SharedPair> parted = find_shared(texels, judged.valid, caster(), job);
    for (const SharedPair& pair : parted) judged.valid[pair.a] = judged.valid[pair.b] = parted_texel;
    if (edit) find_misled(job);
    for (std::size_t p = 0; p < links.pieces.size(); ++p)
        redirect_invalid_links(caster(), texels, judged.rows, judged.valid, judged.valid, p, links, job);
    judged.shared = std::move(parted);
    const std::vector<std::uint8_t> shown = lightmapped();
    std::erase_if(judged.shared, [&](const SharedPair& pair) { return !shown[pair.a] || !shown[pair.b]; });
    judged.hidden = find_hidden(texels, lightmapped(), links, judged.shared);
    judged.footprints = Footprints(texels, judged.valid, caster(), job);
    judged.sky_sample_share = find_sky_sample_share(texels, judged.valid, links, job);
    judged.graph = connect_texels(texels, lightmapped(), caster(), job);
    if (edit) find_other();
}

void UnlitLevel::extend(const std::vector<std::uint32_t>& lengths, Job& job) {
    const auto lacks = [&](std::size_t p) {
        for (std::size_t i = 0; i < links.pieces[p].rows(); ++i)
            if (links.pieces[p].length(i) < lengths[p * rows_per_piece + i]) return true;
        return false;
    };
    for (std::size_t p = 0; p < links.pieces.size(); ++p) {
        if (!lacks(p)) {
            job.advance(links.pieces[p].rows());
            continue;
        }
        const std::size_t before = links.pieces[p].words.all().size();
        extend_piece(level, caster(), texels, judged.rows, lengths, p, links, job, &judged.valid);
        traced += links.pieces[p].words.all().size() - before;
        redirect_invalid_links(caster(), texels, judged.rows, judged.valid, judged.valid, p, links, job);
        save_piece(store, piece_name("links", key, p), links, p);
    }
}

void UnlitLevel::set_probes(const std::vector<ProbePlace>& places, Job& job, std::vector<float>* distances) {
    job.begin(Stage::probe_links, places.size());
    std::vector<std::string> names;
    for (const Volume& v : level.volumes) names.push_back(v.name);
    probes.net = connect_probes(places, names);
    probes.rows = stasigraph::probe_rows(probes.net.position, level.quality.seed);
    probes.links = {};
    probes.openings = {};
    probes.key = placed_key(level, places, key);
    if (places.empty() || (!distances && probes.load(store))) return;
    std::vector<float> traced_distances;
    record_probes(job, distances ? *distances : traced_distances, distances != nullptr);
    if (!distances) probes.save(store);
}

void UnlitLevel::record_probes(Job& job, std::vector<float>& distances, bool placing) {
    probes.links = {};
    extend_links(level, caster(), texels, probes.rows,
                 std::vector<std::uint32_t>(probes.net.size(), static_cast<std::uint32_t>(tier.probe_links)),
                 probes.links, job, &distances);
    const auto rays = static_cast<std::uint32_t>(tier.probe_links);
    if (rays < least_map_rays && !placing) {
        Links apart;
        std::vector<float> more;
        extend_links(level, caster(), texels, probes.rows,
                     std::vector<std::uint32_t>(probes.net.size(), least_map_rays), apart, job, &more);
        measure_probes(probes.rows, more, least_map_rays, {}, probes.net, job);
    } else {
        measure_probes(probes.rows, distances, rays, {}, probes.net, job);
    }
    measure_clearance(caster(), probes.net, job);
    const std::vector<std::uint8_t> all(probes.rows.size(), 1);
    for (std::size_t p = 0; p < probes.links.pieces.size(); ++p)
        redirect_invalid_links(caster(), texels, probes.rows, all, judged.valid, p, probes.links, job);
    record_openings(job);
}

void UnlitLevel::record_openings(Job& job) {
    if (!openings_) openings_ = find_openings(level, caster(), job);
    probes.openings = openings_as_lamps(*openings_, level.quality.seed);
    if (probes.openings.lamp.empty()) return;
    const RowSource& rows_out = probes.openings.rows;
    extend_links(level, caster(), texels, rows_out, std::vector<std::uint32_t>(rows_out.size(), links_out),
                 probes.openings.links, job);
    const std::vector<std::uint8_t> all(rows_out.size(), 1);
    for (std::size_t p = 0; p < probes.openings.links.pieces.size(); ++p)
        redirect_invalid_links(caster(), texels, rows_out, all, judged.valid, p, probes.openings.links, job);
    // Of a probe in or behind geometry nothing is asked.
    std::vector<std::uint8_t> wanted;
    for (const float front : probes.net.front_share)
        wanted.push_back(front < runtime::least_front_share ? 0 : 1);
    see_openings(caster(), probes.rows, wanted, probes.openings, job);
}

void UnlitLevel::plan_gradients(Job& job) {
    const bool directional = level.lightmap.shape == LightmapShape::directional;
    if (!directional && !has_normal_maps(level)) return;
    std::vector<std::uint8_t> shown = lightmapped();
    if (directional) {
        pages.gradient_rows = GradientRows(shown, shown);
        return;
    }
    if (!load_array("shading-normals-" + key, pages.shading_normals)) {
        pages.shading_normals = shading_normals_of(*this, job);
        save_array("shading-normals-" + key, pages.shading_normals);
    }
    for (std::size_t i = 0; i < pages.shading_normals.size(); ++i)
        if (pages.shading_normals[i] == texels.normal[i]) shown[i] = 0;
    pages.gradient_rows = GradientRows(shown, grown(judged.graph, shown, smoothing_steps));
}

std::vector<std::uint8_t> UnlitLevel::lightmapped() const {
    std::vector<std::uint8_t> wanted(texels.size());
    for (std::size_t i = 0; i < texels.size(); ++i)
        wanted[i] = judged.valid[i] && (judged.hidden.empty() || !judged.hidden[i]) &&
                            texels.grid[i] % 2 == 0 && atlas.surfaces[texels.grid[i] / 2].page != none
                        ? 1
                        : 0;
    return wanted;
}

const std::vector<float>& UnlitLevel::reach(Job& job) {
    if (!reach_.empty() || texels.size() == 0) return reach_;
    const auto first = static_cast<std::uint32_t>(tier.first_links);
    const std::string name = piece_name("reach", key, first);
    if (load_array(name, reach_)) return reach_;
    reach_ = measure_reach(texels, links, lightmapped(), first, job);
    save_array(name, reach_);
    return reach_;
}

void UnlitLevel::save_links() {
    for (std::size_t p = 0; p < links.pieces.size(); ++p)
        save_piece(store, piece_name("links", key, p), links, p);
}

template <class T>
bool UnlitLevel::load_array(const std::string& name, std::vector<T>& of_texels) const {
    Blob blob;
    if (!store.load || !store.load(name, blob)) return false;
    BlobReader in(blob);
    in.array(of_texels, texels.size());
    return in.done();
}
bool UnlitLevel::load_list(const std::string& name, std::vector<std::uint8_t>& list) const {
    Blob blob;
    if (!store.load || !store.load(name, blob)) return false;
    BlobReader in(blob);
    in.array(list);
    return in.done();
}
template <class T>
void UnlitLevel::save_array(const std::string& name, const std::vector<T>& of_texels) const {
    if (!store.save) return;
    BlobWriter out;
    out.array(of_texels);
    store.save(name, out.parts());
}

std::vector<Rgb> reflectance(const UnlitLevel& unlit, const Level& lit, const std::string& colors, Job& job) {
    Hasher h("albedo");
    h.text(unlit.key);
    h.text(colors);
    const std::string name = "albedo-" + h.key();
    std::vector<Rgb> out;
    if (unlit.load_array(name, out)) return out;
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
    unlit.save_array(name, out);
    return out;
}

}  // namespace stasigraph
