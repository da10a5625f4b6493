#include "sheet/sheet.hpp"

#include <algorithm>

#include "base/renamed.hpp"
#include "base/text.hpp"
#include "gltf/gltf_scene.hpp"
#include "sheet/sheet_change.hpp"
#include "sheet/sheet_entry.hpp"
#include "sheet/sheet_fields.hpp"
#include "sheet/sheet_lights.hpp"
#include "sheet/sheet_probes.hpp"
#include "sheet/sheet_reflections.hpp"
#include "sheet/sheet_series.hpp"
#include "sheet/sheet_shapes.hpp"
#include "sheet/sheet_zones.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

struct Sheet::State {
    std::string file;
    toml::table table;
    mutable SheetFiles files;
    mutable int suns = 1;
    bool judged = false;

    static std::string example_of(const std::string& table) {
        return table == "light"     ? ", then match = \"lamp_*\" and gain = 1.5"
               : table == "surface" ? ", then match = \"crate_*\" and density = 0.5"
               : table == "set"     ? ", then name = \"noon\" and gain = { sun = 1.0 }"
               : table == "group"   ? ", then name = \"night lamps\" and match = \"lamp_*\""
               : table == "camera"  ? ", then name, eye and toward"
                                    : "";
    }

    void check_tables() const {
        const std::vector<std::string_view> known = sheet_tables();
        for (const auto& [key, value] : table) {
            const std::string where = file + ":" + std::to_string(key.source().begin.line), name(key.str());
            if (std::find(known.begin(), known.end(), key.str()) == known.end()) {
                const std::string near = nearest_word(key.str(), known), now(new_word(name));
                throw Error{.what = "there is no such table",
                            .where = where,
                            .value = name,
                            .remedy = !now.empty()   ? "It is called " + now + " now."
                                      : near.empty() ? ""
                                                     : "Did you mean \"" + near + "\"?"};
            }
            const bool single = is_single_table(name);
            if (single ? !value.is_table() : !value.is_array_of_tables())
                throw Error{.what = "must be written as a table",
                            .where = where,
                            .value = name,
                            .remedy = single ? "Write [" + name + "], once."
                                             : "Write it with two brackets, once for each: [[" + name + "]]" +
                                                   example_of(name) + "."};
            each(name, [](const Entry&) {});
        }
    }

    /// A bake refuses such a page; `check` goes on with the next one there is, to find the rest.
    void bad_page(Level& level, const Entry& e, double asked) const {
        constexpr const char* what = "page size is no power of two between 16 and 16384";
        if (!judged) e.fail("page", what, "Use 512, 1024, 2048 or 4096.");
        level.lightmap.page = 16;
        while (level.lightmap.page < asked && level.lightmap.page < 16384) level.lightmap.page *= 2;
        level.remarks.push_back({.finding = "page-size",
                                 .name = e.where("page"),
                                 .text = e.where("page") + ": " + what,
                                 .count = asked});
    }

    /// Calls f for the table or every table of the array.
    template <class F>
    void each(std::string_view name, F f) const {
        const toml::node* node = table.get(name);
        if (!node) return;
        if (const toml::table* t = node->as_table()) return f(Entry(*t, file, std::string(name)));
        for (const toml::node& element : *node->as_array())
            f(Entry(*element.as_table(), file, std::string(name)));
    }

    void settings(Level& level) const {
        each("level", [&](const Entry& e) {
            read_fields(e, level.quality);
            if (const auto v = e.number("suns", 1, 16)) suns = static_cast<int>(*v);
        });
        each("lightmap", [&](const Entry& e) {
            read_fields(e, level.lightmap);
            if (const auto v = e.number("page", 1, 65536)) {
                level.lightmap.page = static_cast<int>(*v);
                if (*v != std::floor(*v) || *v < 16 || *v > 16384 ||
                    (level.lightmap.page & (level.lightmap.page - 1)) != 0)
                    bad_page(level, e, *v);
            }
            if (const auto v = e.number("mips_safe", 0, 5)) {
                if (*v != std::floor(*v)) e.fail("mips_safe", "is not a whole number", "");
                level.lightmap.margin =
                    std::max(level.lightmap.margin, margin_for_mips(static_cast<int>(*v)));
            }
            if (level.lightmap.block != 1 && level.lightmap.block != 4 && level.lightmap.block != 8)
                e.fail("block", "is not the block of any compressed texture",
                       "Use 4, or 8 to keep one mipmap level apart too; 1 is none.");
        });
        each("quality", [&](const Entry& e) { read_fields(e, level.quality); });
    }

    void further_maps(Level& level) const {
        each("occlusion", [&](const Entry& e) {
            level.occlusion.reach = 1.5f;
            read_fields(e, level.occlusion);
        });
        each("prelit", [&](const Entry& e) {
            level.prelit.by = PrelitBy::page;
            read_fields(e, level.prelit);
        });
    }

