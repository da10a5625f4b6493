// What the tool does, as a program that links the library does it.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <fstream>

#include "stasigraph/bake_folder.hpp"
#include "stasigraph/compare_bakes.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/finding_files.hpp"
#include "stasigraph/gallery.hpp"
#include "stasigraph/game.hpp"
#include "stasigraph/history.hpp"
#include "stasigraph/place_folder.hpp"
#include "stasigraph/vary.hpp"
#include "support.hpp"

namespace test::workflow_tests {
namespace {

/// A floor under a lamp and a sky, two sets.
class Yard {
public:
    Yard() {
        std::ofstream(folder / "yard.gltf") << good_gltf().dump();
        write("");
    }
    void write(const std::string& more) const {
        std::ofstream(sheet())
            << "[level]\nscene = \"yard.gltf\"\n[quality]\ntier = \"glance\"\n"
               "[lightmap]\ndensity = 6\npage = 64\nmargin = 2\n"
               "[sky]\nradiance = [200, 200, 200]\n"
               "[[light]]\nname = \"lamp\"\nkind = \"point\"\nat = [0, 1, 0]\ncandela = 400\n"
               "[[set]]\nname = \"day\"\n[[set]]\nname = \"night\"\ngain = { sky = 0.1 }\n"
               "[[camera]]\nname = \"door\"\neye = [0, 2, 3]\ntoward = [0, 0, 0]\n" +
                   more;
    }
    fs::path sheet() const { return folder / "yard.toml"; }
    Level level() const {
        Level l = load_level(sheet());
        complete_level(l);
        return l;
    }
    BakeOutcome bake(BakeRequest request = {}) const {
        request.level_file = sheet();
        Job job;
        return bake_folder(level(), request, job);
    }
    Folder folder;
};

SLOW_TEST(BakeFolder, bakes_what_is_out_of_date_says_why_and_writes_history) {
    const Yard yard;
    const BakeOutcome first = yard.bake();
    ASSERT_TRUE(first.written);
    EXPECT_EQ(first.written->sets, (std::vector<std::string>{"day", "night"}));
    EXPECT_EQ(first.why, std::vector<std::string>{never_baked});
    EXPECT_TRUE(fs::exists(default_output(yard.sheet()) / "manifest.json"));
    const BakeOutcome second = yard.bake();
    EXPECT_TRUE(second.up_to_date);
    EXPECT_FALSE(second.written);
    yard.write("[[set]]\nname = \"dusk\"\ngain = { lamps = 2 }\n");
    std::vector<std::string> told;
    const BakeOutcome third = yard.bake({.on_start = [&](const auto& why) { told = why; }});
    ASSERT_TRUE(third.written);
    EXPECT_EQ(third.written->sets, std::vector<std::string>{"dusk"});
    EXPECT_EQ(third.written->baked.figures.traced, 0u);
    EXPECT_EQ(told, third.why);
    const std::vector<BakeRecord> history = bake_history(default_cache(yard.sheet()));
    ASSERT_EQ(history.size(), 2u);
    EXPECT_EQ(history[1].sets, std::vector<std::string>{"dusk"});
}

SLOW_TEST(BakeFolder, bakes_kinds_sets_and_surfaces_by_themselves) {
    const Yard yard;
    const std::string volume =
        "[[volume]]\nname = \"air\"\nlow = [-2, 0.3, -2]\nhigh = [2, 2, 2]\nspacing = 1\n";
    yard.write(volume);
    ASSERT_TRUE(yard.bake().written);
    yard.write(volume + "[[light]]\nname = \"second\"\nkind = \"point\"\nat = [1, 1, 0]\ncandela = 400\n");
    const BakeOutcome probes = yard.bake({.kinds = {.pages = false}});
    ASSERT_TRUE(probes.written);
    const BakeStatus status = bake_status(default_output(yard.sheet()), probes.written->level);
    for (const ResultStatus& r : status.results) EXPECT_EQ(r.stale, r.what == "lightmaps") << r.set;
    EXPECT_EQ(kinds_left_out({.pages = false}), "pages");
    EXPECT_EQ(kinds_left_out({.probes = false}), "probes and reflections");
    EXPECT_EQ(kinds_left_out({}), "");
    const BakeOutcome day = yard.bake({.sets = {"day"}});
    ASSERT_TRUE(day.written);
    EXPECT_EQ(day.written->sets, std::vector<std::string>{"day"});
    ASSERT_TRUE(yard.bake().written);
    const BakeOutcome only = yard.bake({.only = "floor"});
    ASSERT_TRUE(only.written);
    EXPECT_THROW(yard.bake({.only = "roof"}), Error);
}

SLOW_TEST(BakeFolder, reaches_the_tier_that_the_time_allows_and_tells_of_each) {
    const Yard yard;
    std::vector<Tier> written;
    Level level = yard.level();
    level.quality.tier = Tier::final;
    Job job;
    const BakeRequest request{
        .level_file = yard.sheet(), .time_limit = 1e-6, .on_written = [&](Tier t) { written.push_back(t); }};
    const BakeOutcome outcome = bake_folder(level, request, job);
    ASSERT_TRUE(outcome.written);
    EXPECT_EQ(written, std::vector<Tier>{Tier::glance});
    EXPECT_EQ(baked_tier(default_output(yard.sheet())), Tier::glance);
}

SLOW_TEST(BakeFolder, keeps_a_packed_game_up_to_date) {
    const Yard yard;
    ASSERT_TRUE(yard.bake().written);
    const fs::path folder = default_output(yard.sheet()), game = folder / "game.sgl";
    Level level = yard.level();
    const SavedBake bake = load_bake(folder, level, "");
    EXPECT_EQ(bake.sets.size(), 2u);
    save_game(game, {level, bake.atlas}, bake, {.pixels = GamePixels::rgb9e5});
    yard.write("[[set]]\nname = \"dusk\"\ngain = { lamps = 2 }\n");
    ASSERT_TRUE(yard.bake().written);
    runtime::Game packed;
    ASSERT_EQ(packed.open(game.c_str()), runtime::Status::ok);
    EXPECT_EQ(packed.set_count(), 3u);
    EXPECT_EQ(packed.page(0, 0).format, runtime::PixelFormat::rgb9e5);
}

SLOW_TEST(PlaceFolder, places_and_judges) {
    const Yard yard;
    Job job;
    yard.write("[[volume]]\nlow = [-1, 0.3, -1]\nhigh = [1, 1.3, 1]\nspacing = 1\n");
    const PlaceOutcome placed =
        place_in_folder({.level_file = yard.sheet(), .exact = true}, yard.level(), job);
    EXPECT_GT(placed.probes.places.size(), 3u);
    EXPECT_TRUE(fs::exists(placed.file));
    EXPECT_EQ(placed.rooms.size(), 2u) << "one room, two sets";
    EXPECT_TRUE(placed.reflections.empty());
    const std::optional<std::vector<ProbePlace>> kept = load_places(placed.file.parent_path(), yard.level());
    ASSERT_TRUE(kept.has_value());
    EXPECT_EQ(kept->size(), placed.probes.places.size());
}

TEST(FindingFiles, replace_those_of_an_earlier_call_and_nothing_else) {
    const Yard yard;
    Job job;
    const Level level = yard.level();
    const fs::path to = yard.folder / "findings";
    fs::create_directories(to);
    write_bytes(to / "07-no-light.png", "of an earlier call");
    write_bytes(to / "07-mine.png", "somebody's");
    const std::vector<Finding> findings{{.id = "no-light",
                                         .severity = Severity::error,
                                         .names = {"yard"},
                                         .what = "",
                                         .remedy = "",
                                         .at = {}},
                                        {.id = "odd-unit",
                                         .severity = Severity::warning,
                                         .names = {"lamp"},
                                         .what = "",
                                         .remedy = "",
                                         .at = Vec3{0, 1, 0}}};
    const std::vector<fs::path> files = write_finding_pictures(to, level, findings, job);
    ASSERT_EQ(files.size(), 2u);
    EXPECT_TRUE(files[0].empty()) << "it has no place";
    EXPECT_EQ(files[1].filename(), "02-odd-unit.png");
    EXPECT_TRUE(fs::exists(files[1]));
    EXPECT_FALSE(fs::exists(to / "07-no-light.png"));
    EXPECT_TRUE(fs::exists(to / "07-mine.png"));
}

SLOW_TEST(Vary, bakes_each_value_and_traces_nothing_twice) {
    const Yard yard;
    Job job;
    const VaryRequest request{.level_file = yard.sheet(),
                              .key = "light.lamp.gain",
                              .values = {"1", "2", "4"},
                              .width = 64,
                              .height = 40};
    const std::vector<TriedValue> tried = vary(request, job);
    ASSERT_EQ(tried.size(), 3u);
    EXPECT_EQ(tried[0].layers_made, 2u);
    for (std::size_t k = 1; k < 3; ++k) {
        EXPECT_EQ(tried[k].traced, 0u);
        EXPECT_EQ(tried[k].layers_made, 0u);
        EXPECT_GT(tried[k].mean, tried[k - 1].mean);
        EXPECT_EQ(tried[k].picture.pixels.size(), 64u * 40);
    }
    VaryRequest wrong = request;
    wrong.key = "light.lamp.colour";
    EXPECT_THROW(vary(wrong, job), Error);
    wrong = request;
    wrong.camera = "roof";
    wrong.cache = yard.folder / "cache";
    EXPECT_THROW(vary(wrong, job), Error);
    EXPECT_FALSE(fs::exists(yard.folder / "cache")) << "refused before anything is baked";
}

SLOW_TEST(Vary, places_probes_for_each_value_as_a_bake_does) {
    const Yard yard;
    // A second floor, which probes light.
    Json gltf = good_gltf();
    gltf["nodes"].push_back(
        {{"name", "tray"}, {"mesh", 0}, {"translation", {0, 0.5, 0}}, {"scale", {0.4, 1, 0.4}}});
    gltf["scenes"] = Json::array({{{"nodes", {0, 1}}}});
    write_bytes(yard.folder / "yard.gltf", gltf.dump());
    const auto write = [&](const char* spacing) {
        yard.write(
            std::string("[[surface]]\nmatch = \"tray\"\nlit_by = \"probes\"\n[[volume]]\nname = \"air\"\n"
                        "low = [-2, 0.2, -2]\nhigh = [2, 2, 2]\nspacing = ") +
            spacing + "\n");
    };
    write("2.0");
    Job job;
    const VaryRequest request{.level_file = yard.sheet(),
                              .key = "volume.air.spacing",
                              .values = {"2.0", "0.7"},
                              .width = 64,
                              .height = 40};
    const std::vector<TriedValue> tried = vary(request, job);
    ASSERT_EQ(tried.size(), 2u);
    // The largest difference of two pictures, of the light there.
    const auto apart = [](const Picture& x, const Picture& y) {
        float most = 0;
        for (std::size_t i = 0; i < x.pixels.size(); ++i)
            most = std::max(most, std::abs(luminance(x.pixels[i]) - luminance(y.pixels[i])) /
                                      (luminance(x.pixels[i]) + 1e-3f));
        return most;
    };
    EXPECT_GT(apart(tried[0].picture, tried[1].picture), 0.003f) << "each has its own probes";
    for (std::size_t k = 0; k < 2; ++k) {
        write(request.values[k].c_str());
        ASSERT_TRUE(yard.bake().written);
        Gallery gallery(yard.sheet());
        const ShownPicture baked = gallery.show(
            {.camera = gallery.level().cameras[0], .settings = {.width = 64, .height = 40}}, job);
        // Files hold half floats.
        EXPECT_LT(apart(baked.picture, tried[k].picture), 0.0015f) << request.values[k];
    }
}

SLOW_TEST(BakeComparison, measures_and_draws_a_kept_result_two_sets_and_the_reference) {
    const Yard yard;
    ASSERT_TRUE(yard.bake({.keep = "dim"}).written);
    yard.write("[[light]]\nname = \"second\"\nkind = \"point\"\nat = [1, 1, 0]\ncandela = 400\n");
    ASSERT_TRUE(yard.bake().written);
    Job job;
    const BakeComparison kept({.level_file = yard.sheet()});
    ASSERT_TRUE(kept.before());
    EXPECT_FALSE(kept.before()->now);
    EXPECT_EQ(kept.names()[0], "dim, day (glance)");
    EXPECT_EQ(kept.names()[1], "now, day (glance)");
    EXPECT_GT(kept.measure(job).light.mean, 0.1);
    const ComparedPictures p =
        kept.draw({.camera = yard.level().cameras[0], .width = 320, .height = 200}, job);
    EXPECT_EQ(p.before.pixels.size(), 320u * 200);
    EXPECT_EQ(difference_pixels(p).size(), 3u * 320 * 200);
    const std::vector<std::uint8_t> halves = halves_pixels(p), before = tone_map(p.before, p.ev[0]);
    EXPECT_TRUE(std::equal(before.begin(), before.begin() + 3 * 100, halves.begin()));
    const ComparedPictures page = kept.draw({.page = 0, .width = 64, .height = 64}, job);
    EXPECT_EQ(page.after.width, 64);
    EXPECT_THROW(kept.draw({.page = 9, .width = 64, .height = 64}, job), Error);

    const BakeComparison sets({.level_file = yard.sheet(), .set = "night", .set_before = "day"});
    EXPECT_LT(sets.measure(job).light.mean, 0);
    const BakeComparison reference({.level_file = yard.sheet(), .reference = true, .paths = 4});
    EXPECT_EQ(reference.before(), nullptr);
    EXPECT_LT(std::abs(reference.measure(job).light.mean), 0.05);
    EXPECT_THROW(BakeComparison({.level_file = yard.sheet(), .before = "none"}), Error);
}

}  // namespace
}  // namespace test::workflow_tests
