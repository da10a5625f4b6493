#include "stasigraph/vary.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>

#include "stasigraph/bake_folder.hpp"
#include "stasigraph/changes.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/place.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

/// Of the camera's view of light on white, nit: lux over pi.
void measure(const Picture& light_on_white, TriedValue& t) {
    std::vector<float> light;
    double sum = 0;
    for (const Rgb c : light_on_white.pixels) {
        light.push_back(luminance(c) * pi);
        sum += static_cast<double>(light.back());
    }
    if (light.empty()) return;
    t.mean = sum / static_cast<double>(light.size());
    const auto at = [&](double share) {
        const auto k = static_cast<std::ptrdiff_t>(share * static_cast<double>(light.size() - 1));
        std::nth_element(light.begin(), light.begin() + k, light.end());
        return static_cast<double>(light[static_cast<std::size_t>(k)]);
    };
    t.dark = at(0.05);
    t.middle = at(0.5);
    t.bright = at(0.95);
}

/// Bakes one level after the other, with what they share.
class Trials {
public:
    Trials(const VaryRequest& request, Job& job)
        : request_(request),
          job_(job),
          folder_(request.folder.empty() ? default_output(request.level_file) : request.folder),
          store_(open_store(request.cache.empty() ? default_cache(request.level_file) : request.cache,
                            [&](const std::string& text) { job.note(text); })) {}

    TriedValue run(const std::string& value) {
        TriedValue t{.value = value, .picture = {}, .exposure = {}};
        const std::string& key = request_.key;
        std::vector<SheetChange> changes{{key, value}};
        if (request_.tier && key != "tier" && key != "quality.tier")
            changes.insert(changes.begin(), {"tier", tier_name(*request_.tier)});
        Level level = load_level(request_.level_file, changes);
        complete_level(level);
        const std::uint32_t wanted = set_index(level, request_.set);
        const Camera camera = camera_named(level, request_.camera);  // before long work
        const auto start = std::chrono::steady_clock::now();
        place(level);
        Baker& baker = baker_for(level);
        const std::vector<ReflectionProbe> mirrors =
            !request_.on_white ? place_reflections(level, job_, store_) : std::vector<ReflectionProbe>{};
        const Baked baked = light_and_capture(baker, level, {mirrors, {wanted}}, job_, store_).baked;
        t.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        t.traced = baked.figures.traced - std::exchange(traced_, baked.figures.traced);
        t.layers_made = baked.figures.layers_made;
        t.layers = baked.figures.layers;
        t.noise = baked.figures.noise_left();
        const Level shown = as_in_set(level, wanted);
        t.picture = view(
            {shown, baker.atlas()},
            {&baked.sets[0], &baked.probes, &baked.visibility, &baked.occlusion, &baked.reflections}, camera,
            {.width = request_.width,
             .height = request_.height,
             .show = request_.on_white ? Show::light : Show::lit},
            job_);
        measure(view({shown, baker.atlas()},
                     {&baked.sets[0], &baked.probes, &baked.visibility, &baked.occlusion, {}}, camera,
                     {.width = 160, .height = 100, .samples = 1, .show = Show::light}, job_),
                t);
        t.exposure = level.sets[wanted].exposure;
        return t;
    }

private:
    /// As a bake does it: where probes were placed for these settings they stand there, else they are placed.
    void place(Level& level) {
        if (!has_probes(level)) return;
        level.placed = load_places(folder_, level);
        if (!level.placed) level.placed = place_probes(level, job_, store_).places;
    }

    /// The last one, where the level differs in light alone; else a new one.
    Baker& baker_for(const Level& level) {
        const InputKeys keys = inputs_of(level).keys;
        const std::string unlit = keys.unlit + keys.probes;
        if (!bakers_.empty() && unlit == unlit_ && level.quality.tier == bakers_[0].level().quality.tier &&
            level.quality.links == bakers_[0].level().quality.links)
            return bakers_[0];
        const Atlas earlier = earlier_atlas(level, atlas_folders(request_.level_file, folder_), job_);
        bakers_.clear();
        bakers_.emplace_back(level, job_, earlier.surfaces.empty() ? nullptr : &earlier, store_);
        unlit_ = unlit;
        traced_ = 0;
        return bakers_[0];
    }

    const VaryRequest& request_;
    Job& job_;
    const fs::path folder_;
    BakeStore store_;
    std::vector<Baker> bakers_;
    std::string unlit_;
    std::size_t traced_ = 0;
};

}  // namespace

std::vector<TriedValue> vary(const VaryRequest& request, Job& job) {
    Trials trials(request, job);
    std::vector<TriedValue> tried;
    for (const std::string& value : request.values) tried.push_back(trials.run(value));
    return tried;
}

}  // namespace stasigraph
