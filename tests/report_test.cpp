// The report: one page, opened in a headless browser and used as a person would.

#include <gtest/gtest.h>

#include "stasigraph/history.hpp"
#include "stasigraph/report.hpp"
#include "support.hpp"

namespace test::report_tests {

namespace {

/// A small lit level with two cameras, two sets, a volume, and findings of three severities.
struct Reported {
    Folder folder;
    fs::path sheet, page;
    Ran bake(const std::string& more = "") const {
        return tool("bake '" + sheet.string() + "' --quiet --json " + more);
    }
    void write(const std::string& density) {
        sheet = folder / "place.toml";
        write_bytes(folder / "scene.gltf", good_gltf({-2, 0, 2, 2, 0, 2, 2, 0, -2, -2, 0, -2,
                                                      -1, 1, 0, 1, 1, 0, 1, 1, -1, -1, 1, -1},
                                                     {0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7})
                                               .dump());
        write_bytes(
            sheet,
            "[level]\nscene = \"scene.gltf\"\n[lightmap]\ndensity = " + density +
                "\npage = 64\n[quality]\ntier = \"glance\"\n[sky]\nradiance = [900.0, 900.0, 900.0]\n"
                "[[set]]\nname = \"day\"\n[[set]]\nname = \"dim\"\ngain = { sky = 0.25 }\n[[set]]\nname = "
                "\"off\"\ngain = { sky = 0.0 }\n"
                "[[volume]]\nname = \"air\"\nlow = [-1.5, 0.2, -1.5]\nhigh = [1.5, 0.9, 1.5]\nspacing = 0.5\n"
                "[[light]]\nmatch = \"moving </script> lamp\"\ngain = 2.0\n"
                "[[camera]]\nname = \"front\"\neye = [0.0, 2.0, 4.0]\ntoward = [0.0, 0.5, 0.0]\n"
                "[[camera]]\nname = \"side\"\neye = [4.0, 2.0, 0.0]\ntoward = [0.0, 0.5, 0.0]\n"
                "[[accept]]\nfinding = \"no-light\"\nreason = \"meant to be dark\"\n");
    }
};

}  // namespace

SLOW_TEST(Report, is_one_page_that_works_without_a_network) {
    Reported r;
    r.write("40.0");
    ASSERT_EQ(r.bake("--keep first").status, 0);
    r.page = r.folder / "report.html";
    const Ran made =
        tool("report '" + r.sheet.string() + "' --quiet --json --size 480x300 --probe-places 12 --file '" +
             r.page.string() + "'");
    ASSERT_EQ(made.status, 0) << made.err;
    EXPECT_EQ(made.json()["cameras"], 2);
    EXPECT_EQ(made.json()["pictures"], 20) << "two cameras, three sets now and as kept, and four other looks";
    EXPECT_EQ(made.json()["bytes"], fs::file_size(r.page));
    const std::string text = read_text(r.page);
    EXPECT_EQ(text.find("src=\"http"), std::string::npos);
    EXPECT_EQ(text.find("url(http"), std::string::npos);
    EXPECT_EQ(text.find("moving </script>"), std::string::npos) << "a name must not end the script";
    EXPECT_NE(text.find("moving <\\/script>"), std::string::npos);

    const Ran used = run(std::string("'" STASIGRAPH_NODE "' '" STASIGRAPH_SOURCE
                                     "/tests/report/drive.js' '" STASIGRAPH_VALIDATOR
                                     "/node_modules' \"$(command -v chromium)\" '") +
                         r.page.string() + "'");
    ASSERT_EQ(used.status, 0) << used.err;
    const auto did = used.json();
    EXPECT_TRUE(did["errors"].empty()) << did["errors"].dump();
    EXPECT_TRUE(did["requests"].empty()) << did["requests"].dump();
    EXPECT_EQ(did["title"], "place: light");
    EXPECT_EQ(did["looks"].size(), 10u);
    for (const char* what :
         {"right_changed", "swapped", "camera_changed", "next_chart", "dark", "print_hides"})
        EXPECT_EQ(did[what], true) << what;
    EXPECT_EQ(did["right_tag"], "texel density");
    EXPECT_EQ(did["dragged"], 20);
    EXPECT_EQ(did["clip"], "inset(0px 80% 0px 0px)");
    EXPECT_EQ(did["stepped"], 21);
    EXPECT_NE(did["hovered"].get<std::string>().find("floor: a chart of"), std::string::npos)
        << did["hovered"];
    EXPECT_EQ(did["all"], did["cards"]);
    EXPECT_EQ(did["cards"], made.json()["findings"]);
    EXPECT_EQ(did["found"], 1) << "the sheet's entry that matches nothing: " << did["found_text"];
    EXPECT_EQ(did["accepted_alone"], 1);
    EXPECT_EQ(did["narrow_overflow"], 0);
    EXPECT_GT(did["pdf_bytes"], 10000);
}

TEST(Report, tells_of_past_bakes_with_what_changed) {
    Reported r;
    r.write("8.0");
    ASSERT_EQ(r.bake().status, 0);
    r.write("9.0");
    ASSERT_EQ(r.bake().status, 0);
    ASSERT_EQ(r.bake().status, 0) << "nothing to do, nothing to tell";
    const std::vector<BakeRecord> past = bake_history(r.folder / ".stasigraph");
    ASSERT_EQ(past.size(), 2u);
    EXPECT_EQ(past[0].because, std::vector<std::string>{"was never baked"});
    ASSERT_FALSE(past[1].because.empty());
    EXPECT_NE(past[1].because[0].find("density"), std::string::npos) << past[1].because[0];
    EXPECT_EQ(past[1].tier, "glance");
    EXPECT_EQ(past[1].sets.size(), 3u);
    EXPECT_GT(past[1].texels, past[0].texels);
    EXPECT_EQ(past[0].when.size(), 16u);
    double seconds = 0, bytes = 0;
    for (const BakeRecord::Stage& s : past[1].stages) {
        seconds += s.seconds;
        bytes = std::max(bytes, s.bytes);
    }
    EXPECT_GT(seconds, 0);
    EXPECT_LE(seconds, past[1].seconds * 1.05 + 0.05);
    EXPECT_GT(bytes, 1e6) << "a process holds more than a megabyte";
    // A damaged history is begun anew.
    write_bytes(r.folder / ".stasigraph" / "history.json", "{");
    EXPECT_TRUE(bake_history(r.folder / ".stasigraph").empty());
    r.write("10.0");
    ASSERT_EQ(r.bake().status, 0);
    EXPECT_EQ(bake_history(r.folder / ".stasigraph").size(), 1u);
}

TEST(Report, says_what_it_lacks) {
    Reported r;
    r.write("8.0");
    const Ran none_baked =
        tool("report '" + r.sheet.string() + "' --quiet --file '" + (r.folder / "r.html").string() + "'");
    EXPECT_EQ(none_baked.status, 1);
    EXPECT_NE(none_baked.err.find("stasigraph bake"), std::string::npos) << none_baked.err;
    EXPECT_FALSE(fs::exists(r.folder / "r.html"));
    EXPECT_EQ(tool("report '" + r.sheet.string() + "' --size 10x10").status, 1);
    EXPECT_EQ(tool("report '" + r.sheet.string() + "' --size wide").status, 2);
}

}  // namespace test::report_tests
