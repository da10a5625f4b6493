// Volumes as sheets say them, and the command that places.

#include <gtest/gtest.h>

#include "support.hpp"

namespace test::place_sheet_tests {
namespace {

TEST(Sheet, says_volumes_of_every_shape_rules_and_probes_by_hand) {
    const Folder folder;
    Json gltf = good_gltf();
    gltf["nodes"].push_back(
        {{"name", "desk"}, {"translation", {5, 0, 0}}, {"rotation", {0, 0.70710678, 0, 0.70710678}}});
    gltf["scenes"][0]["nodes"].push_back(gltf["nodes"].size() - 1);
    write_bytes(folder / "scene.gltf", gltf.dump());
    write_bytes(folder / "l.toml", R"([level]
scene = "scene.gltf"
[[volume]]
low = [-1, 0, -2]
high = [1, 2, 2]
turn = 90
fill = ["walkable", "light"]
figure = { height = 1.2, slope = 30 }
heights = [1]
seeds = [[0, 1, 0]]
priority = 2
near = 3
floor = "floor"
[[volume]]
name = "by node"
low = [0, 0, 0]
high = [2, 1, 4]
node = "desk"
[[volume]]
shape = "capsule"
from = [0, 0, 0]
to = [0, 4, 0]
radius = 1
except = true
[[probe]]
at = [1, 2, 3]
[[probe]]
node = "desk"
[probes]
tolerance = 0.2
budget = 9
merge = 0.5
)");
    const Level level = load_level(folder / "l.toml");
    ASSERT_EQ(level.volumes.size(), 3u);
    const Volume& turned = level.volumes[0];
    EXPECT_NEAR(turned.axes[0].z, 1, 1e-6f) << "clockwise from above: +X goes to +Z";
    EXPECT_TRUE(holds(turned, {1.9f, 1, 0.9f}));
    EXPECT_FALSE(holds(turned, {0.9f, 1, 1.9f}));
    EXPECT_TRUE(turned.has(ProbeRule::walkable) && turned.has(ProbeRule::light) &&
                !turned.has(ProbeRule::lattice));
    EXPECT_NEAR(turned.figure.slope, pi / 6, 1e-6f);
    EXPECT_EQ(turned.heights, std::vector<float>{1});
    EXPECT_EQ(turned.near, 3);
    // The desk looks along -X: its own +Z is the world's +X.
    EXPECT_TRUE(holds(level.volumes[1], {8.9f, 0.5f, -1.9f}));
    EXPECT_FALSE(holds(level.volumes[1], {8.9f, 0.5f, 0.1f}));
    EXPECT_TRUE(level.volumes[2].except && holds(level.volumes[2], {0, 4.9f, 0}));
    ASSERT_EQ(level.hand_probes.size(), 2u);
    EXPECT_EQ(level.hand_probes[1], (Vec3{5, 0, 0}));
    EXPECT_NEAR(level.probes.tolerance, 0.2f, 1e-7f);
    EXPECT_EQ(level.probes.budget, 9);
}

SLOW_TEST(PlaceCommand, tells_what_it_did_and_the_bake_takes_it) {
    const Folder folder;
    fs::create_directories(folder / "obs");
    for (const auto& file : fs::directory_iterator(demo_source()))
        if (file.is_regular_file()) fs::copy(file, folder / "obs");
    const std::string level = (folder / "obs").string() + "/observatory.toml";
    std::string sheet = read_text(level);
    sheet.replace(sheet.find("density = 16"), 12, "density = 5");
    sheet +=
        "\n[[volume]]\nname = \"roof\"\nshape = \"sphere\"\nat = [0.0, 12.0, 0.0]\nradius = 5.0\nspacing = "
        "1.5\n"
        "[[probe]]\nat = [0.0, 1.5, 4.0]\n[[probe]]\nnode = \"torch*\"\n";
    write_bytes(level, sheet);
    const Ran first = tool("place " + level + " --json --quiet");
    ASSERT_EQ(first.status, 0) << first.err;
    const nlohmann::json told = first.json();
    const auto places = nlohmann::json::parse(read_text(folder / "obs/baked/observatory/places.json"));
    EXPECT_EQ(told["kept"], places["probes"].size());
    EXPECT_GE(told["rules"]["hand"]["kept"].get<int>(), 2);
    EXPECT_GT(told["rules"]["explore"]["kept"].get<int>(), 500);
    EXPECT_GT(told["game_bytes"].get<double>(), 500.0 * told["kept"].get<double>());

    // Against exact light: in each room and set, and no better than what rays to a bake can say.
    const nlohmann::json exact = tool("place " + level + " --exact --json --quiet").json()["exact"];
    std::set<std::string> rooms, sets;
    for (const auto& r : exact) {
        rooms.insert(r["room"].get<std::string>());
        sets.insert(r["set"].get<std::string>());
        EXPECT_GE(r["places"].get<int>(), 50);
        EXPECT_LE(r["half"].get<float>(), r["at_95"].get<float>());
        EXPECT_LE(r["at_95"].get<float>(), r["worst"].get<float>());
    }
    EXPECT_TRUE(rooms.count("hall") && rooms.count("vault") && rooms.count("elsewhere"));
    EXPECT_TRUE(sets.count("noon") && sets.count("dusk"));
    const auto hall = std::find_if(exact.begin(), exact.end(),
                                   [](const auto& r) { return r["room"] == "hall" && r["set"] == "dusk"; });
    ASSERT_NE(hall, exact.end());
    EXPECT_LT((*hall)["half"].get<float>(), 0.03f);
    EXPECT_GT((*hall)["half"].get<float>(), 0.001f);
    EXPECT_LT((*hall)["at_95"].get<float>(), 0.15f);

    // One volume anew: the others keep their places to the bit.
    std::string other = sheet;
    other.replace(other.find("spacing = 1.5"), 13, "spacing = 2.5");
    write_bytes(level, other);
    const Ran second = tool("place " + level + " --only roof --json --quiet");
    ASSERT_EQ(second.status, 0) << second.err;
    const auto now = nlohmann::json::parse(read_text(folder / "obs/baked/observatory/places.json"));
    const auto of = [](const nlohmann::json& json, const char* volume) {
        std::set<std::string> out;
        for (const auto& p : json["probes"])
            if (p.value("volume", "") == volume) out.insert(p["at"].dump());
        return out;
    };
    EXPECT_EQ(of(places, "site"), of(now, "site"));
    EXPECT_LT(of(now, "roof").size(), of(places, "roof").size());
    EXPECT_GT(of(now, "roof").size(), 10u);

    // A bake puts its probes there, and is up to date then.
    const Ran baked = tool("bake " + level + " --tier glance --quiet --json");
    ASSERT_EQ(baked.status, 0) << baked.err;
    EXPECT_EQ(baked.json()["probes"], now["probes"].size());
    const auto header = nlohmann::json::parse(read_text(folder / "obs/baked/observatory/probes.json"));
    EXPECT_EQ(header["count"], now["probes"].size());
    const Ran again = tool("bake " + level + " --tier glance --quiet --json");
    EXPECT_EQ(again.json()["up_to_date"], true) << again.out;
    EXPECT_EQ(tool("place " + level + " --only nowhere --quiet").status, 1);
}

}  // namespace
}  // namespace test::place_sheet_tests
