// Which surfaces and probes belong to which zone.

#include <gtest/gtest.h>

#include <algorithm>

#include "two_rooms.hpp"

namespace test::zones_tests {
namespace {

constexpr std::uint32_t left = 0, right = 1;

const std::vector<Vec3>& probe_places() {
    return TwoRooms::whole().bake.baked.probes.position;
}
ZoneLinks linked(const Level& level, const std::vector<ReflectionProbe>& reflections = {}) {
    Job job;
    return link_zones(level, probe_places(), reflections, job);
}
std::uint32_t surface(const Level& level, const std::string& name) {
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s)
        if (level.surfaces[s].name == name) return s;
    return none;
}

TEST(Zones, a_wall_parts_probes_that_a_box_holds) {
    const Level level = two_rooms();
    const ZoneLinks links = linked(level);
    ASSERT_GT(probe_places().size(), 60u);
    std::uint32_t behind = 0;
    for (std::size_t p = 0; p < probe_places().size(); ++p) {
        EXPECT_EQ(links.probe[p], probe_places()[p].x < 0 ? left : right) << p;
        behind += probe_places()[p].x > 0 && probe_places()[p].x < 1.2f;
    }
    ASSERT_GT(behind, 4u);
    EXPECT_EQ(links.walled_off[left], behind);
    EXPECT_EQ(links.walled_off[right], 0u);
    EXPECT_EQ(links.light, (std::vector<std::uint32_t>{left, right}));
    // Without a zone of their own they are in none; and where walls are not to count, in the left one.
    Level alone = level;
    alone.zones.pop_back();
    for (const std::uint32_t z : linked(alone).probe) EXPECT_NE(z, right);
    EXPECT_EQ(linked(alone).walled_off[left], behind);
    alone.zones[left].probes = ZoneProbes::inside;
    const ZoneLinks inside = linked(alone);
    for (std::size_t p = 0; p < probe_places().size(); ++p)
        EXPECT_EQ(inside.probe[p], probe_places()[p].x < 1.2f ? left : none);
    EXPECT_EQ(inside.walled_off[left], 0u);
}

TEST(Zones, a_doorway_does_not_let_the_next_rooms_probes_in) {
    // The rooms' walls gone but for a partition with a doorway of 0.9 m.
    Level level = two_rooms();
    level.surfaces.clear();
    level.meshes.clear();
    add_box(level, "both", {-4, 0, -2}, {4, 3, 2}, true, {0.5f, 0.5f, 0.5f});
    add_box(level, "partition", {-0.1f, 0, -2}, {0.1f, 3, 0.3f}, false, {0.5f, 0.5f, 0.5f});
    add_box(level, "jamb", {-0.1f, 0, 1.2f}, {0.1f, 3, 2}, false, {0.5f, 0.5f, 0.5f});
    level.zones.pop_back();
    const ZoneLinks links = linked(level);
    std::size_t wrong = 0, within = 0;
    for (std::size_t p = 0; p < probe_places().size(); ++p) {
        if (probe_places()[p].x < 0) {
            EXPECT_EQ(links.probe[p], left) << p;
        } else {
            within += probe_places()[p].x < 1.2f;
            wrong += links.probe[p] == left && !(probe_places()[p].z > -0.1f && probe_places()[p].z < 1.6f);
        }
    }
    EXPECT_GE(within, 16u);
    EXPECT_EQ(wrong, 0u) << "only what stands before the opening looks in enough";
}

TEST(Zones, surfaces_go_by_most_of_their_area_and_lists_come_first) {
    Level level = two_rooms();
    const ZoneLinks links = linked(level);
    EXPECT_EQ(links.surface[surface(level, "left_room")], left);
    EXPECT_EQ(links.surface[surface(level, "right_room")], right)
        << "a quarter of it lies in the left one's box";
    EXPECT_EQ(links.surface[surface(level, "left_crate")], left);
    EXPECT_EQ(links.surface[surface(level, "right_crate")], right) << "in both boxes: the later zone's";
    level.zones[left].listed = {surface(level, "right_crate")};
    level.zones[left].left_out = {surface(level, "left_crate")};
    const ZoneLinks told = linked(level);
    EXPECT_EQ(told.surface[surface(level, "right_crate")], left);
    EXPECT_EQ(told.surface[surface(level, "left_crate")], none);
}

TEST(Zones, probes_can_be_put_in_and_taken_out_by_hand) {
    Level level = two_rooms();
    const auto at = [](bool in_left) {
        return *std::find_if(probe_places().begin(), probe_places().end(),
                             [&](Vec3 p) { return (p.x < 0) == in_left; });
    };
    level.zones[left].without = {at(true) + Vec3{0.1f, 0, 0}};
    level.zones[left].with = {at(false)};
    const ZoneLinks links = linked(level);
    for (std::size_t p = 0; p < probe_places().size(); ++p) {
        if (probe_places()[p] == at(true)) {
            EXPECT_EQ(links.probe[p], none);
        }
        if (probe_places()[p] == at(false)) {
            EXPECT_EQ(links.probe[p], left);
        }
    }
    level.zones[left].with = {{40, 0, 0}};
    try {
        linked(level);
        FAIL() << "there is no probe";
    } catch (const Error& e) {
        EXPECT_NE(e.text().find("zone left"), std::string::npos) << e.text();
        EXPECT_NE(e.text().find("40, 0, 0"), std::string::npos) << e.text();
    }
}

TEST(Zones, one_without_a_box_has_the_probes_that_see_most_of_it) {
    Level level = two_rooms();
    level.zones[left].boxes.clear();
    level.zones[left].listed = {surface(level, "left_room"), surface(level, "left_crate")};
    level.zones.pop_back();
    ReflectionProbe ball;
    ball.capture = {-2, 1.5f, 0};
    const ZoneLinks links = linked(level, {ball});
    for (std::size_t p = 0; p < probe_places().size(); ++p)
        EXPECT_EQ(links.probe[p], probe_places()[p].x < 0 ? left : none) << p;
    EXPECT_EQ(links.reflection, (std::vector<std::uint32_t>{left}));
}

TEST(Zones, rules_are_checked) {
    const auto refused = [](const std::function<void(Level&)>& change) {
        Level level = two_rooms();
        change(level);
        try {
            check_level(level);
        } catch (const Error& e) {
            return e.text();
        }
        return std::string();
    };
    EXPECT_EQ(refused([](Level&) {}), "");
    EXPECT_NE(refused([](Level& l) { l.zones[1].name = "left"; }).find("two zones"), std::string::npos);
    EXPECT_NE(refused([](Level& l) { l.zones[0].name.clear(); }).find("no name"), std::string::npos);
    EXPECT_NE(refused([](Level& l) { l.zones[0].boxes[0].half.y = 0; }).find("zone left"), std::string::npos);
    EXPECT_NE(refused([](Level& l) { l.zones[0].listed = {99}; }).find("zone left"), std::string::npos);
    EXPECT_NE(refused([](Level& l) { l.sets[0].layer = 9; }).find("layer"), std::string::npos);
    EXPECT_NE(refused([](Level& l) {
                  l.zones.resize(255, l.zones[0]);
                  for (std::size_t i = 0; i < 255; ++i) l.zones[i].name = std::to_string(i);
              }).find("254"),
              std::string::npos);
}

/// Loads the demo scene with a sheet's lines; what it says, or "".
std::string outcome(const std::string& lines, Level* level = nullptr) {
    const Folder folder;
    fs::copy(demo_folder() / "observatory.glb", folder / "observatory.glb");
    write_bytes(folder / "z.toml", "[level]\nscene = \"observatory.glb\"\n" + lines);
    return load_outcome(folder / "z.toml", level);
}

TEST(Zones, the_sheet_tells_them_and_entries_of_one_name_add_up) {
    Level level;
    ASSERT_EQ(
        outcome("[[zone]]\nname = \"low\"\nlow = [8, -4, -14]\nhigh = [16, -1, -7]\nprobes = \"inside\"\n"
                "[[zone]]\nname = \"low\"\nmatch = [\"crate_*\", \"shelf_1\"]\nexcept = \"crate_1\"\n"
                "with = [[1, 2, 3]]\n"
                "[[zone]]\nname = \"turned\"\nlow = [0, 0, 0]\nhigh = [2, 1, 1]\nturn = 90\n"
                "[[group]]\nname = \"vault\"\nmatch = \"vault_lamp_*\"\nlayer = true\n",
                &level),
        "");
    ASSERT_EQ(level.zones.size(), 2u);
    EXPECT_EQ(level.zones[0].boxes.size(), 1u);
    EXPECT_EQ(level.zones[0].listed.size(), 9u) << "eight crates and a shelf";
    EXPECT_EQ(level.zones[0].left_out.size(), 1u);
    EXPECT_EQ(level.zones[0].probes, ZoneProbes::inside);
    EXPECT_EQ(level.zones[0].with, (std::vector<Vec3>{{1, 2, 3}}));
    EXPECT_NEAR(level.zones[1].boxes[0].axes[0].x, 0, 1e-6f);
    const BakeSet& layer = level.sets.back();
    EXPECT_EQ(layer.name, "layer-vault");
    ASSERT_NE(layer.layer, none);
    EXPECT_EQ(level.groups[layer.layer], "vault");
    for (std::size_t g = 0; g < level.groups.size(); ++g)
        EXPECT_EQ(layer.gain(g).g, g == layer.layer ? 1.0f : 0.0f);
    const auto says = [](const std::string& lines, const std::string& what) {
        const std::string text = outcome(lines);
        EXPECT_NE(text.find(what), std::string::npos) << text;
        EXPECT_NE(text.find("z.toml:"), std::string::npos) << text;
    };
    says("[[zone]]\nname = \"a\"\n", "needs a box");
    says("[[zone]]\nlow = [0, 0, 0]\nhigh = [1, 1, 1]\n", "name");
    says("[[zone]]\nname = \"a\"\nlow = [0, 0, 0]\n", "high");
    says("[[zone]]\nname = \"a\"\nlow = [0, 0, 0]\nhigh = [0, 1, 1]\n", "above");
    says("[[zone]]\nname = \"a\"\nmatch = \"*\"\nprobes = \"some\"\n", "\"seen\"");
    says("[[zone]]\nname = \"a\"\nmatch = \"*\"\nboxes = 1\n", "no such key");
}

TEST(Zones, a_bake_packs_them_again_where_they_alone_changed) {
    const Folder folder;
    write_bytes(folder / "floor.gltf", good_gltf().dump());
    const std::string sheet = (folder / "s.toml").string(),
                      text = "[level]\nscene = \"floor.gltf\"\n[quality]\ntier = \"glance\"\n";
    write_bytes(sheet, text);
    ASSERT_EQ(tool("bake " + sheet).status, 0);
    ASSERT_EQ(tool("pack " + sheet).status, 0);
    const auto zone_of_floor = [&] {
        rt::Game game;
        EXPECT_EQ(game.open((folder / "baked/s/game.sgl").c_str()), rt::Status::ok) << game.message();
        return game.zone_count() > 0 ? std::string(game.zone_name(game.surface(0).zone)) : "";
    };
    EXPECT_EQ(zone_of_floor(), "");
    write_bytes(sheet, text + "[[zone]]\nname = \"ground floor\"\nmatch = \"floor\"\n");
    fs::last_write_time(sheet, fs::last_write_time(folder / "baked/s/game.sgl") + std::chrono::seconds(2));
    const Ran r = tool("bake " + sheet);
    EXPECT_NE(r.out.find("up to date"), std::string::npos) << r.out << "light is as it was";
    EXPECT_EQ(zone_of_floor(), "ground floor");
}

SLOW_TEST(Zones, the_tool_draws_them_and_packs_them) {
    const fs::path sheet = demo_folder() / "observatory.toml";
    const Folder folder;
    const std::string out = " --out " + demo_glance().string();
    const Ran r =
        tool("view " + sheet.string() + out + " --camera vault --show zones --size 640x400 --file " +
             (folder / "zones.png").string() + " --quiet");
    ASSERT_EQ(r.status, 0) << r.err;
    const Pixels p = read_image(folder / "zones.png");
    ASSERT_EQ(p.width, 640);
    // Most of what is seen has the colour of one zone, and is not grey.
    std::size_t colored = 0;
    for (int y = 0; y < 300; ++y)
        for (int x = 0; x < 640; ++x) {
            const float high = std::max({p.at(x, y, 0), p.at(x, y, 1), p.at(x, y, 2)}),
                        low = std::min({p.at(x, y, 0), p.at(x, y, 1), p.at(x, y, 2)});
            colored += high > low * 1.5f;
        }
    EXPECT_GT(colored, 300u * 640 * 8 / 10);
    const Ran packed =
        tool("pack " + sheet.string() + out + " --file " + (folder / "g.sgl").string() + " --json");
    ASSERT_EQ(packed.status, 0) << packed.err;
    std::vector<std::string> names;
    const nlohmann::json told = packed.json();
    for (const auto& z : told["zones"]) {
        names.push_back(z["name"]);
        EXPECT_GT(z["surfaces"].get<int>(), 0) << z.dump();
        EXPECT_GT(z["probes"].get<int>(), 0) << z.dump();
    }
    EXPECT_EQ(names, (std::vector<std::string>{"terrace", "hall", "corridor", "vault", "instruments"}));
    rt::Game game;
    ASSERT_EQ(game.open((folder / "g.sgl").c_str()), rt::Status::ok) << game.message();
    EXPECT_EQ(game.surface(game.find_surface("shelf_2")).zone, game.find_zone("vault"));
    EXPECT_NE(game.find_layer("vault lamps"), rt::nothing);
    const Ran none_there = tool("view " + (demo_folder() / "fog.toml").string() + " --show zones --file " +
                                (folder / "x.png").string() + " --out " + (folder / "nothing").string());
    EXPECT_EQ(none_there.status, 1);
    EXPECT_NE(none_there.err.find("[[zone]]"), std::string::npos) << none_there.err;
}

}  // namespace
}  // namespace test::zones_tests
