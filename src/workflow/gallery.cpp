#include "stasigraph/gallery.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/text.hpp"
#include "picture/colors.hpp"
#include "results/inputs_file.hpp"
#include "results/result_folder.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/finding_view.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/kept.hpp"
#include "stasigraph/marks.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

/// Pixels; smaller pictures have no room for a legend.
constexpr int least_mark_width = 440, least_height = 280;

std::string number(double v) {
    char text[32];
    std::snprintf(text, sizeof text, v >= 100 ? "%.0f" : "%.3g", v);
    return text;
}
std::string percent(double share) {
    return number(100 * share) + " %";
}

std::vector<LegendLine> legend_of(const NamedMarks& m) {
    std::vector<LegendLine> lines;
    for (std::size_t k = 0; k < m.meaning.size(); ++k) {
        std::string text = m.meaning[k];
        if (!(k == 0 && text.starts_with("no "))) text += ": " + std::to_string(m.count[k]);
        lines.push_back({std::move(text), m.marks.colors[k]});
    }
    return lines;
}

std::vector<LegendLine> zone_legend(const Level& level, const ZoneLinks& links) {
    std::vector<LegendLine> out;
    const auto count = [](const std::vector<std::uint32_t>& of, std::uint32_t zone) {
        return std::to_string(std::count(of.begin(), of.end(), zone));
    };
    const auto line = [&](const std::string& name, std::uint32_t z) {
        std::string text =
            name + ": " + count(links.surface, z) + " surfaces, " + count(links.probe, z) + " probes";
        if (z != none && links.walled_off[z] > 0)
            text += " (" + std::to_string(links.walled_off[z]) + " more behind walls)";
        out.push_back({text, zone_color(z)});
    };
    for (std::uint32_t z = 0; z < level.zones.size(); ++z) line(level.zones[z].name, z);
    line("in no zone", none);
    return out;
}

std::vector<LegendLine> density_legend(const Level& level, const Atlas& atlas) {
    const auto asked = static_cast<double>(level.lightmap.density * atlas.density_scale);
    const auto line = [&](double share, const char* end) {
        return LegendLine{number(asked * share) + " texels a metre" + end,
                          density_color(static_cast<float>(share))};
    };
    return {line(0.25, " or less"), line(0.5, ""),
            line(1, ", as asked"),  line(2, ""),
            line(4, " or more"),    {"no lightmap", {0.09f, 0.09f, 0.1f}}};
}

std::vector<LegendLine> chart_legend(const Atlas& atlas) {
    std::size_t charts = 0, given = 0;
    for (const SurfaceUv& uv : atlas.surfaces)
        if (uv.page != none) {
            charts += atlas.layouts[uv.layout].charts.size();
            given += atlas.layouts[uv.layout].given ? 1 : 0;
        }
    std::vector<LegendLine> lines{
        {std::to_string(charts) + " charts on " + std::to_string(atlas.pages.size()) +
             (atlas.pages.size() == 1 ? " page" : " pages") + ", each in a colour of its own",
         chart_color(1, 1)}};
    if (given > 0)
        lines.push_back({std::to_string(given) + " surfaces with UVs that came along", chart_color(2, 1)});
    lines.push_back({"no lightmap", {0.09f, 0.09f, 0.1f}});
    return lines;
}

std::vector<LegendLine> lux_legend(float low, float high) {
    std::vector<LegendLine> lines{{"over " + number(static_cast<double>(high)) + " lux", {1, 1, 1}}};
    // 1, 2, 5 of every power of ten, or where that is too much, 1 alone.
    constexpr float most_decades = 3;
    const bool few = std::log10(high / low) <= most_decades;
    std::vector<float> labels{low};
    for (float ten = std::pow(10.0f, std::floor(std::log10(low))); ten <= high; ten *= 10)
        for (const float step : {1.0f, 2.0f, 5.0f})
            if (const float lux = step * ten; (few || step == 1) && lux > low * 1.01f && lux < high * 0.99f)
                labels.push_back(lux);
    labels.push_back(high);
    for (std::size_t i = labels.size(); i-- > 0;)
        lines.push_back({number(static_cast<double>(labels[i])) + " lux", lux_color(labels[i], low, high)});
    lines.push_back({"less", {0.01f, 0.01f, 0.01f}});
    return lines;
}

