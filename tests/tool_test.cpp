// The tool as a program, on the demo level: the outer contract, the files, the exit statuses.

#include <gtest/gtest.h>

#include <cmath>

#include "support.hpp"

namespace test::tool_tests {
namespace {

using Json = nlohmann::json;

std::string demo() {
    return (demo_folder() / "observatory.toml").string();
}
std::string demo_baked() {
    return demo() + " --quiet --out " + demo_glance().string();
}

TEST(Demo, the_generator_still_makes_the_committed_bytes) {
    const Folder folder;
    const Ran r = run(std::string(STASIGRAPH_MAKE_DEMO) + " " + (folder / "again.glb").string() + " " +
                      (folder / "again.exr").string());
    ASSERT_EQ(r.status, 0) << r.err;
    EXPECT_TRUE(read_text(folder / "again.exr") == read_text(demo_folder() / "evening.exr"));
    const std::string committed = read_text(demo_folder() / "observatory.glb");
    EXPECT_TRUE(read_text(folder / "again.glb") == committed);
    EXPECT_LT(committed.size(), 3000000u);
}

TEST(Demo, has_what_the_level_is_said_to_have) {
    const Level level = load_level(demo_folder() / "observatory.toml");
    std::size_t triangles = 0, moving = 0;
    for (const Surface& s : level.surfaces) {
        triangles += level.meshes[s.mesh]->triangle_count();
        moving += s.part == Part::moving ? 1 : 0;
    }
    EXPECT_GE(triangles, 20000u);
    EXPECT_LE(triangles, 60000u);
    EXPECT_GE(moving, 2u);
    for (const char* camera : {"dome", "corridor", "instruments", "terrace", "vault"})
        EXPECT_TRUE(std::any_of(level.cameras.begin(), level.cameras.end(), [&](const Camera& c) {
            return c.name == camera;
        })) << camera;
    EXPECT_TRUE(level.notes.empty()) << level.notes[0];
}

TEST(Tool, says_how_it_is_used) {
    EXPECT_EQ(tool("--help").status, 0);
    EXPECT_NE(tool("--version").out.find("stasigraph"), std::string::npos);
    for (const char* command : {"start", "survey", "unwrap", "bake", "status", "vary", "meter", "view"}) {
        const Ran r = tool(std::string(command) + " --help");
        EXPECT_EQ(r.status, 0) << command;
        for (const char* option : {"--json", "--quiet", "--threads", "Example:"})
            EXPECT_NE(r.out.find(option), std::string::npos) << command << " " << option;
    }
}

TEST(Tool, wrong_usage_is_status_2_and_failure_is_status_1) {
    for (const std::string& wrong : {std::string(""), std::string("polish x.glb"), std::string("bake"),
                                     "bake " + demo() + " --tier best", "bake " + demo() + " --frobnicate",
                                     "meter " + demo(), "meter " + demo() + " --at 1,2",
                                     "view " + demo() + " --size big", "bake " + demo() + " --bounces lots",
                                     "view " + demo() + " --eye 1,2,3", "bake " + demo() + " --threads -1"}) {
        const Ran r = tool(wrong);
        EXPECT_EQ(r.status, 2) << wrong;
        EXPECT_FALSE(r.err.empty() && r.out.empty()) << wrong;
    }
    const Folder folder;
    for (const std::string& fails : {std::string("bake gone.glb"), "survey " + (folder / "x.obj").string(),
                                     "bake " + demo() + " --set midnight --out " + folder.path().string(),
                                     "meter " + demo() + " --at 0,0,0 --out " + (folder / "nothing").string(),
                                     "view " + demo() + " --show charts --camera attic"}) {
        const Ran r = tool(fails);
        EXPECT_EQ(r.status, 1) << fails;
        EXPECT_NE(r.err.find("error:"), std::string::npos) << fails << ": " << r.err;
    }
}

TEST(Tool, an_output_that_cannot_be_written_is_told_before_the_work) {
    const Folder folder;
    write_bytes(folder / "file", "in the way");
    const Ran r = tool("bake " + demo() + " --out " + (folder / "file" / "baked").string());
    EXPECT_EQ(r.status, 1);
    EXPECT_NE(r.err.find("cannot be written"), std::string::npos) << r.err;
    EXPECT_EQ(r.err.find("links"), std::string::npos) << "it traced before it looked: " << r.err;
    EXPECT_EQ(read_text(folder / "file"), "in the way");
}

SLOW_TEST(Bake, writes_what_its_manifest_says_and_nothing_else) {
    const Json m = Json::parse(read_text(demo_glance() / "manifest.json"));
    EXPECT_EQ(m["version"], 2);
    ASSERT_EQ(m["sets"].size(), 5u) << "four sets and a layer";
    std::set<std::string> listed{"manifest.json"}, found;
    for (const auto& [name, hash] : m["files"].items()) listed.insert(name);
    // Once under plain names, and once whole in the result's own folder.
    const fs::path whole = demo_glance() / m["result"].get<std::string>();
    for (const fs::path& root : {demo_glance(), whole}) {
        found.clear();
        for (const auto& e : fs::recursive_directory_iterator(root)) {
            const std::string name = e.path().lexically_relative(root).generic_string();
            if (e.is_regular_file() && name.front() != '.') found.insert(name);
        }
        EXPECT_EQ(listed, found);
    }
    for (const Json& set : m["sets"])
        for (const Json& map : set["lightmaps"]) {
            const Pixels p = read_image(demo_glance() / map["file"].get<std::string>());
            EXPECT_EQ(p.exponent, map["exponent"].get<int>());
            float largest = 0;
            for (const float v : p.values) {
                ASSERT_TRUE(std::isfinite(v) && v >= 0);
                largest = std::max(largest, v);
            }
            EXPECT_LT(largest, 16384);
        }
    for (const Json& s : m["surfaces"]) {
        EXPECT_LE(s["scale"][0].get<float>() + s["offset"][0].get<float>(), 1);
        EXPECT_LT(s["page"].get<std::size_t>(), m["pages"].size());
    }
}

// The demo level's bake that all tests look at is made from nothing with two threads.
SLOW_TEST(Bake, gives_the_same_bytes_with_one_thread_and_with_two) {
    const Folder folder;
    const auto result_of = [](const fs::path& out) {
        return out / Json::parse(read_text(out / "manifest.json"))["result"].get<std::string>();
    };
    const Ran r = tool("bake " + demo() + " --tier glance --json --quiet --threads 1 --out " +
                       (folder / "out").string() + " --cache " + (folder / "cache").string());
    ASSERT_EQ(r.status, 0) << r.err;
    EXPECT_GT(r.json()["links_traced"].get<double>(), 1e6) << "from nothing";
    const fs::path one = result_of(folder / "out"), two = result_of(demo_glance());
    int files = 0;
    for (const auto& e : fs::recursive_directory_iterator(two)) {
        if (!e.is_regular_file()) continue;
        const fs::path name = e.path().lexically_relative(two);
        EXPECT_TRUE(read_text(e.path()) == read_text(one / name)) << name;
        ++files;
    }
    EXPECT_GE(files, 18);
}

/// A small level of its own: a floor and a box, quick to bake many times.
void write_small_level(const Folder& folder, const std::string& sheet) {
    const std::string positions_indices =
        R"({"asset":{"version":"2.0"},"scenes":[{"nodes":[0]}],"nodes":[{"name":"floor","mesh":0}],
        "meshes":[{"primitives":[{"attributes":{"POSITION":0},"indices":1}]}],
        "accessors":[{"bufferView":0,"componentType":5126,"type":"VEC3","count":4,"min":[-2,0,-2],"max":[2,0,2]},{"bufferView":1,"componentType":5123,"type":"SCALAR","count":6}],
        "bufferViews":[{"buffer":0,"byteLength":48},{"buffer":0,"byteOffset":48,"byteLength":12}],"buffers":[{"uri":"floor.bin","byteLength":60}]})";
    const float p[12] = {-2, 0, 2, 2, 0, 2, 2, 0, -2, -2, 0, -2};
    const std::uint16_t i[6] = {0, 1, 2, 0, 2, 3};
    write_bytes(folder / "floor.gltf", positions_indices);
    write_bytes(folder / "floor.bin", std::string(reinterpret_cast<const char*>(p), 48) +
                                          std::string(reinterpret_cast<const char*>(i), 12));
    write_bytes(folder / "level.toml", "[level]\nscene = \"floor.gltf\"\n[lightmap]\npage = 128\n" + sheet);
}

