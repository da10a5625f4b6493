// Reflection probes in files: what the manifest says of them, maps, and pictures of maps.

#include <algorithm>
#include <cctype>
#include <cmath>

#include "base/hash.hpp"
#include "codec/images.hpp"
#include "results/result_parts.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

namespace {

Vec3 vec(const JsonNode& place) {
    if (!place) place.fail("is missing");
    float v[3];
    place.numbers(3, v);
    return {v[0], v[1], v[2]};
}

template <class T, std::size_t n>
T named(const JsonNode& place, const T (&all)[n]) {
    const std::string name = place.text("");
    for (const T v : all)
        if (name == to_text(v)) return v;
    place.fail("is no name that is known");
}

}  // namespace

std::string captures_key(const InputKeys& keys, std::size_t set) {
    Hasher h("captures");
    h.text(keys.sets[set].key);
    h.text(keys.probes);
    h.text(keys.reflections);
    return h.key();
}

Json reflections_json(const std::vector<ReflectionProbe>& probes) {
    Json list = Json::array();
    for (const ReflectionProbe& p : probes) {
        Json j = {{"name", p.name},
                  {"shape", to_text(p.shape)},
                  {"by", to_text(p.origin)},
                  {"middle", vec(p.middle)},
                  {"half", vec(p.half)},
                  {"axes", {vec(p.axes[0]), vec(p.axes[1]), vec(p.axes[2])}},
                  {"radius", p.radius},
                  {"blend", p.blend},
                  {"capture", vec(p.capture)},
                  {"parallax", p.parallax},
                  {"room_middle", vec(p.room_middle)},
                  {"room_half", vec(p.room_half)},
                  {"resolution", p.resolution},
                  {"near", p.near},
                  {"sky_beyond", p.sky_beyond},
                  {"sees", p.sees},
                  {"priority", p.priority}};
        list.push_back(std::move(j));
    }
    return list;
}

std::vector<ReflectionProbe> reflections_of(const JsonNode& list) {
    constexpr ReflectionShape shapes[] = {ReflectionShape::box, ReflectionShape::sphere,
                                          ReflectionShape::plane};
    constexpr ReflectionOrigin origins[] = {ReflectionOrigin::hand, ReflectionOrigin::rooms,
                                            ReflectionOrigin::water, ReflectionOrigin::ground};
    std::vector<ReflectionProbe> out;
    for (std::size_t i = 0; i < list.size(); ++i) {
        const JsonNode j = list[i];
        ReflectionProbe& p = out.emplace_back();
        p.name = j["name"].text("");
        p.shape = named(j["shape"], shapes);
        p.origin = named(j["by"], origins);
        p.middle = vec(j["middle"]);
        p.half = vec(j["half"]);
        if (j["axes"].size() != 3) j["axes"].fail("are not three");
        for (std::size_t a = 0; a < 3; ++a) p.axes[a] = vec(j["axes"][a]);
        p.capture = vec(j["capture"]);
        p.room_middle = vec(j["room_middle"]);
        p.room_half = vec(j["room_half"]);
        const auto number = [&](const char* key, float& to) {
            to = static_cast<float>(j[key].number(static_cast<double>(to)));
        };
        number("radius", p.radius);
        number("blend", p.blend);
        number("near", p.near);
        number("sky_beyond", p.sky_beyond);
        number("priority", p.priority);
        p.parallax = j["parallax"].flag(p.parallax);
        p.resolution = static_cast<int>(j["resolution"].count(256, 1024));
        p.sees = j["sees"].text("*");
    }
    return out;
}

std::vector<Rgb> unrolled(const CubeMap& map, int width) {
    const int height = width / 2;
    std::vector<Rgb> out;
    out.reserve(static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const float down = (static_cast<float>(y) + 0.5f) / static_cast<float>(height) * pi,
                        turn = ((static_cast<float>(x) + 0.5f) / static_cast<float>(width) - 0.5f) * 2 * pi;
            out.push_back(cube_light(
                map, {std::sin(down) * std::sin(turn), std::cos(down), -std::sin(down) * std::cos(turn)}));
        }
    return out;
}

namespace {

/// mirror-<name> for each probe: what no file system minds, and each once whatever case it is read in.
std::vector<std::string> mirror_names(const std::vector<ReflectionProbe>& probes) {
    std::vector<std::string> names, taken;
    for (const ReflectionProbe& p : probes) {
        std::string name = "mirror-";
        for (const unsigned char c : p.name.substr(0, 80))
            name += std::isalnum(c) || c == '-' || c == '.' || c >= 0x80 ? static_cast<char>(c) : '_';
        const auto lower = [](std::string text) {
            for (char& c : text) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
            return text;
        };
        std::string free = name;
        for (int n = 2; std::find(taken.begin(), taken.end(), lower(free)) != taken.end(); ++n)
            free = name + "-" + std::to_string(n);
        taken.push_back(lower(free));
        names.push_back(std::move(free));
    }
    return names;
}

}  // namespace

std::vector<ManifestMirror> write_mirrors(const std::filesystem::path& folder,
                                          const std::vector<ReflectionProbe>& probes, const BakedSet& set,
                                          const std::string& made_from) {
    std::vector<ManifestMirror> out;
    const std::vector<std::string> mirrors = mirror_names(probes);
    for (std::size_t i = 0; i < set.reflections.size(); ++i) {
        const ReflectionMap& map = set.reflections[i];
        const std::string name = set.name + "/" + mirrors[i];
        save_reflection(folder / (name + ".ktx2"), map);
        const int width = std::min(4 * map.levels[0].side, 2048);
        const std::vector<Rgb> picture = unrolled(map.levels[0], width);
        write_scaled_exr(folder / (name + ".exr"), {width, width / 2, image_exponent(picture)}, picture,
                         made_from);
        out.push_back({name + ".ktx2", name + ".exr"});
    }
    return out;
}

}  // namespace stasigraph
