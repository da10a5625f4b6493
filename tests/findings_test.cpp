// `stasigraph check` as a program: the demo level, its faulty twin, heaps of clutter, sheets and pictures.

#include <gtest/gtest.h>

#include <cmath>
#include <map>
#include <set>
#include <sstream>

#include "shapes.hpp"
#include "stasigraph/check.hpp"
#include "stasigraph/finding_view.hpp"
#include "support.hpp"

namespace test::findings_tests {

namespace {

/// Where the twin has each of its mistakes: a name, and a place to the metre where there is one.
struct Mistake {
    const char* id;
    const char* name;
    std::optional<Vec3> at;
    float within = 1.5f;
};
const std::vector<Mistake> mistakes = {
    {"lamp-buried", "buried_lamp", Vec3{12, 1.8f, 11.6f}},
    {"lamp-close", "close_lamp", Vec3{10, 2.4f, 17.75f}},
    {"lamp-reaches-nothing", "short_lamp", Vec3{4, 3.7f, 16.5f}},
    {"many-suns", "second_sun", {}},
    {"thin-wall", "thin_hut", Vec3{2, 1.2f, 20}},
    {"sheet-wall", "sheet_screen", Vec3{5, 1.2f, 16}},
    {"gap", "gap_shed", Vec3{11, 2.4f, 17.9f}},
    {"open-room", "hole_shed", Vec3{16, 3.7f, 20}},
    {"flipped-faces", "turned_crate", Vec3{1, 1.6f, 13}},
    {"uv-overlap", "overlap_panels", Vec3{3, 2, 13}},
    {"uv-range", "range_panels", Vec3{5, 2, 13}},
    {"uv-margin", "margin_panels", Vec3{7, 2, 13}},
    {"density-jump", "coarse_paving", Vec3{-1, 1.2f, 17}},
    {"page-size", "faulty.toml:8: lightmap.page", {}},
    {"page-margin", "[lightmap]", {}},
    {"costly-surface", "costly_panel", Vec3{23, 2.7f, 23.6f}, 4},
    {"unseen-surface", "unseen_slab", Vec3{13, 0, 17.5f}, 15},
    {"albedo-bright", "white_block", Vec3{8.5f, 1.5f, 13.5f}},
    {"albedo-dark", "black_block", Vec3{10, 1.5f, 13.5f}},
    {"tinted-light", "sky", {}},
    {"odd-unit", "wrong_unit_lamp", Vec3{24, 3.7f, 18}},
    {"small-emitter", "tiny_spark", Vec3{11.5f, 1.2f, 13.5f}},
    {"animated-but-static", "swinging_vane", Vec3{13, 2, 13.5f}},
    {"moving-without-animation", "parked_cart", Vec3{14.5f, 1.5f, 13.5f}},
    {"coplanar-faces", "twin_crate_2", Vec3{16, 1.5f, 13.5f}},
    {"bad-vertices", "broken_crate", Vec3{20, 1.5f, 13.5f}},
    {"no-area", "flat_crate", Vec3{21.5f, 1.5f, 13.5f}},
    {"bad-normals", "long_normals_crate", Vec3{23, 1.5f, 13.5f}},
    {"bad-transform", "pressed_crate", {}},
    {"mirrored", "mirrored_crate", Vec3{17.5f, 1.5f, 13.5f}},
    {"volume-coarse", "yard", Vec3{13, 2.6f, 17.5f}},
    {"volume-outside", "clouds", Vec3{10, 50, 10}},
    {"reflection-crosses-wall", "through_walls", Vec3{12.1f, 2.4f, 20}, 2.5f},
    {"zones-overlap", "annex", Vec3{22.7f, 1.6f, 0}},
    {"zone-leaves-out", "black_block", {}},
    {"sheet-no-match", "stair_lamp_*", {}},
    {"too-dark", "observing", {}},
};

std::string make_twin(const fs::path& folder) {
    const Ran made = run("'" STASIGRAPH_MAKE_DEMO "' --faulty '" +
                         (demo_folder() / "observatory.toml").string() + "' '" + folder.string() + "'");
    return made.status == 0 ? "" : made.err;
}

bool has_name(const nlohmann::json& finding, const std::string& name) {
    for (const auto& n : finding["nodes"])
        if (n == name) return true;
    return false;
}

std::vector<nlohmann::json> of(const nlohmann::json& answer, const std::string& id) {
    std::vector<nlohmann::json> out;
    for (const auto& f : answer["findings"])
        if (f["id"] == id) out.push_back(f);
    return out;
}

}  // namespace

SLOW_TEST(Findings, the_demo_level_has_no_error) {
    const Ran r = tool("check '" + (demo_folder() / "observatory.toml").string() + "' --json --quiet");
    ASSERT_EQ(r.status, 0) << r.out << r.err;
    const auto answer = r.json();
    EXPECT_EQ(answer["errors"], 0);
    EXPECT_LE(answer["warnings"], 1);
    EXPECT_GE(answer["accepted"], 3) << "what is meant stays listed";
    for (const auto& f : answer["findings"])
        if (f["id"] == "moving-without-animation") {
            EXPECT_EQ(f["accepted"], "the game moves the figure and the trolley");
        }

    // The picture has the same list by the same numbers: walls that a bake cuts are nobody's mistake.
    const Folder folder;
    const Ran seen = tool("view '" + (demo_folder() / "observatory.toml").string() +
                          "' --camera corridor --show findings --json --quiet --size 640x400 --file " +
                          (folder / "findings.png").string());
    ASSERT_EQ(seen.status, 0) << seen.err;
    const auto legend = seen.json()["legend"];
    ASSERT_GE(legend.size(), 3u);
    for (const auto& line : legend) {
        const std::string text = line;
        if (text.starts_with("and ")) continue;  // "and 3 more"
        const std::size_t number = std::stoul(text);
        ASSERT_TRUE(number >= 1 && number <= answer["findings"].size()) << text;
        const std::string id = answer["findings"][number - 1]["id"];
        EXPECT_EQ(text.substr(0, text.find(':')), std::to_string(number) + " " + id);
    }
}

SLOW_TEST(Findings, the_twin_has_each_mistake_in_its_place) {
    const Folder folder;
    ASSERT_EQ(make_twin(folder.path()), "");
    const Ran r = tool("check '" + (folder / "faulty.toml").string() + "' --json --quiet");
    ASSERT_EQ(r.status, 3) << r.err;
    const auto answer = r.json();
    for (const Mistake& m : mistakes) {
        bool found = false;
        std::string seen;
        for (const auto& f : of(answer, m.id)) {
            seen += f.dump() + "\n";
            if (!has_name(f, m.name)) continue;
            if (m.at) {
                if (f["at"].is_null()) continue;
                const Vec3 at{f["at"][0], f["at"][1], f["at"][2]};
                if (length(at - *m.at) > m.within) continue;
            }
            found = true;
        }
        EXPECT_TRUE(found) << m.id << " of " << m.name
                           << " is not found in its place; of that kind there are:\n"
                           << seen;
    }
    for (const auto& [file, id] : {std::pair{"dark.toml", "no-light"},
                                   {"moving.toml", "no-static"},
                                   {"realtime.toml", "all-realtime"}}) {
        const Ran other = tool("check '" + (folder / file).string() + "' --json --quiet");
        EXPECT_EQ(other.status, 3) << file;
        EXPECT_EQ(of(other.json(), id).size(), 1u) << file;
        EXPECT_TRUE(of(answer, id).empty()) << id << " is found in the twin itself";
    }
    // Every kind there is has its mistake.
    std::set<std::string> covered{"no-light", "no-static", "all-realtime"};
    for (const Mistake& m : mistakes) covered.insert(m.id);
    for (const FindingKind& k : finding_kinds()) EXPECT_TRUE(covered.contains(k.id)) << k.id;
}

SLOW_TEST(Findings, in_two_hundred_heaps_of_clutter_are_counted) {
    std::map<std::string, std::size_t> counts;
    std::size_t error_scenes = 0;
    std::string errors;
    Job job;
    for (std::uint32_t seed = 0; seed < 200; ++seed) {
        const Level level = clutter(seed);
        bool any = false;
        for (const Finding& f : check(level, job).findings) {
            ++counts[std::string(to_text(f.severity)) + " " + f.id];
            if (f.severity != Severity::error) continue;
            any = true;
            errors += std::to_string(seed) + ": " + f.id + " " + f.what + "\n";
        }
        error_scenes += any ? 1 : 0;
    }
    for (const auto& [what, count] : counts) std::printf("%6zu %s\n", count, what.c_str());
    EXPECT_EQ(error_scenes, 0u) << errors;
}

TEST(Findings, read_from_files_are_told_with_their_nodes) {
    const Folder folder;
    Json gltf =
        good_gltf({-2, 0, 2, 2, 0, 2, 2, 0, -2, -2, 0, -2, NAN, 1, 0}, {0, 1, 2, 0, 2, 3, 0, 1, 4, 0, 0, 1});
    write_bytes(folder / "scene.gltf", gltf.dump());
    write_bytes(folder / "scene.toml",
                "[level]\nscene = \"scene.gltf\"\n[sky]\nradiance = [900.0, 900.0, 900.0]\n"
                "[[light]]\nmatch = \"nobody\"\ngain = 2.0\n");
    const auto answer = tool("check '" + (folder / "scene.toml").string() + "' --json --quiet").json();
    for (const char* id : {"bad-vertices", "no-area", "sheet-no-match"})
        ASSERT_EQ(of(answer, id).size(), 1u) << id;
    EXPECT_TRUE(has_name(of(answer, "bad-vertices")[0], "floor")) << answer.dump(1);
    EXPECT_EQ(of(answer, "bad-vertices")[0]["measure"]["value"], 1);
    EXPECT_NE(of(answer, "sheet-no-match")[0]["what"].get<std::string>().find("scene.toml:6"),
              std::string::npos);
    // A sound scene has none of them.
    write_bytes(folder / "sound.gltf", good_gltf().dump());
    const auto sound = tool("check '" + (folder / "sound.gltf").string() + "' --json --quiet").json();
    for (const char* id : {"bad-vertices", "no-area", "bad-normals", "bad-transform"})
        EXPECT_TRUE(of(sound, id).empty()) << id;
}

TEST(Findings, can_be_accepted_in_the_sheet_with_a_reason) {
    const Folder folder;
    write_bytes(folder / "scene.gltf", good_gltf().dump());
    const std::string head =
        "[level]\nscene = \"scene.gltf\"\n[lightmap]\npage = 1000\n[sky]\nradiance = [9.0, 9.0, 9.0]\n";
    const fs::path sheet = folder / "scene.toml";
    const auto check_it = [&](const std::string& more) {
        write_bytes(sheet, head + more);
        return tool("check '" + sheet.string() + "' --json --quiet");
    };
    const Ran errors = check_it("");
    EXPECT_EQ(errors.status, 3);
    EXPECT_EQ(of(errors.json(), "page-size").size(), 1u);
    const Ran bake = tool("bake '" + sheet.string() + "' --quiet");
    EXPECT_EQ(bake.status, 1) << "a bake refuses such a page";
    EXPECT_NE(bake.err.find("1000"), std::string::npos) << bake.err;
    const Ran accepted = check_it("[[accept]]\nfinding = \"page-*\"\nreason = \"to be seen\"\n");
    EXPECT_EQ(accepted.status, 0) << accepted.out;
    EXPECT_EQ(of(accepted.json(), "page-size")[0]["accepted"], "to be seen");
    const Ran silent = check_it("[[accept]]\nfinding = \"page-*\"\n");
    EXPECT_EQ(silent.status, 1);
    EXPECT_NE(silent.err.find("reason"), std::string::npos) << silent.err;
    const Ran vague = check_it("[[accept]]\nreason = \"all is well\"\n");
    EXPECT_EQ(vague.status, 1);
    EXPECT_NE(vague.err.find("match"), std::string::npos) << vague.err;
}

SLOW_TEST(Findings, have_pictures_of_their_own_and_leave_other_files_alone) {
    const Folder folder;
    ASSERT_EQ(make_twin(folder.path()), "");
    const fs::path shots = folder / "shots";
    fs::create_directories(shots);
    write_bytes(shots / "01-mine.png", "mine");
    write_bytes(shots / "77-gap.png", "of an earlier run");
    const auto answer = tool("check '" + (folder / "realtime.toml").string() +
                             "' --json --quiet --pictures '" + shots.string() + "'")
                            .json();
    std::size_t pictures = 0;
    for (const auto& f : answer["findings"]) {
        EXPECT_EQ(f.contains("picture"), !f["at"].is_null());
        if (!f.contains("picture")) continue;
        const Pixels p = read_image(f["picture"].get<std::string>());
        EXPECT_EQ(p.width, 640);
        EXPECT_EQ(p.height, 400);
        ++pictures;
    }
    EXPECT_GT(pictures, 5u);
    EXPECT_EQ(read_text(shots / "01-mine.png"), "mine");
    EXPECT_FALSE(fs::exists(shots / "77-gap.png"));
    EXPECT_EQ(static_cast<std::size_t>(std::distance(fs::directory_iterator(shots), {})), pictures + 1);
}

TEST(Findings, are_all_told_in_the_docs_and_no_others) {
    const std::string page = read_text(fs::path(STASIGRAPH_SOURCE) / "docs" / "findings.md");
    std::string cells;  // the first of each row of the table
    std::istringstream lines(page);
    for (std::string line; std::getline(lines, line);)
        if (line.rfind("| `", 0) == 0) cells += line.substr(2, line.find(" |", 2) - 2) + " ";
    for (const FindingKind& kind : finding_kinds()) {
        const std::string quoted = "`" + std::string(kind.id) + "`";
        const std::size_t at = cells.find(quoted);
        EXPECT_NE(at, std::string::npos) << kind.id;
        if (at != std::string::npos) cells.erase(at, quoted.size());
    }
    EXPECT_EQ(cells.find('`'), std::string::npos) << cells;
}

}  // namespace test::findings_tests
