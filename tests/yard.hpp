#pragma once
// A yard in the sun and what stands on it, for findings.

#include <gtest/gtest.h>

#include <functional>

#include "stasigraph/check.hpp"
#include "support.hpp"

namespace test {

inline constexpr Rgb grey{0.5f, 0.5f, 0.5f};

/// A slab in the sun with somebody on it: nothing is wrong with it.
inline Level yard() {
    Level level;
    level.name = "yard";
    add_box(level, "slab", {-6, -0.3f, -6}, {6, 0, 6}, false, grey);
    level.lights.push_back({.name = "sun",
                            .kind = LightKind::sun,
                            .color = Rgb{1, 0.95f, 0.9f} * 90000,
                            .direction = normalize(Vec3{0.2f, -0.8f, -0.6f}),
                            .angular_diameter = 0.0093f});
    level.sky.radiance = {3000, 3500, 4500};
    level.cameras.push_back({.name = "eye", .eye = {0, 1.7f, 5.5f}, .toward = {0, 1, 0}});
    level.volumes.push_back(box_volume("all", {-5.5f, 0.1f, -5.5f}, {5.5f, 3, 5.5f}, 1));
    return level;
}

inline Light lamp(Vec3 at, float candela = 100, float range = 0) {
    return {.name = "lamp",
            .kind = LightKind::point,
            .color = Rgb{1, 0.9f, 0.8f} * candela,
            .position = at,
            .range = range};
}

/// A hut around the middle of the yard, open to the north, away from the sun.
inline Level hut(float thickness) {
    Level level = yard();
    const float t = thickness;
    add_box(level, "west", {-1, 0, -1}, {-1 + t, 2, 1}, false, grey);
    add_box(level, "east", {1 - t, 0, -1}, {1, 2, 1}, false, grey);
    add_box(level, "south", {-1, 0, 1 - t}, {1, 2, 1}, false, grey);
    add_box(level, "roof", {-1.1f, 2, -1.1f}, {1.1f, 2.2f, 1.1f}, false, grey);
    return level;
}

/// A closed room of thick walls with somebody in it; its roof has a hole, or its north wall a slit.
inline Level shed(float hole, float slit) {
    Level level = yard();
    level.volumes = {box_volume("inside", {-1.8f, 0.2f, -1.8f}, {1.8f, 2.2f, 1.8f}, 0.8f)};
    level.cameras.clear();
    add_box(level, "west", {-2.3f, -0.1f, -2.3f}, {-2, 2.5f, 2.3f}, false, grey);
    add_box(level, "east", {2, -0.1f, -2.3f}, {2.3f, 2.5f, 2.3f}, false, grey);
    add_box(level, "south", {-2.1f, -0.1f, 2}, {2.1f, 2.5f, 2.3f}, false, grey);
    add_box(level, "north 1", {-2.1f, -0.1f, -2.3f}, {0.5f, 2.5f, -2}, false, grey);
    add_box(level, "north 2", {0.5f + slit, -0.1f, -2.3f}, {2.1f, 2.5f, -2}, false, grey);
    const float h = hole / 2;
    if (hole > 0) {
        add_box(level, "roof 1", {-2.4f, 2.4f, -2.4f}, {-h, 2.6f, 2.4f}, false, grey);
        add_box(level, "roof 2", {h, 2.4f, -2.4f}, {2.4f, 2.6f, 2.4f}, false, grey);
        add_box(level, "roof 3", {-h, 2.4f, -2.4f}, {h, 2.6f, -h}, false, grey);
        add_box(level, "roof 4", {-h, 2.4f, h}, {h, 2.6f, 2.4f}, false, grey);
    } else {
        add_box(level, "roof", {-2.4f, 2.4f, -2.4f}, {2.4f, 2.6f, 2.4f}, false, grey);
    }
    return level;
}

inline Level with(Level level, const std::function<void(Level&)>& change) {
    change(level);
    return level;
}

inline Checked checked(Level level, unsigned threads = 0) {
    complete_level(level);
    try {
        check_level(level);
    } catch (const Error& e) {
        ADD_FAILURE() << e.text();
        return {};
    }
    Job job({.threads = threads});
    return check(level, job);
}

inline std::vector<Finding> of(const Checked& c, const std::string& id) {
    std::vector<Finding> out;
    for (const Finding& f : c.findings)
        if (f.id == id) out.push_back(f);
    return out;
}

inline std::string listed(const Checked& c) {
    std::string text;
    for (const Finding& f : c.findings)
        text += std::string(to_text(f.severity)) + " " + f.id + ": " + f.what + "\n";
    return text;
}

}  // namespace test
