// The report's figures and pictures, as the JSON that its page draws.

#include "stasigraph/report.hpp"

#include <algorithm>
#include <cmath>

#include "base/random.hpp"
#include "chart/page_texels.hpp"
#include "codec/files.hpp"
#include "codec/images.hpp"
#include "level/words.hpp"
#include "probe/free_space.hpp"
#include "results/result_parts.hpp"
#include "stasigraph/compare.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/finding_view.hpp"
#include "stasigraph/gallery.hpp"
#include "stasigraph/history.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/kept.hpp"
#include "trace/scene_tree.hpp"
#include "workflow/report_page.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

constexpr int picture_quality = 86, page_quality = 82, finding_width = 480, finding_height = 300;
constexpr std::size_t most_page_images = 32, most_findings_drawn = 60;

std::string base64(const Bytes& bytes) {
    constexpr const char* letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string out;
    out.reserve((bytes.size() + 2) / 3 * 4);
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        const std::size_t left = std::min<std::size_t>(3, bytes.size() - i);
        const std::uint32_t word = static_cast<std::uint32_t>(bytes[i]) << 16 |
                                   (left > 1 ? static_cast<std::uint32_t>(bytes[i + 1]) << 8 : 0) |
                                   (left > 2 ? bytes[i + 2] : 0);
        for (std::size_t k = 0; k < 4; ++k) out += k <= left ? letters[word >> (18 - 6 * k) & 63] : '=';
    }
    return out;
}

std::string jpeg_url(int width, int height, const std::vector<std::uint8_t>& rgb, int quality) {
    return "data:image/jpeg;base64," + base64(encode_jpeg(width, height, rgb, quality));
}

std::string fixed(double v, int digits) {
    char text[48];
    std::snprintf(text, sizeof text, "%.*f", digits, v);
    return text;
}

/// Builds the parts one after the other.
class Writer {
public:
    Writer(const fs::path& level_file, const ReportOptions& settings, Job& job)
        : file_(level_file),
          settings_(settings),
          job_(job),
          folder_(settings.folder.empty() ? default_output(level_file) : settings.folder),
          gallery_(level_file, settings.folder, settings.cache, settings.tier) {
        for (const BakeSet& set : gallery_.level().sets)
            if (set.layer == none && set.step == none) sets_.push_back(set.name);
        if (sets_.empty() && !gallery_.level().sets.empty()) sets_.push_back(gallery_.level().sets[0].name);
    }

    Json run() {
        const SavedBake& first = gallery_.bake(sets_.at(0));
        Json data = {{"name", gallery_.level().name},
                     {"when", utc_text() + " UTC"},
                     {"tier", first.tier},
                     {"stale", first.stale},
                     {"because", first.because}};
        data["looks"] = Json::array();
        data["cameras"] = cameras(data["looks"]);
        data["pages"] = pages();
        data["findings"] = findings();
        data["probes"] = probes();
        data["settings"] = settings();
        data["history"] = history();
        return data;
    }
    ReportFigures figures;

private:
    /// A look at the level: a question under a set, of this bake or of the one kept last.
    struct Look {
        std::string id, label, what, set;
        bool kept = false;
    };

    std::vector<Look> looks() {
        std::vector<Look> all;
        for (const std::string& set : sets_) all.push_back({"set:" + set, set, "game", set});
        const std::vector<KeptBake> kept = kept_bakes(folder_);
        if (!kept.empty()) {
            try {
                before_ = std::make_unique<Gallery>(kept[0].level, kept[0].folder, settings_.cache);
                for (const std::string& set : sets_)
                    if (std::any_of(before_->level().sets.begin(), before_->level().sets.end(),
                                    [&](const BakeSet& s) { return s.name == set; }))
                        all.push_back({"kept:" + set, set + ", as kept in \"" + kept[0].name + "\"", "game",
                                       set, true});
            } catch (const Error& e) {
                job_.note("the kept result " + kept[0].name + " is left out: " + e.text());
            }
        }
        all.push_back({"light", "light on white (" + sets_[0] + ")", "light", sets_[0]});
        all.push_back({"lux", "illuminance (" + sets_[0] + ")", "lux", sets_[0]});
        all.push_back({"density", "texel density", "density", ""});
        all.push_back({"charts", "charts", "charts", ""});
        return all;
    }

