// Dots: texels that an eye finds, counted against a converged bake.

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <functional>
#include <map>

#include "bake/room_noise.hpp"
#include "base/random.hpp"
#include "bench_tier.hpp"
#include "chart/texels.hpp"
#include "dim_levels.hpp"
#include "picture/dots.hpp"
#include "picture/texel_on_page.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/stasigraph.hpp"
#include "trace/ray_caster.hpp"

using namespace stasigraph;

namespace {

/// Links of a converged bake, and so many where 4096 would take over 12 GB; of small levels it is the mean of
/// up to six with other rays.
constexpr int converged = 4096, converged_of_many = 2048;
constexpr std::size_t many_texels = 700000, texels_of_all = 800000, most_bakes = 6;
using Lights = std::vector<TexelLight>;

/// A set for each group alone, after the level's own.
void add_layers(Level& level) {
    const std::size_t groups = level.groups.size();
    for (std::size_t g = 0; g < groups; ++g) {
        BakeSet set;
        set.name = "only " + level.groups[g];
        set.gains.assign(groups, 0.0f);
        set.gains[g] = 1;
        level.sets.push_back(set);
    }
}

/// What the light of each texel is held against; 0 for those that no page shows.
std::vector<float> measure_of(const Atlas& atlas, const TexelSet& texels, const Lights& truth) {
    std::vector<std::uint32_t> shown;
    std::vector<DotTexel> lit;
    for (std::uint32_t i = 0; i < truth.size(); ++i) {
        if (!truth[i].exported || !truth[i].valid) continue;
        const TexelOnPage at = texel_on_page(atlas, texels, i);
        shown.push_back(i);
        lit.push_back({at.page, at.x, at.y, luminance(truth[i].total)});
    }
    const std::vector<float> against = dot_measure(lit, atlas.pages);
    std::vector<float> out(truth.size(), 0.0f);
    for (std::size_t k = 0; k < shown.size(); ++k) out[shown[k]] = against[k];
    return out;
}

/// Texels that somebody can look at: not in crevices, where all around is nearer than a hand is long.
std::vector<std::uint8_t> find_seen(const Level& level, const TexelSet& texels, Job& job) {
    constexpr std::uint32_t looks = 32;
    constexpr float hand = 0.2f;
    const TextureSet textures(level);
    const RayCaster caster(level, textures, [](const Surface& s) { return s.part != Part::moving; });
    std::vector<std::uint8_t> seen(texels.size(), 0);
    job.parallel(seen.size(), 1024, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const Frame frame(texels.face_normal[i]);
            std::uint32_t far = 0;
            for (std::uint32_t k = 0; k < looks; ++k)
                far += caster.closest({texels.position[i] + texels.face_normal[i] * 0.001f,
                                       frame.to_world(cosine_direction(sobol_point(0x646f7473u, k))), hand})
                                   .surface == none
                           ? 1
                           : 0;
            seen[i] = far * 8 > looks ? 1 : 0;
        }
    });
    return seen;
}

float squared(Rgb c) {
    return c.r * c.r + c.g * c.g + c.b * c.b;
}

struct Dots {
    std::size_t texels = 0, over[3] = {}, direct = 0, links = 0, smoothing = 0;
    std::map<std::uint32_t, std::size_t> by_surface;  ///< Those over the second step.
    float worst = 0;
    Vec3 where;
    /// By room: its texels and how many of those are over the second step; errors as room_errors() has them.
    std::vector<std::size_t> of_room, over_of_room;
    std::vector<float> error;
};

Dots count_dots(const Atlas& atlas, const TexelSet& texels, const Lights& ours, const Lights& rough,
                const Lights& truth, const std::vector<std::uint8_t>& seen, const Rooms& rooms, bool alone) {
    Dots d;
    d.of_room.assign(rooms.names.size(), 0);
    d.over_of_room.assign(rooms.names.size(), 0);
    std::vector<TexelError> errors;
    double mean = 0, square = 0, area = 0;
    for (const TexelLight& t : truth) {
        if (!t.exported || !t.valid) continue;
        const auto light = static_cast<double>(luminance(t.total)), here = static_cast<double>(t.area);
        mean += here * light;
        square += here * light * light;
        area += here;
    }
    // Of a group alone, of its mean as weighed by itself: most of a level may lie where a lamp hardly
    // reaches.
    const float black = dot_black * static_cast<float>(alone ? square / mean : mean / area);
    const std::vector<float> against = measure_of(atlas, texels, truth);
    for (std::size_t i = 0; i < ours.size(); ++i) {
        // Whether a texel counts as invalid or hidden, and where it then moved, is told by its links.
        if (!ours[i].exported || !ours[i].valid || !truth[i].exported || !truth[i].valid ||
            ours[i].position != truth[i].position || !(against[i] > black) || !seen[i])
            continue;
        ++d.texels;
        const Rgb apart = ours[i].total - truth[i].total;
        errors.push_back({static_cast<std::uint32_t>(i), squared(truth[i].total), squared(apart)});
        const std::uint32_t room = rooms.of_texel[i];
        if (room != none) ++d.of_room[room];
        const float off = std::abs(luminance(ours[i].total) - luminance(truth[i].total)) / against[i];
        for (int s = 0; s < 3; ++s) d.over[s] += off > dot_steps[s] ? 1 : 0;
        if (off > d.worst) {
            d.worst = off;
            d.where = ours[i].position;
        }
        if (!(off > dot_steps[1])) continue;
        ++d.by_surface[ours[i].surface];
        if (room != none) ++d.over_of_room[room];
        const float direct = std::abs(luminance(ours[i].sampled) - luminance(truth[i].sampled)) / against[i],
                    before = std::abs(luminance(rough[i].total - rough[i].sampled) -
                                      luminance(truth[i].total - truth[i].sampled)) /
                             against[i];
        ++(direct > 0.5f * off ? d.direct : before > 0.5f * off ? d.links : d.smoothing);
    }
    d.error = room_errors(rooms, texels.area, errors, 0, 256);
    return d;
}