/// Ends of a scale of 1, 2, 5 that hold nearly all light of a picture of it (nit of white).
void lux_range(const Picture& light, float& low, float& high) {
    std::vector<float> lux;
    for (const Rgb c : light.pixels)
        if (const float l = luminance(c) * pi; l > 1e-5f) lux.push_back(l);
    if (lux.empty()) lux.push_back(1);
    std::sort(lux.begin(), lux.end());
    const auto tidy = [](float v, bool up) {
        const float ten = std::pow(10.0f, std::floor(std::log10(v)));
        float best = ten;
        for (const float step : {1.0f, 2.0f, 5.0f, 10.0f}) {
            if (!up && step * ten <= v * 1.0001f) best = step * ten;
            if (up && step * ten >= v * 0.9999f) return step * ten;
        }
        return best;
    };
    if (!(low > 0)) low = tidy(lux[lux.size() / 100], false);
    if (!(high > low)) high = std::max(tidy(lux[lux.size() - 1 - lux.size() / 100], true), 10 * low);
}

}  // namespace

const std::vector<Question>& questions() {
    static const std::vector<Question> all = {
        {"game", "the level as the player sees it", true},
        {"light", "baked light on white", true},
        {"albedo", "the colours of surfaces", false},
        {"charts", "each chart in a colour of its own", false},
        {"density", "texels a metre, against what is asked", false},
        {"overlap", "texels that charts share, or closer than the margin", false},
        {"filled", "texels inside of geometry or hidden, and margins", true},
        {"lux", "how much light falls on surfaces, in false colour", true},
        {"clipping", "what an exposure shows as white or black", true},
        {"leaks", "texels through which light shows past a wall", true},
        {"dots", "texels that are off from a kept bake that has converged", true},
        {"occlusion", "how open the surroundings are", true},
        {"probes", "probes, lit by what they hold", true},
        {"reflections", "reflection probes, as mirrors", true},
        {"zones", "which zone surfaces and probes belong to", false},
        {"groups", "whose light it is: the share of each light group", true},
        {"stale", "what is out of date, and what changed", true},
        {"findings", "what check() has to say, ringed", false},
    };
    return all;
}

struct Gallery::State {
    fs::path file, folder, cache;
    Level level;
    std::map<std::string, SavedBake> bakes;
    std::optional<Atlas> atlas;  ///< Of the level as it is now, without a bake.
    /// Findings are of the level as its files have it: what a bake cuts and closes is nobody's mistake.
    std::optional<Level> judged;
    std::optional<Checked> checked;

    struct Work {
        const ShowRequest& request;
        Job& job;
        ViewOptions settings;
        ShownPicture out;
    };

    const SavedBake& bake(const std::string& set) {
        const std::string name = set.empty() ? "" : level.sets[set_index(level, set)].name;
        const auto found = bakes.find(name);
        if (found != bakes.end()) return found->second;
        return bakes.emplace(name, load_bake(folder, level, name)).first->second;
    }
    bool baked() const {
        std::error_code bad;
        return fs::exists(folder / "manifest.json", bad);
    }
    const Atlas& unwrapped(Job& job) {
        if (atlas) return *atlas;
        Atlas earlier;
        for (const fs::path& place : {folder, unwrap_output(file)}) {
            std::error_code bad;
            if (!earlier.surfaces.empty() || !fs::exists(atlas_file(place, level.quality.tier), bad))
                continue;
            try {
                earlier = load_atlas(atlas_file(place, level.quality.tier));
            } catch (const Error& e) {
                job.note(e.text());
            }
        }
        return atlas.emplace(unwrap(level, tier_options(level.quality.tier).density_scale, job,
                                    earlier.surfaces.empty() ? nullptr : &earlier));
    }

    // ---- what each question needs besides