    std::vector<Camera> views() const {
        std::vector<Camera> all = gallery_.level().cameras;
        if (!all.empty()) return all;
        // Over the level from a corner.
        Vec3 low{1e30f, 1e30f, 1e30f}, high{-1e30f, -1e30f, -1e30f};
        for (const Surface& s : gallery_.level().surfaces)
            for (const Vec3 p : gallery_.level().meshes[s.mesh]->positions) {
                low = min(low, transform_point(s.to_world, p));
                high = max(high, transform_point(s.to_world, p));
            }
        const Vec3 middle = (low + high) * 0.5f;
        const float size = length(high - low);
        return {{.name = "overview", .eye = middle + Vec3{0.6f, 0.5f, 0.7f} * size, .toward = middle}};
    }

    Json cameras(Json& look_list) {
        const std::vector<Look> all = looks();
        const std::vector<Camera> eyes = views();
        for (const Look& look : all) look_list.push_back({{"id", look.id}, {"label", look.label}});
        job_.begin(Stage::pictures, all.size() * eyes.size());
        // One exposure for a set from a camera, so that a kept result is seen as the new one is.
        Json list = Json::array();
        for (const Camera& eye : eyes) {
            Json pictures = Json::object(), captions = Json::object();
            std::vector<std::pair<std::string, float>> exposures;
            for (const Look& look : all) {
                ShowRequest request{
                    .what = look.what, .camera = eye, .settings = {}, .set = look.set, .exposure = {}};
                request.settings.width = settings_.width;
                request.settings.height = settings_.height;
                for (const auto& [set, ev] : exposures)
                    if (set == look.set && look.what != "lux") request.exposure = ev;
                Job quiet({.threads = job_.threads()});
                const ShownPicture shown = (look.kept ? *before_ : gallery_).show(request, quiet);
                if (look.what == "game" && !look.kept && shown.exposure)
                    exposures.push_back({look.set, *shown.exposure});
                pictures[look.id] = jpeg_url(settings_.width, settings_.height, shown.rgb, picture_quality);
                captions[look.id] =
                    shown.exposure ? "EV " + fixed(static_cast<double>(*shown.exposure), 1) : "";
                ++figures.pictures;
                job_.advance(1);
            }
            list.push_back(
                {{"name", eye.name}, {"pictures", std::move(pictures)}, {"captions", std::move(captions)}});
        }
        figures.cameras = eyes.size();
        return list;
    }

    /// Which chart each texel of a page belongs to, as a picture: red, green and blue are its number from 1
    /// on.
    Json page_charts(const Atlas& atlas, std::uint32_t page) {
        const int side = atlas.pages[page];
        std::vector<std::uint32_t> first(atlas.surfaces.size(), 0);
        Json charts = Json::array();
        for (std::uint32_t s = 0; s < atlas.surfaces.size(); ++s) {
            const SurfaceUv& uv = atlas.surfaces[s];
            if (uv.page != page) continue;
            first[s] = static_cast<std::uint32_t>(charts.size()) + 1;
            for (const Chart& c : atlas.layouts[uv.layout].charts)
                charts.push_back({uv.name, c.width, c.height,
                                  std::round(static_cast<double>(uv.density * c.share) * 100) / 100});
        }
        std::vector<std::uint8_t> ids(4 * static_cast<std::size_t>(side) * static_cast<std::size_t>(side), 0);
        for_page_texels(atlas, page, [&](std::uint32_t s, std::size_t t, int x, int y) {
            const SurfaceUv& uv = atlas.surfaces[s];
            x += uv.x;
            y += uv.y;
            if (x < 0 || y < 0 || x >= side || y >= side) return;
            const std::uint32_t id = first[s] + atlas.layouts[uv.layout].chart[t];
            std::uint8_t* to = &ids[4 * (static_cast<std::size_t>(y) * static_cast<std::size_t>(side) +
                                         static_cast<std::size_t>(x))];
            to[0] = static_cast<std::uint8_t>(id >> 16);
            to[1] = static_cast<std::uint8_t>(id >> 8);
            to[2] = static_cast<std::uint8_t>(id);
            to[3] = 255;
        });
        return {{"side", side},
                {"charts", std::move(charts)},
                {"ids", "data:image/png;base64," + base64(encode_png_rgba(side, side, ids))},
                {"images", Json::object()}};
    }