/// The room with the largest share over the second step; and what it comes to.
std::string worst_room(const Rooms& rooms, const Dots& d) {
    constexpr std::size_t least = 256;
    std::size_t worst = none;
    const auto share = [&](std::size_t r) {
        return static_cast<double>(d.over_of_room[r]) / static_cast<double>(d.of_room[r]);
    };
    for (std::size_t r = 0; r < rooms.names.size(); ++r)
        if (d.of_room[r] >= least && (worst == none || share(r) > share(worst))) worst = r;
    if (worst == none) return "";
    return fmt::format("{} {:.3f} %", rooms.names[worst], 100 * share(worst));
}

/// Directly sampled light in place of what a converged bake has of it: the mean of bakes without bounces,
/// each with rays of its own, since one alone is sampled little more often than what it is to judge.
template <class LightsOf>
void sample_directly(Level level, LightsOf lights_of, std::vector<Lights>& truth) {
    constexpr int bakes = 5;
    Atlas atlas;
    level.quality.bounces = 0;
    for (Lights& set : truth)
        for (TexelLight& t : set) {
            t.total = t.total - t.sampled;
            t.sampled = {};
        }
    for (int k = 0; k < bakes; ++k) {
        level.quality.seed += 100;
        const std::vector<Lights> more = lights_of(level, {Denoise::off}, atlas)[0];
        for (std::size_t s = 0; s < truth.size(); ++s)
            for (std::size_t i = 0; i < truth[s].size(); ++i) {
                const Rgb share = more[s][i].sampled * (1.0f / bakes);
                truth[s][i].sampled += share;
                truth[s][i].total += share;
                truth[s][i].valid = truth[s][i].valid && truth[s][i].position == more[s][i].position;
            }
    }
}

/// The mean light of converged bakes with different rays.
template <class LightsOf>
std::vector<Lights> mean_of_bakes(Level level, LightsOf lights_of) {
    Atlas atlas;
    std::vector<Lights> mean = lights_of(level, {Denoise::off}, atlas)[0];
    const std::size_t bakes = std::clamp<std::size_t>(texels_of_all / mean[0].size(), 1, most_bakes);
    for (std::size_t k = 1; k < bakes; ++k) {
        level.quality.seed += 1;
        const std::vector<Lights> more = lights_of(level, {Denoise::off}, atlas)[0];
        for (std::size_t s = 0; s < mean.size(); ++s)
            for (std::size_t i = 0; i < mean[s].size(); ++i) {
                mean[s][i].total += more[s][i].total;
                mean[s][i].sampled += more[s][i].sampled;
                mean[s][i].exported = mean[s][i].exported && more[s][i].exported;
                mean[s][i].valid =
                    mean[s][i].valid && more[s][i].valid && mean[s][i].position == more[s][i].position;
            }
    }
    for (Lights& set : mean)
        for (TexelLight& t : set) {
            t.total = t.total * (1 / static_cast<float>(bakes));
            t.sampled = t.sampled * (1 / static_cast<float>(bakes));
        }
    sample_directly(level, lights_of, mean);
    return mean;
}

/// What a converged bake came to, from a file or from the bake, which then goes there.
std::vector<Lights> kept_truth(const std::string& file, std::size_t sets, std::size_t texels,
                               const std::function<std::vector<Lights>()>& bake_it) {
    std::vector<Lights> truth(sets, Lights(texels));
    const std::size_t bytes = texels * sizeof(TexelLight);
    if (std::error_code none_yet;
        !file.empty() && std::filesystem::file_size(file, none_yet) == sets * bytes) {
        std::ifstream in(file, std::ios::binary);
        for (Lights& set : truth)
            in.read(reinterpret_cast<char*>(set.data()), static_cast<std::streamsize>(bytes));
        if (in) return truth;
    }
    truth = bake_it();
    if (file.empty()) return truth;
    std::ofstream out(file, std::ios::binary);
    for (const Lights& set : truth)
        out.write(reinterpret_cast<const char*>(set.data()), static_cast<std::streamsize>(bytes));
    return truth;
}