TEST(Bake, moving_the_sun_and_baking_again_moves_the_light) {
    const Folder folder;
    const auto lux_with_elevation = [&](const std::string& degrees) {
        write_small_level(
            folder, "[[light]]\nname = \"sun\"\nkind = \"sun\"\nlux = 10000\nazimuth = 100\nelevation = " +
                        degrees + "\n");
        EXPECT_EQ(tool("bake --quiet " + (folder / "level.toml").string()).status, 0);
        return tool("meter --quiet --json --at 0,0,0 " + (folder / "level.toml").string())
            .json()["readings"][0]["irradiance_lux"][1]
            .get<double>();
    };
    EXPECT_NEAR(lux_with_elevation("90"), 10000, 15);
    EXPECT_NEAR(lux_with_elevation("30"), 5000, 10);
}

TEST(Bake, tells_when_what_is_read_is_older_than_the_level) {
    const Folder folder;
    write_small_level(folder, "[sky]\nradiance = [100, 100, 100]\n");
    ASSERT_EQ(tool("bake --quiet " + (folder / "level.toml").string()).status, 0);
    EXPECT_EQ(tool("meter --at 0,0,0 " + (folder / "level.toml").string()).err.find("out of date"),
              std::string::npos);
    write_small_level(folder, "[sky]\nradiance = [200, 200, 200]\n");
    const Ran stale = tool("meter --at 0,0,0 " + (folder / "level.toml").string());
    EXPECT_EQ(stale.status, 0);
    EXPECT_NE(stale.err.find("out of date"), std::string::npos) << stale.err;
    // Its charts were stored with it, so a bake of another density can still be read.
    write_small_level(folder, "density = 5\n");
    const Ran other = tool("meter --json --at 0,0,0 " + (folder / "level.toml").string());
    ASSERT_EQ(other.status, 0) << other.err;
    EXPECT_NE(other.err.find("out of date"), std::string::npos) << other.err;
    EXPECT_NEAR(other.json()["readings"][0]["irradiance_lux"][1].get<double>(), 100 * 3.14159, 1);
}

