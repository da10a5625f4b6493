#include "bake/costs.hpp"

#include <algorithm>

#include "bake/look_again.hpp"
#include "bake/room_noise.hpp"
#include "level/volume_rules.hpp"

namespace stasigraph {

namespace {

constexpr double bytes_a_texel = 380, bytes_a_group = 280;

// Seconds.
constexpr double ray = 0.24e-6, probe_ray = 0.8e-6;
/// For each even link of a probe and each group: guides and what they and all links bring.
constexpr double probe_light = 0.12e-6;
constexpr double texel = 3.2e-6;  ///< Where it lies, what is beside it, whether it is invalid.
constexpr double pack_texel = 1.9e-6, pack_surface = 6e-3;
/// For each texel and group.
constexpr double glance = 1.75e-6, light_sample = 0.3e-6, noise = 2.2e-6, guide = 2.4e-6, bounces = 2.2e-6,
                 smooth = 0.9e-6, smooth_link = 0.007e-6, second_look = 0.75e-6, page = 0.25e-6;
/// Rows of each texel at which the noise that is left is checked, and for each of their links and groups.
constexpr double noise_rows = 8, gathered = 0.03e-6;
/// Of texels those that are not invalid, whose rows go on after they were judged.
constexpr double open_share = 0.82;
/// Of direct light and of further links what an edit of one thing leaves to be done.
constexpr double edited_direct = 0.12, edited_links = 0.1;
/// Of the links that rows could grow by, as many they do grow by in a level of many lights.
constexpr double growth = 0.67;

/// Of a place that a probe might have.
constexpr double place_cell = 3e-4;

/// Of a texel of a reflection probe's capture.
constexpr double lit_sample = 0.4e-6, filter_look = 2.2e-9;

double area_of(const Level& level) {
    double sum = 0;
    for (const Surface& s : level.surfaces) {
        if (s.part == Part::moving || s.lit_by != LitBy::lightmap) continue;
        const Mesh& m = level.meshes[s.mesh];
        const auto at = [&](std::size_t i) { return transform_point(s.to_world, m.positions[m.indices[i]]); };
        double area = 0;
        for (std::size_t t = 0; t < m.triangle_count(); ++t)
            area += 0.5 *
                    static_cast<double>(length(cross(at(3 * t + 1) - at(3 * t), at(3 * t + 2) - at(3 * t))));
        const auto density = static_cast<double>(s.density * level.lightmap.density);
        sum += area * density * density;
    }
    return sum;
}

struct Costs {
    double texels, groups;
    TierOptions tier;
    double judged() const { return std::min(tier.first_links, links_that_judge); }
    double links() const {
        return texels * (texel + ray * (judged() + open_share * (tier.first_links - judged())));
    }
    double direct() const { return texels * groups * (glance + light_sample * tier.light_samples); }
    double more() const { return texels * growth * (tier.most_links - tier.first_links) * ray; }
    double guided() const { return tier.most_links > tier.first_links ? texels * groups * guide : 0; }
    double looked_again(const BakeOptions& quality) const {
        return looks_again(quality, static_cast<std::uint32_t>(tier.first_links))
                   ? texels * groups * second_look
                   : 0;
    }
    double checked(const BakeOptions& quality) const {
        return quality.bounces ? 0
                               : std::min(texels, static_cast<double>(most_checked)) * noise_rows *
                                     tier.first_links * (ray + groups * gathered);
    }
    double asked() const { return tier.most_links > tier.first_links ? texels * groups * noise : 0; }
    double denoised() const { return texels * groups * (smooth + smooth_link * tier.most_links); }
};

/// How many probes would fill the volumes.
double cells_of(const Level& level) {
    double cells = 0;
    for (const Volume& v : level.volumes) {
        const auto [low, high] = bounds_of(v);
        const Vec3 size = (high - low) * (1 / v.spacing);
        cells += static_cast<double>(size.x) * static_cast<double>(size.y) * static_cast<double>(size.z);
    }
    return cells;
}

/// Finding places takes its time by the cell; judging them by light takes the links and the direct light of a
/// bake at the lowest tier.
double placing_cost(const Level& level) {
    double cost = place_cell * cells_of(level);
    if (asks_for_light(level)) {
        BakeOptions quick = level.quality;
        quick.tier = Tier::glance;
        const TierOptions tier = tier_options(quick);
        const auto scale = static_cast<double>(tier.density_scale);
        const Costs c{area_of(level) * scale * scale, static_cast<double>(level.groups.size()), tier};
        cost += c.links() + c.direct();
    }
    return cost;
}

}  // namespace

double capture_cost(double probes, int resolution, Tier tier) {
    const double texels = 6.0 * resolution * resolution, samples = tier == Tier::glance  ? 1
                                                                   : tier == Tier::proof ? 4
                                                                                         : 9;
    return probes * texels * (lit_sample * samples + filter_look * (tier == Tier::glance ? 107 : 427));
}

std::vector<PlannedStage> plan_of(const Level& level) {
    const TierOptions tier = tier_options(level.quality);
    const double scale = static_cast<double>(tier.density_scale);
    const Costs c{area_of(level) * scale * scale, static_cast<double>(level.groups.size()), tier};
    // What rules will find is not known yet: about as many as there are rooms in a house.
    constexpr double found = 8;
    double captured = 0;
    for (const ReflectionProbe& p : level.reflections)
        captured += capture_cost(1, p.resolution, level.quality.tier);
    for (const ReflectionRule& r : level.reflection_rules)
        captured += capture_cost(r.everywhere ? 1 : found, r.resolution, level.quality.tier);
    const double reflections = captured * c.groups;
    std::vector<PlannedStage> plan{
        {Stage::place_probes, level.placed ? 0 : placing_cost(level)},
        {Stage::reflection_places, has_reflections(level) ? place_cell * cells_of(level) : 0},
        {Stage::sight, 0.1e-6 * c.texels},
        {Stage::unwrap, 0.2e-6 * c.texels},
        {Stage::pack, pack_texel * c.texels + pack_surface * static_cast<double>(level.surfaces.size())},
        {Stage::texels, 0.3e-6 * c.texels},
        {Stage::links, c.links()},
        {Stage::probe_links, 0},
        {Stage::direct_light, c.direct()},
        {Stage::noise, c.asked()},
        {Stage::guided_links, c.guided()},
        {Stage::more_links, c.more()},
        {Stage::bounces, bounces * c.texels * c.groups},
        {Stage::denoise, level.quality.denoise == Denoise::automatic ? c.denoised() : 0},
        {Stage::second_look, c.looked_again(level.quality)},
        {Stage::noise_left, c.checked(level.quality)},
        {Stage::probes, 0},
        {Stage::pages, page * c.texels * c.groups},
        {Stage::occlusion, level.occlusion.reach > 0 ? c.texels * tier.occlusion_rays * ray : 0},
        {Stage::finish, 0.4e-6 * c.texels},
        {Stage::reflections, reflections}};
    return plan;
}

namespace {

double links_of_probes(const UnlitLevel& unlit) {
    return unlit.level.placed ? static_cast<double>(unlit.level.placed->size()) * unlit.tier.probe_links : 0;
}

}  // namespace

void expect_unlit(const UnlitLevel& unlit, bool kept, Job& job) {
    const Costs c{static_cast<double>(unlit.texels.size()), static_cast<double>(unlit.level.groups.size()),
                  unlit.tier};
    // These are over, whatever they took: it depends on how many charts were kept.
    for (const Job::StageTime& t : std::vector<Job::StageTime>(job.times()))
        for (const Stage stage : {Stage::unwrap, Stage::pack})
            if (t.name == stage_name(stage)) job.expect(stage, t.seconds);
    job.expect(Stage::links, kept ? 0.5e-6 * c.texels : c.links());
    job.expect(Stage::probe_links, kept ? 0 : links_of_probes(unlit) * probe_ray);
    expect_layers(unlit, unlit.level, unlit.level.groups.size(), job);
}

void expect_layers(const UnlitLevel& unlit, const Level& lit, std::size_t groups, Job& job) {
    const Costs c{static_cast<double>(unlit.texels.size()), static_cast<double>(groups), unlit.tier};
    job.expect(Stage::direct_light, unlit.edit ? edited_direct * c.direct() : c.direct());
    job.expect(Stage::noise, c.asked());
    job.expect(Stage::guided_links, c.guided());
    job.expect(Stage::more_links, groups == 0 ? 0 : unlit.edit ? edited_links * c.more() : c.more());
    job.expect(Stage::bounces, bounces * c.texels * c.groups);
    job.expect(Stage::denoise, lit.quality.denoise == Denoise::automatic ? c.denoised() : 0);
    job.expect(Stage::second_look, c.looked_again(lit.quality));
    job.expect(Stage::noise_left, c.checked(lit.quality));
    job.expect(Stage::probes, links_of_probes(unlit) * c.groups * probe_light);
    job.expect(Stage::pages, page * c.texels * c.groups);
}

void expect_direct(const UnlitLevel& unlit, double seconds_a_row, Job& job) {
    const double share = unlit.edit ? edited_direct : 1;
    job.expect(Stage::direct_light,
               share * seconds_a_row * static_cast<double>(unlit.texels.size()) / job.pace());
}

double bake_memory(double texels, double groups) {
    return texels * (bytes_a_texel + bytes_a_group * groups);
}

double cost_of_links(const UnlitLevel& unlit, const std::vector<std::uint32_t>& lengths) {
    double missing = 0;
    for (std::size_t i = 0; i < lengths.size(); ++i)
        if (unlit.judged.is_valid(i) && lengths[i] > unlit.links.length(i))
            missing += lengths[i] - unlit.links.length(i);
    return missing * ray + 0.3e-9 * static_cast<double>(unlit.links.count());
}

}  // namespace stasigraph
