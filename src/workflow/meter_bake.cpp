// A light meter held into a bake: at points, and along a walk.

#include <algorithm>

#include "codec/files.hpp"
#include "codec/json_node.hpp"
#include "stasigraph/baked_level.hpp"
#include "stasigraph/error.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

Vec3 json_vector(const Json& entry, const char* key, const std::string& where) {
    const auto bad = [&] {
        return Error{.what = std::string(key) + " is not three finite numbers",
                     .where = where,
                     .value = entry.dump(),
                     .remedy = "Write {\"at\": [x, y, z], \"facing\": [x, y, z]}."};
    };
    if (!entry.is_object() || !entry.contains(key) || !entry[key].is_array() || entry[key].size() != 3)
        throw bad();
    float v[3];
    for (std::size_t i = 0; i < 3; ++i) {
        if (!entry[key][i].is_number()) throw bad();
        v[i] = entry[key][i].get<float>();
    }
    if (!is_finite(Vec3{v[0], v[1], v[2]})) throw bad();
    return {v[0], v[1], v[2]};
}

}  // namespace

void check_facing(Vec3 facing, const std::string& where) {
    if (!(length(facing) > 0))
        throw Error{.what = "facing has no direction",
                    .where = where,
                    .value = "0,0,0",
                    .remedy = "Give a direction such as 0,1,0."};
}

std::vector<MeterPoint> read_meter_points(const fs::path& file) {
    const Bytes bytes = read_file(file);
    Json list;
    try {
        list = Json::parse(bytes.begin(), bytes.end());
    } catch (const Json::exception& e) {
        throw Error{.what = "is not valid JSON", .where = file.string(), .value = e.what(), .remedy = ""};
    }
    if (!list.is_array())
        throw Error{.what = "is not an array of points",
                    .where = file.string(),
                    .value = "",
                    .remedy = "Write [{\"at\": [x, y, z]}, ...]."};
    std::vector<MeterPoint> points;
    for (std::size_t i = 0; i < list.size(); ++i) {
        const std::string where = file.string() + ": point " + std::to_string(i);
        MeterPoint p{.at = json_vector(list[i], "at", where), .facing = {}};
        if (list[i].contains("facing") && !list[i]["facing"].is_null()) {
            p.facing = json_vector(list[i], "facing", where);
            check_facing(*p.facing, where);
        }
        points.push_back(p);
    }
    return points;
}

std::vector<MeterReading> meter_bake(const BakedLevel& b, const MeterRequest& request, Job& job) {
    if (request.from_probes) return meter_probes(b.bake.probes, b.bake.sets[0], request.points);
    return meter_lightmap({b.level, b.bake.atlas}, b.bake.sets[0], request.points, request.reach, job);
}

std::string live_lights(const Level& level, const std::string& set) {
    constexpr int most_names = 6;
    std::string names;
    int count = 0;
    const BakeSet& s = level.sets[set_index(level, set)];
    for (const Light& light : level.lights)
        if (light.role != BakeRole::whole && max_channel(light.color * s.gain(light.group)) > 0 &&
            ++count <= most_names)
            names += (names.empty() ? "" : ", ") + light.name;
    return count > most_names ? names + " and " + std::to_string(count - most_names) + " more" : names;
}

MeteredWalk walk_bake(const BakedLevel& b, const std::vector<Vec3>& path, const WalkOptions& settings,
                      Job& job) {
    MeteredWalk walk{.set = b.bake.sets[0].name};
    const Level shown = as_in_set(b.level, set_index(b.level, walk.set));
    walk.steps =
        walk_probes({shown, b.bake.atlas}, {&b.bake.sets[0], &b.bake.probes, &b.bake.visibility, nullptr},
                    path, settings, job);
    job.finish();
    walk.length = walk.steps.back().distance;
    std::vector<float> errors;
    for (std::size_t i = 0; i < walk.steps.size(); ++i) {
        errors.push_back(walk.steps[i].error);
        if (walk.steps[i].jump) walk.jumps.push_back(i);
    }
    walk.error_worst = *std::max_element(errors.begin(), errors.end());
    const auto at = errors.begin() + static_cast<std::ptrdiff_t>((errors.size() - 1) * 95 / 100);
    std::nth_element(errors.begin(), at, errors.end());
    walk.error_95 = *at;
    return walk;
}

}  // namespace stasigraph