TEST(Bake, leaves_other_files_alone_and_removes_its_own_old_ones) {
    const Folder folder;
    write_small_level(folder, "[[set]]\nname = \"day\"\n[[set]]\nname = \"night\"\n");
    ASSERT_EQ(tool("bake --quiet " + (folder / "level.toml").string()).status, 0);
    write_bytes(folder / "baked/level" / "notes.txt", "mine");
    EXPECT_TRUE(fs::exists(folder / "baked/level" / "night" / "page-0.exr"));
    write_small_level(folder, "[[set]]\nname = \"day\"\n");
    ASSERT_EQ(tool("bake --quiet " + (folder / "level.toml").string()).status, 0);
    EXPECT_EQ(read_text(folder / "baked/level" / "notes.txt"), "mine");
    EXPECT_FALSE(fs::exists(folder / "baked/level" / "night"));
    EXPECT_TRUE(fs::exists(folder / "baked/level" / "day" / "page-0.exr"));
}

SLOW_TEST(Bake, of_one_set_leaves_the_others_as_they_were_and_tells_their_age) {
    const Folder folder;
    const std::string sets =
                          "[[set]]\nname = \"day\"\n[[set]]\nname = \"night\"\ngain = { sky = 0.1 "
                          "}\n[[volume]]\nlow = [-1, 0, -1]\nhigh = [1, 2, 1]\n",
                      level = (folder / "level.toml").string();
    write_small_level(folder, "[sky]\nradiance = [100, 100, 100]\n" + sets);
    ASSERT_EQ(tool("bake --quiet " + level).status, 0);
    const std::string night = read_text(folder / "baked/level" / "night" / "page-0.exr");
    const auto lux = [&](const std::string& more) {
        return tool("meter --json " + level + " --at 0,0.4,0 --facing 0,1,0 --reach 1 " + more)
            .json()["readings"][0]["irradiance_lux"][1]
            .get<double>();
    };
    const double night_probes = lux("--set night --from probes");
    write_small_level(folder, "[sky]\nradiance = [700, 700, 700]\n" + sets);
    ASSERT_EQ(tool("bake --quiet --set day " + level).status, 0);
    EXPECT_TRUE(read_text(folder / "baked/level" / "night" / "page-0.exr") == night);
    EXPECT_EQ(lux("--set night --from probes"), night_probes);
    EXPECT_NEAR(lux("--set day"), 700 * 3.14159, 3);
    EXPECT_EQ(tool("meter " + level + " --at 0,0,0 --set day").err.find("out of date"), std::string::npos);
    EXPECT_NE(tool("meter " + level + " --at 0,0,0 --set night").err.find("out of date"), std::string::npos);
}

