// Changing light: what status says of it, series, single surfaces, sheets of pictures, and layers that stand
// alone.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "room.hpp"
#include "stores.hpp"

namespace test::tuning_tests {
namespace {

/// A change, what must then be out of date, and a reason that must be given for it.
struct Edit {
    const char *from, *to;
    std::vector<std::string> stale;
    const char* because;
};

TEST(Status, names_what_each_kind_of_change_makes_out_of_date_and_why) {
    const std::vector<std::string> day = {"lightmaps day", "probes day"},
                                   night = {"lightmaps night", "probes night"},
                                   probes = {"probes day", "probes night"},
                                   all = {"lightmaps day", "probes day", "lightmaps night", "probes night"};
    const Edit edits[] = {
        {"elevation = 50", "elevation = 30", day, "sun turned 20 degrees"},
        {"lux = 60000", "lux = 20000", day, "sun is 0.3333 times as bright"},
        {"candela = 200", "candela = 400", night, "lamp is 2 times as bright"},
        {"candela = 200", "candela = 200\nkelvin = 2200", night, "lamp has another colour"},
        {"at = [0.5, 1.0, 0.2]", "at = [0.5, 1.0, 0.6]", night, "lamp moved 0.4 m"},
        {"candela = 200", "candela = 200\nradius = 0.1", night, "radius of lamp is 0.1 instead of 0"},
        {"[900, 1100, 1500]", "[450, 550, 750]", all, "the sky is 0.5 times as bright"},
        {"gain = { lamps = 0.0 }", "gain = { lamps = 0.5 }", day,
         "lamps in day is 0.5, 0.5, 0.5 instead of 0, 0, 0"},
        {"tier = \"glance\"", "tier = \"glance\"\nbounces = 1", all,
         "quality.bounces is 1 instead of settle"},
        {"tier = \"glance\"", "tier = \"glance\"\ndenoise = \"off\"", all,
         "quality.denoise is off instead of auto"},
        {"tier = \"glance\"", "tier = \"glance\"\nedges = \"sharp\"", all,
         "quality.edges is sharp instead of straight"},
        {"tier = \"glance\"", "tier = \"glance\"\nsaturation = 0.5", all,
         "quality.saturation is 0.5 instead of 1"},
        {"density = 8", "density = 12", all, "lightmap.density is 12 instead of 8"},
        {"spacing = 1.0", "spacing = 0.8", probes, "volume volume 1 is different"},
        {"[[volume]]",
         "[[light]]\nname=\"new\"\nkind=\"point\"\ncandela=5\nat=[0,1,0]\ngroup=\"lamps\"\n[[volume]]", night,
         "new is new"},
        {"[[volume]]", "[[surface]]\nmatch = \"crate\"\nlit_by = \"probes\"\n[[volume]]", all,
         "lit_by of crate is probes instead of lightmap"},
        {"name = \"door\"", "name = \"gate\"", {}, ""},
    };
    const Room room;
    ASSERT_EQ(room.bake().status, 0);
    const std::string sheet = read_text(room.sheet);
    const auto expect = [&](const std::vector<std::string>& stale, const std::string& because) {
        const auto status = room.status();
        std::vector<std::string> found;
        for (const auto& r : status["results"]) {
            if (!r["stale"].get<bool>()) continue;
            found.push_back(r["what"].get<std::string>() + " " + r["set"].get<std::string>());
            const auto why = r["because"].get<std::vector<std::string>>();
            EXPECT_TRUE(std::find(why.begin(), why.end(), because) != why.end())
                << because << " is not among " << r["because"];
        }
        EXPECT_EQ(found, stale) << because;
        EXPECT_EQ(status["up_to_date"].get<bool>(), stale.empty());
    };
    for (const Edit& edit : edits) {
        write_bytes(room.sheet, sheet);
        room.edit(edit.from, edit.to);
        expect(edit.stale, edit.because);
    }
    write_bytes(room.sheet, sheet);
    write_room(room.folder.path(), 1.0f);
    expect(all, "crate moved 0.4 m");
    write_room(room.folder.path());
    expect({}, "");
    fs::remove(room.baked / "day/page-0.exr");
    expect(all, "files of the bake are missing");
}

TEST(Status, view_and_meter_say_what_is_out_of_date) {
    const Room room;
    ASSERT_EQ(room.bake().status, 0);
    room.edit("at = [0.5, 1.0, 0.2]", "at = [0.5, 1.0, 0.6]");
    const std::string at = " --at 0,0,0 ";
    EXPECT_NE(tool("meter " + room.sheet.string() + at + "--set night").err.find("lamp moved 0.4 m"),
              std::string::npos);
    EXPECT_EQ(tool("meter " + room.sheet.string() + at + "--set day").err.find("out of date"),
              std::string::npos);
    const Ran view = tool("view " + room.sheet.string() + " --set night --size 64x40 --json --file " +
                          (room.folder / "v.png").string());
    ASSERT_EQ(view.status, 0) << view.err;
    EXPECT_TRUE(view.json()["stale"].get<bool>());
}

double lux(const Room& room, const std::string& at, const std::string& set) {
    const Ran r = tool("meter --quiet --json --at " + at + " --set " + set + " " + room.sheet.string());
    return r.json()["readings"][0]["irradiance_lux"][1].get<double>();
}

TEST(Only, writes_the_texels_of_the_surfaces_named_and_keeps_all_others) {
    const Room room;
    const std::string floor = "-0.5,0,0.8 --facing 0,1,0", crate = "0.6,0.5,-0.4 --facing 0,1,0";
    ASSERT_EQ(room.bake().status, 0);
    const double floor_before = lux(room, floor, "night"), crate_before = lux(room, crate, "night");
    const std::string probes = read_text(room.baked / "probes.bin"),
                      day = read_text(room.baked / "day/page-0.exr");
    room.edit("candela = 200", "candela = 800");
    const Ran only = room.bake("--only crate");
    ASSERT_EQ(only.status, 0) << only.err;
    EXPECT_NE(only.out.find("only crate was baked"), std::string::npos) << only.out;
    EXPECT_EQ(lux(room, floor, "night"), floor_before);
    EXPECT_TRUE(read_text(room.baked / "probes.bin") == probes);
    EXPECT_TRUE(read_text(room.baked / "day/page-0.exr") == day) << "the day does not show the lamp";
    const double crate_only = lux(room, crate, "night");
    EXPECT_GT(crate_only, 2 * crate_before);
    const auto status = room.status();
    EXPECT_FALSE(status["up_to_date"].get<bool>());
    EXPECT_EQ(status["results"][2]["surfaces_up_to_date"], nlohmann::json({"crate"})) << status.dump(1);
    ASSERT_EQ(room.bake().status, 0);
    EXPECT_EQ(lux(room, crate, "night"), crate_only) << "the same light as when all is baked";
    EXPECT_GT(lux(room, floor, "night"), 2 * floor_before);
    EXPECT_TRUE(room.status()["up_to_date"].get<bool>());
    EXPECT_EQ(room.bake("--only attic").status, 1);
}

TEST(Only, probes_alone_are_lit_and_lightmaps_stay_out_of_date) {
    const Room room;
    ASSERT_EQ(room.bake().status, 0);
    const std::string probes = read_text(room.baked / "probes.bin"),
                      night = read_text(room.baked / "night/page-0.exr");
    room.edit("candela = 200", "candela = 800");
    const Ran only = room.bake("--only probes");
    ASSERT_EQ(only.status, 0) << only.err;
    EXPECT_FALSE(read_text(room.baked / "probes.bin") == probes);
    EXPECT_TRUE(read_text(room.baked / "night/page-0.exr") == night);
    const nlohmann::json status = room.status();
    for (const auto& result : status["results"])
        EXPECT_EQ(result["stale"].get<bool>(), result["what"] == "lightmaps" && result["set"] == "night")
            << result;
    const std::string alone = read_text(room.baked / "probes.bin");
    ASSERT_EQ(room.bake().status, 0);
    EXPECT_TRUE(room.status()["up_to_date"].get<bool>());
    EXPECT_TRUE(read_text(room.baked / "probes.bin") == alone) << "the same light as when all is baked";
    EXPECT_FALSE(read_text(room.baked / "night/page-0.exr") == night);
    const Room empty;
    EXPECT_EQ(empty.bake("--only probes").status, 1) << "there is nothing to keep";
}

TEST(Without, what_is_left_out_of_a_bake_stays_as_it_was_and_is_said_to_be_old) {
    const Room room;
    room.edit("[[volume]]",
              "[[reflection]]\nname = \"mirror\"\nlow = [-1, 0.1, -1]\nhigh = [1, 1.5, 1]\nresolution = 32\n"
              "[[volume]]");
    ASSERT_EQ(room.bake().status, 0);
    const auto parts = [&] {
        return std::map<std::string, std::string>{
            {"lightmaps", read_text(room.baked / "night/page-0.exr")},
            {"probes", read_text(room.baked / "probes.bin")},
            {"reflections", read_text(room.baked / "night/mirror-mirror.ktx2")}};
    };
    const std::map<std::string, std::string> before = parts();
    const auto expect = [&](const std::string& without, const std::vector<std::string>& old) {
        const Ran ran = room.bake(without + " --json");
        ASSERT_EQ(ran.status, 0) << ran.err;
        const nlohmann::json said = ran.json();
        EXPECT_EQ(said["reflection_rays"], 0) << "what is seen is where it was";
        const std::map<std::string, std::string> now = parts();
        for (const auto& [part, bytes] : now)
            EXPECT_EQ(bytes == before.at(part), std::find(old.begin(), old.end(), part) != old.end()) << part;
        const nlohmann::json status = room.status();
        for (const auto& result : status["results"])
            EXPECT_EQ(
                result["stale"].get<bool>(),
                result["set"] == "night" && std::find(old.begin(), old.end(), result["what"]) != old.end())
                << without << result;
        const nlohmann::json again = room.bake(without + " --json").json();
        EXPECT_TRUE(again["up_to_date"]) << "but for what is left out";
        EXPECT_EQ(tool("pack " + room.sheet.string()).status, 0) << without;
    };
    room.edit("candela = 200", "candela = 800");
    expect("--without pages", {"lightmaps"});
    room.edit("candela = 800", "candela = 200");
    EXPECT_EQ(room.bake().status, 0);
    room.edit("candela = 200", "candela = 800");
    expect("--without reflections", {"reflections"});
    room.edit("candela = 800", "candela = 200");
    EXPECT_EQ(room.bake().status, 0);
    room.edit("candela = 200", "candela = 800");
    expect("--without probes", {"probes", "reflections"});
    // And then all of it, the same as if it had been baked at once.
    EXPECT_EQ(room.bake().status, 0);
    EXPECT_TRUE(room.status()["up_to_date"].get<bool>());
    const std::map<std::string, std::string> after = parts();
    fs::remove_all(room.baked);
    EXPECT_EQ(room.bake().status, 0);
    EXPECT_TRUE(parts() == after);
    EXPECT_EQ(room.bake("--without pages --without probes").status, 2);
    EXPECT_EQ(room.bake("--without pages --only floor").status, 2);
    const Room fresh;
    EXPECT_EQ(fresh.bake("--without probes").status, 0) << "nothing need be there before";
    EXPECT_EQ(fresh.bake("--without pages").status, 0);
    EXPECT_TRUE(fresh.status()["up_to_date"].get<bool>());
}

TEST(Keys, are_in_the_files_that_a_game_takes) {
    const Room room;
    ASSERT_EQ(room.bake().status, 0);
    const auto manifest = nlohmann::json::parse(read_text(room.baked / "manifest.json")),
               probes = nlohmann::json::parse(read_text(room.baked / "probes.json"));
    for (std::size_t s = 0; s < 2; ++s) {
        const std::string key = manifest["sets"][s]["made_from"], name = manifest["sets"][s]["name"];
        EXPECT_EQ(probes["sets"][s]["made_from"], key);
        EXPECT_NE(read_text(room.baked / name / "page-0.exr").find(key), std::string::npos);
    }
}

TEST(TimeLimit, writes_the_best_tier_that_is_done_and_goes_on_from_there) {
    const Room room, whole;
    const Ran short_of_time = room.bake("--tier proof --time-limit 0.001 --json");
    ASSERT_EQ(short_of_time.status, 0) << short_of_time.err;
    EXPECT_EQ(short_of_time.json()["tier"], "glance");
    EXPECT_EQ(short_of_time.json()["tier_asked_for"], "proof");
    EXPECT_NE(short_of_time.err.find("time was up"), std::string::npos) << short_of_time.err;
    const std::string before = read_text(room.baked / "manifest.json");
    const Ran nothing = room.bake("--tier proof --time-limit 0.001 --json");
    ASSERT_EQ(nothing.status, 0) << nothing.err;
    EXPECT_FALSE(nothing.json()["up_to_date"].get<bool>()) << "glance is there, and proof takes longer";
    EXPECT_TRUE(read_text(room.baked / "manifest.json") == before);
    const Ran enough = room.bake("--tier proof --time-limit 600 --json");
    EXPECT_EQ(enough.json()["tier"], "proof") << enough.err;
    EXPECT_TRUE(room.bake("--tier proof --time-limit 5 --json").json()["up_to_date"].get<bool>());
    ASSERT_EQ(whole.bake("--tier proof").status, 0);
    EXPECT_TRUE(read_image(room.baked / "day/page-0.exr").values ==
                read_image(whole.baked / "day/page-0.exr").values);
    EXPECT_EQ(room.bake("--time-limit 5 --only crate").status, 2);
    for (const char* wrong : {"-1", "0", "soon"}) {
        const Ran r = room.bake(std::string("--time-limit ") + wrong);
        EXPECT_EQ(r.status, 2);
        EXPECT_NE(r.err.find("needs a number of seconds over 0, not \"" + std::string(wrong)),
                  std::string::npos)
            << r.err;
    }
}

TEST(Series, the_sun_stands_where_astronomy_has_it) {
    const auto degrees = [](Vec3 v) { return std::asin(v.y) * 180 / pi; };
    // At noon 90 degrees less the latitude, and the axis' 23.44 at the solstices; a half degree for the
    // series' own error.
    EXPECT_NEAR(degrees(sun_place(47.5, 172, 12)), 90 - 47.5f + 23.44f, 0.5f);
    EXPECT_NEAR(degrees(sun_place(47.5, 355, 12)), 90 - 47.5f - 23.44f, 0.5f);
    EXPECT_NEAR(degrees(sun_place(0, 80, 12)), 90, 1.5f);
    EXPECT_NEAR(degrees(sun_place(0, 80, 6)), 0, 0.5f);
    const Vec3 morning = sun_place(47.5, 172, 9), evening = sun_place(47.5, 172, 15);
    EXPECT_GT(morning.x, 0.3f) << "in the east";
    EXPECT_NEAR(morning.x, -evening.x, 1e-4f);
    EXPECT_GT(sun_place(47.5, 172, 12).z, 0.2f) << "in the south";
    EXPECT_LT(sun_place(-35, 355, 12).z, -0.1f) << "in the north, south of the equator";
}

TEST(Series, steps_are_sets_with_suns_of_their_own) {
    const Room room;
    const std::string series =
        "[[series]]\nname = \"path\"\npath = [[120, 50], [200, 10], [0, -30]]\n"
        "gain = { lamps = 0.0 }\n[[camera]]";
    room.edit("[[camera]]", series);
    const Ran r = room.bake("--json");
    ASSERT_EQ(r.status, 0) << r.err;
    EXPECT_EQ(r.json()["sets"], nlohmann::json({"day", "night", "path-01", "path-02", "path-03"}));
    // The first step's sun stands where the level's own does.
    EXPECT_TRUE(read_image(room.baked / "path-01/page-0.exr").values ==
                read_image(room.baked / "day/page-0.exr").values);
    const std::string open = "-0.5,0,0.8 --facing 0,1,0";
    EXPECT_LT(lux(room, open, "path-02"), 0.5 * lux(room, open, "path-01"));
    EXPECT_LT(lux(room, open, "path-03"), 1.0);
    EXPECT_TRUE(room.status()["up_to_date"].get<bool>());
    room.edit("[200, 10]", "[200, 12]");
    const auto status = room.status();
    for (const auto& result : status["results"])
        EXPECT_EQ(result["stale"].get<bool>(), result["set"] == "path-02") << result;
    EXPECT_EQ(room.bake("--json").json()["sets"], nlohmann::json({"path-02"}));
}

TEST(Vary, tries_values_on_one_sheet_and_traces_nothing_that_needs_no_tracing) {
    const Room room;
    ASSERT_EQ(room.bake().status, 0);
    const fs::path sheet = room.folder / "sheet.png";
    const Ran r = tool("vary " + room.sheet.string() + " --what light.sun.gain=0.5,1,2 --json --file " +
                       sheet.string());
    ASSERT_EQ(r.status, 0) << r.err;
    const auto tried = r.json()["tried"];
    ASSERT_EQ(tried.size(), 3u);
    for (const auto& t : tried) {
        EXPECT_EQ(t["links_traced"], 0);
        EXPECT_EQ(t["layers_made"], 0);
    }
    const double half = tried[0]["mean_lux"], one = tried[1]["mean_lux"], two = tried[2]["mean_lux"];
    EXPECT_NEAR((two - one) / (one - half), 2, 0.02) << "light is linear";
    EXPECT_EQ(read_image(sheet).width, 1280);
    const Ran bounces = tool("vary " + room.sheet.string() +
                             " --what bounces=0,1,\\\"settle\\\" --json --file " + sheet.string());
    ASSERT_EQ(bounces.status, 0) << bounces.err;
    EXPECT_LT(bounces.json()["tried"][0]["mean_lux"], bounces.json()["tried"][1]["mean_lux"]);
    EXPECT_EQ(tool("vary " + room.sheet.string() + " --what sun=1,2").status, 1);
    const Ran bare = tool("vary " + room.sheet.string() + " --what bounces");
    EXPECT_EQ(bare.status, 2);
    EXPECT_NE(bare.err.find("from 0 to 1000"), std::string::npos) << bare.err;
    const nlohmann::json all = tool("vary " + room.sheet.string() + " --what all --json").json();
    const auto density =
        std::find_if(all.begin(), all.end(), [](const auto& s) { return s["key"] == "lightmap.density"; });
    ASSERT_NE(density, all.end());
    EXPECT_EQ((*density)["range"][1], 4096);
    EXPECT_EQ(tool("survey " + room.sheet.string() + " --json").json()["settings"], all);
    EXPECT_EQ(tool("vary " + room.sheet.string() + " --what light.sun.shine=1,2").status, 1);
}

/// A floor between walls of two colours, with two groups of lamps.
Level two_lamps() {
    Level level;
    add_floor(level, 3, {0.6f, 0.5f, 0.4f});
    add_quad(level, "wall", {-1.5f, 0, -1.5f}, {1.5f, 0, -1.5f}, {1.5f, 2, -1.5f}, {-1.5f, 2, -1.5f},
             {0.8f, 0.2f, 0.1f});
    level.lightmap.density = 8;
    level.quality.tier = Tier::proof;
    for (const float x : {-0.7f, 0.8f}) {
        Light lamp{.name = x < 0 ? "left" : "right", .kind = LightKind::point, .color = {100, 90, 50}};
        lamp.position = {x, 1, -0.5f};
        lamp.group = group_index(level, lamp.name);
        level.lights.push_back(lamp);
    }
    level.sets.push_back({.name = "left", .gains = {1, 0}, .tints = {}, .exposure = {}});
    level.sets.push_back({.name = "both", .gains = {1, 1}, .tints = {}, .exposure = {}});
    return level;
}

TEST(Layers, a_groups_light_is_the_same_whatever_else_is_in_the_level) {
    Level alone = two_lamps();
    alone.lights.pop_back();
    alone.groups.pop_back();
    alone.sets = {{.name = "left", .gains = {1}, .tints = {}, .exposure = {}}};
    const Bake both = bake_level(two_lamps()), one = bake_level(alone);
    ASSERT_EQ(both.baked.sets[0].pages.size(), one.baked.sets[0].pages.size());
    for (std::size_t p = 0; p < one.baked.sets[0].pages.size(); ++p)
        EXPECT_TRUE(both.baked.sets[0].pages[p].texels == one.baked.sets[0].pages[p].texels);
}

TEST(Layers, a_host_can_keep_them_where_it_likes) {
    MemoryStore memory;
    Job job;
    const Level level = two_lamps();
    Baker first(level, job, nullptr, memory.store());
    const Baked made = first.light(level, job);
    EXPECT_EQ(made.figures.layers_made, 2u);
    EXPECT_FALSE(first.texels(0).empty());
    Baker second(level, job, nullptr, memory.store());
    const Baked kept = second.light(level, job);
    EXPECT_EQ(kept.figures.layers_made, 0u);
    EXPECT_EQ(kept.figures.traced, 0u);
    EXPECT_TRUE(kept.sets[1].pages[0].texels == made.sets[1].pages[0].texels);
    EXPECT_THROW(second.texels(0), Error) << "direct light is not kept apart";
    // A blob that does not fit counts as none.
    for (auto& [name, bytes] : memory.blobs)
        bytes = std::make_shared<std::vector<std::uint8_t>>(bytes->begin(), bytes->end() - 4);
    Baker third(level, job, nullptr, memory.store());
    EXPECT_TRUE(third.light(level, job).sets[1].pages[0].texels == made.sets[1].pages[0].texels);
}

SLOW_TEST(Memory, links_past_what_is_allowed_rest_and_change_nothing) {
    Level level = two_lamps();
    level.lightmap.density = 75;
    level.sky.radiance = {90, 100, 120};
    MemoryStore free_store, tight_store;
    const auto made = [&](std::uint64_t memory, MemoryStore& store) {
        Job job(JobOptions{.threads = 2, .memory = memory, .on_progress = {}, .on_note = {}});
        Baker baker(level, job, nullptr, store.store());
        return baker.light(level, job);
    };
    const Baked free = made(0, free_store);
    EXPECT_EQ(free_store.rested, 0u);
    ASSERT_GT(free.figures.texels, 2u * 32768u) << "more than two pieces of links";
    const std::uint64_t rows = free.figures.texels + free.figures.patches;
    const Baked tight = made(rows * 1300, tight_store);
    EXPECT_GT(tight_store.rested, 0u);
    for (std::size_t p = 0; p < free.sets[0].pages.size(); ++p)
        EXPECT_TRUE(free.sets[0].pages[p].texels == tight.sets[0].pages[p].texels);
    try {
        made(1000000, tight_store);
        FAIL() << "a megabyte is too little";
    } catch (const Error& e) {
        EXPECT_NE(e.value.find("1 MB allowed"), std::string::npos) << e.text();
        EXPECT_NE(e.value.find(std::to_string(rows)), std::string::npos) << e.text();
    }
}

TEST(Memory, the_tool_says_what_a_level_would_need) {
    const Room room;
    EXPECT_EQ(room.bake("--memory much").status, 2);
    EXPECT_EQ(room.bake("--memory 0").status, 2);
    room.edit("density = 8", "density = 100");
    const Ran little = room.bake("--memory 0.001");
    EXPECT_EQ(little.status, 1);
    EXPECT_NE(little.err.find("1 MB allowed"), std::string::npos) << little.err;
    EXPECT_FALSE(fs::exists(room.baked / "manifest.json"));
    const Ran enough = room.bake("--memory 1");
    EXPECT_EQ(enough.status, 0) << enough.err;
}

TEST(Layers, a_baker_refuses_what_is_more_than_light_and_stays_as_it_was) {
    Job job;
    const Level level = two_lamps();
    Baker baker(level, job);
    const std::vector<Rgb> before = baker.light(level, job).sets[0].pages[0].texels;
    Level other = level;
    other.volumes.push_back(box_volume("new", {-1, 0.2f, -1}, {1, 1, 1}, 2));
    EXPECT_FALSE(baker.takes(other));
    EXPECT_THROW(baker.light(other, job), Error);
    other = level;
    other.surfaces.back().to_world.origin.x += 0.125f;
    EXPECT_FALSE(baker.takes(other));
    EXPECT_THROW(baker.light(other, job), Error);
    other = level;
    other.lights[0].color = other.lights[0].color * 2;
    EXPECT_TRUE(baker.takes(other));
    EXPECT_FALSE(baker.light(other, job).sets[0].pages[0].texels == before);
    EXPECT_TRUE(baker.light(level, job).sets[0].pages[0].texels == before);
}

TEST(Layers, a_session_takes_edits_and_is_what_a_bake_from_nothing_is) {
    Job job;
    Level level = two_lamps();
    MemoryStore memory;
    Session session(level, job, nullptr, memory.store());
    const std::uint64_t whole = session.baked().figures.traced;
    level.surfaces.back().to_world.origin.x += 0.125f;
    level.volumes.push_back(box_volume("new", {-1, 0.2f, -1}, {1, 1, 1}, 2));
    EXPECT_FALSE(session.update(level, job).empty());
    EXPECT_LT(session.baked().figures.traced, whole);
    Session fresh(level, job);
    EXPECT_TRUE(session.baked().sets[0].pages[0].texels == fresh.baked().sets[0].pages[0].texels);
    EXPECT_GT(session.baked().probes.size(), 0u);
    EXPECT_TRUE(session.baked().sets[0].probes == fresh.baked().sets[0].probes);
    // A level that cannot be baked changes nothing.
    Level broken = level;
    broken.lights[0].color.r = -1;
    EXPECT_THROW(session.update(broken, job), Error);
    EXPECT_TRUE(session.update(level, job).empty());
}

TEST(Layers, tints_and_gains_multiply_a_layer) {
    Level level = two_lamps();
    level.sets.push_back(
        {.name = "tinted", .gains = {2, 0}, .tints = {{0.5f, 1, 0}, {1, 1, 1}}, .exposure = {}});
    const Bake b = bake_level(level);
    const PageImage &plain = b.baked.sets[0].pages[0], &tinted = b.baked.sets[2].pages[0];
    for (std::size_t i = 0; i < plain.texels.size(); ++i) {
        ASSERT_NEAR(tinted.texels[i].r, plain.texels[i].r, 1e-4f * plain.texels[i].r);
        ASSERT_NEAR(tinted.texels[i].g, 2 * plain.texels[i].g, 2e-4f * plain.texels[i].g);
        ASSERT_EQ(tinted.texels[i].b, 0);
    }
}

TEST(Bounces, gain_and_saturation_change_what_bounces_carry) {
    Level level = two_lamps();
    level.quality.bounces = 1;
    level.quality.denoise = Denoise::off;
    Job job;
    Baker baker(level, job);
    const auto bounced = [&](float gain, float saturation) {
        level.quality.bounce_gain = gain;
        level.quality.saturation = saturation;
        baker.light(level, job);
        Rgb sum;
        for (const TexelLight& t : baker.texels(0)) sum += (t.total - t.direct) * t.area;
        return sum;
    };
    const Rgb plain = bounced(1, 1), half = bounced(0.5f, 1), none_left = bounced(0, 1), grey = bounced(1, 0);
    EXPECT_GT(plain.r, 0);
    EXPECT_NEAR(half.r / plain.r, 0.5f, 0.01f);
    EXPECT_NEAR(none_left.r / plain.r, 0, 1e-4f);
    // The lamp is (100, 90, 50): grey surfaces send on just that.
    EXPECT_NEAR(grey.b / grey.r, 0.5f, 0.01f);
    EXPECT_LT(plain.b / plain.r, 0.4f);
}

}  // namespace
}  // namespace test::tuning_tests
