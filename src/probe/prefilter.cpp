// What rough surfaces mirror of a capture.

#include <algorithm>
#include <array>
#include <cmath>

#include "probe/cube_map.hpp"
#include "stasigraph/reflect.hpp"

namespace stasigraph {

namespace {

/// With half as many, narrow lobes are as close as wide ones.
constexpr float narrow = 0.3f;
constexpr std::size_t texels_per_task = 128;
constexpr int least_side = 4;

/// Point i of n in the unit square, evenly along x, and along y by the golden ratio: on a disc a spiral
/// without arms.
struct Pair {
    float x, y;
};
Pair spiral(std::uint32_t i, std::uint32_t n) {
    const double turn = i * 0.6180339887498949;
    return {(static_cast<float>(i) + 0.5f) / static_cast<float>(n),
            static_cast<float>(turn - std::floor(turn))};
}

/// A light direction around the mirrored one, which is also the normal and the view.
struct MapSample {
    Vec3 way;      ///< With the normal along +Z.
    float weight;  ///< The cosine between them; all sum to 1.
    float detail;  ///< Level of the capture's halves to look in.
};

/// GGX normals h with density D(h) cos h, so that directions l = 2 (n h) h - n come with density D(h) / 4.
/// Of N of them, each stands for a solid angle of 4 / (N D): as wide a texel is looked up.
std::vector<MapSample> samples_of(float roughness, int side, std::uint32_t normals) {
    const float alpha = roughness * roughness, square = alpha * alpha;
    const float texel = 4 * pi / (6 * static_cast<float>(side) * static_cast<float>(side));
    std::vector<MapSample> samples;
    float sum = 0;
    for (std::uint32_t i = 0; i < normals; ++i) {
        const Pair p = spiral(i, normals);
        const float cos2 = (1 - p.x) / (1 + (square - 1) * p.x);
        const float across = 2 * cos2 - 1;
        if (!(across > 0)) continue;
        const float c = cos2 * (square - 1) + 1, density = square / (pi * c * c) / 4;
        const float wide = 1 / (static_cast<float>(normals) * density);
        const float turn = 2 * pi * p.y, flat = std::sqrt(std::max(0.0f, 1 - across * across));
        samples.push_back({{flat * std::cos(turn), flat * std::sin(turn), across},
                           across,
                           std::max(0.0f, 0.5f * std::log2(wide / texel))});
        sum += across;
    }
    for (MapSample& l : samples) l.weight /= sum;
    return samples;
}

/// What of a capture is much brighter than its mean: few samples would meet it, by chance. Texels as lights,
/// array by array: directions, and radiance times solid angle.
struct Bright {
    std::vector<float> x, y, z, r, g, b;
};

/// Of radiance over three times the mean of a map's brightest channel.
constexpr float bright_share = 3;
void take_bright(CubeMap& map, CubeMap& bright) {
    double sum = 0;
    for (const Rgb c : map.texels) sum += static_cast<double>(max_channel(c));
    const auto most = static_cast<float>(sum / static_cast<double>(map.texels.size())) * bright_share;
    bright = {map.side, std::vector<Rgb>(map.texels.size())};
    for (std::size_t i = 0; i < map.texels.size(); ++i) {
        Rgb& c = map.texels[i];
        if (!(max_channel(c) > most)) continue;
        const Rgb left = c * (most / max_channel(c));
        bright.texels[i] = c - left;
        c = left;
    }
}

Bright lights_of(const CubeMap& map) {
    Bright out;
    const auto at = [&](int i) { return (2 * static_cast<float>(i) + 1) / static_cast<float>(map.side) - 1; };
    const float texel = 4 / (static_cast<float>(map.side) * static_cast<float>(map.side));
    for (int face = 0; face < 6; ++face)
        for (int y = 0; y < map.side; ++y)
            for (int x = 0; x < map.side; ++x) {
                const Rgb c = map.texels[texel_number(map.side, face, x, y)];
                if (!(max_channel(c) > 0)) continue;
                const float u = at(x), v = at(y), d = 1 + u * u + v * v, angle = texel / (d * std::sqrt(d));
                const Vec3 w = normalize(face_direction(face, u, v));
                out.x.push_back(w.x);
                out.y.push_back(w.y);
                out.z.push_back(w.z);
                out.r.push_back(c.r * angle);
                out.g.push_back(c.g * angle);
                out.b.push_back(c.b * angle);
            }
    return out;
}

/// The mean cosine between a mirrored direction and those that normals of GGX lead to: what is below counts
/// as 0.
float mean_cosine(float square) {
    constexpr int count = 4096;
    double sum = 0;
    for (int i = 0; i < count; ++i) {
        const double x = (i + 0.5) / count, cos2 = (1 - x) / (1 + (static_cast<double>(square) - 1) * x);
        sum += std::max(2 * cos2 - 1, 0.0);
    }
    return static_cast<float>(sum / count);
}

/// Up to eight captures at every width, ready to be looked up, without what is much brighter than the rest.
struct Source {
    std::vector<FramedCubes> halves;
    std::vector<std::vector<Bright>> bright;  ///< Of each map, at the same widths.
    std::size_t maps;
    int side;
    explicit Source(std::vector<CubeMap> now) : bright(now.size()), maps(now.size()), side(now[0].side) {
        for (std::size_t m = 0; m < maps; ++m) {
            CubeMap over;
            take_bright(now[m], over);
            for (; over.side > 1; over = halved(over)) bright[m].push_back(lights_of(over));
        }
        halves.emplace_back(now);
        while (now[0].side > 1) {
            for (CubeMap& m : now) m = halved(m);
            halves.emplace_back(now);
        }
    }
};

/// Directions by axis, and what is summed for each by channel.
struct LobeSums {
    const float *x, *y, *z;
    float *r, *g, *b;
};

/// Adds what a map's brightest texels give, each by GGX's density.
void add_bright(const Bright& lights, float square, float scale, std::size_t count, const LobeSums& sums) {
    const auto [x, y, z, r, g, b] = sums;
    for (std::size_t i = 0; i < lights.x.size(); ++i) {
        const float lx = lights.x[i], ly = lights.y[i], lz = lights.z[i], lr = lights.r[i] * scale,
                    lg = lights.g[i] * scale, lb = lights.b[i] * scale;
        for (std::size_t t = 0; t < count; ++t) {
            const float c = std::max(x[t] * lx + y[t] * ly + z[t] * lz, 0.0f),
                        d = (1 + c) * 0.5f * (square - 1) + 1, w = c / (d * d);
            r[t] += w * lr;
            g[t] += w * lg;
            b[t] += w * lb;
        }
    }
}

std::vector<CubeMap> filtered(const Source& source, float roughness, int side, std::uint32_t normals,
                              Job& job) {
    const std::size_t face = static_cast<std::size_t>(side) * static_cast<std::size_t>(side);
    std::vector<CubeMap> out(source.maps, CubeMap{side, std::vector<Rgb>(6 * face)});
    struct Ready {
        Vec3 way;
        float weight;
        const FramedCubes* from;
    };
    std::vector<Ready> samples;
    const auto last = static_cast<float>(source.halves.size() - 1);
    for (const MapSample& l : samples_of(roughness, source.side, roughness < narrow ? normals / 2 : normals))
        samples.push_back(
            {l.way, l.weight, &source.halves[static_cast<std::size_t>(std::min(l.detail, last) + 0.5f)]});
    // Of GGX's density over 4, so that all directions sum to 1 as the samples do.
    const float square = std::pow(roughness, 4.0f), scale = square / (4 * pi) / mean_cosine(square);
    // As fine as the lobe is narrow: 18 texels a face over alpha. With 9 the worst texel of a real capture
    // was 1.4 % off, with 4.4 it was 4 %.
    std::size_t fine = 0;
    while (fine + 1 < source.bright[0].size() && source.side >> (fine + 1) >= 32 &&
           static_cast<float>(source.side >> (fine + 1)) * roughness * roughness >= 18.0f)
        ++fine;
    job.parallel(6 * face, texels_per_task, [&](std::size_t begin, std::size_t end) {
        constexpr std::size_t lanes = FramedCubes::lanes;
        std::array<Vec3, texels_per_task> right, up, way;
        std::array<float, texels_per_task * lanes> sum{};
        const std::size_t count = end - begin;
        for (std::size_t t = 0; t < count; ++t) {
            const auto in_face = static_cast<int>((begin + t) % face);
            const Frame frame(cube_direction(side, static_cast<int>((begin + t) / face),
                                             static_cast<float>(in_face % side) + 0.5f,
                                             static_cast<float>(in_face / side) + 0.5f));
            right[t] = frame.tangent;
            up[t] = frame.bitangent;
            way[t] = frame.normal;
        }
        // Sample by sample: texels side by side look at texels side by side.
        for (const Ready& l : samples)
            for (std::size_t t = 0; t < count; ++t)
                l.from->add(right[t] * l.way.x + up[t] * l.way.y + way[t] * l.way.z, l.weight,
                            &sum[t * lanes]);
        std::array<float, texels_per_task> x, y, z;
        for (std::size_t t = 0; t < count; ++t) {
            x[t] = way[t].x;
            y[t] = way[t].y;
            z[t] = way[t].z;
        }
        for (std::size_t m = 0; m < source.maps; ++m) {
            std::array<float, texels_per_task> r{}, g{}, b{};
            add_bright(source.bright[m][fine], square, scale, count,
                       {x.data(), y.data(), z.data(), r.data(), g.data(), b.data()});
            for (std::size_t t = 0; t < count; ++t) {
                const float* s = &sum[t * lanes + 3 * m];
                out[m].texels[begin + t] = {s[0] + r[t], s[1] + g[t], s[2] + b[t]};
            }
        }
    });
    return out;
}

constexpr int table_side = 32;
using MirrorTable = std::array<EnvironmentBrdf, static_cast<std::size_t>(table_side) * table_side>;

/// Smith's shadowing of one direction over its cosine, for GGX (Walter et al. 2007, equation 34).
float lambda_part(float cosine, float square) {
    return 2 / (cosine + std::sqrt(square + (1 - square) * cosine * cosine));
}

EnvironmentBrdf summed(float cosine, float roughness) {
    constexpr std::uint32_t count = 256;
    const float alpha = roughness * roughness, square = alpha * alpha;
    const Vec3 view{std::sqrt(1 - cosine * cosine), 0, cosine};
    EnvironmentBrdf m{0, 0};
    for (std::uint32_t i = 0; i < count; ++i) {
        const Pair p = spiral(i, count);
        const float cos2 = (1 - p.x) / (1 + (square - 1) * p.x), up = std::sqrt(cos2), turn = 2 * pi * p.y,
                    flat = std::sqrt(std::max(0.0f, 1 - cos2));
        const Vec3 h{flat * std::cos(turn), flat * std::sin(turn), up};
        const float vh = dot(view, h), nl = 2 * vh * up - cosine;
        if (!(nl > 0) || !(vh > 0)) continue;
        // Drawn with density D (n h) / (4 v h); what is mirrored is F D G / (4 (n l) (n v)), times n l.
        const float g = lambda_part(cosine, square) * lambda_part(nl, square) * nl * vh / up / count;
        const float rest = std::pow(1 - vh, 5.0f);
        m.scale += g * (1 - rest);
        m.bias += g * rest;
    }
    return m;
}

const MirrorTable& mirror_table() {
    static const MirrorTable table = [] {
        MirrorTable t{};
        for (int r = 0; r < table_side; ++r)
            for (int c = 0; c < table_side; ++c)
                t[static_cast<std::size_t>(r) * table_side + static_cast<std::size_t>(c)] =
                    summed((static_cast<float>(c) + 0.5f) / table_side,
                           std::max(0.02f, static_cast<float>(r) / (table_side - 1)));
        return t;
    }();
    return table;
}

}  // namespace

CubeMap prefilter(const CubeMap& sharp, float roughness, int side, Job& job, std::uint32_t normals) {
    return filtered(Source({sharp}), roughness, side, normals, job)[0];
}

int reflection_levels(int resolution) {
    int levels = 1;
    while (resolution > least_side) {
        resolution /= 2;
        ++levels;
    }
    return levels;
}

std::vector<ReflectionMap> filter_levels(std::vector<CubeMap> sharp, Job& job, std::uint32_t normals) {
    std::vector<ReflectionMap> out(sharp.size());
    for (std::size_t first = 0; first < sharp.size(); first += FramedCubes::most) {
        const std::size_t count = std::min(FramedCubes::most, sharp.size() - first);
        const auto begin = sharp.begin() + static_cast<std::ptrdiff_t>(first);
        const Source source({begin, begin + static_cast<std::ptrdiff_t>(count)});
        const int levels = reflection_levels(source.side);
        for (std::size_t m = 0; m < count; ++m) out[first + m].levels.push_back(std::move(sharp[first + m]));
        for (int l = 1; l < levels; ++l) {
            std::vector<CubeMap> level =
                filtered(source, static_cast<float>(l) / static_cast<float>(levels - 1), source.side >> l,
                         normals, job);
            for (std::size_t m = 0; m < count; ++m) out[first + m].levels.push_back(std::move(level[m]));
        }
    }
    return out;
}

ReflectionMap filter_levels(CubeMap sharp, Job& job, std::uint32_t normals) {
    std::vector<CubeMap> one;
    one.push_back(std::move(sharp));
    return std::move(filter_levels(std::move(one), job, normals)[0]);
}

Rgb reflected(const ReflectionMap& map, Vec3 direction, float roughness) {
    const auto last = static_cast<float>(map.levels.size() - 1);
    const float level = std::clamp(roughness, 0.0f, 1.0f) * last, whole = std::floor(level),
                share = level - whole;
    const auto i = static_cast<std::size_t>(whole);
    const Rgb near = cube_light(map.levels[i], direction);
    return share > 0 ? near * (1 - share) + cube_light(map.levels[i + 1], direction) * share : near;
}

EnvironmentBrdf environment_brdf(float cosine, float roughness) {
    const MirrorTable& table = mirror_table();
    const float x = std::clamp(cosine * table_side - 0.5f, 0.0f, table_side - 1.0f),
                y = std::clamp(roughness, 0.0f, 1.0f) * (table_side - 1);
    const int x0 = std::min(static_cast<int>(x), table_side - 2),
              y0 = std::min(static_cast<int>(y), table_side - 2);
    const float tx = x - static_cast<float>(x0), ty = y - static_cast<float>(y0);
    const auto at = [&](int dx, int dy) {
        return table[static_cast<std::size_t>(y0 + dy) * table_side + static_cast<std::size_t>(x0 + dx)];
    };
    const auto mix = [&](float EnvironmentBrdf::*part) {
        return (at(0, 0).*part * (1 - tx) + at(1, 0).*part * tx) * (1 - ty) +
               (at(0, 1).*part * (1 - tx) + at(1, 1).*part * tx) * ty;
    };
    return {mix(&EnvironmentBrdf::scale), mix(&EnvironmentBrdf::bias)};
}

}  // namespace stasigraph
