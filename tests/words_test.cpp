// What sheets and the command line are told: old words, nearest names, things that do nothing.

#include <gtest/gtest.h>

#include "room.hpp"

namespace test::words_tests {
namespace {

std::string sheet_outcome(const std::string& sheet, Level* level = nullptr) {
    const Folder folder;
    write_room(folder.path());
    write_bytes(folder / "room.toml", "[level]\nscene = \"room.gltf\"\n" + sheet);
    return load_outcome(folder / "room.toml", level);
}

TEST(Words, an_old_one_is_an_error_that_names_the_new_one) {
    const std::pair<const char*, const char*> sheets[] = {
        {"[lightmap]\nmax_stretch = 1.5\n", "stretch_limit"},
        {"[combined]\nby = \"page\"\n", "prelit"},
        {"[[surface]]\nmatch = \"*\"\npart = \"stand-in\"\n", "bake-only"},
        {"[[light]]\nname = \"l\"\nkind = \"point\"\nbake = \"live\"\n", "realtime"},
        {"[[reflection]]\nlow = [0,0,0]\nhigh = [1,1,1]\nprojection = true\n", "parallax"},
        {"[[reflection]]\nlow = [0,0,0]\nhigh = [1,1,1]\nfar = 10\n", "sky_beyond"},
        {"[[accept]]\nfinding = \"turned-faces\"\nreason = \"x\"\n", "flipped-faces"},
        {"[[accept]]\nfinding = \"dear-surface\"\nreason = \"x\"\n", "costly-surface"},
    };
    for (const auto& [sheet, word] : sheets) {
        const std::string said = sheet_outcome(sheet);
        EXPECT_NE(said.find("It is called"), std::string::npos) << said;
        EXPECT_NE(said.find(word), std::string::npos) << said;
        EXPECT_NE(said.find("room.toml:"), std::string::npos) << said;
    }
    const Room room;
    const std::string sheet = room.sheet.string();
    for (const auto& [command, word] : {std::pair{"bake --afresh ", "--rebake"},
                                        {"start --force ", "--overwrite"},
                                        {"view --net ", "--tetrahedra"},
                                        {"view --show lit ", "game"},
                                        {"view --show validity ", "filled"}}) {
        const Ran r = tool(command + sheet);
        EXPECT_EQ(r.status, 2) << command;
        EXPECT_NE(r.err.find(word), std::string::npos) << r.err;
    }
}

TEST(Words, what_matches_nothing_is_a_warning_with_the_nearest_names) {
    Level level;
    ASSERT_EQ(
        sheet_outcome(
            "[[surface]]\nmatch = \"flor\"\ndensity = 2\n[[light]]\nname = \"desk_lamp\"\nkind = \"point\"\n"
            "[[light]]\nmatch = \"desk_lmp\"\ngain = 2\n",
            &level),
        "");
    ASSERT_EQ(level.warnings.size(), 2u);
    EXPECT_NE(level.warnings[0].find("nearest: floor"), std::string::npos) << level.warnings[0];
    EXPECT_NE(level.warnings[1].find("nearest: desk_lamp"), std::string::npos) << level.warnings[1];
    const Room room;
    room.edit("[[light]]\nname = \"lamp\"",
              "[[surface]]\nmatch = \"crat\"\ndensity = 2\n[[light]]\nname = \"lamp\"");
    const Ran r = tool("status " + room.sheet.string());
    EXPECT_NE(r.err.find("warning: "), std::string::npos) << r.err;
    EXPECT_NE(r.err.find("nearest: crate"), std::string::npos) << r.err;
}

TEST(Words, lights_of_one_name_gains_of_no_group_and_single_brackets_are_errors_that_help) {
    const std::string lamp = "[[light]]\nname = \"a\"\nkind = \"point\"\n";
    EXPECT_NE(sheet_outcome(lamp + lamp).find("\"a\" already"), std::string::npos)
        << sheet_outcome(lamp + lamp);
    const std::string gain = sheet_outcome(lamp + "[[set]]\nname = \"noon\"\ngain = { lmaps = 0.5 }\n");
    EXPECT_NE(gain.find("set \"noon\", gain"), std::string::npos) << gain;
    EXPECT_NE(gain.find("Did you mean \"lamps\"?"), std::string::npos) << gain;
    const std::string single = sheet_outcome("[light]\nmatch = \"a\"\ngain = 1\n");
    EXPECT_NE(single.find("[[light]]"), std::string::npos) << single;
    EXPECT_NE(single.find("gain = 1.5"), std::string::npos) << single;
    const std::string seed = sheet_outcome(
        "[[volume]]\nlow = [0,0,0]\nhigh = [1,1,1]\nfill = [\"explore\"]\nseeds = [[5, 5, 5]]\n");
    EXPECT_NE(seed.find("room.toml:7"), std::string::npos) << seed;
}

TEST(Words, notes_that_stay_as_they_are_come_once) {
    const Room room;
    room.edit("name = \"lamp\"", "name = \"lamp\"\n# a comment changes nothing\n");
    const Ran first = tool("status " + room.sheet.string()), second = tool("status " + room.sheet.string());
    EXPECT_NE(first.err.find("reflectance over"), std::string::npos) << first.err;
    EXPECT_EQ(second.err.find("reflectance over"), std::string::npos) << second.err;
    fs::remove_all(room.cache);
    EXPECT_NE(tool("status " + room.sheet.string()).err.find("reflectance over"), std::string::npos);
}

TEST(Words, a_bake_only_thing_that_does_not_emit_is_said) {
    Level level;
    ASSERT_EQ(sheet_outcome("[[surface]]\nmatch = \"crate\"\npart = \"bake-only\"\n", &level), "");
    bool said = false;
    for (const std::string& note : level.notes)
        said = said || note.find("without emission") != std::string::npos;
    EXPECT_TRUE(said);
}

TEST(Words, moving_things_without_probes_are_said_to_be_black) {
    const Room room;
    std::string text = read_text(room.sheet);
    const std::size_t at = text.find("[[volume]]");
    text.erase(at, text.find("[[camera]]") - at);
    write_bytes(room.sheet, text + "[probes]\ndefault = \"off\"\n[[surface]]\nmatch = \"crate\"\npart = \"moving\"\n");
    const Ran bake = room.bake();
    EXPECT_NE(bake.err.find("crate is black"), std::string::npos) << bake.err;
    const Ran view =
        tool("view " + room.sheet.string() + " --size 64x40 --file " + (room.folder / "p.png").string());
    EXPECT_NE(view.err.find("crate is black"), std::string::npos) << view.err;
}

TEST(Words, vary_measures_what_its_pictures_show) {
    const Room room;
    room.edit("[[camera]]",
              "[[camera]]\nname = \"under\"\neye = [0.5, 0.9, 0.2]\ntoward = [0.5, 0.0, 0.21]\n[[camera]]");
    const Ran r = tool("vary " + room.sheet.string() +
                       " --what light.lamp.gain=1,8 --camera under --set night --json --quiet --file " +
                       (room.folder / "v.png").string());
    ASSERT_EQ(r.status, 0) << r.err;
    const auto values = r.json()["tried"];
    const double one = values[0]["mean_lux"], eight = values[1]["mean_lux"];
    EXPECT_GT(eight, 6 * one) << "under the lamp all light is the lamp's, but for a hundredth of the sky's";
}

}  // namespace
}  // namespace test::words_tests
