#include <algorithm>
#include <iterator>
#include <memory>
#include <optional>
#include <utility>

#include "bake/costs.hpp"
#include "bake/layers.hpp"
#include "bake/occlusion.hpp"
#include "bake/probe_layers.hpp"
#include "bake/room_noise.hpp"
#include "bake/set_pages.hpp"
#include "bake/unit_light.hpp"
#include "bake/visibility.hpp"
#include "stasigraph/bake.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/place.hpp"

namespace stasigraph {

/// Steps of a series whose layers are made side by side: their light goes along the same links.
constexpr std::size_t steps_at_once = 5;

struct Baker::State {
    std::string charts;  ///< charts_key() of the level that this was made for.
    std::unique_ptr<UnlitLevel> unlit_level;
    UnlitLevel& unlit;
    std::vector<std::string> names;  ///< Of the groups that `layers` are of.
    std::vector<Layer> layers;
    /// A layer on its way from being made, or at hand, to the levels that want it.
    struct ReadyLayer {
        Layer layer;
        std::size_t at_hand = none;  ///< Which of `layers` it was,
        bool whole = false;          ///< and whether all of it was; else its direct light alone.
        std::size_t levels = 0;      ///< How many still want it.
    };
    std::vector<ReadyLayer> ready;  ///< For levels that are not mixed yet.
    std::vector<BakeSet> sets;      ///< Of the last call.
    std::string textures_of;        ///< textures_key() of those the unlit level has.
    std::string albedo_key;
    std::vector<Rgb> albedo;  ///< What every texel reflects.
    std::size_t made = 0;     ///< Layers, in the last call.

    /// What a call of light() asks for, and what it has so far.
    struct Call {
        std::vector<std::string> wanted;  ///< Sets.
        const LayerTaker& taker;
        Baked baked;
        bool wants(const std::string& set) const {
            return std::find(wanted.begin(), wanted.end(), set) != wanted.end();
        }
    };
    /// Makes the layers of levels that have one sun and one sky each, at unit strength, and mixes their
    /// wanted sets.
    void light(std::vector<Level> levels, Call& call, Job& job);
    void light_sets(Level lit, const std::vector<LayerKeys>& keys, Call& call, Job& job);
    /// Shows the taker the layers at hand that sets of this level show, and tells the sets their shares of
    /// them.
    void show_layers(Level lit, const std::vector<LayerKeys>& keys, Call& call, Job& job);
    void raise_figures(const Level& lit, const AllPages& pages, BakeFigures& f, Job& job) const;
    VisibilityCache visibility;
    std::string occlusion_key;
    std::vector<OcclusionPage> occlusion;

