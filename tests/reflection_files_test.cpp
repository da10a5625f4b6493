// Reflection probes in files: maps, sheets, and what the tool makes of them.

#include <gtest/gtest.h>

#include <cmath>

#include "support.hpp"

namespace test::reflection_files_tests {
namespace {

/// A map with every texel another.
ReflectionMap uneven() {
    Job job;
    CubeMap sharp{16, {}};
    for (int i = 0; i < 6 * 256; ++i)
        sharp.texels.push_back(
            {static_cast<float>(i), 40000.0f + static_cast<float>(i), static_cast<float>(i / 256)});
    return filter_levels(sharp, job);
}

// ---- files

TEST(Ktx, an_independent_reader_finds_what_was_written) {
    const Folder folder;
    const ReflectionMap map = uneven();
    const CubeMap& sharp = map.levels[0];
    save_reflection(folder / "map.ktx2", map);
    write_bytes(folder / "read.cjs",
                R"(const k = require(process.argv[2] + '/node_modules/ktx-parse'), fs = require('fs');
const c = k.read(new Uint8Array(fs.readFileSync(process.argv[3])));
const half = (h) => { const e = h >> 10 & 31, f = h & 1023; return e ? 2 ** (e - 15) * (1 + f / 1024) : f * 2 ** -24; };
const texel = (l, i) => { const d = c.levels[l].levelData, v = new DataView(d.buffer, d.byteOffset); return [0, 1, 2, 3].map(n => half(v.getUint16(8 * i + 2 * n, true))); };
const d = c.dataFormatDescriptor[0], exponent = parseInt(new TextDecoder().decode(c.keyValue['stasigraph:exponent']));
console.log(JSON.stringify({format: c.vkFormat, size: [c.pixelWidth, c.pixelHeight, c.pixelDepth], faces: c.faceCount, layers: c.layerCount, exponent,
  sizes: c.levels.map(l => l.levelData.length), model: d.colorModel, primaries: d.colorPrimaries, transfer: d.transferFunction,
  samples: d.samples.map(s => [s.bitOffset, s.bitLength, s.channelType]), orientation: c.keyValue.KTXorientation,
  first: texel(0, 0), last: texel(0, 6 * 256 - 1), face: texel(0, 256 * 3), small: texel(2, 5)}));)");
    const Ran r = run(STASIGRAPH_NODE " " + (folder / "read.cjs").string() + " " STASIGRAPH_VALIDATOR " " +
                      (folder / "map.ktx2").string());
    ASSERT_EQ(r.status, 0) << r.err;
    const nlohmann::json j = r.json();
    EXPECT_EQ(j["format"], 97);
    EXPECT_EQ(j["size"], (std::vector<int>{16, 16, 0}));
    EXPECT_EQ(j["faces"], 6);
    EXPECT_EQ(j["layers"], 0);
    EXPECT_EQ(j["sizes"], (std::vector<int>{6 * 256 * 8, 6 * 64 * 8, 6 * 16 * 8}));
    EXPECT_EQ(j["model"], 1);
    EXPECT_EQ(j["transfer"], 1);
    EXPECT_EQ(j["samples"],
              (std::vector<std::vector<int>>{{0, 15, 192}, {16, 15, 193}, {32, 15, 194}, {48, 15, 207}}));
    EXPECT_EQ(j["orientation"], "rd");
    const float scale = std::ldexp(1.0f, j["exponent"].get<int>());
    EXPECT_EQ(scale, 4) << "41,535 as texels of up to 16,384";
    const auto near = [&](const char* which, Rgb c) {
        EXPECT_NEAR(j[which][0].get<float>() * scale, c.r, 1e-3f * c.r + 1e-3f) << which;
        EXPECT_NEAR(j[which][1].get<float>() * scale, c.g, 1e-3f * c.g) << which;
        EXPECT_NEAR(j[which][2].get<float>() * scale, c.b, 1e-3f * c.b + 1e-3f) << which;
    };
    near("first", sharp.texels[0]);
    near("last", sharp.texels.back());
    near("face", sharp.texels[256 * 3]);
    near("small", map.levels[2].texels[5]);
    // And back into a map, the same to the bit from then on.
    const ReflectionMap back = load_reflection(folder / "map.ktx2");
    ASSERT_EQ(back.levels.size(), 3u);
    save_reflection(folder / "again.ktx2", back);
    EXPECT_TRUE(read_text(folder / "map.ktx2") == read_text(folder / "again.ktx2"));
}

TEST(Ktx, damaged_files_are_refused_and_never_read_beyond_their_end) {
    const Folder folder;
    save_reflection(folder / "good.ktx2", uneven());
    const std::string good = read_text(folder / "good.ktx2");
    const auto outcome = [&](const std::string& bytes) {
        write_bytes(folder / "bad.ktx2", bytes);
        try {
            load_reflection(folder / "bad.ktx2");
        } catch (const Error& e) {
            EXPECT_NE(e.text().find("bad.ktx2"), std::string::npos);
            return e.text();
        }
        return std::string();
    };
    EXPECT_EQ(outcome(good), "");
    for (std::size_t size = 0; size < good.size(); size += size < 400 ? 7 : 977)
        EXPECT_NE(outcome(good.substr(0, size)), "") << size;
    const auto changed = [&](std::size_t at, std::initializer_list<int> bytes) {
        std::string b = good;
        for (const int v : bytes) b[at++] = static_cast<char>(v);
        return outcome(b);
    };
    EXPECT_NE(changed(0, {0}).find("no KTX 2.0"), std::string::npos);
    EXPECT_NE(changed(12, {90}).find("half floats"), std::string::npos);
    EXPECT_NE(changed(36, {1}).find("no cube map"), std::string::npos);
    EXPECT_NE(changed(20, {17, 0, 0, 0, 17}), "");
    EXPECT_NE(changed(40, {255, 255, 255, 255}), "") << "levels";
    EXPECT_NE(changed(80, {0, 0, 0, 0, 0, 0, 0, 128}), "") << "an offset far beyond the end";
    EXPECT_NE(changed(60, {255, 255, 255, 255}), "") << "keys beyond the end";
    // Any byte may be another: an error or a map, never more.
    for (std::size_t at = 0; at < 400; ++at) changed(at, {good[at] ^ 0x55});
}

// ---- sheets and the tool

const char* const mirrors_sheet = R"(
[level]
scene = "room.gltf"
[lightmap]
density = 4
page = 128
[quality]
tier = "glance"
[sky]
radiance = [900, 1100, 1500]
[[volume]]
name = "play"
low = [-1.8, 0.1, -1.8]
high = [1.8, 1.9, 1.8]
[[camera]]
name = "door"
eye = [1.5, 1.6, 1.5]
toward = [0, 0, 0]
[[reflection]]
name = "middle"
low = [-2, 0, -2]
high = [2, 2, 2]
capture = [0, 0.5, 0]
room_low = [-2, -0.01, -2]
room_high = [2, 3, 2]
resolution = 32
blend = 0.25
priority = 2
sees = "*"
[[reflection]]
name = "ball"
shape = "sphere"
at = [0, 1, 0]
radius = 1.5
resolution = 32
[[reflection]]
name = "mirror"
shape = "plane"
on = "floor"
resolution = 32
)";

void write_level(const Folder& folder, const std::string& more = "") {
    write_bytes(folder / "room.gltf", good_gltf().dump());
    write_bytes(folder / "room.toml", mirrors_sheet + more);
}

TEST(Sheet, says_everything_of_reflection_probes) {
    const Folder folder;
    write_level(
        folder,
        "[[reflection]]\nname = \"rows\"\nfill = [\"ground\", \"water\"]\nvolume = \"play\"\nspacing = 2\n"
        "height = 1.0\non = \"floor\"\nresolution = 32\n");
    const Level level = load_level(folder / "room.toml");
    ASSERT_EQ(level.reflections.size(), 2u);
    ASSERT_EQ(level.reflection_rules.size(), 2u);
    const ReflectionProbe &p = level.reflections[0], &ball = level.reflections[1];
    EXPECT_EQ(p.name, "middle");
    EXPECT_EQ(p.middle, (Vec3{0, 1, 0}));
    EXPECT_EQ(p.half, (Vec3{2, 1, 2}));
    EXPECT_EQ(p.capture, (Vec3{0, 0.5f, 0}));
    EXPECT_NEAR(p.room_half.y, 1.505f, 1e-5f);
    EXPECT_TRUE(p.parallax);
    EXPECT_EQ(p.blend, 0.25f);
    EXPECT_EQ(p.resolution, 32);
    EXPECT_EQ(p.priority, 2);
    EXPECT_EQ(ball.shape, ReflectionShape::sphere);
    EXPECT_EQ(ball.radius, 1.5f);
    EXPECT_FALSE(ball.parallax);
    EXPECT_TRUE(level.reflection_rules[0].everywhere);
    EXPECT_TRUE(level.reflection_rules[1].ground);
    EXPECT_FALSE(level.reflection_rules[1].rooms);
    EXPECT_EQ(level.reflection_rules[1].spacing, 2);
    // In the order in which they answer.
    Job job;
    const std::vector<ReflectionProbe> all = place_reflections(level, job);
    ASSERT_GE(all.size(), 5u);
    EXPECT_EQ(all[0].name, "middle");
    EXPECT_EQ(all[1].shape, ReflectionShape::plane);
}

TEST(Sheet, what_makes_no_sense_is_named_with_its_line) {
    const auto error = [](const std::string& more) {
        const Folder folder;
        write_level(folder, more);
        return load_outcome(folder / "room.toml", nullptr);
    };
    const std::pair<const char*, const char*> cases[] = {
        {"[[reflection]]\nname = \"ball\"\nlow = [0,0,0]\nhigh = [1,1,1]", "another reflection"},
        {"[[reflection]]\nresolution = 100\nlow = [0,0,0]\nhigh = [1,1,1]", "power of two"},
        {"[[reflection]]\nshape = \"capsule\"\nfrom = [0,0,0]", "no such key"},
        {"[[reflection]]\nshape = \"cone\"\nlow = [0,0,0]\nhigh = [1,1,1]", "no shape"},
        {"[[reflection]]\nlow = [0,0,0]", "missing"},
        {"[[reflection]]\nlow = [0,0,0]\nhigh = [1,0,1]", "does not lie above"},
        {"[[reflection]]\nlow = [0,0,0]\nhigh = [1,1,1]\nroom_low = [0,0,0]", "missing"},
        {"[[reflection]]\nfill = [\"caves\"]\nvolume = \"play\"", "no such rule"},
        {"[[reflection]]\nfill = [\"rooms\"]\nvolume = \"work\"", "no such volume"},
        {"[[reflection]]\nfill = [\"rooms\"]\nlow = [5,5,5]\nhigh = [6,6,6]", "nowhere to explore from"},
        {"[[reflection]]\nfill = [\"rooms\"]", "missing"},
        {"[[reflection]]\nshape = \"plane\"", "either surfaces or a place"},
        {"[[reflection]]\nshape = \"plane\"\nat = [0,0,0]\nsize = 3", "two lengths"},
        {"[[reflection]]\nshape = \"plane\"\non = \"pond\"", ""},
        {"[[reflection]]\nlow = [0,0,0]\nhigh = [1,1,1]\nnear = -1", "not a number"},
        {"[[reflection]]\nlow = [0,0,0]\nhigh = [1,1,1]\nresolutoin = 64", "resolution"},
    };
    for (const auto& [sheet, text] : cases) {
        const std::string e = error(sheet);
        if (*text == 0) {
            EXPECT_EQ(e, "") << "the level is needed to tell";
        } else {
            EXPECT_NE(e.find(text), std::string::npos) << sheet << "\n" << e;
            EXPECT_NE(e.find("room.toml"), std::string::npos) << e;
        }
    }
}

TEST(Tool, captures_beside_the_lightmaps_and_says_what_is_stale) {
    const Folder folder;
    write_level(folder);
    const std::string sheet = (folder / "room.toml").string();
    const Ran first = tool("bake " + sheet + " --json");
    ASSERT_EQ(first.status, 0) << first.err;
    EXPECT_EQ(first.json()["reflections"], 3);
    EXPECT_EQ(first.json()["reflection_rays"], 3 * 6 * 32 * 32);
    for (const char* file :
         {"base/mirror-middle.ktx2", "base/mirror-mirror_floor.ktx2", "base/mirror-ball.exr"})
        EXPECT_TRUE(fs::exists(folder / "baked/room" / file)) << file;
    // A picture of all around: the sky above, as an open field has it.
    const Pixels round = read_image(folder / "baked/room/base/mirror-mirror_floor.exr");
    EXPECT_EQ(round.width, 128);
    EXPECT_EQ(round.height, 64);
    EXPECT_NEAR(round.at(3, 1, 2), 1500 * std::ldexp(1.0f, -round.exponent), 2);
    EXPECT_TRUE(tool("bake " + sheet + " --json").json()["up_to_date"]);
    // What is asked of them changes, and nothing else.
    write_level(folder,
                "[[reflection]]\nname = \"more\"\ncapture = [0.2, 0.6, 0.1]\nlow = [-1, 0, -1]\nhigh = [1, "
                "1, 1]\nresolution = 32\n");
    const Ran status = tool("status " + sheet + " --json");
    int stale = 0;
    const nlohmann::json results = status.json()["results"];
    for (const auto& r : results) {
        EXPECT_EQ(r["stale"].get<bool>(), r["what"] == "reflections") << r;
        stale += r["stale"].get<bool>();
    }
    EXPECT_EQ(stale, 1);
    const Ran again = tool("bake " + sheet + " --json");
    EXPECT_EQ(again.json()["reflections"], 4);
    EXPECT_EQ(again.json()["links_traced"], 0);
    EXPECT_EQ(again.json()["reflection_rays"], 6 * 32 * 32) << "of the new one alone";
    // Read back by the meter's loader and the picture.
    const Ran view =
        tool("view " + sheet + " --show reflections --size 64x40 --file " + (folder / "r.png").string());
    EXPECT_EQ(view.status, 0) << view.err;
    // A part baked alone keeps them, and they go with their entries.
    const Ran only = tool("bake " + sheet + " --only floor");
    EXPECT_EQ(only.status, 0) << only.err;
    EXPECT_TRUE(fs::exists(folder / "baked/room/base/mirror-more.ktx2"));
    write_bytes(folder / "room.toml",
                read_text(folder / "room.toml").substr(0, std::string(mirrors_sheet).find("[[reflection]]")));
    EXPECT_EQ(tool("bake " + sheet).status, 0);
    EXPECT_FALSE(fs::exists(folder / "baked/room/base/mirror-middle.ktx2"));
    EXPECT_FALSE(fs::exists(folder / "baked/room/base/mirror-more.exr"));
    EXPECT_NE(tool("view " + sheet + " --show reflections").err.find("no reflection probes"),
              std::string::npos);
}

TEST(Tool, a_damaged_map_is_an_error_that_names_it) {
    const Folder folder;
    write_level(folder);
    const std::string sheet = (folder / "room.toml").string();
    ASSERT_EQ(tool("bake " + sheet).status, 0);
    write_bytes(folder / "baked/room/base/mirror-ball.ktx2", "no");
    const Ran r = tool("view " + sheet + " --size 64x40 --file " + (folder / "r.png").string());
    EXPECT_EQ(r.status, 1);
    EXPECT_NE(r.err.find("mirror-ball.ktx2"), std::string::npos) << r.err;
}

}  // namespace
}  // namespace test::reflection_files_tests