SLOW_TEST(Bake, an_interrupt_is_status_130_and_the_last_result_stays_whole) {
    const Folder folder;
    const fs::path out = folder / "baked";
    fs::copy(demo_glance(), out, fs::copy_options::recursive);
    const Ran r = run("timeout --preserve-status -s INT 3 " STASIGRAPH_TOOL_PATH " bake " + demo() +
                      " --tier final --quiet --out " + out.string());
    EXPECT_EQ(r.status, 130) << r.err;
    for (const auto& e : fs::recursive_directory_iterator(demo_glance()))
        if (e.is_regular_file()) {
            EXPECT_TRUE(read_text(e.path()) == read_text(out / e.path().lexically_relative(demo_glance())));
        }
}

SLOW_TEST(Glb, both_pass_the_validator_without_an_error) {
    const Folder folder;
    write_bytes(folder / "check.cjs",
                R"(const v = require(process.argv[2] + '/node_modules/gltf-validator'), fs = require('fs');
(async () => { let errors = 0; for (const f of process.argv.slice(3)) { const r = await v.validateBytes(new Uint8Array(fs.readFileSync(f)), {maxIssues: 5});
  errors += r.issues.numErrors; console.log(f, r.issues.numErrors, JSON.stringify(r.issues.messages.filter(m => m.severity == 0))); }
  process.exit(errors ? 1 : 0); })();)");
    std::string files =
        (demo_glance() / "observatory.glb").string() + " " + (demo_folder() / "observatory.glb").string();
    for (const char* set : {"noon", "dusk", "observing"})
        files += " " + (demo_glance() / set / "preview.glb").string();
    const Ran r =
        run(STASIGRAPH_NODE " " + (folder / "check.cjs").string() + " " STASIGRAPH_VALIDATOR " " + files);
    EXPECT_EQ(r.status, 0) << r.out << r.err;
}

SLOW_TEST(Glb, the_level_comes_back_with_its_uvs_and_everything_else_it_had) {
    Job job;
    // As they are in the files, before surfaces are cut.
    const Level before = load_level_to_check(demo_folder() / "observatory.glb"),
                after = load_level_to_check(demo_glance() / "observatory.glb");
    const auto named = [&](const std::string& name) {
        for (std::uint32_t s = 0; s < after.surfaces.size(); ++s)
            if (after.surfaces[s].name == name) return s;
        return none;
    };
    // Seven posts that a rig brought, of two primitives each, stand at the end.
    EXPECT_GT(after.surfaces.size(), before.surfaces.size() + 14);
    ASSERT_EQ(after.lights.size(), before.lights.size());
    ASSERT_EQ(after.cameras.size(), before.cameras.size());
    std::size_t with_uvs = 0, given = 0, same = 0;
    const Atlas atlas = unwrap(after, 0.5f, job);
    for (std::uint32_t s = 0; s < before.surfaces.size(); ++s) {
        const std::uint32_t o = named(before.surfaces[s].name);
        if (o == none) continue;  // it came back in parts, each with a name of its own
        const Mesh &a = before.meshes[before.surfaces[s].mesh], &b = after.meshes[after.surfaces[o].mesh];
        if (a.indices.size() != b.indices.size()) continue;
        ++same;
        for (std::size_t i = 0; i < a.indices.size(); ++i)
            ASSERT_EQ(a.positions[a.indices[i]], b.positions[b.indices[i]]);
        EXPECT_EQ(before.surfaces[s].part, after.surfaces[o].part);
        with_uvs += b.uv1.empty() ? 0 : 1;
        given += !b.uv1.empty() && atlas.surfaces[o].layout != none &&
                         atlas.layouts[atlas.surfaces[o].layout].given
                     ? 1
                     : 0;
    }
    EXPECT_GT(same, 100u);
    EXPECT_GT(with_uvs, 60u);
    // But for surfaces of which a part lies under something: there all UVs lie at one place.
    EXPECT_GE(given, with_uvs * 4 / 5) << "the tool does not take back its own UVs";
}

