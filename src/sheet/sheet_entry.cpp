#include "sheet/sheet_entry.hpp"

#include <algorithm>
#include <map>
#include <sstream>
#include <tuple>

#include "base/renamed.hpp"
#include "base/text.hpp"
#include "level/fields.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

using Keys = std::vector<std::string_view>;

/// Keys that a sheet says members of Ts with, by table, in the order in which they are listed.
template <class... Ts>
void add_keys_of_members(std::map<std::string_view, Keys>& keys) {
    const auto add = [&](const Field& f, const auto&) {
        for (std::string_view rest = f.sheet; !rest.empty();) {
            const std::string_view path = rest.substr(0, rest.find(", "));
            rest.remove_prefix(std::min(rest.size(), path.size() + 2));
            Keys& known = keys[path.substr(0, path.rfind('.'))];
            const std::string_view key = path.substr(path.rfind('.') + 1);
            if (std::find(known.begin(), known.end(), key) == known.end()) known.push_back(key);
        }
    };
    const std::tuple<Ts...> any;
    (for_fields(std::get<Ts>(any), add), ...);
}

/// Keys that say no member by itself: which things an entry is about, and what several members follow from.
const std::map<std::string_view, Keys>& other_keys() {
    static const std::map<std::string_view, Keys> keys = {
        {"level", {"scene", "suns"}},
        {"lightmap", {"mips_safe"}},
        {"sky", {"sun"}},
        {"surface", {"match", "material"}},
        {"light", {"length"}},
        {"rig", {"name", "match", "model", "light"}},
        {"group", {"name", "match"}},
        {"series", {"latitude", "date", "from", "to", "step", "path", "gain", "tint", "exposure"}},
        {"volume", {"node", "at", "from", "figure"}},
        {"reflection", {"node", "at", "normal", "size", "volume", "seeds", "floor"}},
        {"zone", {"turn", "node"}},
        {"probe", {"at", "node"}},
        {"play",
         {"level", "set", "figure", "front", "carries", "camera", "fps", "until", "size", "step", "change"}},
        {"play.step", {"at", "place"}},
        {"play.change",
         {"at", "set", "series", "clock", "hours_a_second", "layer", "zone", "seconds", "curve", "scale",
          "add", "flicker"}},
    };
    return keys;
}

const std::map<std::string_view, Keys>& schema() {
    static const std::map<std::string_view, Keys> keys = [] {
        std::map<std::string_view, Keys> all;
        add_keys_of_members<Surface, Light, Sky, BakeSet, SeriesStep, Camera, Figure, Volume, ProbeOptions,
                            ReflectionProbe, ReflectionRule, Zone, LightmapOptions, BakeOptions,
                            OcclusionOptions, PrelitOptions, CheckOptions, Acceptance>(all);
        for (const auto& [table, own] : other_keys())
            all[table].insert(all[table].end(), own.begin(), own.end());
        // A rig says where its lamps hang.
        all["rig.light"] = all["light"];
        all["light"].insert(all["light"].end(), {"match", "node"});
        return all;
    }();
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

bool is_single_table(std::string_view name) {
    constexpr std::string_view single[] = {"level",     "lightmap", "quality", "sky",
                                           "occlusion", "prelit",   "probes",  "check"};
    return std::find(std::begin(single), std::end(single), name) != std::end(single);
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

Entry Entry::inner(std::string_view key, const std::string& example) const {
    const toml::table* t = table_[key].as_table();
    if (!t) fail(key, "is not a table", "Write " + example + ".");
    return Entry(*t, file_, name_ + "." + std::string(key));
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