/// One line of figures. `told`: what the bake said of noise, room by room.
void print_dots(const Level& level, const std::string& set, const Dots& d, const Rooms& rooms,
                const std::vector<RoomNoise>& told) {
    const auto share = [&](std::size_t n) {
        return fmt::format("{:.3f} %", 100.0 * static_cast<double>(n) / static_cast<double>(d.texels));
    };
    fmt::print("{:<24}{:>9} {:>8} {:>8} {:>8} {:>7.0f} % |            {:>6} {:>6} {:>6} |", set, d.texels,
               share(d.over[0]), share(d.over[1]), share(d.over[2]), 100 * d.worst, d.direct, d.links,
               d.smoothing);
    std::vector<std::pair<std::size_t, std::uint32_t>> most;
    for (const auto& [surface, n] : d.by_surface) most.emplace_back(n, surface);
    std::sort(most.rbegin(), most.rend());
    for (std::size_t k = 0; k < std::min<std::size_t>(3, most.size()); ++k)
        fmt::print(" {} {}", level.surfaces[most[k].second].name, most[k].first);
    fmt::print("; worst at {:.2f} {:.2f} {:.2f}; over 20 % in the worst room: {}", d.where.x, d.where.y,
               d.where.z, worst_room(rooms, d));
    for (const RoomNoise& r : told) {
        if (r.set != set) continue;
        const auto room = static_cast<std::size_t>(std::find(rooms.names.begin(), rooms.names.end(), r.room) -
                                                   rooms.names.begin());
        const auto noisiest = std::max_element(d.error.begin(), d.error.end());
        fmt::print("; said to have {:.1f} % noise: {}, has {:.1f} %; most: {}, {:.1f} %", 100 * r.noise,
                   r.room, 100 * d.error[room],
                   rooms.names[static_cast<std::size_t>(noisiest - d.error.begin())], 100 * *noisiest);
    }
    fmt::print("\n");
}

}  // namespace

/// Shares of texels that are off by over 10, 20 and 50 %, in every set and under every group alone; of those
/// over 20 % how many by directly sampled light, by links, and by smoothing alone; the surfaces that have
/// most of them. `file`: a sheet, or the name of one of test::dim_levels(). `kept`: where the converged bake
/// is kept from one run to the next, of the same level and density alone; empty: nowhere.
void bench_dots(const std::string& file, const std::string& tier, float density, const std::string& kept) {
    const std::vector<std::string> built = test::dim_levels();
    Level level =
        std::find(built.begin(), built.end(), file) != built.end() ? test::dim_level(file) : load_level(file);
    level.volumes.clear();
    level.hand_probes.clear();
    level.quality.tier = tier_called(tier);
    level.lightmap.density *= density;
    complete_level(level);
    const std::size_t own_sets = level.sets.size();
    add_layers(level);
    Job job;
    std::vector<RoomNoise> told;  // of the bake that is smoothed
    const auto lights_of = [&](const Level& l, std::vector<Denoise> ways, Atlas& atlas) {
        Baker baker(l, job);
        atlas = baker.atlas();
        std::vector<std::vector<Lights>> out;
        Level now = l;
        for (const Denoise way : ways) {
            now.quality.denoise = way;
            const Baked baked = baker.light(now, job);
            if (!baked.figures.rooms.empty()) told = baked.figures.rooms;
            std::vector<Lights>& sets = out.emplace_back();
            for (std::uint32_t s = 0; s < l.sets.size(); ++s) sets.push_back(baker.texels(s));
        }
        return out;
    };
    Atlas atlas;
    const auto ours = lights_of(level, {Denoise::automatic, Denoise::off}, atlas);
    Level best = level;
    best.quality.links = ours[0][0].size() < many_texels ? converged : converged_of_many;
    best.quality.noise = 0.004f;
    best.quality.seed += 1;  // what is judged must not err the same way
    const std::vector<Lights> truth = kept_truth(kept, level.sets.size(), ours[0][0].size(),
                                                 [&] { return mean_of_bakes(best, lights_of); });
    const TexelSet texels = place_texels(level, atlas, job);
    const std::vector<std::uint8_t> seen = find_seen(level, texels, job);
    TexelFlags shown;
    for (const TexelLight& t : ours[0][0]) shown.push_back(t.exported && t.valid);
    const Rooms rooms = find_rooms(level, texels, shown);
    fmt::print("{:<24}{:>9} {:>8} {:>8} {:>8} {:>9} | over 20 %: {:>6} {:>6} {:>6} | most on\n", "set",
               "texels", "over 10 %", "20 %", "50 %", "worst", "direct", "links", "smooth");
    for (std::size_t s = 0; s < level.sets.size(); ++s) {
        const Dots d =
            count_dots(atlas, texels, ours[0][s], ours[1][s], truth[s], seen, rooms, s >= own_sets);
        if (d.texels == 0) continue;
        print_dots(level, level.sets[s].name, d, rooms, told);
    }
}
