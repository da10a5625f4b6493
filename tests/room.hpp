#pragma once
// A small level as files, for the tool: a floor, a wall, a crate; a sun, a sky, a lamp; two sets.

#include <gtest/gtest.h>

#include "support.hpp"

namespace test {

inline const char* const sheet_text = R"(
[level]
scene = "room.gltf"
[lightmap]
density = 8
page = 256
[quality]
tier = "glance"
[sky]
radiance = [900, 1100, 1500]
[[light]]
name = "lamp"
kind = "point"
at = [0.5, 1.0, 0.2]
candela = 200
group = "lamps"
[[light]]
name = "sun"
kind = "sun"
azimuth = 120
elevation = 50
lux = 60000
[[volume]]
low = [-1.5, 0.3, -1.5]
high = [1.5, 1.5, 1.5]
spacing = 1.0
[[camera]]
name = "door"
eye = [1.8, 1.6, 1.8]
toward = [-0.5, 0.3, -0.5]
[[set]]
name = "day"
gain = { lamps = 0.0 }
[[set]]
name = "night"
gain = { sun = 0.0, sky = 0.01 }
)";

/// A floor with a wall and a crate on it, each a node of its own.
inline void write_room(const fs::path& folder, float crate_x = 0.6f) {
    Json gltf = good_gltf();
    gltf["nodes"] = Json::array();
    const auto add = [&](const char* name, std::vector<float> place, std::vector<float> scale,
                         std::vector<float> turn) {
        gltf["nodes"].push_back(
            {{"name", name}, {"mesh", 0}, {"translation", place}, {"scale", scale}, {"rotation", turn}});
    };
    const float h = 0.70710678f;
    add("floor", {0, 0, 0}, {1, 1, 1}, {0, 0, 0, 1});
    add("wall", {-1.9f, 1, 0}, {0.5f, 1, 1}, {0, 0, -h, h});
    add("crate", {crate_x, 0.5f, -0.4f}, {0.15f, 1, 0.15f}, {0, 0, 0, 1});
    gltf["scenes"] = Json::array({{{"nodes", {0, 1, 2}}}});
    write_bytes(folder / "room.gltf", gltf.dump());
}

/// A folder with the level in it.
struct Room {
    Folder folder;
    fs::path sheet = folder / "room.toml", baked = folder / "baked" / "room", cache = folder / ".stasigraph";

    Room() {
        write_room(folder.path());
        write_bytes(sheet, sheet_text);
    }
    Ran bake(const std::string& more = "") const { return tool("bake " + sheet.string() + " " + more); }
    nlohmann::json status() const { return tool("status --json --quiet " + sheet.string()).json(); }
    void edit(const std::string& from, const std::string& to) const {
        std::string text = read_text(sheet);
        const std::size_t at = text.find(from);
        ASSERT_NE(at, std::string::npos) << from;
        write_bytes(sheet, text.replace(at, from.size(), to));
    }
};

}  // namespace test
