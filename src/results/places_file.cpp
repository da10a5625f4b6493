// places.json: where probes are.

#include <algorithm>

#include "codec/files.hpp"
#include "codec/json_node.hpp"
#include "results/result_parts.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

constexpr int places_version = 1;
constexpr const char* file_name = "places.json";

Json figures_json(const PlaceFigures& f) {
    Json rules = Json::object();
    for (int r = 0; r < probe_rules; ++r)
        rules[to_text(static_cast<ProbeRule>(r))] = {
            {"tried", f.made[r]}, {"candidates", f.candidates[r]}, {"kept", f.kept[r]}};
    return {
        {"rules", rules},
        {"nudged", f.nudged},
        {"dropped",
         {{"inside_something", f.in_solids},
          {"too_close", f.too_close},
          {"excepted", f.excepted},
          {"beneath_floor", f.beneath},
          {"nothing_near", f.empty},
          {"merged", f.merged}}},
        {"by_hand_inside_something", f.bad_by_hand},
        {"thinned", f.thinned},
        {"checked", f.checked},
        {"error", {{"worst", f.worst_error}, {"worst_at", vec(f.worst_at)}, {"percentile_95", f.error_95}}}};
}

std::vector<ProbePlace> read_places(const Json& json, const Level& level) {
    const JsonNode root(json, "places.json:");
    std::vector<ProbePlace> places;
    const JsonNode probes = root["probes"];
    for (std::size_t i = 0; i < probes.size(); ++i) {
        const JsonNode p = probes[i];
        if (p["at"].size() != 3) p.fail("has no place");
        ProbePlace place;
        float* to[3] = {&place.position.x, &place.position.y, &place.position.z};
        for (std::size_t k = 0; k < 3; ++k) *to[k] = static_cast<float>(p["at"][k].number(0));
        const std::string rule = p["rule"].text(""), volume = p["volume"].text("");
        int number = 0;
        while (number < probe_rules && rule != to_text(static_cast<ProbeRule>(number))) ++number;
        if (number == probe_rules) p.fail("has no known rule");
        place.rule = static_cast<ProbeRule>(number);
        const auto at = std::find_if(level.volumes.begin(), level.volumes.end(),
                                     [&](const Volume& v) { return v.name == volume; });
        // A volume that is gone: what was in it goes, too.
        if (at == level.volumes.end() && place.rule != ProbeRule::hand) continue;
        if (at != level.volumes.end()) place.volume = static_cast<std::uint32_t>(at - level.volumes.begin());
        places.push_back(place);
    }
    return places;
}

Json read(const fs::path& folder) {
    std::error_code bad;
    if (!fs::exists(folder / file_name, bad)) return {};
    try {
        const Bytes bytes = read_file(folder / file_name);
        return Json::parse(bytes.begin(), bytes.end());
    } catch (const nlohmann::json::exception&) {
        return {};
    }
}

bool is_places(const Json& json) {
    return json.is_object() && json.value("format", "") == "stasigraph places" && json.contains("version") &&
           json["version"] == places_version;
}

}  // namespace

std::optional<std::vector<ProbePlace>> load_places(const fs::path& folder, const Level& level) {
    const Json json = read(folder);
    if (!has_probes(level) || !is_places(json) || json.value("key", "") != places_key(level)) return {};
    try {
        return read_places(json, level);
    } catch (const Error&) {
        return {};
    }
}

std::vector<ProbePlace> load_earlier_places(const fs::path& folder, const Level& level) {
    const Json json = read(folder);
    if (!is_places(json)) return {};
    try {
        return read_places(json, level);
    } catch (const Error&) {
        return {};
    }
}

std::string places_text(const Level& level, const PlacedProbes& placed, const PlaceFigures* figures) {
    Json json = {{"format", "stasigraph places"},
                 {"version", places_version},
                 {"key", placed.key},
                 {"count", placed.places.size()}};
    if (figures) json["figures"] = figures_json(*figures);
    json["probes"] = Json::array();
    std::string text = json.dump(1);
    // A line for each probe.
    text.resize(text.rfind("[]"));
    text += "[";
    bool first = true;
    for (const ProbePlace& p : placed.places) {
        Json entry = {{"at", vec(p.position)}, {"rule", to_text(p.rule)}};
        if (p.volume < level.volumes.size()) entry["volume"] = level.volumes[p.volume].name;
        text += (first ? "\n  " : ",\n  ") + entry.dump();
        first = false;
    }
    return text + "\n ]\n}\n";
}

void save_places(const fs::path& folder, const Level& level, const PlacedProbes& placed) {
    write_text(folder / file_name, places_text(level, placed, &placed.figures));
}

}  // namespace stasigraph