    void surfaces(Level& level) const {
        each("surface", [&](const Entry& e) {
            const std::string match = e.text("match").value_or("*"),
                              material = e.text("material").value_or("*");
            bool any = false;
            for (Surface& s : level.surfaces) {
                if (!(glob_match(match, s.node) || glob_match(match, s.name)) ||
                    !glob_match(material, level.materials[s.material].name))
                    continue;
                any = true;
                read_fields(e, s);
                if (const auto v = e.text("group")) s.group = group_index(level, *v);
            }
            if (!any) note_unmatched(level, e, match, surface_names(level));
        });
    }

    void groups(Level& level) const {
        each("group", [&](const Entry& e) {
            const std::uint32_t group = group_index(level, e.needed_text("name"));
            if (e.flag("layer").value_or(false) && !e.has("match")) return;  // said of a group that is there
            const std::string match = e.needed_text("match");
            bool any = false;
            for (Light& light : level.lights)
                if (glob_match(match, light.name)) {
                    light.group = group;
                    any = true;
                }
            for (Surface& s : level.surfaces)
                if (max_channel(level.materials[s.material].emission) > 0 &&
                    (glob_match(match, s.node) || glob_match(match, s.name))) {
                    s.group = group;
                    any = true;
                }
            if (!any) {
                std::vector<std::string_view> names = light_names(level);
                for (const std::string_view name : surface_names(level)) names.push_back(name);
                note_unmatched(level, e, match, names);
            }
        });
    }

    /// Calls take(group, value) for each entry of a table by group; it returns what is wrong with the value.
    template <class Take>
    void each_gain(const Entry& e, const Level& level, const char* key, Take&& take) const {
        if (!e.has(key)) return;
        const toml::table* gains = e.node(key)->as_table();
        if (!gains)
            e.fail(key, "is not a table by light group",
                   key == std::string("gain") ? "Write gain = { sun = 0.5, sky = 1.0 }."
                                              : "Write tint = { sun = [1.0, 0.9, 0.8] }.");
        for (const auto& [name, value] : *gains) {
            const std::string where = file + ":" + std::to_string(name.source().begin.line) + ": " +
                                      (e.has("name") ? "set \"" + e.needed_text("name") + "\", " : "") + key;
            const auto at = std::find(level.groups.begin(), level.groups.end(), name.str());
            std::string all;
            const std::vector<std::string_view> known(level.groups.begin(), level.groups.end());
            const std::string near = nearest_word(name.str(), known);
            for (const std::string& k : level.groups) all += (all.empty() ? "" : ", ") + k;
            if (at == level.groups.end())
                throw Error{.what = "there is no such light group",
                            .where = where,
                            .value = std::string(name.str()),
                            .remedy = near.empty() ? "The level has: " + all + "."
                                                   : "Did you mean \"" + near + "\"?"};
            const std::string wrong = take(static_cast<std::size_t>(at - level.groups.begin()), value);
            if (!wrong.empty())
                throw Error{.what = wrong, .where = where, .value = std::string(name.str()), .remedy = ""};
        }
    }

    void sets(Level& level) const {
        each("set", [&](const Entry& e) {
            BakeSet set{.name = e.needed_text("name"),
                        .gains = std::vector<float>(level.groups.size(), 1.0f),
                        .tints = {},
                        .exposure = {},
                        .step = none};
            check_set_name(e, level, set.name);
            read_fields(e, set);
            mix(e, level, set);
            level.sets.push_back(std::move(set));
        });
    }

    /// A group that the game is to dim by itself is baked alone as well.
    void layers(Level& level) const {
        each("group", [&](const Entry& e) {
            if (!e.flag("layer").value_or(false)) return;
            const std::uint32_t group = group_index(level, e.needed_text("name"));
            for (const BakeSet& other : level.sets)
                if (other.layer == group) return;
            BakeSet set{.name = "layer-" + level.groups[group],
                        .gains = std::vector<float>(level.groups.size(), 0.0f),
                        .tints = {},
                        .exposure = {},
                        .step = none,
                        .layer = group};
            set.gains[group] = 1;
            check_set_name(e, level, set.name);
            level.sets.push_back(std::move(set));
        });
    }

    static void check_set_name(const Entry& e, const Level& level, const std::string& name) {
        if (name.front() == '.' || !std::all_of(name.begin(), name.end(), [](unsigned char c) {
                return std::isalnum(c) || c == '-' || c == '_' || c == ' ' || c == '.' || c >= 0x80;
            }))
            e.fail("name", "cannot be the name of a folder", "Use letters, digits, spaces, - and _.");
        for (const BakeSet& other : level.sets)
            if (other.name == name)
                e.fail("name", "is the name of another set too", "Names of sets must differ.");
    }