    Picture draw(Work& w, const SavedBake* bake, const Atlas& charts, ViewLight light) {
        const Level* shown = &level;
        Level in_set;
        if (bake) {
            light.set = &bake->sets[0];
            light.probes = &bake->probes;
            light.visibility = &bake->visibility;
            light.occlusion = &bake->occlusion;
            light.reflections = &bake->reflections;
            in_set = as_in_set(level, set_index(level, bake->sets[0].name));
            shown = &in_set;
            w.out.set = bake->sets[0].name;
            w.out.stale = bake->stale;
        }
        return view({*shown, charts}, light, w.request.camera, w.settings, w.job);
    }
    /// The level's light by groups from the cache of its last bake, and the states of texels.
    Baked baked_again(Work& w, const std::string& set, bool by_group, Atlas& charts) {
        Level wanted = level;
        const SavedBake& saved = bake(set);
        if (saved.stale)
            throw Error{.what = "the bake is out of date, and this picture needs one that is not",
                        .where = w.request.what,
                        .value = saved.because.empty() ? "" : saved.because[0],
                        .remedy = "Run `stasigraph bake` first."};
        if (has_probes(wanted)) wanted.placed = load_places(folder, wanted);
        const BakeSet chosen = wanted.sets[set_index(wanted, saved.sets[0].name)];
        if (by_group) {
            wanted.sets.clear();
            for (std::size_t g = 0; g < wanted.groups.size(); ++g) {
                BakeSet one{.name = "group " + std::to_string(g),
                            .gains = std::vector<float>(wanted.groups.size(), 0.0f)};
                one.gains[g] = luminance(chosen.gain(g));
                one.step = chosen.step;
                wanted.sets.push_back(std::move(one));
            }
        }
        charts = saved.atlas;
        const BakeStore store = open_store(cache, [&](const std::string& text) { w.job.note(text); });
        return stasigraph::bake(wanted, charts, w.job, store,
                                by_group ? std::vector<std::uint32_t>{}
                                         : std::vector<std::uint32_t>{set_index(wanted, chosen.name)});
    }

