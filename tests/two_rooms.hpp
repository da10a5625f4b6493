#pragma once
// Two closed rooms side by side, baked and packed: a lamp in each, three sets, a zone for each room.

#include <cstring>

#include "shapes.hpp"
#include "stasigraph/game.hpp"
#include "stasigraph/game_file.hpp"
#include "stasigraph/link_zones.hpp"
#include "stasigraph/mixer.hpp"
#include "support.hpp"

namespace test {

namespace rt = stasigraph::runtime;

inline Level two_rooms() {
    Level level;
    level.quality.tier = Tier::glance;
    level.lightmap.density = 24;
    level.lightmap.page = 128;
    add_box(level, "left_room", {-4, 0, -2}, {-0.1f, 3, 2}, true, {0.5f, 0.4f, 0.3f});
    add_box(level, "right_room", {0.1f, 0, -2}, {4, 3, 2}, true, {0.4f, 0.5f, 0.5f});
    add_box(level, "left_crate", {-3, 0, -1}, {-2.4f, 0.6f, -0.4f}, false, {0.7f, 0.3f, 0.2f});
    add_box(level, "right_crate", {0.4f, 0, 0.5f}, {1, 0.8f, 1.1f}, false, {0.3f, 0.3f, 0.7f});
    for (const bool right : {false, true}) {
        Light lamp;
        lamp.name = right ? "right lamp" : "left lamp";
        lamp.position = {right ? 2.0f : -2.0f, 2.5f, 0.3f};
        lamp.color = right ? Rgb{40, 60, 90} : Rgb{30000, 280, 20};
        lamp.group = group_index(level, lamp.name);
        level.lights.push_back(lamp);
    }
    level.volumes = {box_volume("left", {-3.8f, 0.2f, -1.8f}, {-0.3f, 2.8f, 1.8f}, 0.8f),
                     box_volume("right", {0.3f, 0.2f, -1.8f}, {3.8f, 2.8f, 1.8f}, 0.8f)};
    // The left room's box reaches a metre into the right room: the wall keeps its probes apart.
    Zone left, right;
    left.name = "left";
    left.boxes = {box_volume("left", {-4.2f, -0.2f, -2.2f}, {1.2f, 3.2f, 2.2f}, 1)};
    right.name = "right";
    right.boxes = {box_volume("right", {0.05f, -0.2f, -2.2f}, {4.2f, 3.2f, 2.2f}, 1)};
    level.zones = {left, right};
    complete_level(level);
    level.sets = {{"day", {1, 1}, {}, {}, none},
                  {"night", {0.25f, 1}, {{1, 0.5f, 0.25f}}, {}, none},
                  {"alarm", {0.02f, 3}, {{1, 1, 1}, {1, 0.1f, 0.1f}}, {}, none},
                  {"layer-left lamp", {1, 0}, {}, {}, none, 0}};
    return level;
}

/// Baked once for all tests of a program.
struct TwoRooms {
    Bake bake;
    ZoneLinks links;
    Folder folder;
    rt::Game game;
    explicit TwoRooms(GamePixels pixels = GamePixels::half) {
        bake = bake_level(two_rooms());
        Job job;
        links = link_zones(bake.level, bake.baked.probes.position, {}, job);
        save_game(folder / "game.sgl", {bake.level, bake.atlas}, bake.baked, {.pixels = pixels});
        game.open((folder / "game.sgl").c_str());
    }
    static const TwoRooms& whole() {
        static const TwoRooms made;
        return made;
    }
};

}  // namespace test