    /// Gains and tints of a set or of all sets of a series.
    void mix(const Entry& e, const Level& level, BakeSet& set) const {
        each_gain(e, level, "gain", [&](std::size_t group, const toml::node& value) {
            const auto v = value.value<double>();
            if (!v || !(*v >= 0 && *v <= 1e6)) return "a gain is not a number of 0 or more";
            set.gains[group] = static_cast<float>(*v);
            return "";
        });
        set.tints.assign(level.groups.size(), {1, 1, 1});
        each_gain(e, level, "tint", [&](std::size_t group, const toml::node& value) {
            const toml::array* list = value.as_array();
            float* to[3] = {&set.tints[group].r, &set.tints[group].g, &set.tints[group].b};
            for (std::size_t c = 0; c < 3; ++c) {
                const auto v = list && list->size() == 3 ? list->get(c)->value<double>() : std::nullopt;
                if (!v || !(*v >= 0 && *v <= 100)) return "a tint is not three numbers from 0 to 100";
                *to[c] = static_cast<float>(*v);
            }
            return "";
        });
    }

    void series(Level& level) const {
        each("series",
             [&](const Entry& e) { add_series(e, level, [&](BakeSet& set) { mix(e, level, set); }); });
    }

    void judgement(Level& level) const {
        each("check", [&](const Entry& e) { read_fields(e, level.check); });
        each("accept", [&](const Entry& e) {
            if (!e.has("finding") && !e.has("match"))
                e.fail("finding", "says not which findings are accepted",
                       "Write finding = \"id\" as `stasigraph check` shows it, match = \"glob\", or both.");
            if (const auto id = e.text("finding"); id && !new_word(*id).empty())
                e.fail("finding", "is no kind of finding", "");
            Acceptance accepted{.reason = e.needed_text("reason")};
            read_fields(e, accepted);
            level.accepted.push_back(std::move(accepted));
        });
    }

    void places(Level& level) const {
        each("camera", [&](const Entry& e) {
            Camera c{.name = e.needed_text("name"), .eye = {}};
            for (const char* key : {"eye", "toward"})
                if (!e.has(key))
                    e.fail(key, "is missing", "A camera needs eye and toward, points in metres.");
            c.vertical_fov = 50 * degree;
            read_fields(e, c);
            if (!(length(c.toward - c.eye) > 0)) e.fail("toward", "is the same point as eye", "");
            std::erase_if(level.cameras, [&](const Camera& other) { return other.name == c.name; });
            level.cameras.push_back(std::move(c));
        });
    }
};

Sheet::Sheet(const std::filesystem::path& path, const std::vector<SheetChange>& changes, bool judged)
    : state_(std::make_unique<State>()) {
    state_->judged = judged;
    state_->file = path.filename().string();
    state_->files.folder = path.parent_path();
    const Bytes bytes = path.extension() == ".toml" ? read_file(path) : Bytes{};
    state_->files.hashes = hash_text(bytes);
    try {
        state_->table = toml::parse(
            std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()), state_->file);
    } catch (const toml::parse_error& e) {
        throw Error{.what = "is not valid TOML",
                    .where = state_->file + ":" + std::to_string(e.source().begin.line),
                    .value = std::string(e.description()),
                    .remedy = ""};
    }
    for (const SheetChange& change : changes) {
        change_sheet(state_->table, change);
        state_->files.hashes += hash_text(change.path + "=" + change.value);
    }
    state_->check_tables();
}
Sheet::~Sheet() = default;

std::string Sheet::scene() const {
    std::string scene;
    state_->each("level", [&](const Entry& e) { scene = e.text("scene").value_or(""); });
    return scene;
}

const std::vector<std::filesystem::path>& Sheet::files() const {
    return state_->files.opened;
}

void Sheet::apply(Level& level) const {
    State& s = *state_;
    s.settings(level);
    s.further_maps(level);
    s.each("sky", [&](const Entry& e) { apply_sky(e, s.files, level); });
    s.each("rig", [&](const Entry& e) { apply_rig(e, s.files, level); });
    s.surfaces(level);
    s.each("light", [&](const Entry& e) { apply_light_entry(e, s.files, level); });
    keep_suns(level, s.suns);
    s.each("sky", [&](const Entry& e) { follow_sun(e, level); });
    s.groups(level);
    complete_level(level);
    if (s.table.contains("set") || s.table.contains("series")) level.sets.clear();
    s.sets(level);
    s.series(level);
    s.layers(level);
    s.places(level);
    s.judgement(level);
    s.each("volume", [&](const Entry& e) { apply_volume(e, level); });
    s.each("reflection", [&](const Entry& e) { apply_reflection(e, level); });
    s.each("zone", [&](const Entry& e) { apply_zone(e, level); });
    s.each("probe", [&](const Entry& e) { apply_probe(e, level); });
    s.each("probes", [&](const Entry& e) { apply_probe_options(e, level); });
    level.sheet_hash = hash_text(s.files.hashes);
}

}  // namespace stasigraph
