#include "io/sheet.hpp"

#include <algorithm>
#include <map>
#include <sstream>

#define TOML_HEADER_ONLY 1
#include <toml++/toml.h>

#include "base/text.hpp"
#include "io/gltf_scene.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

using Keys = std::vector<std::string_view>;

const std::map<std::string_view, Keys>& schema() {
    static const std::map<std::string_view, Keys> keys = {
        {"level", {"scene", "seed"}},
        {"lightmap", {"density", "page", "pages", "margin", "block", "max_stretch", "unseen", "shape"}},
        {"quality", {"tier", "bounces", "noise"}},
        {"sky", {"radiance", "kelvin", "gain", "group"}},
        {"surface", {"match", "material", "density", "unwrap", "lit_by", "part", "gain", "group"}},
        {"light",
         {"match", "name", "kind", "group", "kelvin", "color", "gain", "bake", "lux", "candela", "radius",
          "range", "diameter", "azimuth", "elevation", "at", "toward", "inner", "outer"}},
        {"group", {"name", "match"}},
        {"set", {"name", "gain"}},
        {"volume", {"name", "low", "high", "spacing"}},
        {"camera", {"name", "eye", "toward", "fov"}},
    };
    return keys;
}

/// Tables of the design that later versions read. Refused by name, so that nothing is silently left out.
constexpr std::string_view later_tables[] = {"series", "zone", "probe", "reflection", "rig"};

/// One table of the sheet, with the place of each value for messages.
class Entry {
public:
    Entry(const toml::table& table, std::string file, std::string name)
        : table_(table), file_(std::move(file)), name_(std::move(name)) {
        const Keys& known = schema().at(name_);
        for (const auto& [key, value] : table_) {
            if (std::find(known.begin(), known.end(), key.str()) != known.end()) continue;
            const std::string near = nearest_word(key.str(), known);
            std::string all;
            for (std::string_view k : known) all += (all.empty() ? "" : ", ") + std::string(k);
            throw Error{
                .what = "[" + name_ + "] has no such key",
                .where = file_ + ":" + std::to_string(key.source().begin.line),
                .value = std::string(key.str()),
                .remedy = near.empty() ? "Known keys: " + all + "." : "Did you mean \"" + near + "\"?"};
        }
    }

    bool has(std::string_view key) const { return table_.contains(key); }
    std::string where(std::string_view key) const {
        const toml::node* node = table_.get(key);
        const auto line = node ? node->source().begin.line : table_.source().begin.line;
        return file_ + ":" + std::to_string(line) + ": " + name_ + "." + std::string(key);
    }
    [[noreturn]] void fail(std::string_view key, const std::string& what, const std::string& remedy) const {
        std::ostringstream value;
        if (const toml::node* node = table_.get(key)) node->visit([&](const auto& v) { value << v; });
        throw Error{.what = what, .where = where(key), .value = value.str(), .remedy = remedy};
    }