    void show_marks(Work& w, const Atlas& charts, const NamedMarks& marks) {
        w.settings.show = Show::marks;
        w.out.picture = draw(w, nullptr, charts, ViewLight{.marks = &marks.marks});
        w.out.legend = legend_of(marks);
    }
    void show_light(Work& w, Show show, float more = 0) {
        const SavedBake& b = bake(w.request.set);
        w.settings.show = show;
        w.out.picture = draw(w, &b, b.atlas, {});
        const std::optional<float> own = level.sets[set_index(level, w.out.set)].exposure;
        w.out.exposure = w.request.exposure ? w.request.exposure : own;
        if (w.out.exposure) return;
        w.out.exposure = auto_exposure(w.out.picture) + more;
        w.out.metered = true;
    }
    void show_lux(Work& w) {
        const SavedBake& b = bake(w.request.set);
        float low = w.request.lux_low, high = w.request.lux_high;
        if (!(low > 0) || !(high > low)) {
            w.settings = {.width = 320, .height = 200, .samples = 1, .show = Show::light};
            lux_range(draw(w, &b, b.atlas, {}), low, high);
            w.settings = w.request.settings;
        }
        w.settings.show = Show::lux;
        w.settings.lux_low = low;
        w.settings.lux_high = high;
        w.out.picture = draw(w, &b, b.atlas, {});
        w.out.legend = lux_legend(low, high);
    }
    void show_clipping(Work& w) {
        show_light(w, Show::lit);
        const float ev = *w.out.exposure;
        const ClippedShares s = clipped_shares(w.out.picture, ev);
        const std::vector<Rgb> colors = clipping_colors();
        char text[32];
        std::snprintf(text, sizeof text, "at EV %.1f", static_cast<double>(ev));
        w.out.legend = {{std::string("white in every channel ") + text + ": " + percent(s.all), colors[0]},
                        {"white in some: " + percent(s.some), colors[1]},
                        {"black, six stops under middle grey: " + percent(s.black), colors[2]}};
        w.out.picture = clipping_picture(w.out.picture, ev);
        w.out.exposure.reset();
    }
    void show_groups(Work& w) {
        Atlas charts;
        const Baked again = baked_again(w, w.request.set, true, charts);
        const SavedBake& b = bake(w.request.set);
        w.settings.show = Show::groups;
        w.settings.moving = false;
        w.out.picture = draw(w, &b, charts, ViewLight{.groups = &again.sets});
        const std::vector<double> share = light_shares(level, charts, again.sets, w.job);
        for (std::uint32_t g = 0; g < share.size(); ++g)
            if (share[g] > 0)
                w.out.legend.push_back(
                    {level.groups[g] + ": " + percent(share[g]) + " of all light", group_color(g)});
    }
    void show_stale(Work& w) {
        const SavedBake& b = bake(w.request.set);
        std::vector<std::uint8_t> codes(level.surfaces.size(), b.stale ? 1 : 0);
        const std::set<std::string> changed = changed_surfaces(b.sets[0].name);
        for (std::size_t s = 0; s < codes.size(); ++s)
            if (changed.contains(level.surfaces[s].name)) codes[s] = 2;
        const NamedMarks marks = mark_stale(codes);
        show_marks(w, b.atlas, marks);
        w.out.set = b.sets[0].name;
        w.out.stale = b.stale;
        for (std::size_t k = 0; k < b.because.size() && k < 4; ++k)
            w.out.legend.push_back({"because " + b.because[k], marks.marks.colors[1]});
        if (b.because.size() > 4)
            w.out.legend.push_back(
                {"and " + std::to_string(b.because.size() - 4) + " more", marks.marks.colors[1]});
    }
    /// Surfaces that are not what a set was baked from.
    std::set<std::string> changed_surfaces(const std::string& set) const {
        std::set<std::string> names;
        const ResultFiles result(folder);
        const ManifestSet* baked = result.manifest().find(set);
        if (!baked || baked->inputs.empty()) return names;
        std::map<std::string, const InputItem*> before;
        const std::vector<InputItem> items = read_inputs(result.place(baked->inputs));
        for (const InputItem& item : items)
            if (item.kind == "surface") before[item.name] = &item;
        if (before.empty()) return names;
        for (const InputItem& item : inputs_of(level).items)
            if (item.kind == "surface" && (!before.contains(item.name) || !(*before[item.name] == item)))
                names.insert(item.name);
        return names;
    }
    void show_dots(Work& w) {
        if (w.request.against.empty())
            throw Error{.what = "dots are told by a bake that has converged",
                        .where = "--show dots",
                        .value = "no --against",
                        .remedy =
                            "Bake once with `links = 4096` under [quality] and `--keep converged`, then as "
                            "you do, and look with `--against converged`."};
        const SavedBake& b = bake(w.request.set);
        const KeptBake kept = kept_bake(folder, w.request.against);
        const SavedBake truth = load_bake(kept.folder, level, b.sets[0].name);
        if (!(truth.atlas == b.atlas))
            throw Error{.what = "the kept bake has other charts than this one",
                        .where = w.request.against,
                        .value = b.sets[0].name,
                        .remedy = "Bake both at the same tier and density, from a level of the same shape."};
        show_marks(w, b.atlas, mark_dots(level, b.atlas, b.sets[0].pages, truth.sets[0].pages, w.job));
        w.out.set = b.sets[0].name;
        w.out.stale = b.stale;
    }
    void show_zones(Work& w) {
        const Atlas& charts = unwrapped(w.job);
        static const SavedBake nothing;
        const SavedBake& b = baked() ? bake("") : nothing;
        const ZoneLinks zones = link_zones(level, b.probes.position, b.reflections, w.job);
        w.settings.show = Show::zones;
        ViewLight light{.zones = &zones};
        light.probes = &b.probes;
        light.reflections = &b.reflections;
        w.out.picture = draw(w, nullptr, charts, light);
        w.out.legend = zone_legend(level, zones);
    }
    void show_findings(Work& w) {
        if (!judged) judged = load_level_to_check(file);
        if (!checked) checked = check(*judged, w.job);
        w.settings.show = Show::plain;
        Atlas bare;
        bare.surfaces.resize(judged->surfaces.size());
        w.out.picture = view({*judged, bare}, {}, w.request.camera, w.settings, w.job);
        std::vector<FindingMark> marks =
            mark_findings(*judged, checked->findings, w.request.camera, w.out.picture, w.job);
        std::reverse(marks.begin(), marks.end());
        constexpr std::size_t most = 8;
        for (std::size_t k = 0; k < marks.size() && k < most; ++k) {
            const Finding& f = checked->findings[marks[k].finding];
            w.out.legend.push_back(
                {std::to_string(marks[k].finding + 1) + " " + f.id + ": " + f.names[0] +
                     (marks[k].hidden ? " (hidden)" : ""),
                 f.accepted.empty() ? severity_color(f.severity) : Rgb{0.45f, 0.45f, 0.45f}});
        }
        if (marks.size() > most)
            w.out.legend.push_back(
                {"and " + std::to_string(marks.size() - most) + " more", {0.5f, 0.5f, 0.5f}});
        if (marks.empty()) w.out.legend.push_back({"no finding lies in this picture", {0.5f, 0.5f, 0.5f}});
    }
    void show_probes(Work& w) {
        show_light(w, Show::probes, 1.2f);  // what is around is dimmed
        const ProbeNet& net = bake(w.request.set).probes;
        std::size_t unused = 0;
        for (const float v : net.front_share) unused += v < 0.7f ? 1 : 0;
        w.out.legend = {
            {std::to_string(net.size() - unused) + " probes, lit by what they hold", {0.7f, 0.7f, 0.7f}},
            {std::to_string(unused) + " inside of geometry: crossed out, unused", {1, 0.02f, 0.02f}}};
        if (w.settings.net) w.out.legend.push_back({"edges of their tetrahedra", {0.25f, 0.75f, 1}});
    }
    void show_plain(Work& w, Show show) {
        const Atlas& charts = unwrapped(w.job);
        w.settings.show = show;
        w.out.picture = draw(w, nullptr, charts, {});
        if (show == Show::density) w.out.legend = density_legend(level, charts);
        if (show == Show::charts) w.out.legend = chart_legend(charts);
    }
    void show_occlusion(Work& w) {
        const SavedBake& b = bake(w.request.set);
        w.settings.show = Show::occlusion;
        w.out.picture = draw(w, &b, b.atlas, {});
        w.out.legend = {
            {"open", {1, 1, 1}},
            {"half closed", {0.5f, 0.5f, 0.5f}},
            {"closed within " + number(static_cast<double>(level.occlusion.reach)) + " m", {0, 0, 0}}};
        w.out.set.clear();
    }