SLOW_TEST(Meter, answers_as_the_contract_says) {
    const Ran r = tool("meter " + demo_baked() + " --json --set dusk --at 20,0.01,0 --facing 0,1,0");
    ASSERT_EQ(r.status, 0) << r.err;
    const Json j = r.json();
    EXPECT_EQ(j["set"], "dusk");
    const Json& e = j["readings"][0];
    EXPECT_EQ(e["surface"], "instruments_floor");
    EXPECT_EQ(e["from"], "lightmap");
    EXPECT_NEAR(e["at"][1].get<double>(), 0.01, 1e-6);
    EXPECT_EQ(e["facing"], Json({0.0, 1.0, 0.0}));
    ASSERT_EQ(e["irradiance_lux"].size(), 3u);
    // The page holds that value, times its exponent, around that texel.
    const Json m = Json::parse(read_text(demo_glance() / "manifest.json"));
    const auto& map = m["sets"][1]["lightmaps"][e["page"].get<std::size_t>()];
    const Pixels p = read_image(demo_glance() / map["file"].get<std::string>());
    const int x = e["texel"][0], y = e["texel"][1];
    float low = 1e30f, high = 0;
    for (int dy = -1; dy <= 1; ++dy)
        for (int dx = -1; dx <= 1; ++dx) {
            low = std::min(low, p.at(x + dx, y + dy, 1));
            high = std::max(high, p.at(x + dx, y + dy, 1));
        }
    const float value = std::ldexp(e["irradiance_lux"][1].get<float>(), -map["exponent"].get<int>());
    EXPECT_GE(value, low * 0.999f);
    EXPECT_LE(value, high * 1.001f);
}

SLOW_TEST(Meter, a_point_without_a_surface_is_null_with_a_reason) {
    const Folder folder;
    write_bytes(
        folder / "points.json",
        R"([{"at": [20, 0, 0], "facing": [0, 1, 0]}, {"at": [20, 1.5, 0], "facing": [0, 1, 0]}, {"at": [20, 0, 0], "facing": [0, -1, 0]}, {"at": [20, 0.04, 0]}])");
    const Ran r = tool("meter " + demo_baked() + " --json --points " + (folder / "points.json").string());
    ASSERT_EQ(r.status, 0) << r.err;
    const Json readings = r.json()["readings"];
    ASSERT_EQ(readings.size(), 4u);
    EXPECT_TRUE(readings[0]["irradiance_lux"].is_array());
    for (const int i : {1, 2}) {
        EXPECT_TRUE(readings[i]["irradiance_lux"].is_null());
        EXPECT_FALSE(readings[i]["reason"].get<std::string>().empty());
    }
    EXPECT_TRUE(readings[3]["irradiance_lux"].is_array());
    write_bytes(folder / "bad.json", R"([{"at": [20, 0]}])");
    const Ran bad = tool("meter " + demo_baked() + " --points " + (folder / "bad.json").string());
    EXPECT_EQ(bad.status, 1);
    EXPECT_NE(bad.err.find("point 0"), std::string::npos) << bad.err;
}

