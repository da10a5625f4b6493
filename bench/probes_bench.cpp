// Probes: how many are kept and how well they tell light, what placing, baking and retuning them takes, and
// how fast a game looks them up.

#include <fmt/core.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <functional>
#include <map>

#include "bake/probe_layers.hpp"
#include "bench_folder.hpp"
#include "bench_time.hpp"
#include "bench_walk.hpp"
#include "codec/files.hpp"
#include "probe/net.hpp"
#include "results/result_parts.hpp"
#include "runtime/net_lookup.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/runtime.hpp"
#include "stasigraph/stasigraph.hpp"

using namespace stasigraph;

namespace {

std::size_t sum(const std::size_t* counts) {
    std::size_t all = 0;
    for (int r = 0; r < probe_rules; ++r) all += counts[r];
    return all;
}

Level dense(const char* file, float spacing, float tolerance) {
    Level level = load_level(file);
    for (Volume& v : level.volumes) v.spacing = spacing;
    level.probes.tolerance = tolerance;
    return level;
}

void placing(const char* file, const BakeStore& store) {
    for (const float spacing : {1.0f, 0.6f}) {
        const Level level = dense(file, spacing, 0.1f);
        Job job;
        PlacedProbes p;
        const double seconds = time_of([&] { p = place_probes(level, job, store); });
        const std::size_t candidates = sum(p.figures.candidates);
        fmt::print(
            "placing every {:.1f} m, 10 %      {} candidates, {} kept ({:.1f} %); error {:.1f} % at the 95th "
            "percentile, {:.0f} % at worst; thinned in {:.1f} s, {:.1f} s in all\n",
            spacing, candidates, p.places.size(),
            100.0 * static_cast<double>(p.places.size()) / static_cast<double>(candidates),
            100 * p.figures.error_95, 100 * p.figures.worst_error, p.figures.thin_seconds, seconds);
    }
}

/// As many probes as asked for, spread over what the rules come up with.
std::vector<ProbePlace> some_places(const char* file, std::size_t count, float spacing) {
    Level level = dense(file, spacing, 0);
    Job job;
    const std::vector<ProbePlace> all = place_probes(level, job).places;
    std::vector<ProbePlace> out;
    for (std::size_t i = 0; i < std::min(count, all.size()); ++i)
        out.push_back(all[i * all.size() / std::min(count, all.size())]);
    return out;
}

/// The probes of a level whose texels are baked already: links, direct light, and what texels send them.
void baking(const char* file, const BakeStore& store) {
    Level level = load_level(file);
    const std::vector<ProbePlace> places = some_places(file, 5000, 0.9f);
    level.placed = std::vector<ProbePlace>{};
    Job job;
    Atlas atlas;
    const double texels = time_of([&] { bake(level, atlas, job, store); });
    level.placed = places;
    Job again;
    std::optional<Baker> baker;
    Baked baked;
    const double probes = time_of([&] {
        baker.emplace(level, again, &atlas, store);
        baked = baker->light(level, again);
    });
    const double whole = probes;
    double rest = 0;
    for (const Job::StageTime& t : again.times()) {
        fmt::print("    {} {:.2f} s", t.name, t.seconds);
        if (t.name == "unwrap" || t.name == "pack" || t.name == "finish" || t.name == "links")
            rest += t.seconds;
    }
    fmt::print(
        "\n{} probes at proof           {:.1f} s beside texels that are there ({:.1f} s of it are pages and "
        "packing); "
        "texels took {:.1f} s\n",
        baked.probes.size(), whole, rest, texels);
    // A retune: the sun's colour, which is a mix.
    Level warm = level;
    for (Light& l : warm.lights)
        if (l.kind == LightKind::sun) l.color = l.color * Rgb{1, 0.6f, 0.4f};
    Job retuned;
    const double retune = time_of([&] { baked = baker->light(warm, retuned); });
    // Of that, the probes alone: nine coefficients of each group, for each set.
    std::vector<Layer> layers(level.groups.size());
    for (Layer& l : layers) l.probes = baked.sets[0].probes;
    const double mix = time_of([&] { mix_probes(level, layers, baked.probes.size()); });
    fmt::print("their retune by colour         {:.3f} s; {:.2f} s with the pages of all sets\n", mix, retune);
}

/// A walk in which light at a normal is asked for as well, with lamps and without.
void light_lookups(const Baked& baked, const std::vector<Vec3>& walk) {
    std::vector<ProbeFileSet> sets;
    for (const BakedSet& set : baked.sets) sets.push_back({set, ""});
    const Bytes bytes = pack_probes(baked.probes, sets);
    runtime::Probes probes;
    if (probes.load(bytes.data(), bytes.size()) != runtime::Status::ok) return;
    const auto n = static_cast<double>(walk.size());
    for (std::uint32_t s = 0; s < probes.set_count(); ++s) {
        const ProbeLamps& lamps = baked.sets[s].lamps;
        double check = 0;
        const auto seconds = [&](bool apart) {
            return time_of([&] {
                std::uint32_t hint = none;
                for (const Vec3 p : walk) {
                    runtime::Weights w = probes.weights({p.x, p.y, p.z}, hint);
                    w.placed = apart;
                    check += static_cast<double>(probes.irradiance(s, w, {0, 0.8f, 0.6f}).g);
                }
            });
        };
        const double plain = seconds(false), apart = seconds(true);
        fmt::print(
            "  and light, {:<12} {:.1f} million/s by coefficients alone, {:.1f} million/s with lamps ({} of "
            "them, "
            "{:.1f} a probe: {:.0f} bytes beside 108) ({:.0f})\n",
            baked.sets[s].name, n / plain / 1e6, n / apart / 1e6, lamps.lamp.size(),
            static_cast<double>(lamps.entry.size()) / static_cast<double>(baked.probes.size()),
            4 + 4 * static_cast<double>(lamps.entry.size()) / static_cast<double>(baked.probes.size()),
            check);
    }
}

/// A real net with its distance maps, at glance: walks through it, and places all over it.
void lookups(const char* file, const BakeStore& store) {
    Level level = load_level(file);
    level.quality.tier = Tier::glance;
    level.placed = some_places(file, 10000, 0.75f);
    Job job;
    Atlas atlas;
    const Baked baked = bake(level, atlas, job, store, {0, 1});
    const ProbeNet& net = baked.probes;
    // As the runtime looks up.
    runtime::NetView view = view_of(net);
    std::vector<std::uint32_t> starts(runtime::most_starts);
    runtime::lay_grid(view, starts.data());
    constexpr int walks = 2000, steps = 500;
    std::uint32_t state = 7;
    const auto number = [&] {
        state = state * 1664525u + 1013904223u;
        return static_cast<float>(state >> 8) / 16777216.0f;
    };
    const auto probe = [&] {
        return static_cast<std::size_t>(number() * static_cast<float>(net.size() - 1));
    };
    double check = 0;
    const auto look = [&](Vec3 p, std::uint32_t& hint) {
        check += static_cast<double>(runtime::net_weights(view, {p.x, p.y, p.z}, hint).weight[0]);
    };
    const double moving = time_of([&] {
        for (int w = 0; w < walks; ++w) {
            const Vec3 start = net.position[probe()];
            const Vec3 way = normalize({number() - 0.5f, (number() - 0.5f) * 0.2f, number() - 0.5f});
            std::uint32_t hint = none;
            for (int s = 0; s < steps; ++s) look(start + way * (0.02f * static_cast<float>(s)), hint);
        }
    });
    const std::vector<Vec3> walk = free_walk(net, 1000000);
    const double free = time_of([&] {
        std::uint32_t hint = none;
        for (const Vec3 p : walk) look(p, hint);
    });
    // Halfway between any two probes, each far from the last.
    constexpr int places = 200000;
    std::uint32_t hint = none;
    const double jumping = time_of([&] {
        for (int i = 0; i < places; ++i) look((net.position[probe()] + net.position[probe()]) * 0.5f, hint);
    });
    fmt::print(
        "lookups, {} probes, one core  {:.1f} million/s from probe to probe by 2 cm, {:.1f} million/s "
        "straight "
        "through walls and out of the net, {:.2f} million/s all over ({:.3f})\n",
        net.size(), static_cast<double>(walk.size()) / free / 1e6, walks * steps / moving / 1e6,
        places / jumping / 1e6, check);
    light_lookups(baked, walk);
}

}  // namespace

void bench_probes(const char* file) {
    const TemporaryFolder folder;
    const BakeStore store = open_store(folder.path, [](const std::string&) {});
    lookups(file, store);
    placing(file, store);
    baking(file, store);
}

void bench_lookups(const char* file) {
    const TemporaryFolder folder;
    lookups(file, open_store(folder.path, [](const std::string&) {}));
}
