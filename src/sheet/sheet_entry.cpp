#include "sheet/sheet_entry.hpp"

#include <algorithm>
#include <map>
#include <sstream>

#include "base/renamed.hpp"
#include "base/text.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

using Keys = std::vector<std::string_view>;

const std::map<std::string_view, Keys>& schema() {
    static const Keys lamp = {"group",   "kelvin", "color",    "tint",    "gain",      "bake",   "lux",
                              "candela", "nit",    "lumens",   "radius",  "width",     "height", "length",
                              "range",   "edge",   "diameter", "azimuth", "elevation", "at",     "from",
                              "toward",  "across", "inner",    "outer",   "profile",   "kind",   "name"};
    static const Keys light = [] {
        Keys all = lamp;
        all.insert(all.end(), {"match", "node"});
        return all;
    }();
    static const std::map<std::string_view, Keys> keys = {
        {"level", {"scene", "seed", "suns"}},
        {"check", {"least_lux"}},
        {"accept", {"finding", "match", "reason"}},
        {"lightmap",
         {"density", "page", "pages", "margin", "mips_safe", "block", "stretch_limit", "unseen", "shape",
          "cut", "cut_within", "sides"}},
        {"quality",
         {"tier", "bounces", "bounce_gain", "saturation", "noise", "links", "denoise", "seams", "edges"}},
        {"occlusion", {"reach"}},
        {"prelit", {"by", "detail", "exposure"}},
        {"sky",
         {"radiance", "image", "turn", "type", "lux", "azimuth", "elevation", "ground", "sun", "kelvin",
          "gain", "group"}},
        {"surface",
         {"match", "material", "density", "unwrap", "lit_by", "part", "gain", "group", "cut", "sides"}},
        {"light", light},
        {"rig", {"name", "match", "model", "light"}},
        {"rig.light", lamp},
        {"group", {"name", "match", "layer"}},
        {"set", {"name", "gain", "tint", "exposure"}},
        {"series",
         {"name", "sun", "latitude", "date", "hours", "from", "to", "step", "path", "gain", "tint",
          "exposure"}},
        {"volume", {"name",   "shape", "low",  "high",    "turn",     "node",    "at",
                    "radius", "from",  "to",   "except",  "priority", "spacing", "clearance",
                    "near",   "floor", "fill", "heights", "figure",   "seeds",   "around"}},
        {"reflection", {"name",     "shape",     "low",        "high",    "turn",       "node",    "at",
                        "radius",   "normal",    "size",       "on",      "blend",      "capture", "parallax",
                        "room_low", "room_high", "resolution", "near",    "sky_beyond", "sees",    "priority",
                        "fill",     "volume",    "seeds",      "spacing", "height",     "floor"}},
        {"zone", {"name", "low", "high", "turn", "node", "match", "except", "probes", "with", "without"}},
        {"probe", {"at", "node"}},
        {"probes", {"tolerance", "budget", "merge", "default"}},
        {"camera", {"name", "eye", "toward", "fov"}},
        {"play",
         {"level", "set", "figure", "front", "carries", "camera", "fps", "until", "size", "step", "change"}},
        {"play.step", {"at", "place"}},
        {"play.change",
         {"at", "set", "series", "clock", "hours_a_second", "layer", "zone", "seconds", "curve", "scale",
          "add", "flicker"}},
    };
    return keys;
}

/// ":12"; of what was put in from outside, which has no line, " as changed".
std::string line_text(const toml::source_region& at) {
    return at.begin.line > 0 ? ":" + std::to_string(at.begin.line) : " as changed";
}

}  // namespace

std::vector<std::string_view> sheet_tables() {
    Keys known;
    for (const auto& [name, keys] : schema())
        if (name.find('.') == std::string_view::npos && name != "play") known.push_back(name);
    return known;
}

Entry::Entry(const toml::table& table, std::string file, std::string name)
    : table_(table), file_(std::move(file)), name_(std::move(name)) {
    const Keys& known = schema().at(name_);
    for (const auto& [key, value] : table_) {
        if (std::find(known.begin(), known.end(), key.str()) != known.end()) continue;
        const std::string near = nearest_word(key.str(), known), now(new_word(key.str()));
        std::string all;
        for (std::string_view k : known) all += (all.empty() ? "" : ", ") + std::string(k);
        throw Error{.what = "[" + name_ + "] has no such key",
                    .where = file_ + line_text(key.source()),
                    .value = std::string(key.str()),
                    .remedy = !now.empty()   ? "It is called " + now + " now."
                              : near.empty() ? "Known keys: " + all + "."
                                             : "Did you mean \"" + near + "\"?"};
    }
}

std::string Entry::where(std::string_view key) const {
    const toml::node* node = table_.get(key);
    return file_ + line_text(node ? node->source() : table_.source()) + ": " + name_ + "." + std::string(key);
}

