// The walk: what the script asks is what the runtime shows, drawn.

#include <gtest/gtest.h>

#include <cmath>

#include "stasigraph/play.hpp"
#include "support.hpp"

namespace test::play_tests {
namespace {

/// The demo level baked at glance, with its script, in a folder of its own.
struct Scene {
    Folder folder;
    Scene() {
        for (const char* file :
             {"observatory.glb", "observatory.toml", "walk.toml", "washer.ies", "bollard.ies"})
            fs::copy(demo_folder() / file, folder / file);
        fs::create_directories(folder / "baked");
        fs::copy(demo_glance(), folder / "baked/observatory",
                 fs::copy_options::recursive | fs::copy_options::create_hard_links);
    }
    std::string script() const { return (folder / "walk.toml").string(); }
    /// Runs the script with these lines in place of its changes; what it says.
    Ran play(const std::string& head, const std::string& lines, const std::string& options) const {
        write_bytes(folder / "own.toml", head + lines);
        return tool("play " + (folder / "own.toml").string() + " --to " + (folder / "out").string() +
                    options);
    }
};
const Scene& scene() {
    static const Scene made;
    return made;
}
const std::string head =
    "[play]\nlevel = \"observatory.toml\"\nfigure = \"figure\"\nset = \"noon\"\nsize = [96, 60]\n"
    "[[play.step]]\nat = 0\nplace = [-15.0, 0.0, 3.0]\n";

float lux_at(const nlohmann::json& j, double time) {
    for (const auto& m : j["light"])
        if (std::abs(m["at_s"].get<double>() - time) < 0.009) return m["lux"][1].get<float>();
    return -1;
}

SLOW_TEST(Play, draws_numbered_frames_a_sheet_and_a_plot_of_the_demo_walk) {
    const fs::path to = scene().folder / "walk";
    const Ran r =
        tool("play " + scene().script() + " --until 31.5 --fps 0.1 --to " + to.string() + " --json");
    ASSERT_EQ(r.status, 0) << r.err;
    const nlohmann::json j = r.json();
    ASSERT_EQ(j["frames"].size(), 4u);
    EXPECT_EQ(j["frames"][0]["shows"], "noon");
    EXPECT_EQ(j["frames"][0]["zone"], "terrace");
    EXPECT_EQ(j["frames"][3]["file"], "frame-0004.png");
    const Pixels frame = read_image(to / "frame-0001.png"), sheet = read_image(to / "sheet.png"),
                 plot = read_image(to / "light.png");
    EXPECT_EQ(frame.width, 640);
    EXPECT_EQ(sheet.width, 1280);
    EXPECT_EQ(plot.width, 1280);
    EXPECT_EQ(plot.height, 800);
    // A walk through all rooms; the power is out in the corridor, and the vault's lamps flicker and are off.
    std::vector<std::string> zones;
    for (const auto& m : j["light"])
        if (zones.empty() || zones.back() != m["zone"]) zones.push_back(m["zone"]);
    for (const char* zone : {"terrace", "hall", "corridor", "vault"})
        EXPECT_NE(std::find(zones.begin(), zones.end(), zone), zones.end()) << zone;
    EXPECT_GT(lux_at(j, 1), 10000);
    EXPECT_LT(lux_at(j, 9.2), 200) << "dusk has fallen";
    EXPECT_LT(lux_at(j, 25), 1) << "no power";
    EXPECT_LT(lux_at(j, 31), 0.2f * lux_at(j, 20));
}

SLOW_TEST(Play, light_on_the_figure_is_the_mix_that_was_asked_for) {
    const Ran r = scene().play(head,
                               "[[play.change]]\nat = 1\nset = \"dusk\"\nseconds = 2\ncurve = \"linear\"\n"
                               "[[play.change]]\nat = 4\nset = \"observing\"\nzone = \"vault\"\n",
                               " --until 5 --fps 0.2 --json");
    ASSERT_EQ(r.status, 0) << r.err;
    const nlohmann::json j = r.json();
    const float noon = lux_at(j, 0.5), dusk = lux_at(j, 3.5);
    EXPECT_GT(noon, 100 * dusk);
    // Moved on by a sixtieth of a second before it is looked at.
    for (const double t : {1.5, 2.0, 2.5}) {
        const auto share = static_cast<float>((t - 1 + 1 / 60.0) / 2);
        EXPECT_NEAR(lux_at(j, t), noon * (1 - share) + dusk * share, 0.002f * noon) << t;
    }
    EXPECT_EQ(lux_at(j, 5), dusk) << "another zone's change is none of its business";
}

SLOW_TEST(Play, layers_flicker_the_same_way_in_every_run_and_stop) {
    const std::string lines =
        "[[play.change]]\nat = 0\nset = \"dusk\"\n[[play.change]]\nat = 1\nlayer = \"vault lamps\"\nflicker "
        "= "
        "0.9\nseconds = 2\n[[play.change]]\nat = 4\nlayer = \"vault lamps\"\nscale = 0\n";
    const std::string vault =
        "[play]\nlevel = \"observatory.toml\"\nfigure = \"figure\"\nsize = [64, 40]\n"
        "[[play.step]]\nat = 0\nplace = [12.0, -3.8, -10.5]\n";
    const Ran r = scene().play(vault, lines, " --until 5 --fps 0.2 --json"),
              again = scene().play(vault, lines, " --until 5 --fps 0.2 --json");
    ASSERT_EQ(r.status, 0) << r.err;
    const nlohmann::json j = r.json();
    EXPECT_EQ(j["light"], again.json()["light"]);
    const float steady = lux_at(j, 0.5);
    float low = 1e30f, high = 0;
    for (double t = 1.2; t < 3; t += 0.1) {
        low = std::min(low, lux_at(j, t));
        high = std::max(high, lux_at(j, t));
    }
    EXPECT_LT(low, 0.6f * steady);
    EXPECT_GT(high, 1.3f * low);
    EXPECT_NEAR(lux_at(j, 3.5), steady, 1e-3f * steady);
    EXPECT_LT(lux_at(j, 4.5), 0.04f * steady) << "what comes in from elsewhere";
}

SLOW_TEST(Play, plays_the_sheet_as_it_is_now) {
    const Folder folder;
    for (const char* file : {"observatory.glb", "washer.ies", "bollard.ies"})
        fs::copy(demo_folder() / file, folder / file);
    fs::create_directories(folder / "baked");
    fs::copy(demo_glance(), folder / "baked/observatory",
             fs::copy_options::recursive | fs::copy_options::create_hard_links);
    const std::string sheet = read_text(demo_folder() / "observatory.toml");
    write_bytes(folder / "observatory.toml", sheet);
    write_bytes(folder / "own.toml", head + "[[play.change]]\nat = 0\nset = \"dusk\"\nzone = \"pool\"\n");
    const std::string command = "play " + (folder / "own.toml").string() + " --until 0 --json";
    EXPECT_EQ(tool(command).status, 1) << "there is no such zone yet";
    write_bytes(folder / "observatory.toml", sheet + "[[zone]]\nname = \"pool\"\nmatch = \"pool*\"\n");
    fs::last_write_time(folder / "observatory.toml",
                        fs::last_write_time(folder / "baked/observatory/game.sgl") + std::chrono::seconds(2));
    const Ran r = tool(command);
    EXPECT_EQ(r.status, 0) << r.err;
}

SLOW_TEST(Play, says_what_is_wrong_with_a_script_and_where) {
    const auto says = [&](const std::string& lines, const std::string& what, const std::string& top = head) {
        const Ran r = scene().play(top, lines, " --until 0.1");
        EXPECT_EQ(r.status, 1) << lines;
        EXPECT_NE(r.err.find(what), std::string::npos) << r.err;
    };
    says("[[play.change]]\nat = 1\nset = \"nooon\"\n", "noon, dusk, observing, blackout");
    says("[[play.change]]\nat = 1\nset = \"noon\"\nzone = \"attic\"\n", "terrace, hall, corridor, vault");
    says("[[play.change]]\nat = 1\nlayer = \"sun\"\n", "vault lamps");
    says("[[play.change]]\nat = 1\nseries = \"june\"\n", "series");
    says("[[play.change]]\nat = 1\n", "a change is of one thing");
    says("[[play.change]]\nset = \"noon\"\n", "own.toml:9: play.change.at");
    says("[[play.change]]\nat = 1\nset = \"noon\"\nflicker = 1\n", "of layers alone");
    says("[[play.change]]\nat = 1\nset = \"noon\"\ncurve = \"round\"\n", "\"linear\"");
    says("[[play.step]]\nat = 0\nplace = [1, 2, 3]\n", "not later than the step before");
    says("[[play.stop]]\nat = 1\n", "play");
    says("", "has no step", "[play]\nlevel = \"observatory.toml\"\nfigure = \"figure\"\n");
    says("", "trolley",
         "[play]\nlevel = \"observatory.toml\"\nfigure = \"ghost\"\n[[play.step]]\nat = 0\nplace = [0, 0, "
         "0]\n");
    says("", "no script of a walk", "[level]\nscene = \"observatory.glb\"\n");
    EXPECT_EQ(tool("play " + scene().script() + " --fps 0").status, 2);
    EXPECT_NE(tool("play --help").out.find("--until"), std::string::npos);
}

}  // namespace
}  // namespace test::play_tests