    std::optional<double> number(std::string_view key, double low, double high) const {
        if (!has(key)) return std::nullopt;
        const auto v = table_[key].value<double>();
        if (!v || table_[key].is_boolean() || !(*v >= low && *v <= high))
            fail(key, "is not a number from " + to_text(low) + " to " + to_text(high), "");
        return v;
    }
    std::optional<std::string> text(std::string_view key) const {
        if (!has(key)) return std::nullopt;
        const auto v = table_[key].value_exact<std::string>();
        if (!v) fail(key, "is not a text", "Put it in quotes.");
        return v;
    }
    std::string needed_text(std::string_view key) const {
        auto v = text(key);
        if (!v || v->empty())
            fail(key, "is missing", "Give this [[" + name_ + "]] a " + std::string(key) + ".");
        return *v;
    }
    std::optional<Vec3> vector(std::string_view key, double low, double high) const {
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
    std::optional<Rgb> color(std::string_view key, double high) const {
        const auto v = vector(key, 0, high);
        return v ? std::optional(Rgb{v->x, v->y, v->z}) : std::nullopt;
    }
    const toml::node* node(std::string_view key) const { return table_.get(key); }

private:
    const toml::table& table_;
    std::string file_, name_;
};

constexpr double far = 1e6;

Vec3 sun_travel(double azimuth, double elevation) {
    // Azimuth clockwise from north (-Z) as seen from above; the light travels from there to the level.
    const double a = azimuth * 3.14159265358979323846 / 180, e = elevation * 3.14159265358979323846 / 180;
    return {static_cast<float>(-std::sin(a) * std::cos(e)), static_cast<float>(-std::sin(e)),
            static_cast<float>(std::cos(a) * std::cos(e))};
}

void apply_light(const Entry& e, Light& light, Level& level) {
    const auto degrees = [](double v) { return static_cast<float>(v * 3.14159265358979323846 / 180); };
    if (const auto group = e.text("group")) light.group = group_index(level, *group);
    if (const auto color = e.color("color", 1e6)) light.color = *color * max_channel(light.color);
    const float strength = std::max(luminance(light.color), 1e-20f);
    if (const auto k = e.number("kelvin", 1000, 20000))
        light.color = kelvin_to_rgb(static_cast<float>(*k)) * strength;
    const char* unit = light.kind == LightKind::sun ? "lux" : "candela";
    const char* wrong = light.kind == LightKind::sun ? "candela" : "lux";
    if (e.has(wrong))
        e.fail(wrong, std::string("is the wrong unit for light ") + light.name,
               std::string("Suns take lux, lamps take candela: use ") + unit + ".");
    if (const auto v = e.number(unit, 0, 1e9)) {
        const float now = luminance(light.color);
        light.color = (now > 0 ? light.color * (1 / now) : Rgb{1, 1, 1}) * static_cast<float>(*v);
    }
    if (const auto v = e.number("gain", 0, 1e6)) light.color = light.color * static_cast<float>(*v);
    if (const auto v = e.number("radius", 0, 100)) light.radius = static_cast<float>(*v);
    if (const auto v = e.number("range", 0, far)) light.range = static_cast<float>(*v);
    if (const auto v = e.number("diameter", 0, 90)) light.angular_diameter = degrees(*v);
    if (const auto v = e.number("inner", 0, 90)) light.inner_cone = degrees(*v);
    if (const auto v = e.number("outer", 0, 90)) light.outer_cone = degrees(*v);
    if (light.inner_cone > light.outer_cone)
        e.fail("inner", "inner cone is wider than the outer one", "Both are half angles in degrees.");
    if (const auto v = e.vector("at", -far, far)) light.position = *v;
    if (const auto v = e.vector("toward", -far, far)) {
        const Vec3 d = *v - light.position;
        if (!(length(d) > 0)) e.fail("toward", "is the same point as the light", "");
        light.direction = normalize(d);
    }
    if (e.has("azimuth") || e.has("elevation")) {
        if (light.kind != LightKind::sun)
            e.fail(e.has("azimuth") ? "azimuth" : "elevation", "is for suns only", "Use at and toward.");
        // What is not said keeps its present value.
        const double elevation = std::asin(std::clamp(-static_cast<double>(light.direction.y), -1.0, 1.0)) *
                                 180 / 3.14159265358979323846;
        const double azimuth =
            std::atan2(-static_cast<double>(light.direction.x), static_cast<double>(light.direction.z)) *
            180 / 3.14159265358979323846;
        light.direction = sun_travel(e.number("azimuth", -360, 720).value_or(azimuth),
                                     e.number("elevation", -90, 90).value_or(elevation));
    }
    if (const auto role = e.text("bake")) {
        if (*role == "bounce")
            e.fail("bake", "this version bakes lights whole or leaves them live",
                   "Use \"whole\" or \"live\".");
        if (*role != "whole" && *role != "live")
            e.fail("bake", "is no way to bake a light", "Use \"whole\" or \"live\".");
        light.baked = *role == "whole";
    }
}

}  // namespace