void Entry::fail(std::string_view key, const std::string& what, const std::string& remedy) const {
    std::ostringstream value;
    if (const toml::node* node = table_.get(key)) node->visit([&](const auto& v) { value << v; });
    const toml::node* at = table_.get(key);
    const std::string_view now = new_word(at ? at->value<std::string>().value_or("") : "");
    throw Error{.what = what,
                .where = where(key),
                .value = value.str(),
                .remedy = now.empty() ? remedy : "It is called \"" + std::string(now) + "\" now."};
}

std::optional<double> Entry::number(std::string_view key, double low, double high) const {
    if (!has(key)) return std::nullopt;
    const auto v = table_[key].value<double>();
    if (!v || table_[key].is_boolean() || !(*v >= low && *v <= high))
        fail(key, "is not a number from " + to_text(low) + " to " + to_text(high), "");
    return v;
}

std::optional<std::string> Entry::text(std::string_view key) const {
    if (!has(key)) return std::nullopt;
    const auto v = table_[key].value_exact<std::string>();
    if (!v) fail(key, "is not a text", "Put it in quotes.");
    return v;
}

std::optional<bool> Entry::flag(std::string_view key) const {
    if (!has(key)) return std::nullopt;
    const auto v = table_[key].value_exact<bool>();
    if (!v) fail(key, "is neither true nor false", "");
    return v;
}

std::string Entry::needed_text(std::string_view key) const {
    auto v = text(key);
    if (!v || v->empty()) fail(key, "is missing", "Give this [[" + name_ + "]] a " + std::string(key) + ".");
    return *v;
}

std::optional<Vec3> Entry::vector(std::string_view key, double low, double high) const {
    if (!has(key)) return std::nullopt;
    const toml::array* a = table_[key].as_array();
    double v[3] = {};
    bool good = a && a->size() == 3;
    for (std::size_t i = 0; good && i < 3; ++i) {
        const auto x = (*a)[i].value<double>();
        good = x && *x >= low && *x <= high;
        if (good) v[i] = *x;
    }
    if (!good)
        fail(key, "is not three numbers from " + to_text(low) + " to " + to_text(high),
             "Write for example [1.0, 2.0, 3.0].");
    return Vec3{static_cast<float>(v[0]), static_cast<float>(v[1]), static_cast<float>(v[2])};
}

std::optional<Rgb> Entry::color(std::string_view key, double high) const {
    const auto v = vector(key, 0, high);
    return v ? std::optional(Rgb{v->x, v->y, v->z}) : std::nullopt;
}

std::filesystem::path SheetFiles::open(const Entry& e, std::string_view key) {
    const std::filesystem::path path = referenced_file(folder, e.needed_text(key), e.where(key));
    hashes += hash_text(read_file(path));
    opened.push_back(path);
    return path;
}

std::vector<std::string_view> surface_names(const Level& level) {
    std::vector<std::string_view> names;
    for (const Surface& s : level.surfaces) {
        names.push_back(s.node);
        names.push_back(s.name);
    }
    return names;
}
std::vector<std::string_view> light_names(const Level& level) {
    std::vector<std::string_view> names;
    for (const Light& l : level.lights) names.push_back(l.name);
    return names;
}
std::vector<std::string_view> node_names(const Level& level) {
    std::vector<std::string_view> names;
    for (const SceneNode& p : level.nodes) names.push_back(p.name);
    return names;
}

namespace {

/// The names nearest to a pattern, at most three: those that are as near as the nearest without its stars.
std::string nearest_names(const std::string& pattern, std::vector<std::string_view> candidates) {
    std::string bare;
    for (const char c : pattern)
        if (c != '*' && c != '?') bare += c;
    std::string list;
    for (int k = 0; k < 3; ++k) {
        const std::string near = nearest_word(bare, candidates);
        if (near.empty()) break;
        list += (list.empty() ? "" : ", ") + near;
        std::erase(candidates, near);
    }
    // A part of a name is meant more often than another spelling of the whole.
    for (const std::string_view name : candidates)
        if (list.empty() && !bare.empty() &&
            (name.find(bare) != std::string_view::npos ||
             (name.size() > 2 && bare.find(name) != std::string::npos)))
            list = name;
    return list;
}

}  // namespace

void note_unmatched(Level& level, const Entry& e, const std::string& pattern,
                    const std::vector<std::string_view>& candidates, const char* key) {
    const std::string near = nearest_names(pattern, candidates),
                      text = e.where(key) + ": \"" + pattern + "\" matches nothing" +
                             (near.empty() ? "" : "; nearest: " + near);
    level.warnings.push_back(text);
    level.remarks.push_back({.finding = "sheet-no-match", .name = pattern, .text = text});
}

}  // namespace stasigraph