    State(Level level, const Atlas* previous, BakeStore store, Job& job)
        : charts(charts_key(level)),
          unlit_level(make_unlit_level(std::move(level), previous, std::move(store), job)),
          unlit(*unlit_level),
          textures_of(textures_key(unlit.level, color_key(unlit.level))) {}
    /// What differs that light() cannot take.
    std::optional<Error> difference(const Level& lit) const;
    Layer* want_layer(const std::string& group, const LayerKeys& keys);
    std::vector<std::vector<LayerKeys>> make_layers(const std::vector<Level>& lit, Job& job);
    void take_layers(const Level& lit, const std::vector<LayerKeys>& keys);
    ReadyLayer* find_ready(const LayerKeys& keys);
    const std::vector<OcclusionPage>& occlude(const Level& lit, Job& job);
    BakeFigures figures() const;
};

std::optional<Error> Baker::State::difference(const Level& lit) const {
    const Level& level = unlit.level;
    const auto other = [](const char* what, const std::string& where) {
        return Error{.what = what, .where = where, .value = "", .remedy = "Make a new Baker."};
    };
    if (lit.surfaces.size() != level.surfaces.size() || lit.meshes.size() != level.meshes.size() ||
        lit.quality.tier != level.quality.tier || lit.quality.links != level.quality.links ||
        lit.quality.seed != level.quality.seed || !(lit.lightmap == level.lightmap))
        return other("the level's geometry or lightmap settings are not those the links were recorded for",
                     lit.name);
    for (std::size_t m = 0; m < lit.materials.size() && m < level.materials.size(); ++m)
        if (!same_passage(lit.materials[m], level.materials[m]) ||
            lit.materials[m].normal_texture.image != level.materials[m].normal_texture.image ||
            lit.materials[m].normal_scale != level.materials[m].normal_scale)
            return other(
                "what a material lets through, or its normal map, is not what the links were recorded with",
                lit.materials[m].name);
    if (charts_key(lit) != charts)
        return other("what decides how charts are laid out is not what it was", lit.name);
    const auto same = [](const ProbePlace& a, const ProbePlace& b) { return a.position == b.position; };
    if (lit.placed && !(level.placed && std::equal(lit.placed->begin(), lit.placed->end(),
                                                   level.placed->begin(), level.placed->end(), same)))
        return other("probes stand elsewhere", lit.name);
    if (unlit_key(lit, unlit.atlas) != unlit.key)
        return other("the level's geometry is not that the links were recorded for", lit.name);
    if (probe_key(lit, unlit.key) != unlit.asked_key)
        return other("the volumes are not those the probes were placed in", lit.name);
    return {};
}

Baker::State::ReadyLayer* Baker::State::find_ready(const LayerKeys& keys) {
    for (ReadyLayer& r : ready)
        if (r.layer.keys.light == keys.light && r.layer.keys.direct == keys.direct) return &r;
    return nullptr;
}

/// Puts a layer that a level wants among the ready ones. What is at hand of it is taken over: all of it, or
/// its direct light where the sources are the same. Null where it need not be made.
Layer* Baker::State::want_layer(const std::string& group, const LayerKeys& keys) {
    if (ReadyLayer* known = find_ready(keys)) {
        ++known->levels;
        return nullptr;
    }
    ReadyLayer& r = ready.emplace_back(ReadyLayer{.layer = {}, .levels = 1});
    const auto kept = std::find(names.begin(), names.end(), group);
    if (kept != names.end()) {
        const auto number = static_cast<std::size_t>(kept - names.begin());
        Layer& before = layers[number];
        if (before.keys.direct == keys.direct) {
            if (before.keys.light == keys.light && before.probe_key == unlit.probes.key) {
                r.layer = std::exchange(before, {});
                r.at_hand = number;
                r.whole = true;
                return nullptr;
            }
            r.at_hand = number;
            r.layer.sampled = std::move(before.sampled);
            r.layer.live = std::move(before.live);
            r.layer.at_probes = std::move(before.at_probes);
            before = {};
        }
    }
    r.layer.keys = keys;
    return &r.layer;
}

/// Makes ready the layers of these levels: those at hand, and all others made at once. Returns the keys of
/// each level's groups.
std::vector<std::vector<LayerKeys>> Baker::State::make_layers(const std::vector<Level>& lit, Job& job) {
    const std::string colors = color_key(lit[0]);
    std::vector<std::vector<LayerKeys>> keys(lit.size());
    std::vector<std::unique_ptr<LightWork>> works(lit.size());
    std::vector<std::pair<std::size_t, LayerToMake>> wanted;  // with the numbers of their levels
    ready.clear();
    ready.reserve(lit.size() * lit[0].groups.size());  // they are pointed to
    for (std::size_t i = 0; i < lit.size(); ++i)
        for (std::uint32_t g = 0; g < lit[i].groups.size(); ++g) {
            keys[i].push_back(layer_keys(lit[i], g, unlit.key, colors));
            if (Layer* layer = want_layer(lit[i].groups[g], keys[i].back()))
                wanted.push_back({i, {nullptr, g, layer}});
        }
    if (wanted.empty()) return keys;
    // What images show may be another thing than when the unlit level was made.
    if (const std::string now = textures_key(lit[0], colors); now != textures_of) {
        unlit.textures = TextureSet(lit[0]);
        textures_of = now;
    }
    try {
        if (colors != albedo_key) {
            albedo = reflectance(unlit, lit[0], colors, job);
            albedo_key = colors;
        }
        job.parallel(lit.size(), 1, [&](std::size_t i, std::size_t) {
            works[i] = std::make_unique<LightWork>(unlit, lit[i], albedo);
        });
        std::vector<LayerToMake> make;
        for (auto& [level, layer] : wanted) {
            layer.work = works[level].get();
            make.push_back(layer);
        }
        made += light_layers(make, job);
    } catch (...) {
        for (ReadyLayer& r : ready) {
            if (r.at_hand == none) continue;
            if (!r.whole) r.layer.keys.light.clear();
            layers[r.at_hand] = std::move(r.layer);
        }
        ready.clear();
        throw;
    }
    return keys;
}

/// Those of one level, which are ready, become the ones at hand.
void Baker::State::take_layers(const Level& lit, const std::vector<LayerKeys>& keys) {
    layers.clear();
    for (const LayerKeys& k : keys) {
        ReadyLayer& r = *find_ready(k);
        if (--r.levels == 0)
            layers.push_back(std::move(r.layer));
        else
            layers.push_back(r.layer);
    }
    names = lit.groups;
}

const std::vector<OcclusionPage>& Baker::State::occlude(const Level& lit, Job& job) {
    const std::string key = stasigraph::occlusion_key(lit, unlit.key);
    if (key == occlusion_key) return occlusion;
    occlusion.clear();
    if (lit.occlusion.reach > 0) {
        job.begin(Stage::occlusion, 1);
        const TexelFlags wanted = unlit.lightmapped();
        const std::vector<float> open = measure_openness(
            {.texels = unlit.texels,
             .rows = unlit.judged.rows,
             .caster = unlit.caster(),
             .wanted = wanted,
             .graph = lit.quality.denoise == Denoise::automatic ? &unlit.judged.graph : nullptr,
             .reach = lit.occlusion.reach,
             .rays = unlit.tier.occlusion_rays},
            job);
        std::vector<PageImage> pages = finish_pages(
            unlit.pages.plans,
            [&](std::size_t i) {
                return Rgb{open[i], open[i], open[i]};
            },
            job);
        for (std::size_t p = 0; p < pages.size(); ++p) {
            push_pull_fill(unlit.pages.plans[p], pages[p]);
            OcclusionPage& page = occlusion.emplace_back();
            page.side = pages[p].side;
            for (const Rgb& c : pages[p].texels) page.texels.push_back(c.r);
        }
    }
    occlusion_key = key;
    return occlusion;
}

BakeFigures Baker::State::figures() const {
    const UnlitLevel& g = unlit;
    BakeFigures f;
    double lengths = 0;
    for (std::size_t i = 0; i < g.texels.size(); ++i) {
        const std::uint32_t grid = g.texels.grid[i];
        const bool exported = grid % 2 == 0 && g.atlas.surfaces[grid / 2].page != none;
        (exported ? f.texels : f.patches) += 1;
        f.invalid += g.judged.is_valid(i) ? 0 : 1;
        f.hidden += g.judged.hidden[i] ? 1 : 0;
        if (exported) f.area += static_cast<double>(g.texels.area[i]);
        std::uint8_t log2_scale = 0;
        for (const Layer& layer : layers) log2_scale = std::max(log2_scale, layer.log2_scale[i]);
        lengths += static_cast<double>(static_cast<std::uint32_t>(g.tier.first_links) << log2_scale);
    }
    f.moved = g.judged.moved;
    f.links = g.links.count();
    f.traced = g.links_traced;
    f.layers = layers.size();
    f.layers_made = made;
    f.probes = g.probes.net.size();
    for (float v : g.probes.net.front_share) f.invalid_probes += v < 0.7f ? 1 : 0;
    if (g.texels.size() > 0)
        f.mean_links = static_cast<float>(lengths / static_cast<double>(g.texels.size()));
    for (const Layer& layer : layers) {
        f.guided_links += layer.guided_links;
        f.sampled_again += layer.sampled.again + layer.live.again;
        f.bounces = std::max(f.bounces, layer.bounces);
        f.noise_before = std::max(f.noise_before, layer.noise_before);
        f.noise = std::max(f.noise, layer.noise);
    }
    return f;
}

void plan_bake(const Level& level, Job& job) {
    job.plan(plan_of(level));
}

Baker::Baker(Level level, Job& job, const Atlas* previous, BakeStore store) {
    complete_level(level);
    check_level(level);
    // Who placed probes before may have told of the whole bake then; its last stage is still to come.
    if (!job.expects(Stage::finish)) plan_bake(level, job);
    if (!level.placed) level.placed = place_probes(level, job, store).places;
    state_ = new State(std::move(level), previous, std::move(store), job);
}
Baker::~Baker() {
    delete state_;
}
Baker::Baker(Baker&& other) noexcept : state_(std::exchange(other.state_, nullptr)) {}
Baker& Baker::operator=(Baker&& other) noexcept {
    std::swap(state_, other.state_);
    return *this;
}

bool Baker::takes(const Level& given) const {
    Level lit = given;
    complete_level(lit);
    return !state_->difference(lit);
}
const Atlas& Baker::atlas() const noexcept {
    return state_->unlit.atlas;
}
const Level& Baker::level() const noexcept {
    return state_->unlit.level;
}

/// Figures of all that was made so far: the worst of each.
void Baker::State::raise_figures(const Level& lit, const AllPages& pages, BakeFigures& f, Job& job) const {
    const BakeFigures before = std::exchange(f, figures());
    f.rooms = before.rooms;
    for (RoomNoise& room : noisiest_rooms(unlit, lit, layers, job)) f.rooms.push_back(std::move(room));
    f.bounces = std::max(f.bounces, before.bounces);
    f.noise_before = std::max(f.noise_before, before.noise_before);
    f.noise = std::max(f.noise, before.noise);
    f.seam_before = std::max(before.seam_before, static_cast<float>(pages.seam_before));
    f.seam = std::max(before.seam, static_cast<float>(pages.seam));
}

void Baker::State::light_sets(Level lit, const std::vector<LayerKeys>& keys, Call& call, Job& job) {
    take_layers(lit, keys);
    sets = lit.sets;
    std::erase_if(lit.sets, [&](const BakeSet& set) { return !call.wants(set.name); });
    job.begin(Stage::finish, lit.sets.size());
    std::vector<ProbeLight> probe_light = mix_probes(lit, layers, unlit.probes.net.size());
    std::vector<ProbeLamps> lamps = mix_lamps(lit, layers, unlit);
    AllPages pages = mix_pages(unlit, lit, layers, job);
    job.advance(lit.sets.size());
    for (std::size_t i = 0; i < lit.sets.size(); ++i)
        call.baked.sets.push_back({.name = lit.sets[i].name,
                                   .pages = std::move(pages.sets[i].pages),
                                   .directional = std::move(pages.sets[i].directional),
                                   .probes = std::move(probe_light[i]),
                                   .lamps = std::move(lamps[i])});
    raise_figures(lit, pages, call.baked.figures, job);
    show_layers(std::move(lit), keys, call, job);
}

void Baker::State::show_layers(Level lit, const std::vector<LayerKeys>& keys, Call& call, Job& job) {
    const std::vector<BakeSet> mixed = std::exchange(lit.sets, {});
    std::vector<BakedSet>& baked = call.baked.sets;
    for (std::uint32_t group = 0; group < keys.size(); ++group) {
        const std::string key = shown_layer_key(lit, keys[group], unlit.key, unlit.probes.key);
        bool shown = false;
        for (std::size_t i = 0; i < mixed.size(); ++i) {
            const Rgb gain = mixed[i].gain(group);
            if (!(max_channel(gain) > 0)) continue;
            shown = true;
            baked[baked.size() - mixed.size() + i].layers.push_back({key, gain});
        }
        if (!shown || !call.taker.wants || !call.taker.wants(key)) continue;
        BakeSet alone{.name = lit.groups[group], .gains = {}};
        alone.gains.assign(lit.groups.size(), 0);
        alone.gains[group] = 1;
        lit.sets = {alone};
        AllPages pages = mix_pages(unlit, lit, layers, job);
        const BakedSet light{.name = alone.name,
                             .pages = std::move(pages.sets[0].pages),
                             .directional = std::move(pages.sets[0].directional),
                             .probes = mix_probes(lit, layers, unlit.probes.net.size())[0],
                             .lamps = mix_lamps(lit, layers, unlit)[0]};
        call.taker.take({key, lit, light, call.baked});
    }
}

void Baker::State::light(std::vector<Level> levels, Call& call, Job& job) {
    if (levels.empty()) return;
    for (Level& level : levels) to_unit_strength(level);
    const std::vector<std::vector<LayerKeys>> keys = make_layers(levels, job);
    for (std::size_t i = 0; i < levels.size(); ++i) light_sets(std::move(levels[i]), keys[i], call, job);
}

/// The steps of a series have a sun and a sky of their own each, and so layers of those two; all the others
/// serve every step.
Baked Baker::light(const Level& given, Job& job, const std::vector<std::uint32_t>& only,
                   const LayerTaker& taker) {
    State& s = *state_;
    Level lit = given;
    complete_level(lit);
    check_level(lit);
    if (const std::optional<Error> other = s.difference(lit)) throw *other;
    s.made = 0;
    const std::vector<BakeSet> sets = std::exchange(lit.sets, {});
    State::Call call{.wanted = {}, .taker = taker, .baked = {}};
    for (std::uint32_t i = 0; i < sets.size(); ++i)
        if (only.empty() || std::find(only.begin(), only.end(), i) != only.end())
            call.wanted.push_back(sets[i].name);
    // First of all, since too many lights on a page end the bake.
    call.baked.visibility = s.visibility.pages(lit, s.unlit, job);
    call.baked.probes = s.unlit.probes.net;
    std::copy_if(sets.begin(), sets.end(), std::back_inserter(lit.sets),
                 [](const BakeSet& set) { return set.step == none; });
    std::vector<Level> steps;
    for (const BakeSet& set : sets) {
        if (set.step == none || !call.wants(set.name)) continue;
        Level then = lit;
        then.sets = {set};
        steps.push_back(as_in_set(then, 0));
        if (steps.size() == steps_at_once) s.light(std::exchange(steps, {}), call, job);
    }
    s.light(std::move(steps), call, job);
    // The level's own sun and sky come last and stay: they are what is tuned.
    if (std::any_of(lit.sets.begin(), lit.sets.end(),
                    [&](const BakeSet& set) { return call.wants(set.name); }))
        s.light({lit}, call, job);
    s.ready.clear();
    const auto place = [&](const BakedSet& b) {
        return std::find_if(sets.begin(), sets.end(), [&](const BakeSet& set) { return set.name == b.name; });
    };
    std::sort(call.baked.sets.begin(), call.baked.sets.end(),
              [&](const BakedSet& a, const BakedSet& b) { return place(a) < place(b); });
    call.baked.occlusion = s.occlude(lit, job);
    job.finish();
    return std::move(call.baked);
}

std::vector<TexelLight> Baker::texels(std::uint32_t set) const {
    const State& s = *state_;
    const UnlitLevel& g = s.unlit;
    if (set >= s.sets.size())
        throw Error{.what = "texels of this set are not known",
                    .where = "Baker::texels",
                    .value = std::to_string(set),
                    .remedy = "Ask for a set that is no step of a series, after light()."};
    for (const Layer& layer : s.layers)
        if (layer.sampled.light.size() != g.texels.size() || layer.shown.size() != g.texels.size())
            throw Error{
                .what = "light is not known apart, since layers came from a store or light() was stopped",
                .where = "Baker::texels",
                .value = "",
                .remedy = "Make the Baker without a store, and call light() again."};
    std::vector<TexelLight> out(g.texels.size());
    for (std::size_t i = 0; i < out.size(); ++i) {
        const std::uint32_t grid = g.texels.grid[i];
        out[i] = {.position = g.texels.position[i],
                  .normal = g.texels.normal[i],
                  .face_normal = g.texels.face_normal[i],
                  .area = g.texels.area[i],
                  .surface = grid / 2,
                  .valid = g.judged.is_valid(i) != 0,
                  .exported = grid % 2 == 0 && g.atlas.surfaces[grid / 2].page != none && !g.judged.hidden[i],
                  .direct = {},
                  .sampled = {},
                  .total = {}};
        for (std::size_t l = 0; l < s.layers.size(); ++l) {
            const Layer& layer = s.layers[l];
            const Rgb gain = s.sets[set].gain(l);
            if (g.judged.is_valid(i)) out[i].sampled += layer.sampled.light[i] * gain;
            if (!layer.sky.empty()) out[i].direct += layer.sky[i] * gain;
            out[i].total += layer.shown[i] * gain;
        }
        out[i].direct += out[i].sampled;
    }
    return out;
}

Baked bake(const Level& level, Atlas& atlas, Job& job, BakeStore store,
           const std::vector<std::uint32_t>& only) {
    Baker baker(level, job, atlas.surfaces.empty() ? nullptr : &atlas, std::move(store));
    atlas = baker.atlas();
    return baker.light(baker.level(), job, only);
}

}  // namespace stasigraph
