#include <algorithm>

#include "common.hpp"

#include "stasigraph/check.hpp"
#include "stasigraph/finding_files.hpp"

namespace cli {

using namespace stasigraph;

namespace check_command {

namespace {

struct Options {
    Common common;
    fs::path pictures;
};

Json to_json(const Checked& c, const std::vector<fs::path>& pictures) {
    Json j = {{"errors", c.errors},
              {"warnings", c.warnings},
              {"hints", c.hints},
              {"accepted", c.accepted},
              {"findings", Json::array()}};
    for (std::size_t i = 0; i < c.findings.size(); ++i) {
        const Finding& f = c.findings[i];
        Json entry = {{"id", f.id},         {"severity", to_text(f.severity)},
                      {"nodes", f.names},   {"what", f.what},
                      {"remedy", f.remedy}, {"places", f.places}};
        entry["at"] = f.at ? vec(*f.at) : Json(nullptr);
        if (!f.unit.empty()) {
            entry["measure"] = {{"value", f.measure}, {"unit", f.unit}};
            if (f.limit != 0) entry["measure"]["limit"] = f.limit;
        }
        if (!f.accepted.empty()) entry["accepted"] = f.accepted;
        if (i < pictures.size() && !pictures[i].empty()) entry["picture"] = pictures[i].string();
        j["findings"].push_back(std::move(entry));
    }
    return j;
}

/// Text in lines of at most this many letters, each after an indent.
std::string wrapped(const std::string& text, std::size_t indent, std::size_t width = 100) {
    std::string out, line;
    const auto flush = [&] {
        out += std::string(indent, ' ') + line + "\n";
        line.clear();
    };
    for (std::size_t at = 0; at < text.size();) {
        const std::size_t end = std::min(text.find(' ', at), text.size());
        const std::string word = text.substr(at, end - at);
        if (!line.empty() && indent + line.size() + 1 + word.size() > width) flush();
        line += (line.empty() ? "" : " ") + word;
        at = end + 1;
    }
    if (!line.empty()) flush();
    return out;
}

std::string place_text(Vec3 at) {
    return fmt::format("{:.2f}, {:.2f}, {:.2f}", at.x, at.y, at.z);
}

std::string counted(std::size_t n, const char* one, const char* many) {
    return fmt::format("{} {}", n, n == 1 ? one : many);
}

std::string summary(const Checked& c) {
    std::string text =
        fmt::format("{}, {}, {}", counted(c.errors, "error", "errors"),
                    counted(c.warnings, "warning", "warnings"), counted(c.hints, "hint", "hints"));
    if (c.accepted > 0) text += fmt::format("; {} accepted", c.accepted);
    return text;
}

void print(const Level& level, const Checked& c, const std::vector<fs::path>& pictures) {
    for (std::size_t i = 0; i < c.findings.size(); ++i) {
        const Finding& f = c.findings[i];
        std::string head =
            fmt::format("{:>3}  {:<9}{}", i + 1, f.accepted.empty() ? to_text(f.severity) : "accepted", f.id);
        if (f.at) head += "  at " + place_text(*f.at);
        if (f.places > 1) head += fmt::format("  ({} places)", f.places);
        say("{}\n{}", head, wrapped(f.what, 14));
        if (f.accepted.empty())
            say("{}", wrapped("> " + f.remedy, 14));
        else
            say("{}", wrapped("accepted: " + f.accepted, 14));
        if (i < pictures.size() && !pictures[i].empty()) say("{:14}{}\n", "", pictures[i].string());
    }
    say("{}{}: {}\n", c.findings.empty() ? "" : "\n", level.name, summary(c));
}

/// What reading said that no finding repeats.
void note_rest(const Options& o, const Level& level) {
    for (const std::string& note : level.notes)
        if (!o.common.quiet && std::none_of(level.remarks.begin(), level.remarks.end(),
                                            [&](const Remark& r) { return r.text == note; }))
            log_note(note);
}

bool run(const Options& o, Job& job) {
    const Level level = load_level_to_check(o.common.level);
    note_rest(o, level);
    const Checked c = check(level, job);
    std::vector<fs::path> pictures;
    if (!o.pictures.empty()) pictures = write_finding_pictures(o.pictures, level, c.findings, job);
    if (o.common.json)
        say("{}\n", to_json(c, pictures).dump(1));
    else
        print(level, c, pictures);
    return c.errors > 0;
}

}  // namespace

}  // namespace check_command

void add_check(const Command& app) {
    using namespace check_command;
    auto o = std::make_shared<Options>();
    const Command c =
        app.add_subcommand("check", "what is likely to be wrong, before any bake; exit 3 on errors");
    add_common(c, o->common, "stasigraph check observatory.toml --pictures findings");
    c.add_option("--pictures", o->pictures,
                 "a folder for a picture of each finding that has a place, the place ringed");
    c.callback([o] {
        bool errors = false;
        if (guarded(o->common, [&](Job& job) { errors = run(*o, job); }) == 0 && errors) exit_status() = 3;
    });
}

}  // namespace cli