SLOW_TEST(View, draws_every_kind_of_picture) {
    const Folder folder;
    for (const char* show : {"game", "light", "albedo", "charts", "density"}) {
        const fs::path file = folder / (std::string(show) + ".png");
        const Ran r = tool(std::string("view ") + demo_baked() +
                           " --json --size 160x100 --camera instruments --set dusk --show " + show +
                           " --file " + file.string());
        ASSERT_EQ(r.status, 0) << show << ": " << r.err;
        EXPECT_EQ(r.json()["file"], file.string());
        const Pixels p = read_image(file);
        ASSERT_EQ(p.width, 160);
        double mean = 0, square = 0;
        for (const float v : p.values) {
            mean += static_cast<double>(v);
            square += static_cast<double>(v) * static_cast<double>(v);
        }
        mean /= static_cast<double>(p.values.size());
        EXPECT_GT(mean, 0.05) << show;
        EXPECT_GT(square / static_cast<double>(p.values.size()) - mean * mean, 0.002)
            << show << " is one flat colour";
    }
}

SLOW_TEST(View, linear_light_is_light_over_pi_times_albedo_and_exposure_moves_the_png) {
    const Folder folder;
    const std::string common =
        "view " + demo_baked() + " --size 64x40 --samples 1 --eye 20,1.5,0 --toward 20,0,0 --fov 2 ";
    ASSERT_EQ(tool(common + "--show light --linear --file " + (folder / "l.exr").string()).status, 0);
    const Json reading = tool("meter " + demo_baked() + " --json --at 20,0,0").json()["readings"][0];
    EXPECT_NEAR(read_image(folder / "l.exr").at(32, 20, 1) * pi, reading["irradiance_lux"][1].get<double>(),
                0.03 * reading["irradiance_lux"][1].get<double>());
    ASSERT_EQ(tool(common + "--exposure 8 --file " + (folder / "a.png").string()).status, 0);
    ASSERT_EQ(tool(common + "--exposure 10 --file " + (folder / "b.png").string()).status, 0);
    EXPECT_GT(read_image(folder / "a.png").at(32, 20, 1), read_image(folder / "b.png").at(32, 20, 1) * 1.3f);
}

SLOW_TEST(Survey, counts_what_the_bake_then_makes) {
    const Ran r = tool("survey " + demo() + " --json --quiet");
    ASSERT_EQ(r.status, 0) << r.err;
    const Json s = r.json();
    EXPECT_EQ(s["surfaces"]["moving"], 4);
    EXPECT_EQ(s["groups"].size(), 10u);
    EXPECT_GT(s["forecast_seconds"].get<double>(), 1);
    EXPECT_EQ(s["probes"].get<std::size_t>(),
              Json::parse(read_text(demo_glance() / "probes.json"))["count"].get<std::size_t>());
    EXPECT_GE(s["by_surface"][0]["texels"].get<int>(), s["by_surface"][1]["texels"].get<int>());
}

/// The demo level in a folder of its own, with a line added to its sheet.
fs::path demo_copy(const Folder& folder, const std::string& more) {
    fs::copy_file(demo_folder() / "observatory.glb", folder / "observatory.glb",
                  fs::copy_options::overwrite_existing);
    for (const char* profile : {"bollard.ies", "washer.ies"})
        fs::copy_file(demo_folder() / profile, folder / profile, fs::copy_options::overwrite_existing);
    write_bytes(folder / "observatory.toml", read_text(demo_folder() / "observatory.toml") + more);
    return folder / "observatory.toml";
}

SLOW_TEST(Unwrap, an_edit_leaves_other_surfaces_where_they_were_until_repack) {
    const Folder folder;
    const std::string level = demo_copy(folder, "").string();
    const auto places = [&](const std::string& options) {
        const Ran r = tool("unwrap --quiet --json --tier glance " + level + options);
        EXPECT_EQ(r.status, 0) << r.err;
        std::map<std::string, std::string> found;
        const Atlas atlas = load_atlas(atlas_file(folder / "unwrapped/observatory", Tier::glance));
        for (const SurfaceUv& uv : atlas.surfaces)
            if (uv.page != none)
                found[uv.name] =
                    std::to_string(uv.page) + ":" + std::to_string(uv.x) + "," + std::to_string(uv.y);
        return found;
    };
    const auto before = places("");
    demo_copy(folder, "\n[[surface]]\nmatch = \"pier\"\ndensity = 1.5\n");
    const auto after = places(""), fresh = places(" --repack");
    std::size_t same = 0, same_fresh = 0, pier = 0;
    for (const auto& [name, place] : before) {
        pier += name.starts_with("pier") ? 1 : 0;
        same += after.at(name) == place;
        same_fresh += fresh.at(name) == place;
    }
    EXPECT_GE(same, before.size() - pier) << "all but the pier's parts";
    EXPECT_LT(same, before.size());
    EXPECT_LT(same_fresh, before.size() / 2);
}

