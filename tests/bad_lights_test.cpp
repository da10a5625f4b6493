// Photometric files and sky images: named and refused where they are broken, or repaired and said.

#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <limits>

#include "support.hpp"

namespace test::bad_lights_tests {
namespace {

// ---- photometric files

/// Two vertical angles by one horizontal, as small as they come.
std::string ies(const std::string& tilt = "TILT=NONE", const std::string& head = "1 1000 1 3 1 1 2 0 0 0",
                const std::string& rest = "1 1 10\n0 45 90\n0\n100 80 0\n") {
    return "IESNA:LM-63-2002\n[TEST] none\n" + tilt + "\n" + head + "\n" + rest;
}

/// Loads a level with a lamp of this profile; the error's text, or "".
std::string profile_error(const std::string& file, Level* level = nullptr, const std::string& more = "") {
    const Folder folder;
    write_bytes(folder / "level.gltf", good_gltf().dump());
    write_bytes(folder / "lamp.ies", file);
    write_bytes(folder / "level.toml",
                "[level]\nscene = \"level.gltf\"\n[[light]]\nname = \"l\"\nkind = \"point\"\nprofile = "
                "\"lamp.ies\"\n" +
                    more);
    return load_outcome(folder / "level.toml", level);
}

TEST(BadProfile, each_defect_is_named_with_its_line) {
    const std::string head = "1 1000 1 3 1 1 2 0 0 0";
    const std::tuple<std::string, std::string, std::string> cases[] = {
        {"", "lamp.ies:1", "no TILT="},
        {"IESNA:LM-63-1995\n[TEST] x\n", "lamp.ies:2", "no TILT="},
        {ies("TILT=lamp.tlt"), "lamp.ies:3", "another file"},
        {ies("TILT="), "lamp.ies:3", "says nothing"},
        {ies("TILT=INCLUDE\n1\n2\n0 90\n1 -0.5"), "lamp.ies", "negative"},
        {ies("TILT=INCLUDE\n1\n2\n90 0\n1 1"), "lamp.ies", "do not ascend"},
        {ies("TILT=NONE", "1 1000 1 3"), "lamp.ies:5", "unit of length"},
        {ies("TILT=NONE", "1 1000 1 2.5 1 1 2 0 0 0"), "lamp.ies:4", "number of vertical angles"},
        {ies("TILT=NONE", "1 1000 1 -3 1 1 2 0 0 0"), "lamp.ies:4", "number of vertical angles"},
        {ies("TILT=NONE", "1 1000 1 999999 1 1 2 0 0 0"), "lamp.ies:4", "number of vertical angles"},
        {ies("TILT=NONE", "1 1000 1 3 1 3 2 0 0 0"), "lamp.ies", "type A"},
        {ies("TILT=NONE", "1 1000 0 3 1 1 2 0 0 0"), "lamp.ies", "multiply to nothing"},
        {ies("TILT=NONE", head, "1 1 10\n0 45 90\n0\n100 -80 0\n"), "lamp.ies:8", "negative"},
        {ies("TILT=NONE", head, "1 1 10\n0 45 90\n0\n100 80\n"), "lamp.ies", "ends before all candela"},
        {ies("TILT=NONE", head, "1 1 10\n0 45 90\n0\n100 80 0 7\n"), "lamp.ies", "more in it"},
        {ies("TILT=NONE", head, "1 1 10\n0 90 45\n0\n100 80 0\n"), "lamp.ies:6", "do not ascend"},
        {ies("TILT=NONE", head, "1 1 10\n0 45 90\n30\n100 80 0\n"), "lamp.ies", "not 0"},
        {ies("TILT=NONE", head, "1 1 10\n0 45 200\n0\n100 80 0\n"), "lamp.ies", "over 180"},
        {ies("TILT=NONE", head, "1 1 10\n0 45 90\n0\n100 nan 0\n"), "lamp.ies", "no number"},
        {ies("TILT=NONE", head, "1 1 10\n0 45 90\n0\n0 0 0\n"), "lamp.ies", "no light"},
        {ies("TILT=NONE", "1 1000 1 3 2 1 2 0 0 0", "1 1 10\n0 45 90\n0 70\n1 2 3 4 5 6\n"), "lamp.ies",
         "end at 0, 90, 180 or 360"},
    };
    for (const auto& [file, place, what] : cases) {
        const std::string text = profile_error(file);
        EXPECT_NE(text.find(place), std::string::npos) << file << text;
        EXPECT_NE(text.find(what), std::string::npos) << file << text;
    }
    // Every beginning of a good file is refused, never read.
    const std::string good = ies();
    ASSERT_EQ(profile_error(good), "");
    for (std::size_t n = 0; n + 3 < good.size(); ++n)
        EXPECT_NE(profile_error(good.substr(0, n)), "") << "cut after " << n << " bytes";
}

TEST(Profile, symmetries_factors_and_tilt_of_all_editions) {
    Level level;
    // Quadrants unfold to the whole circle; ballast counts, the second factor only in old editions.
    const std::string quadrant = "2 1 10\n0 90\n0 90\n100 50 60 30\n";
    EXPECT_EQ(profile_error("IESNA:LM-63-1995\nTILT=NONE\n1 1000 0.5 2 2 1 2 0 0 0\n" + quadrant, &level),
              "");
    const Profile& p = level.profiles[0];
    ASSERT_EQ(p.plane.size(), 5u);
    EXPECT_FLOAT_EQ(p.peak, 100);
    for (const auto& [plane, candela] :
         {std::pair{0.0f, 50.0f}, {90.0f, 30.0f}, {180.0f, 50.0f}, {270.0f, 30.0f}, {45.0f, 40.0f}}) {
        const float a = plane * pi / 180;
        EXPECT_NEAR(profile_candela(p, {0, 0, -1}, {1, 0, 0}, {std::cos(a), std::sin(a), 0}), candela, 0.01f)
            << plane;
    }
    EXPECT_NEAR(profile_candela(p, {0, 0, -1}, {1, 0, 0}, {0, 0, 1}), 0, 1e-6f) << "behind the last angle";
    EXPECT_EQ(
        profile_error(
            "IESNA:LM-63-1995\nTILT=NONE\n1 1000 0.5 2 2 1 2 0 0 0\n1 0.5 10\n0 90\n0 90\n100 50 60 30\n",
            &level),
        "");
    EXPECT_FLOAT_EQ(level.profiles[0].peak, 25);
    EXPECT_EQ(profile_error(
                  "IES:LM-63-2019\nTILT=NONE\n1 1000 0.5 2 2 1 2 0 0 0\n1 0.5 10\n0 90\n0 90\n100 50 60 30\n",
                  &level),
              "");
    EXPECT_FLOAT_EQ(level.profiles[0].peak, 50);
    // Alike on both sides of the plane 90-270.
    EXPECT_EQ(
        profile_error(
            ies("TILT=NONE", "1 1000 1 2 3 1 2 0 0 0", "1 1 10\n0 90\n90 180 270\n10 1 20 2 30 3\n"), &level),
        "");
    const Profile& side = level.profiles[0];
    for (const auto& [plane, candela] : {std::pair{90.0f, 1.0f},
                                         {180.0f, 2.0f},
                                         {0.0f, 2.0f},
                                         {270.0f, 3.0f},
                                         {135.0f, 1.5f},
                                         {45.0f, 1.5f}}) {
        const float a = plane * pi / 180;
        EXPECT_NEAR(profile_candela(side, {0, 0, -1}, {1, 0, 0}, {std::cos(a), std::sin(a), 0}), candela,
                    0.01f)
            << plane;
    }
    // Type B: the horizontal angle is that toward `across`.
    EXPECT_EQ(
        profile_error(ies("TILT=NONE", "1 1000 1 2 3 2 2 0 0 0", "1 1 10\n0 90\n-90 0 90\n5 5 90 10 5 5\n"),
                      &level),
        "");
    EXPECT_NEAR(profile_candela(level.profiles[0], {0, 0, -1}, {1, 0, 0}, {0, 0, -1}), 90, 0.01f);
    EXPECT_NEAR(profile_candela(level.profiles[0], {0, 0, -1}, {1, 0, 0}, {0, 1, 0}), 10, 0.01f);
    EXPECT_NEAR(profile_candela(level.profiles[0], {0, 0, -1}, {1, 0, 0}, {1, 0, 0}), 5, 0.01f);
    // A lamp that gives half its light on its side, hung at 45 degrees; lumens say what it sends upright.
    EXPECT_EQ(profile_error(ies("TILT=INCLUDE\n1\n2\n0 90\n1 0.5"), &level,
                            "at = [0, 2, 0]\ntoward = [2, 0, 0]\nlumens = 500\n"),
              "");
    EXPECT_NEAR(luminance(level.lights[0].color) * lumens_per_unit(level.lights[0], level.profiles),
                500 * 0.75f, 2);
    // Without a strength of its own the lamp shines as its table says.
    EXPECT_EQ(profile_error(ies(), &level, "kelvin = 3000\n"), "");
    EXPECT_NEAR(luminance(level.lights[0].color), 100, 0.01f);
    EXPECT_GT(level.lights[0].color.r, level.lights[0].color.b);
}

// ---- skies and textures

std::string sky_error(int width, int height, const std::function<void(std::vector<Rgb>&)>& spoil,
                      Level* level = nullptr, std::size_t cut = 0, const std::string& more = "") {
    const Folder folder;
    std::vector<Rgb> pixels(static_cast<std::size_t>(width) * height, Rgb{100, 200, 300});
    spoil(pixels);
    write_exr(folder / "sky.exr", width, height, pixels);
    if (cut > 0) write_bytes(folder / "sky.exr", read_text(folder / "sky.exr").substr(0, cut));
    write_bytes(folder / "level.gltf", good_gltf().dump());
    write_bytes(folder / "level.toml",
                "[level]\nscene = \"level.gltf\"\n[sky]\nimage = \"sky.exr\"\n" + more);
    return load_outcome(folder / "level.toml", level);
}

TEST(BadSky, broken_pixels_are_named_and_refused_or_repaired_and_said) {
    const auto fine = [](std::vector<Rgb>&) {};
    Level level;
    EXPECT_EQ(sky_error(64, 32, fine, &level), "");
    EXPECT_EQ(level.sky.pixels->size(), 64u * 32u);
    const float inf = std::numeric_limits<float>::infinity(), nan = std::numeric_limits<float>::quiet_NaN();
    for (const float bad : {inf, -inf, nan}) {
        const std::string text = sky_error(64, 32, [&](std::vector<Rgb>& p) { p[64 * 3 + 5].g = bad; });
        EXPECT_NE(text.find("column 5, row 3"), std::string::npos) << text;
        EXPECT_NE(text.find("1 pixels are not finite"), std::string::npos) << text;
        EXPECT_NE(text.find("sky.image sky.exr"), std::string::npos) << text;
    }
    EXPECT_EQ(sky_error(
                  64, 32,
                  [&](std::vector<Rgb>& p) {
                      p[7] = {-5, 1, -2};
                  },
                  &level),
              "");
    EXPECT_EQ((*level.sky.pixels)[7], (Rgb{0, 1, 0}));
    EXPECT_NE(level.notes[0].find("2 values below 0"), std::string::npos) << level.notes[0];
    EXPECT_NE(sky_error(64, 64, fine).find("twice as wide"), std::string::npos);
    for (const std::size_t cut : {1u, 100u, 400u, 700u}) {
        const std::string text = sky_error(
            64, 32,
            [](std::vector<Rgb>& p) {
                for (std::size_t i = 0; i < p.size(); ++i) p[i].r = static_cast<float>(i * 7919 % 1013);
            },
            nullptr, cut);
        EXPECT_NE(text.find("a sky image cannot be used"), std::string::npos) << cut << text;
    }
    EXPECT_NE(sky_error(64, 32, fine, nullptr, 0, "sun = \"from image\"\n").find("twenty times"),
              std::string::npos);
}

TEST(Sky, the_angle_between_sun_and_image_is_said_and_the_images_sun_can_be_taken) {
    Level level;
    const auto bright = [](std::vector<Rgb>& p) { p[64 * 10 + 48] = {30000, 30000, 30000}; };
    EXPECT_EQ(sky_error(64, 32, bright, &level, 0,
                        "[[light]]\nname = \"sun\"\nkind = \"sun\"\nazimuth = 90\nelevation = 30\n"),
              "");
    // Column 48 of 64 looks 92.8 degrees from north, row 10 of 32 stands 30.9 degrees up.
    EXPECT_NE(level.notes[0].find("stands 2.6 degrees from the brightest place"), std::string::npos)
        << level.notes[0];
    EXPECT_EQ(sky_error(64, 32, bright, &level, 0, "sun = \"from image\"\n"), "");
    ASSERT_EQ(level.lights.size(), 1u);
    EXPECT_NE(level.notes[0].find("azimuth 92.8, elevation 30.9"), std::string::npos) << level.notes[0];
    EXPECT_EQ((*level.sky.pixels)[64 * 10 + 48], (Rgb{100, 200, 300}));
}

}  // namespace
}  // namespace test::bad_lights_tests
