#include "common.hpp"

#include <spdlog/sinks/stdout_color_sinks.h>
#include <spdlog/spdlog.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <fstream>

namespace cli {

using namespace stasigraph;

namespace {

/// Set by the first signal; jobs look at it. A second one ends the tool at once, whatever it hangs in.
std::atomic<bool> interrupted{false};
static_assert(std::atomic<bool>::is_always_lock_free, "signal handlers may do no more");

void interrupt(int) {
    if (interrupted.exchange(true)) _exit(130);
}

spdlog::logger& log() {
    static const auto logger = [] {
        auto made = spdlog::stderr_color_mt("stasigraph");
        made->set_pattern("%^%l%$: %v");
        return made;
    }();
    return *logger;
}

/// One line, rewritten in place on a terminal; elsewhere a new line every few seconds.
class ProgressLine {
public:
    void show(const Progress& p) {
        if (p.seconds < 1) return;
        const bool terminal = isatty(STDERR_FILENO) != 0;
        if (!terminal && p.seconds - last_ < 5) return;
        last_ = p.seconds;
        const std::string left = p.seconds_left < 0 ? "" : ", " + seconds_text(p.seconds_left) + " left";
        fmt::print(stderr, "{}{:>3.0f} %  {}{}{}", terminal ? "\r" : "", p.done * 100, p.stage, left,
                   terminal ? "\033[K" : "\n");
        shown_ = terminal;
    }
    void clear() {
        if (shown_) fmt::print(stderr, "\r\033[K");
        shown_ = false;
    }

private:
    double last_ = 0;
    bool shown_ = false;
};

ProgressLine& progress_line() {
    static ProgressLine line;
    return line;
}

}  // namespace

void clear_progress() {
    progress_line().clear();
}

int& exit_status() {
    static int status = 0;
    return status;
}

void add_common(const Command& app, Common& common, const std::string& example, const std::string& level) {
    app.add_option("LEVEL", common.level, level).required();
    app.add_flag("--json", common.json, "answer as JSON on standard output");
    app.add_flag("--quiet", common.quiet, "no notes and no progress");
    app.add_option("--threads", common.threads, "worker threads; 0 is one a core. Never changes a result")
        .check(range(0, 1024));
    app.footer("Example:\n  " + example);
}

void add_tier(const Command& app, Common& common) {
    app.add_option("--tier", common.tier, "glance, proof or final; the one baked last unless given")
        .check(one_of({"glance", "proof", "final"}));
}

void look_at_tier(const Common& common, const fs::path& folder, Level& level) {
    if (!common.tier.empty())
        level.quality.tier = *tier_named(common.tier);
    else if (const std::optional<Tier> baked = baked_tier(folder))
        level.quality.tier = *baked;
}

int guarded(const Common& common, const std::function<void(Job&)>& body) {
    ProgressLine& line = progress_line();
    JobOptions settings{.threads = common.threads,
                        .memory = static_cast<std::uint64_t>(common.memory * 1e9),
                        .stop = [] { return interrupted.load(std::memory_order_relaxed); },
                        .on_progress = {},
                        .on_note = {}};
    std::signal(SIGINT, interrupt);
    std::signal(SIGTERM, interrupt);
    if (!common.quiet || common.watch)
        settings.on_progress = [&](const Progress& p) {
            if (!common.quiet) line.show(p);
            if (common.watch) common.watch(p);
        };
    if (!common.quiet) {
        settings.on_note = [&](std::string_view text) {
            line.clear();
            log().info("{}", text);
        };
    }
    int status = 0;
    try {
        Job job(std::move(settings));
        body(job);
        line.clear();
    } catch (const Error& e) {
        line.clear();
        log().error("{}", e.text());
        status = 1;
    } catch (const Cancelled&) {
        line.clear();
        log().warn("interrupted; {}", left_behind());
        status = 130;
    } catch (const std::bad_alloc&) {
        log().error("not enough memory. Lower the density or the tier.");
        status = 1;
    } catch (const std::exception& e) {
        log().error("{}", e.what());
        status = 1;
    }
    return exit_status() = status;
}

std::string& left_behind() {
    static std::string text = "nothing was written";
    return text;
}

void log_note(const std::string& text) {
    clear_progress();
    log().info("{}", text);
}

namespace {

/// Notes that were told of this level before: what stays as it is need not be read again with every command.
std::vector<std::string> news(const fs::path& level_file, const std::vector<std::string>& notes) {
    const fs::path file = default_cache(level_file) / ("told-" + level_file.filename().string() + ".txt");
    std::vector<std::string> told, fresh;
    std::ifstream in(file);
    for (std::string line; std::getline(in, line);) told.push_back(line);
    std::string all;
    for (const std::string& note : notes) {
        if (std::find(told.begin(), told.end(), note) == told.end()) fresh.push_back(note);
        all += note + "\n";
    }
    if (!fresh.empty() || told.size() != notes.size()) try {
            write_text(file, all);
        } catch (const Error&) {
            // Then they are told again.
        }
    return fresh;
}

}  // namespace

void tell(const Common& common, const Level& level) {
    if (common.quiet) return;
    clear_progress();
    for (const std::string& warning : level.warnings) log().warn("{}", warning);
    for (const std::string& note : news(common.level, level.notes)) log().info("{}", note);
}

Level load(const Common& common) {
    Level level = load_level(common.level);
    tell(common, level);
    return level;
}

std::string reasons_text(const std::vector<std::string>& reasons) {
    constexpr std::size_t most = 3;
    std::string s;
    for (std::size_t i = 0; i < std::min(reasons.size(), most); ++i) s += (i ? "; " : "") + reasons[i];
    if (reasons.size() > most) s += fmt::format("; and {} more changes", reasons.size() - most);
    return s;
}

std::string bytes_text(double bytes) {
    if (bytes < 1e3) return fmt::format("{:.0f} B", bytes);
    if (bytes < 1e6) return fmt::format("{:.1f} kB", bytes / 1e3);
    if (bytes < 1e9) return fmt::format("{:.1f} MB", bytes / 1e6);
    return fmt::format("{:.2f} GB", bytes / 1e9);
}

std::string seconds_text(double seconds) {
    if (seconds < 10) return fmt::format("{:.1f} s", seconds);
    if (seconds < 90) return fmt::format("{:.0f} s", seconds);
    const int whole = static_cast<int>(seconds + 0.5);
    return whole < 3600 ? fmt::format("{}:{:02} min", whole / 60, whole % 60)
                        : fmt::format("{}:{:02} h", whole / 3600, whole / 60 % 60);
}

std::string count_text(double count) {
    if (count < 1e4) return fmt::format("{:.0f}", count);
    if (count < 1e6) return fmt::format("{:.1f} thousand", count / 1e3);
    return fmt::format("{:.1f} million", count / 1e6);
}

Json vec(Vec3 v) {
    return Json::array({v.x, v.y, v.z});
}
Json rgb(Rgb c) {
    return Json::array({c.r, c.g, c.b});
}

Json setting_json(const SettingValue& v) {
    Json j = {{"key", v.key}};
    if (!v.text.empty())
        j["value"] = v.text;
    else if (v.numbers.size() == 1)
        j["value"] = v.numbers[0];
    else
        j["value"] = v.numbers.empty() ? Json(nullptr) : Json(v.numbers);
    if (!v.unit.empty()) j["unit"] = v.unit;
    if (v.low < v.high) j["range"] = {v.low, v.high};
    if (!v.words.empty()) j["words"] = v.words;
    return j;
}

Vec3 parse_vec(const std::string& text, const std::string& option) {
    Vec3 v;
    char rest = 0;
    if (std::sscanf(text.c_str(), "%f,%f,%f%c", &v.x, &v.y, &v.z, &rest) != 3 || !is_finite(v))
        throw UsageError{option, "needs three numbers as X,Y,Z, not \"" + text + "\""};
    if (std::max({std::abs(v.x), std::abs(v.y), std::abs(v.z)}) > farthest_place)
        throw UsageError{option, "lies farther than 1000 km from the origin: " + text};
    return v;
}

void add_camera(const Command& app, CameraOptions& o) {
    const Argument camera =
        app.add_option("--camera", o.camera, "a camera of the level; the first unless given");
    const Argument eye =
        app.add_option("--eye", o.eye, "where to look from, X,Y,Z in metres").excludes(camera);
    const Argument toward =
        app.add_option("--toward", o.toward, "what to look at, X,Y,Z in metres").needs(eye);
    eye.needs(toward);
    app.add_option("--fov", o.fov, "vertical field of view with --eye, degrees").check(range(1.0, 170.0));
}

void check_camera(const CameraOptions& o) {
    if (o.eye.empty()) return;
    parse_vec(o.eye, "--eye");
    parse_vec(o.toward, "--toward");
}

Camera camera_of(const CameraOptions& o, const Level& level) {
    if (o.eye.empty()) return camera_named(level, o.camera);
    Camera c{.name = "eye",
             .eye = parse_vec(o.eye, "--eye"),
             .toward = parse_vec(o.toward, "--toward"),
             .vertical_fov = o.fov * pi / 180};
    if (!(length(c.toward - c.eye) > 0))
        throw Error{
            .what = "is the same point as --eye", .where = "--toward", .value = o.toward, .remedy = ""};
    return c;
}

void warn_stale(const SavedBake& bake) {
    clear_progress();
    log().warn("what follows is out of date: {}. Run `stasigraph bake` to bring it up to date.",
               bake.because.empty() ? "surfaces changed since it was baked" : reasons_text(bake.because));
}

void warn_unlit(const Level& level) {
    std::string names;
    std::size_t count = 0;
    for (const Surface& s : level.surfaces)
        if (s.part != Part::bake_only && (s.part == Part::moving || s.lit_by == LitBy::probes) &&
            ++count <= 3)
            names += (names.empty() ? "" : ", ") + s.name;
    if (count == 0) return;
    clear_progress();
    log().warn("{}{} black: there are no probes to light {}. Add a [[volume]] to the sheet and bake.", names,
               count > 3   ? fmt::format(" and {} more are", count - 3)
               : count > 1 ? " are"
                           : " is",
               count > 1 ? "them" : "it");
}

BakedLevel load_baked(const Common& common, Level level, const fs::path& folder, const std::string& set) {
    BakedLevel b = load_baked_level(std::move(level), folder, set, tier_named(common.tier));
    if (b.bake.stale && !common.quiet) warn_stale(b.bake);
    return b;
}

}  // namespace cli