TEST(Unwrap, a_bake_after_an_edit_keeps_the_texels_of_what_did_not_change) {
    const Folder folder;
    write_small_level(folder, "[sky]\nradiance = [100, 100, 100]\n");
    ASSERT_EQ(tool("bake --quiet " + (folder / "level.toml").string()).status, 0);
    const std::string charts = read_text(folder / "baked/level" / "charts-proof.bin");
    ASSERT_FALSE(charts.empty());
    write_small_level(folder, "[sky]\nradiance = [300, 100, 100]\n");
    ASSERT_EQ(tool("bake --quiet " + (folder / "level.toml").string()).status, 0);
    EXPECT_TRUE(read_text(folder / "baked/level" / "charts-proof.bin") == charts);
    ASSERT_EQ(tool("bake --quiet --tier glance " + (folder / "level.toml").string()).status, 0);
    EXPECT_TRUE(read_text(folder / "baked/level" / "charts-proof.bin") == charts)
        << "another tier keeps this one's places";
    // A damaged file is told of and left aside; the bake itself cannot be read any more without it.
    write_bytes(folder / "baked/level" / "charts-glance.bin", "SGCHARTS and no more");
    EXPECT_EQ(tool("meter --at 0,0,0 " + (folder / "level.toml").string()).status, 1);
    const Ran again = tool("bake --tier glance " + (folder / "level.toml").string());
    EXPECT_EQ(again.status, 0) << again.err;
    EXPECT_NE(again.err.find("charts-glance.bin"), std::string::npos) << again.err;
    EXPECT_EQ(tool("meter --quiet --at 0,0,0 " + (folder / "level.toml").string()).status, 0);
}

SLOW_TEST(Unwrap, draws_its_pages_and_writes_the_level) {
    const Folder folder;
    const Ran r = tool("unwrap " + demo() + " --json --quiet --out " + (folder / "u").string());
    ASSERT_EQ(r.status, 0) << r.err;
    const Json u = r.json();
    EXPECT_EQ(u["files"].size(), 2 + u["pages"].size());
    for (const Json& file : u["files"]) EXPECT_TRUE(fs::exists(file.get<std::string>())) << file;
    EXPECT_EQ(read_image(folder / "u" / "charts-0.png").width, u["pages"][0].get<int>());
    EXPECT_EQ(u["pages"].size(), 1u) << "all of it fits on one";
    EXPECT_LE(u["stretch"]["worst"].get<double>(), 1.5);
    EXPECT_EQ(u["by_surface"].size(), u["surfaces"].get<std::size_t>());
    EXPECT_TRUE(fs::exists(folder / "u" / "observatory.glb"));
}

TEST(Start, writes_a_sheet_that_bakes_and_never_overwrites_one) {
    const Folder folder;
    fs::copy(demo_folder() / "observatory.glb", folder / "hall.glb");
    const std::string start = "start " + (folder / "hall.glb").string();
    ASSERT_EQ(tool(start).status, 0);
    const std::string sheet = read_text(folder / "hall.toml");
    const Level bare = load_level(folder / "hall.glb"), level = load_level(folder / "hall.toml");
    EXPECT_EQ(bare.lights.size(), level.lights.size());
    EXPECT_TRUE(level.notes.empty());
    write_bytes(folder / "hall.toml", sheet + "# mine\n");
    EXPECT_EQ(tool(start).status, 1);
    EXPECT_EQ(read_text(folder / "hall.toml"), sheet + "# mine\n");
    EXPECT_EQ(tool(start + " --overwrite").status, 0);
    EXPECT_EQ(read_text(folder / "hall.toml"), sheet);
}

}  // namespace
}  // namespace test::tool_tests