    Json pages() {
        const Atlas& atlas = gallery_.bake(sets_[0]).atlas;
        Json list = Json::array();
        for (std::uint32_t p = 0; p < atlas.pages.size(); ++p) list.push_back(page_charts(atlas, p));
        std::size_t drawn = 0;
        for (const std::string& set : sets_)
            for (std::uint32_t p = 0; p < atlas.pages.size() && drawn < most_page_images; ++p, ++drawn) {
                const SavedBake& b = gallery_.bake(set);
                if (b.atlas.pages != atlas.pages) continue;
                const PageImage& page = b.sets[0].pages[p];
                Picture picture{page.side, page.side, page.texels};
                for (Rgb& c : picture.pixels) c = c * (1 / pi);
                list[p]["images"][set] =
                    jpeg_url(page.side, page.side, tone_map(picture, auto_exposure(picture)), page_quality);
            }
        figures.pages = atlas.pages.size();
        return list;
    }

    Json findings() {
        const Level level = load_level_to_check(file_);
        const Checked checked = check(level, job_);
        std::vector<Finding> drawn(
            checked.findings.begin(),
            checked.findings.begin() +
                static_cast<std::ptrdiff_t>(std::min(checked.findings.size(), most_findings_drawn)));
        const std::vector<Picture> pictures =
            finding_pictures(level, drawn, finding_width, finding_height, job_);
        Json list = Json::array();
        for (std::size_t i = 0; i < checked.findings.size(); ++i) {
            const Finding& f = checked.findings[i];
            Json entry = {{"id", f.id},
                          {"severity", to_text(f.severity)},
                          {"names", f.names},
                          {"what", f.what},
                          {"remedy", f.remedy},
                          {"places", f.places},
                          {"accepted", f.accepted}};
            if (f.at) entry["at"] = {f.at->x, f.at->y, f.at->z};
            if (i < pictures.size() && !pictures[i].pixels.empty())
                entry["picture"] =
                    jpeg_url(finding_width, finding_height, tone_map(pictures[i], {}), picture_quality);
            list.push_back(std::move(entry));
        }
        figures.findings = checked.findings.size();
        return list;
    }

    /// Light between probes against exact light.
    Json probe_error(const SavedBake& b) {
        const Level& level = gallery_.level();
        const ProbeNet& net = b.probes;
        const std::shared_ptr<const SceneTree> tree = tree_of(level, stands_still, 1);
        const RayCaster& caster = tree->rays();
        const FreeSpace space(level, caster);
        // The middles of tetrahedra whose probes all see them, evenly from the whole net.
        std::vector<Vec3> places;
        const auto wanted = static_cast<std::size_t>(settings_.probe_places);
        for (std::size_t i = 0; i < 8 * wanted && places.size() < wanted && !net.vertex.empty(); ++i) {
            const auto& corners =
                net.vertex[combine_bits(static_cast<std::uint32_t>(i), 0x7265u) % net.vertex.size()];
            if (std::any_of(corners.begin(), corners.end(), [&](std::uint32_t v) { return v >= net.size(); }))
                continue;
            Vec3 middle;
            for (const std::uint32_t v : corners) middle = middle + net.position[v] * 0.25f;
            if (std::all_of(corners.begin(), corners.end(),
                            [&](std::uint32_t v) { return space.sees(net.position[v], middle); }))
                places.push_back(middle);
        }
        if (places.size() < 2) return {};
        const Level shown = as_in_set(level, set_index(level, b.sets[0].name));
        const ViewLight light{&b.sets[0], &b.probes, &b.visibility, nullptr, nullptr, nullptr};
        std::vector<WalkStep> steps = walk_probes({shown, b.atlas}, light, places, {.step = 1e6f}, job_);
        std::sort(steps.begin(), steps.end(),
                  [](const WalkStep& x, const WalkStep& y) { return x.error < y.error; });
        const auto at = [&](double share) {
            return steps[static_cast<std::size_t>(share * static_cast<double>(steps.size() - 1))];
        };
        const WalkStep worst = steps.back();
        Json errors = Json::array();
        for (const WalkStep& s : steps)
            errors.push_back(std::round(static_cast<double>(s.error) * 1e4) / 1e4);
        return {{"set", b.sets[0].name},      {"places", steps.size()},
                {"median", at(0.5).error},    {"p90", at(0.9).error},
                {"worst", worst.error},       {"worst_at", {worst.at.x, worst.at.y, worst.at.z}},
                {"errors", std::move(errors)}};
    }

