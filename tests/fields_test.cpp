// Every member of a level changed in turn: keys, status, a session and a bake from nothing agree on what that
// makes out of date.

#include "level/fields.hpp"
#include "level/words.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <functional>
#include <set>

#include "results/inputs_file.hpp"
#include "shapes.hpp"
#include "stasigraph/changes.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/reflect.hpp"
#include "stasigraph/session.hpp"
#include "support.hpp"

namespace test::fields_tests {
namespace {

/// One of everything, small.
Level small_level() {
    Level level;
    level.name = "small";
    add_box(level, "room", {-2, 0, -2}, {2, 2.5f, 2}, true, {0.6f, 0.5f, 0.4f});
    add_box(level, "crate", {-1, 0, -1}, {-0.4f, 0.6f, -0.4f}, false, {0.3f, 0.4f, 0.5f}, {5, 4, 3});
    add_quad(level, "pane", {0.8f, 0, -2}, {0.8f, 0, 2}, {0.8f, 2.5f, 2}, {0.8f, 2.5f, -2},
             {0.9f, 0.5f, 0.2f});
    add_box(level, "cart", {0, 0.5f, 0}, {0.2f, 0.7f, 0.2f}, false, {0.5f, 0.5f, 0.5f});
    level.surfaces[3].part = Part::moving;
    for (Shared<Mesh>& mesh : level.meshes)
        mesh.edit([](Mesh& m) {
            for (const Vec3 p : m.positions)
                m.uv0.push_back({0.37f * p.x + 0.2f * p.y, 0.37f * p.z - 0.1f * p.y});
        });
    for (int k = 0; k < 3; ++k) {
        Image image{.name = "image" + std::to_string(k), .width = 4, .height = 4, .rgba = {}};
        for (int i = 0; i < 64; ++i)
            image.rgba.push_back(
                static_cast<std::uint8_t>(k == 1 ? (i % 4 < 2 ? 110 + i : 250) : 60 + 3 * i));
        level.images.push_back(image);
    }
    Material &wall = level.materials[level.surfaces[0].material],
             &crate = level.materials[level.surfaces[1].material],
             &pane = level.materials[level.surfaces[2].material];
    wall.base_texture.image = 0;
    wall.normal_texture.image = 1;
    crate.emission_texture.image = 2;
    pane.transmission = 0.7f;
    pane.transmission_texture.image = 2;
    pane.double_sided = true;
    Light spot;
    spot.name = "spot";
    spot.kind = LightKind::spot;
    spot.position = {-0.5f, 2.2f, 0.7f};
    spot.color = {50, 40, 30};
    spot.inner_cone = 0.3f;
    spot.radius = 0.05f;
    spot.range = 9;
    Light point = spot;
    point.name = "lamp";
    point.kind = LightKind::point;
    point.role = BakeRole::bounce;
    point.position = {1.2f, 1.5f, -0.7f};
    Light panel = spot;
    panel.name = "panel";
    panel.kind = LightKind::rectangle;
    panel.position = {0.2f, 2.4f, -1.2f};
    panel.width = 0.5f;
    panel.height = 0.3f;
    Light sun = spot;
    sun.name = "sun";
    sun.kind = LightKind::sun;
    sun.direction = normalize(Vec3{0.2f, -1, 0.1f});
    sun.angular_diameter = 0.0093f;
    Light fan = spot;
    fan.name = "fan";
    fan.profile = 0;
    level.lights = {spot, point, panel, sun, fan};
    Profile profile{.name = "fan", .plane = {0}, .angle = {0, 0.5f, 1}, .candela = {100, 60, 5}};
    complete_profile(profile);
    level.profiles = {profile};
    level.sky.radiance = {3, 4, 5};
    level.cameras = {{.name = "eye", .eye = {0.1f, 1.2f, 1.5f}, .toward = {0, 1, 0}}};
    level.volumes = {box_volume("air", {-1.8f, 0.2f, -1.8f}, {0.6f, 2.2f, 1.8f}, 1.1f)};
    level.reflections = {ReflectionProbe{
        .name = "mirror", .half = {1, 1, 1}, .capture = {0, 1, 0}, .room_half = {2, 2, 2}, .resolution = 32}};
    level.zones.push_back({.name = "zone", .boxes = {box_volume("", {-2, 0, -2}, {2, 2, 2}, 1)}});
    level.accepted.push_back({.reason = "so"});
    level.occlusion.reach = 1;
    level.quality.tier = Tier::glance;
    level.lightmap.density = 5;
    level.lightmap.page = 128;
    complete_level(level);
    level.sets = {{.name = "one", .gains = std::vector<float>(level.groups.size(), 1.0f)},
                  {.name = "two", .gains = std::vector<float>(level.groups.size(), 0.5f), .exposure = 3.0f}};
    for (BakeSet& set : level.sets) set.tints.assign(level.groups.size(), {1, 1, 1});
    level.placed = std::vector<ProbePlace>{{{-1.2f, 0.6f, -1.5f}},
                                           {{0.4f, 0.6f, -1.2f}},
                                           {{-1, 1.8f, 1}},
                                           {{0.3f, 1.2f, 1.1f}},
                                           {{0.3f, 2, -1}}};
    return level;
}

/// Calls f(where, field, member) for what is described of x.
template <class T, class F>
void for_members_of(const std::string& where, T& x, F& f) {
    if constexpr (requires {
                      x->size();
                      x.has_value();
                  }) {
        for_members_of(where, *x, f);
    } else if constexpr (requires { x.edit([](auto&) {}); }) {
        x.edit([&](auto& own) { for_members_of(where, own, f); });
    } else if constexpr (requires { x.push_back(x.front()); }) {
        for (std::size_t i = 0; i < x.size(); ++i) for_members_of(where + std::to_string(i), x[i], f);
    } else {
        for_fields(x, [&](const Field& field, auto& member) {
            f(where + "." + std::string(field.name), field, member);
            if constexpr (std::same_as<std::remove_cvref_t<decltype(member)>, Figure>)
                for_members_of(where + ".figure", member, f);
        });
    }
}

template <class T>
struct Held {
    using type = T;
};
template <class T>
struct Held<std::vector<T>> : Held<T> {};
template <class T>
struct Held<std::optional<T>> : Held<T> {};
template <class T>
struct Held<Shared<T>> : Held<T> {};

/// Calls f(where, field, member) for every member of every struct of a level.
template <class F>
void for_members(Level& level, F f) {
    const auto part = [&](auto& members) {
        for_fields(members, [&](const Field& field, auto& member) {
            using T = std::remove_cvref_t<decltype(member)>;
            if constexpr (Described<typename Held<T>::type>)
                for_members_of(std::string(field.name), member, f);
            else if constexpr (!std::same_as<T, PartFigures> && !std::same_as<T, SceneCache>)  // no input
                f(std::string(field.name), field, member);
        });
    };
    part(static_cast<Scene&>(level));
    part(static_cast<Lighting&>(level));
    part(static_cast<Placement&>(level));
    part(static_cast<Settings&>(level));
}

/// Another value, as good as the one there is.
template <class T>
void change(T& v) {
    if constexpr (requires { v.edit([](auto&) {}); }) {
        v.edit([](auto& own) { change(own); });
    } else if constexpr (std::same_as<T, bool>) {
        v = !v;
    } else if constexpr (std::is_enum_v<T>) {
        v = static_cast<T>(static_cast<int>(v) == 0 ? 1 : 0);
    } else if constexpr (std::is_floating_point_v<T>) {
        v = v == 0 ? T(0.21) : v * T(0.83);
    } else if constexpr (std::is_integral_v<T>) {
        v = v == static_cast<T>(none) ? 0 : v > 1 ? v / 2 : v + 1;
    } else if constexpr (std::same_as<T, std::string>) {
        v += "x";
    } else if constexpr (std::same_as<T, Vec2>) {
        v = {v.x * 0.9f + 0.01f, v.y * 0.9f - 0.02f};
    } else if constexpr (std::same_as<T, Vec3>) {
        const float was = length(v);
        v = v + Vec3{0.05f, -0.04f, 0.03f};
        if (std::abs(was - 1) < 1e-4f) v = normalize(v);
    } else if constexpr (std::same_as<T, Rgb>) {
        v = v * 0.7f + Rgb{0.01f, 0.02f, 0.03f};
    } else if constexpr (std::same_as<T, Affine>) {
        v.origin = v.origin + Vec3{0.05f, 0.02f, 0.03f};
    } else if constexpr (requires { v.has_value(); }) {
        if (!v) v.emplace();
        change(*v);
    } else if constexpr (requires {
                             v.front();
                             v.push_back(v.front());
                         }) {
        if (v.empty()) v.emplace_back();
        if constexpr (std::same_as<T, std::vector<std::uint32_t>>)
            std::swap(v.front(), v.back());
        else
            change(v.front());
    } else if constexpr (requires { v.front(); }) {
        change(v.front());
    } else {
        // A struct: its last number.
        bool done = false;
        for_fields(v, [&](const Field&, auto& member) {
            if constexpr (std::is_arithmetic_v<std::remove_cvref_t<decltype(member)>>) {
                if (!done) change(member);
                done = true;
            }
        });
    }
}

std::vector<std::pair<std::string, Field>> all_fields(Level level) {
    std::vector<std::pair<std::string, Field>> out;
    for_members(level, [&](const std::string& where, const Field& f, auto&) { out.emplace_back(where, f); });
    return out;
}

/// What has to go along with a change.
void mend(Level& level) {
    for (Shared<Image>& image : level.images)
        image.edit([](Image& i) {
            i.rgba.resize(4 * static_cast<std::size_t>(i.width) * static_cast<std::size_t>(i.height), 90);
        });
    for (Shared<Mesh>& mesh : level.meshes)
        mesh.edit([](Mesh& m) {
            if (!m.uv1.empty()) m.uv1.resize(m.positions.size());
            if (!m.tangents.empty()) m.tangents.resize(m.positions.size());
        });
    for (Light& light : level.lights) {
        if (std::abs(length(light.direction) - 1) > 1e-4f) light.direction = normalize(light.direction);
        const Vec3 side = cross(light.direction, light.across);
        if (std::abs(dot(light.direction, light.across)) > 1e-4f)
            light.across = normalize(cross(side, light.direction));
    }
    for (Volume& v : level.volumes)
        if (!v.seeds.empty()) v.seeds[0] = v.middle;
    for (ReflectionProbe& p : level.reflections) p.resolution = p.resolution == 32 ? 32 : 64;
    if (level.lightmap.block != 1) level.lightmap.block = 4;
    if (level.quality.links != 0) level.quality.links = 64;
}

Level with_changed(Level level, std::size_t number) {
    std::size_t at = 0;
    for_members(level, [&](const std::string&, const Field&, auto& member) {
        if (at++ == number) change(member);
    });
    mend(level);
    return level;
}

bool same_pages(const std::vector<PageImage>& a, const std::vector<PageImage>& b) {
    return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                      [](const PageImage& x, const PageImage& y) { return x.texels == y.texels; });
}
bool same_light(const BakedSet& a, const BakedSet& b) {
    return same_pages(a.pages, b.pages) && a.probes == b.probes && a.lamps.entry == b.lamps.entry;
}
bool same_maps(const Baked& a, const Baked& b) {
    const auto same = [](const auto& x, const auto& y) {
        return std::equal(x.begin(), x.end(), y.begin(), y.end(),
                          [](const auto& p, const auto& q) { return p.texels == q.texels; });
    };
    return same(a.visibility, b.visibility) && same(a.occlusion, b.occlusion);
}

bool same_keys(const InputKeys& a, const InputKeys& b) {
    const auto same = [](const auto& x, const auto& y) {
        return std::equal(x.begin(), x.end(), y.begin(), y.end(),
                          [](const auto& p, const auto& q) { return p.key == q.key; });
    };
    return a.unlit == b.unlit && a.probes == b.probes && a.reflections == b.reflections &&
           a.visibility == b.visibility && a.occlusion == b.occlusion && same(a.layers, b.layers) &&
           same(a.sets, b.sets);
}

SLOW_TEST(Fields, changed_one_by_one_are_seen_by_keys_status_and_sessions_alike) {
    Level base = small_level();
    mend(base);
    Job job;
    const LevelInputs inputs = inputs_of(base);
    const Session before(base, job);
    const auto fields = all_fields(base);
    std::vector<std::string> refused;
    std::set<std::string> felt;
    for (std::size_t i = 0; i < fields.size(); ++i) {
        const auto& [where, field] = fields[i];
        SCOPED_TRACE(where);
        const Level level = with_changed(base, i);
        try {
            Level whole = level;
            complete_level(whole);
            check_level(whole);
        } catch (const Error&) {
            refused.push_back(where);
            continue;
        }
        const LevelInputs now = inputs_of(level);
        const std::vector<Change> changes = changes_between(inputs.items, now.items);
        const auto said = [&](auto&& wanted) { return std::any_of(changes.begin(), changes.end(), wanted); };
        // What the fields say is what keys and reasons say.
        if (field.depends == depends::nothing && !field.stands_for) {
            EXPECT_TRUE(same_keys(now.keys, inputs.keys));
        }
        if (now.keys.unlit != inputs.keys.unlit) {
            EXPECT_TRUE(said([](const Change& c) { return c.unlit || c.every_layer; }));
        }
        if (now.keys.probes != inputs.keys.probes) {
            EXPECT_TRUE(said([](const Change& c) { return c.probes || c.unlit || c.every_layer; }));
        }
        if (now.keys.reflections != inputs.keys.reflections) {
            EXPECT_TRUE(said([](const Change& c) { return c.reflections || c.unlit || c.every_layer; }));
        }
        if (now.keys.visibility != inputs.keys.visibility) {
            EXPECT_TRUE(said([](const Change& c) { return c.visibility || c.unlit; }));
        }
        if (now.keys.occlusion != inputs.keys.occlusion) {
            EXPECT_TRUE(said([](const Change& c) { return c.occlusion || c.unlit; }));
        }
        const auto same_key = [](const InputKeys::Named& x, const InputKeys::Named& y) {
            return x.key == y.key;
        };
        if (!std::equal(now.keys.sets.begin(), now.keys.sets.end(), inputs.keys.sets.begin(),
                        inputs.keys.sets.end(), same_key)) {
            EXPECT_TRUE(said([](const Change& c) {
                return c.unlit || c.every_layer || !c.groups.empty() || !c.set.empty();
            }));
        }
        if (level.sets.size() != base.sets.size() || level.placed->size() != base.placed->size()) continue;
        // What is baked anew is what a bake from nothing has, and nothing else changed.
        // Its charts stay where they are; its trees are its own.
        Level cold = level;
        cold.cache = {};
        const Session fresh(cold, job, &before.atlas());
        Session tuned(base, job);
        tuned.update(level, job);
        ASSERT_EQ(fresh.baked().sets.size(), tuned.baked().sets.size());
        EXPECT_TRUE(same_maps(fresh.baked(), tuned.baked()));
        for (std::size_t s = 0; s < fresh.baked().sets.size(); ++s) {
            const BakedSet &a = fresh.baked().sets[s], &b = tuned.baked().sets[s];
            EXPECT_TRUE(same_light(a, b)) << a.name;
            if (same_light(a, before.baked().sets[s])) continue;
            felt.insert(where);
            EXPECT_NE(field.depends, depends::nothing);
            EXPECT_TRUE(now.keys.unlit != inputs.keys.unlit || now.keys.probes != inputs.keys.probes ||
                        now.keys.sets[s].key != inputs.keys.sets[s].key);
        }
        if (!same_maps(fresh.baked(), before.baked())) {
            EXPECT_TRUE(now.keys.unlit != inputs.keys.unlit ||
                        now.keys.visibility != inputs.keys.visibility ||
                        now.keys.occlusion != inputs.keys.occlusion);
        }
    }
    EXPECT_GT(felt.size(), 60u);
    // Shapes without a size, steps of no series and the like.
    EXPECT_LT(refused.size(), 14u) << [&] {
        std::string all;
        for (const std::string& r : refused) all += r + " ";
        return all;
    }();
}

std::string words_of(std::uint32_t what) {
    std::string all;
    for (const auto& [bit, word] : {std::pair<std::uint32_t, const char*>{depends::charts, "charts"},
                                    {depends::geometry, "geometry"},
                                    {depends::rays, "rays"},
                                    {depends::passage, "geometry where light passes"},
                                    {depends::direct, "its group's light"},
                                    {depends::colors, "every bounce"},
                                    {depends::solve, "every group's light"},
                                    {depends::mix, "mixes"},
                                    {depends::prelit, "prelit textures"},
                                    {depends::places, "probe places"},
                                    {depends::reflections, "reflections"},
                                    {depends::visibility, "live shadows"},
                                    {depends::occlusion, "occlusion"},
                                    {depends::parting, "cutting"},
                                    {depends::content, "what uses it"}})
        if ((what & bit) != 0) all += (all.empty() ? "" : ", ") + std::string(word);
    return all;
}

/// docs/fields.md, of the list.
std::string fields_page() {
    std::string page =
        "# Fields of a level\n\n"
        "Every member of every struct of the level, as `src/level/fields.hpp` describes it: how sheets say "
        "it,\nits range, and what of a bake is made anew when it changes. `tests/fields_test.cpp` holds this "
        "page\nagainst the list, and changes each member in turn.\n";
    Level level;
    std::string last;
    const auto number = [](double v) {
        char text[32];
        std::snprintf(text, sizeof text, "%.6g", v);
        return std::string(text);
    };
    const auto add = [&](const char* name, const auto& x) {
        page += "\n## " + std::string(name) +
                "\n\n| member | in sheets | range or words | unit | a change makes anew |\n"
                "| --- | --- | --- | --- | --- |\n";
        for_fields(x, [&]<class T>(const Field& f, const T&) {
            std::string range = f.low < f.high ? number(f.low) + " to " + number(f.high) : "";
            const auto add_word = [&](std::string_view word) {
                range += (range.empty() ? "`\"" : ", `\"") + std::string(word) + "\"`";
            };
            if constexpr (Worded<T>)
                for (const auto& [word, value] : Words<T>::all) add_word(word);
            for (const std::string_view word : {f.empty, f.yes, f.no})
                if (!word.empty()) add_word(word);
            page += "| " + std::string(f.name) + " | " +
                    (f.sheet.empty() ? "" : "`" + std::string(f.sheet) + "`") + " | " + range + " | " +
                    std::string(f.unit) + " | " + words_of(f.depends) + " |\n";
        });
    };
    add("Lightmap", LightmapOptions{});
    add("Quality", BakeOptions{});
    add("Light", Light{});
    add("Profile", Profile{});
    add("Sky", Sky{});
    add("Set", BakeSet{});
    add("Step of a series", SeriesStep{});
    add("Surface", Surface{});
    add("Material", Material{});
    add("Texture", TextureUse{});
    add("Image", Image{});
    add("Mesh", Mesh{});
    add("Volume", Volume{});
    add("Figure", Figure{});
    add("Probes", ProbeOptions{});
    add("Reflection probe", ReflectionProbe{});
    add("Rule for reflection probes", ReflectionRule{});
    add("Occlusion", OcclusionOptions{});
    add("Prelit", PrelitOptions{});
    add("Camera", Camera{});
    add("Zone", Zone{});
    add("Check", CheckOptions{});
    add("Accepted finding", Acceptance{});
    return page;
}

TEST(Fields, of_an_older_list_give_no_reasons_instead_of_wrong_ones) {
    const Folder folder;
    Level level = small_level();
    std::string text = inputs_text(inputs_of(level));
    const auto changes = [&] {
        std::ofstream(folder / "inputs.json") << text;
        return changes_since(folder / "inputs.json", inputs_of(level).items);
    };
    EXPECT_TRUE(changes().empty());
    level.quality.bounces = 3;
    ASSERT_EQ(changes().size(), 1u);
    EXPECT_EQ(changes()[0].text, "quality.bounces is 3 instead of settle");
    const std::size_t at = text.find("\"version\":3");
    ASSERT_NE(at, std::string::npos);
    text.replace(at, 11, "\"version\":1");
    EXPECT_TRUE(changes().empty());
    text.resize(text.size() / 2);
    EXPECT_TRUE(changes().empty());
}

TEST(Fields, are_told_in_the_docs_as_they_are_in_the_list) {
    std::ifstream in(fs::path(STASIGRAPH_SOURCE) / "docs" / "fields.md");
    const std::string page{std::istreambuf_iterator<char>(in), {}}, made = fields_page();
    if (page != made) std::ofstream("fields.md") << made;
    EXPECT_TRUE(page == made) << "docs/fields.md is not of this list; " << fs::absolute("fields.md")
                              << " is.";
}

TEST(Fields, have_keys_that_sheets_know) {
    const Folder folder;
    Level level = small_level();
    for (const auto& [where, field] : all_fields(level)) {
        std::string_view rest = field.sheet;
        while (!rest.empty()) {
            const std::string key(rest.substr(0, rest.find(", ")));
            rest.remove_prefix(std::min(rest.size(), key.size() + 2));
            const std::size_t dot = key.find('.');
            ASSERT_NE(dot, std::string::npos) << where;
            std::string said;
            for (const char* brackets : {"[", "[["}) {
                const std::string close = brackets == std::string("[") ? "]" : "]]";
                std::ofstream(folder / "a.toml") << brackets << key.substr(0, dot) << close << "\n"
                                                 << key.substr(dot + 1) << " = 1\n";
                try {
                    load_level(folder / "a.toml");
                } catch (const Error& e) {
                    said += e.what + "\n";
                }
            }
            EXPECT_FALSE(said.empty()) << key;
            EXPECT_EQ(said.find("has no such key"), std::string::npos) << key << ": " << said;
            EXPECT_EQ(said.find("there is no such table"), std::string::npos) << key << ": " << said;
        }
    }
}

}  // namespace
}  // namespace test::fields_tests