    void answer(Work& w) {
        const std::string& what = w.request.what;
        if (what == "game") return show_light(w, Show::lit);
        if (what == "light") return show_light(w, Show::light);
        if (what == "albedo") return show_plain(w, Show::albedo);
        if (what == "charts") return show_plain(w, Show::charts);
        if (what == "density") return show_plain(w, Show::density);
        if (what == "overlap") return show_marks(w, unwrapped(w.job), mark_overlaps(level, unwrapped(w.job)));
        if (what == "lux") return show_lux(w);
        if (what == "clipping") return show_clipping(w);
        if (what == "occlusion") return show_occlusion(w);
        if (what == "probes") return show_probes(w);
        if (what == "zones") return show_zones(w);
        if (what == "groups") return show_groups(w);
        if (what == "stale") return show_stale(w);
        if (what == "findings") return show_findings(w);
        if (what == "dots") return show_dots(w);
        if (what == "leaks") {
            constexpr std::size_t leak_places = 4000;
            const SavedBake& b = bake(w.request.set);
            const ViewLight light{&b.sets[0], &b.probes, &b.visibility, &b.occlusion, &b.reflections};
            const std::vector<Leak> leaks = find_leaks(level, b.atlas, {light}, leak_places, w.job)[0];
            show_marks(w, b.atlas, mark_leaks(level, b.atlas, leaks, w.job));
            w.out.set = b.sets[0].name;
            return;
        }
        if (what == "filled") {
            Atlas charts;
            const Baked again = baked_again(w, w.request.set, false, charts);
            return show_marks(w, charts, mark_filled(level, charts, again.sets[0].pages));
        }
        if (what == "reflections") {
            show_light(w, Show::reflections, 1.2f);
            w.out.legend = {
                {std::to_string(bake(w.request.set).reflections.size()) + " reflection probes, as mirrors",
                 {0.7f, 0.7f, 0.7f}}};
            return;
        }
        std::string all;
        for (const Question& q : questions()) all += (all.empty() ? "" : ", ") + std::string(q.name);
        throw Error{.what = "no picture answers that",
                    .where = "--show",
                    .value = what,
                    .remedy = "There are: " + all + "."};
    }
};

Gallery::Gallery(const fs::path& level_file, const fs::path& folder, const fs::path& cache,
                 std::optional<Tier> tier)
    : state_(std::make_unique<State>()) {
    state_->file = level_file;
    state_->folder = folder.empty() ? default_output(level_file) : folder;
    state_->cache = cache.empty() ? default_cache(level_file) : cache;
    state_->level = load_level(level_file);
    if (!tier) tier = baked_tier(state_->folder);
    if (tier) state_->level.quality.tier = *tier;
}
Gallery::~Gallery() = default;

const Level& Gallery::level() const noexcept {
    return state_->level;
}

const SavedBake& Gallery::bake(const std::string& set) {
    return state_->bake(set);
}

ShownPicture Gallery::show(const ShowRequest& request, Job& job) {
    State::Work w{request, job, request.settings, {}};
    state_->answer(w);
    const bool linear = w.out.exposure.has_value();
    w.out.rgb = tone_map(w.out.picture, linear ? w.out.exposure : std::nullopt);
    if (request.legend && !w.out.legend.empty() && w.out.picture.width >= least_mark_width &&
        w.out.picture.height >= least_height)
        draw_legend(w.out.picture.width, w.out.picture.height, w.out.legend, w.out.rgb);
    return std::move(w.out);
}

}  // namespace stasigraph