struct Sheet::State {
    std::string file;
    toml::table table;

    void check_tables() const {
        Keys known;
        for (const auto& [name, keys] : schema()) known.push_back(name);
        for (const auto& [key, value] : table) {
            const std::string where = file + ":" + std::to_string(key.source().begin.line), name(key.str());
            if (std::find(std::begin(later_tables), std::end(later_tables), key.str()) !=
                std::end(later_tables))
                throw Error{.what = "[[" + name + "]] is not read by this version",
                            .where = where,
                            .value = "",
                            .remedy = "Take it out for now."};
            if (std::find(known.begin(), known.end(), key.str()) == known.end()) {
                const std::string near = nearest_word(key.str(), known);
                throw Error{.what = "there is no such table",
                            .where = where,
                            .value = name,
                            .remedy = near.empty() ? "" : "Did you mean \"" + near + "\"?"};
            }
            const bool single = name == "level" || name == "lightmap" || name == "quality" || name == "sky";
            if (single ? !value.is_table() : !value.is_array_of_tables())
                throw Error{.what = "must be written as a table",
                            .where = where,
                            .value = name,
                            .remedy = single ? "Write [" + name + "]." : "Write [[" + name + "]]."};
            each(name, [](const Entry&) {});
        }
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
            if (const auto v = e.number("seed", 0, 4294967295.0))
                level.quality.seed = static_cast<std::uint32_t>(*v);
        });
        each("lightmap", [&](const Entry& e) {
            if (const auto v = e.number("density", 0.001, 4096))
                level.lightmap.density = static_cast<float>(*v);
            if (const auto v = e.number("page", 1, 65536)) {
                level.lightmap.page = static_cast<int>(*v);
                if (*v != std::floor(*v) || *v < 16 || *v > 16384 ||
                    (level.lightmap.page & (level.lightmap.page - 1)) != 0)
                    e.fail("page", "page size is no power of two between 16 and 16384",
                           "Use 512, 1024, 2048 or 4096.");
            }
            const auto whole = [&](std::string_view key, double low, double high, int& to) {
                const auto v = e.number(key, low, high);
                if (v && *v != std::floor(*v)) e.fail(key, "is not a whole number", "");
                if (v) to = static_cast<int>(*v);
            };
            whole("margin", 1, 64, level.lightmap.margin);
            whole("pages", 1, 4096, level.lightmap.pages);
            whole("block", 1, 8, level.lightmap.block);
            if (level.lightmap.block != 1 && level.lightmap.block != 4 && level.lightmap.block != 8)
                e.fail("block", "is not the block of any compressed texture",
                       "Use 4, or 8 to keep one mipmap level apart too; 1 is none.");
            if (const auto v = e.number("max_stretch", 1.01, 10))
                level.lightmap.max_stretch = static_cast<float>(*v);
            if (const auto v = e.text("unseen")) {
                if (*v != "shrink" && *v != "keep")
                    e.fail("unseen", "says neither what to do nor to leave it",
                           "Use \"shrink\" or \"keep\".");
                level.lightmap.shrink_unseen = *v == "shrink";
            }
            if (const auto v = e.text("shape"); v && *v != "flat")
                e.fail("shape", "this version makes flat lightmaps only", "Use \"flat\".");
        });
        each("quality", [&](const Entry& e) {
            if (const auto v = e.text("tier")) {
                if (*v == "glance")
                    level.quality.tier = Tier::glance;
                else if (*v == "proof")
                    level.quality.tier = Tier::proof;
                else if (*v == "final")
                    level.quality.tier = Tier::final;
                else
                    e.fail("tier", "is no tier", "Use \"glance\", \"proof\" or \"final\".");
            }
            if (const auto v = e.number("noise", 0.001, 1)) level.quality.noise = static_cast<float>(*v);
            if (e.has("bounces")) {
                const toml::node* node = e.node("bounces");
                if (node->is_string()) {
                    if (*e.text("bounces") != "settle")
                        e.fail("bounces", "is no number of bounces", "Use a whole number, or \"settle\".");
                } else {
                    const double v = *e.number("bounces", 0, 1000);
                    if (v != std::floor(v)) e.fail("bounces", "is not a whole number", "");
                    level.quality.bounces = static_cast<int>(v);
                }
            }
        });
        each("sky", [&](const Entry& e) {
            if (const auto v = e.color("radiance", 1e9)) level.sky.radiance = *v;
            if (const auto k = e.number("kelvin", 1000, 20000))
                level.sky.radiance = kelvin_to_rgb(static_cast<float>(*k)) * luminance(level.sky.radiance);
            if (const auto v = e.number("gain", 0, 1e6))
                level.sky.radiance = level.sky.radiance * static_cast<float>(*v);
            if (const auto v = e.text("group")) level.sky.group = group_index(level, *v);
        });
    }

    void unmatched(Level& level, const Entry& e, const std::string& pattern) const {
        level.notes.push_back(e.where("match") + ": \"" + pattern + "\" matches nothing");
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
                if (const auto v = e.number("density", 0.0001, 64)) s.density = static_cast<float>(*v);
                if (const auto v = e.text("lit_by")) s.lit_by = lit_by_from(*v, e.where("lit_by"));
                if (const auto v = e.text("unwrap")) s.unwrap = unwrap_from(*v, e.where("unwrap"));
                if (const auto v = e.text("part")) s.part = part_from(*v, e.where("part"));
                if (const auto v = e.number("gain", 0, 1e9)) s.emission_gain = static_cast<float>(*v);
                if (const auto v = e.text("group")) s.group = group_index(level, *v);
            }
            if (!any) unmatched(level, e, match);
        });
    }

    void lights(Level& level) const {
        each("light", [&](const Entry& e) {
            if (e.has("kind") || (e.has("name") && !e.has("match"))) {
                Light light{.name = e.needed_text("name")};
                const std::string kind = e.needed_text("kind");
                if (kind == "sun")
                    light.kind = LightKind::sun;
                else if (kind == "point")
                    light.kind = LightKind::point;
                else if (kind == "spot")
                    light.kind = LightKind::spot;
                else
                    e.fail("kind", "is no kind of light", "Use \"sun\", \"point\" or \"spot\".");
                if (light.kind == LightKind::sun) light.angular_diameter = 0.53f * pi / 180;
                light.color = light.kind == LightKind::sun ? Rgb{100000, 100000, 100000} : Rgb{100, 100, 100};
                apply_light(e, light, level);
                level.lights.push_back(std::move(light));
                return;
            }
            const std::string match = e.needed_text("match");
            bool any = false;
            for (Light& light : level.lights)
                if (glob_match(match, light.name)) {
                    any = true;
                    apply_light(e, light, level);
                }
            if (!any) unmatched(level, e, match);
        });
        each("group", [&](const Entry& e) {
            const std::uint32_t group = group_index(level, e.needed_text("name"));
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
            if (!any) unmatched(level, e, match);
        });
    }

    void sets(Level& level) const {
        each("set", [&](const Entry& e) {
            BakeSet set{.name = e.needed_text("name"),
                        .gains = std::vector<float>(level.groups.size(), 1.0f)};
            for (const char c : set.name)
                if (!(std::isalnum(static_cast<unsigned char>(c)) || c == '-' || c == '_' || c == ' ' ||
                      c == '.') ||
                    set.name.front() == '.')
                    e.fail("name", "cannot be the name of a folder", "Use letters, digits, spaces, - and _.");
            for (const BakeSet& other : level.sets)
                if (other.name == set.name)
                    e.fail("name", "is the name of another set too", "Names of sets must differ.");
            if (e.has("gain")) {
                const toml::node* node = e.node("gain");
                const toml::table* gains = node->as_table();
                if (!gains)
                    e.fail("gain", "is not a table of gains by group",
                           "Write gain = { sun = 0.5, sky = 1.0 }.");
                std::vector<std::string_view> known(level.groups.begin(), level.groups.end());
                for (const auto& [key, value] : *gains) {
                    const auto at = std::find(known.begin(), known.end(), key.str());
                    std::string all;
                    for (std::string_view k : known) all += (all.empty() ? "" : ", ") + std::string(k);
                    const std::string where =
                        file + ":" + std::to_string(key.source().begin.line) + ": set.gain";
                    if (at == known.end())
                        throw Error{.what = "there is no such light group",
                                    .where = where,
                                    .value = std::string(key.str()),
                                    .remedy = "The level has: " + all + "."};
                    const auto v = value.value<double>();
                    if (!v || !(*v >= 0 && *v <= 1e6))
                        throw Error{.what = "a gain is not a number of 0 or more",
                                    .where = where,
                                    .value = std::string(key.str()),
                                    .remedy = ""};
                    set.gains[static_cast<std::size_t>(at - known.begin())] = static_cast<float>(*v);
                }
            }
            level.sets.push_back(std::move(set));
        });
    }

    void places(Level& level) const {
        each("volume", [&](const Entry& e) {
            Volume v{.name = e.text("name").value_or("volume " + std::to_string(level.volumes.size() + 1)),
                     .low = {},
                     .high = {}};
            for (const char* key : {"low", "high"})
                if (!e.has(key))
                    e.fail(key, "is missing", "A volume needs its low and high corner in metres.");
            v.low = *e.vector("low", -far, far);
            v.high = *e.vector("high", -far, far);
            if (!(v.low.x < v.high.x && v.low.y < v.high.y && v.low.z < v.high.z))
                e.fail("high", "does not lie above low on every axis", "");
            v.spacing = static_cast<float>(e.number("spacing", 0.05, 1000).value_or(2));
            level.volumes.push_back(std::move(v));
        });
        each("camera", [&](const Entry& e) {
            Camera c{.name = e.needed_text("name"), .eye = {}};
            for (const char* key : {"eye", "toward"})
                if (!e.has(key))
                    e.fail(key, "is missing", "A camera needs eye and toward, points in metres.");
            c.eye = *e.vector("eye", -far, far);
            c.toward = *e.vector("toward", -far, far);
            if (!(length(c.toward - c.eye) > 0)) e.fail("toward", "is the same point as eye", "");
            c.vertical_fov = static_cast<float>(e.number("fov", 1, 170).value_or(50)) * pi / 180;
            std::erase_if(level.cameras, [&](const Camera& other) { return other.name == c.name; });
            level.cameras.push_back(std::move(c));
        });
    }
};

Sheet::Sheet(const std::filesystem::path& path) : state_(std::make_unique<State>()) {
    state_->file = path.filename().string();
    const Bytes bytes = read_file(path);
    try {
        state_->table = toml::parse(
            std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()), state_->file);
    } catch (const toml::parse_error& e) {
        throw Error{.what = "is not valid TOML",
                    .where = state_->file + ":" + std::to_string(e.source().begin.line),
                    .value = std::string(e.description()),
                    .remedy = ""};
    }
    state_->check_tables();
}
Sheet::~Sheet() = default;

std::string Sheet::scene() const {
    std::string scene;
    state_->each("level", [&](const Entry& e) { scene = e.text("scene").value_or(""); });
    return scene;
}

void Sheet::apply(Level& level) const {
    state_->settings(level);
    state_->surfaces(level);
    state_->lights(level);
    complete_level(level);
    if (state_->table.contains("set")) level.sets.clear();
    state_->sets(level);
    state_->places(level);
}

}  // namespace stasigraph