    Json probes() {
        const SavedBake& b = gallery_.bake(sets_[0]);
        const ProbeNet& net = b.probes;
        Json j = {{"count", net.size()}, {"reflections", b.reflections.size()}};
        std::size_t unused = 0;
        std::vector<std::size_t> by_volume(net.volumes.size() + 1, 0);
        for (std::size_t i = 0; i < net.size(); ++i) {
            unused += net.front_share[i] < 0.7f ? 1 : 0;
            ++by_volume[std::min<std::size_t>(net.volume[i], net.volumes.size())];
        }
        j["unused"] = unused;
        for (std::size_t v = 0; v < by_volume.size(); ++v)
            if (by_volume[v] > 0)
                j["volumes"].push_back({v < net.volumes.size() ? net.volumes[v] : "by hand", by_volume[v]});
        if (net.size() > 0 && settings_.probe_places > 1) j["error"] = probe_error(b);
        return j;
    }

    Json settings() const {
        const Level& level = gallery_.level();
        const BakeOptions& q = level.quality;
        const TierOptions t = tier_options(q);
        const LightmapOptions& m = level.lightmap;
        Json list = Json::array();
        const auto add = [&](const char* key, const std::string& value) { list.push_back({key, value}); };
        add("tier", tier_name(q.tier));
        add("texel density", fixed(static_cast<double>(m.density), 1) + " per metre, " +
                                 fixed(static_cast<double>(m.density * t.density_scale), 1) +
                                 " at this tier");
        add("pages", std::to_string(m.page) + " texels, margin " + std::to_string(m.margin) +
                         (m.block > 1 ? ", blocks of " + std::to_string(m.block) : ""));
        add("shape", std::string(word_of(m.shape)));
        add("bounces", q.bounces ? std::to_string(*q.bounces) : "until settled");
        add("noise aimed for", fixed(100 * static_cast<double>(t.noise), 1) + " %");
        add("links a texel", std::to_string(t.first_links) + " to " + std::to_string(t.most_links));
        add("smoothing", q.denoise == Denoise::automatic ? "on" : "off");
        add("shadow edges", std::string(word_of(q.edges)));
        add("seams", q.seams == Seams::automatic ? "fitted" : "as they come");
        if (q.bounce_gain != 1 || q.saturation != 1)
            add("bounces changed", "gain " + fixed(static_cast<double>(q.bounce_gain), 2) + ", saturation " +
                                       fixed(static_cast<double>(q.saturation), 2));
        add("seed", std::to_string(q.seed));
        add("light groups", std::to_string(level.groups.size()));
        add("lights", std::to_string(level.lights.size()));
        add("surfaces", std::to_string(level.surfaces.size()));
        return list;
    }

    Json history() const {
        Json list = Json::array();
        for (const BakeRecord& r :
             bake_history(settings_.cache.empty() ? default_cache(file_) : settings_.cache)) {
            Json stages = Json::array();
            for (const BakeRecord::Stage& s : r.stages) stages.push_back({s.name, s.seconds, s.bytes});
            list.push_back({{"when", r.when},
                            {"tier", r.tier},
                            {"sets", r.sets},
                            {"because", r.because},
                            {"seconds", r.seconds},
                            {"noise", r.noise},
                            {"texels", r.texels},
                            {"traced", r.traced},
                            {"probes", r.probes},
                            {"stages", std::move(stages)}});
        }
        return list;
    }

    fs::path file_;
    const ReportOptions& settings_;
    Job& job_;
    fs::path folder_;
    Gallery gallery_;
    std::unique_ptr<Gallery> before_;
    std::vector<std::string> sets_;
};

/// Text that may stand within a script element.
std::string safe(std::string json) {
    for (std::size_t at = 0; (at = json.find("</", at)) != std::string::npos; at += 3)
        json.insert(at + 1, "\\");
    return json;
}

}  // namespace

ReportFigures write_report(const fs::path& to, const fs::path& level_file, const ReportOptions& settings,
                           Job& job) {
    if (settings.width < 320 || settings.height < 200 || settings.width > 2048 || settings.height > 2048)
        throw Error{.what = "picture size is out of range",
                    .where = "--size",
                    .value = std::to_string(settings.width) + "x" + std::to_string(settings.height),
                    .remedy = "Use 320x200 to 2048x2048."};
    Writer writer(level_file, settings, job);
    const Json data = writer.run();
    const std::string text = report_page(data["name"].get<std::string>(),
                                         safe(data.dump(-1, ' ', false, Json::error_handler_t::replace)));
    write_text(to, text);
    writer.figures.bytes = text.size();
    return writer.figures;
}

}  // namespace stasigraph
