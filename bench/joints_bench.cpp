// Light along joints: levels as people build them, baked at several densities and held against exact light.

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "as_built.hpp"
#include "bench_time.hpp"

namespace {

using namespace stasigraph;
using namespace test;

struct Bake {
    Level level;
    Atlas atlas;
    Baked baked;
};

Bake parted_bake(Level level, bool cut) {
    Bake b;
    Job job;
    if (!cut) level.lightmap.cut = Cut::off;
    part_surfaces(level, job);
    b.level = std::move(level);
    b.baked = bake(b.level, b.atlas, job);
    return b;
}

}  // namespace

/// Of each level and density: the darkest a sealed room is not, and how far light along joints is off.
void bench_joints(const std::string& only, const std::vector<int>& densities) {
    Job job;
    fmt::print("{:<12}{:>8} | {:>9} {:>9} | {:>7} {:>8} {:>8} {:>8}  {}\n", "level", "texels/m", "sealed lx",
               "uncut lx", "points", "median", "99 of 100", "worst", "at");
    for (const std::string& name : levels_as_built()) {
        if (!only.empty() && only != name) continue;
        for (const int density : densities) {
            const auto d = static_cast<float>(density);
            std::string sealed[2] = {"-", "-"};
            if (const SealedRoom room = sealed_room(name); room.any())
                for (const bool cut : {true, false}) {
                    const Bake b = parted_bake(as_built(name, d, true), cut);
                    float most = 0;
                    JointPoint where;
                    // Also of what is whole, places beside the lines that it could be cut along.
                    Level lines = as_built(name, d, true);
                    part_surfaces(lines, job);
                    const auto points = joint_points(lines,
                                                     cut ? std::vector{0.0f, 0.1f, 0.5f, 1.0f, 2.0f, 4.0f}
                                                         : std::vector{1.0f, 1.5f, 2.0f, 4.0f},
                                                     d, 0.5f, job);
                    for (const JointError& e :
                         joint_errors(b.level, b.atlas, b.baked.sets[0], points, 2, job)) {
                        const Vec3 p = e.point.at + e.point.normal * 0.002f;
                        // One value of a page cannot be two: what is whole holds from a texel off.
                        if (room.holds(p, cut ? 0 : 1 / d, e.point.normal) && e.baked > most) {
                            most = e.baked;
                            where = e.point;
                        }
                    }
                    sealed[cut ? 0 : 1] = fmt::format("{:.2f}", most);
                    if (most > 0.5f)
                        fmt::print("{} {} at {}: {:.2f} lx at {:.3f} {:.3f} {:.3f} to {:.0f} {:.0f} {:.0f}\n",
                                   name, cut ? "in parts" : "whole", density, most, where.at.x, where.at.y,
                                   where.at.z, where.normal.x, where.normal.y, where.normal.z);
                }
            const Bake b = parted_bake(as_built(name, d, false), true);
            const auto points = joint_points(b.level, {0.1f, 0.5f, 1.0f, 2.0f}, d, 0.7f, job);
            std::vector<JointError> errors =
                joint_errors(b.level, b.atlas, b.baked.sets[0], points, 8192, job);
            std::sort(errors.begin(), errors.end(),
                      [](const JointError& x, const JointError& y) { return x.error() < y.error(); });
            if (errors.empty()) continue;
            const auto at = [&](double share) {
                return errors[static_cast<std::size_t>(share * static_cast<double>(errors.size() - 1))]
                    .error();
            };
            fmt::print("{:<12}{:>8} | {:>9} {:>9} | {:>7} {:>7.1f}% {:>8.1f}% {:>7.1f}%", name, density,
                       sealed[0], sealed[1], errors.size(), 100 * at(0.5), 100 * at(0.99), 100 * at(1));
            for (std::size_t k = 0; k < std::min<std::size_t>(3, errors.size()); ++k) {
                const JointError& e = errors[errors.size() - 1 - k];
                fmt::print("  ({:.3f} {:.3f} {:.3f} to {:.0f} {:.0f} {:.0f}: {:.0f} for {:.0f} lx)",
                           e.point.at.x, e.point.at.y, e.point.at.z, e.point.normal.x, e.point.normal.y,
                           e.point.normal.z, e.baked, e.exact);
            }
            fmt::print("\n");
            std::fflush(stdout);
        }
    }
}
