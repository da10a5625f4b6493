#include "bake/look_again.hpp"

#include <algorithm>
#include <cmath>

#include "bake/gather_again.hpp"

namespace stasigraph {

namespace {

/// A texel stands out where its light differs from what its neighbours suggest by such a share of itself. The
/// lowest of these thresholds is used that keeps those texels under the second share of all.
constexpr float stands_out[] = {0.02f, 0.03f, 0.045f, 0.07f, 0.1f, 0.15f, 0.25f, 0.4f};
constexpr double share_looked_at = 1.0 / 200;
/// Rows of new links for a texel that stands out, and more for one that those show to be wrong.
constexpr std::uint32_t first_copies = 3, more_copies = 9;
/// Wrong is what is off by this share of the light there.
constexpr float is_wrong = 0.015f;

/// The least difference between a texel's light and what its neighbours suggest in one of four directions:
/// the mean of one on either side, or, where the chart ends, two in a row carried on. Along an edge of light
/// the neighbours on the edge agree.
float deviation(const TexelSet& texels, const TexelFlags& wanted, const LightField& light, std::uint32_t i,
                std::size_t g) {
    constexpr int ways[4][2] = {{1, 0}, {0, 1}, {1, 1}, {1, -1}};
    const float own = luminance(light.get(i, g));
    float least = own;
    const auto at = [&](int x, int y) {
        const std::uint32_t n = texels.neighbour(i, x, y);
        return n != none && wanted[n] ? n : none;
    };
    const auto light_of = [&](std::uint32_t n) { return luminance(light.get(n, g)); };
    for (const auto& [x, y] : ways) {
        const std::uint32_t a = at(x, y), b = at(-x, -y);
        if (a != none && b != none) {
            least = std::min(least, std::abs(own - 0.5f * (light_of(a) + light_of(b))));
            continue;
        }
        if (a == none && b == none) continue;
        const int side = a != none ? 1 : -1;
        if (const std::uint32_t next = at(2 * side * x, 2 * side * y); next != none)
            least = std::min(
                least, std::abs(own - std::max(0.0f, 2 * light_of(a != none ? a : b) - light_of(next))));
    }
    return least;
}

TexelsAgain who_stands_out(const Making& m, const TexelFlags& wanted, const LightField& light, Job& job) {
    const TexelSet& texels = m.unlit.texels;
    const std::size_t groups = m.size();
    // By how many of the steps.
    std::vector<std::uint8_t> steps(texels.size() * groups, 0);
    job.parallel(texels.size(), 1024, [&](std::size_t begin, std::size_t end) {
        for (auto i = static_cast<std::uint32_t>(begin); i < end; ++i)
            for (std::size_t c = 0; wanted[i] && c < groups; ++c) {
                const float here = std::max(m.floor[c], luminance(light.get(i, c)));
                if (!(here > 0)) continue;
                const float off = deviation(texels, wanted, light, i, c) / here;
                steps[i * groups + c] = static_cast<std::uint8_t>(
                    std::upper_bound(std::begin(stands_out), std::end(stands_out), off) -
                    std::begin(stands_out));
            }
    });
    const auto all = static_cast<double>(wanted.count());
    std::vector<std::uint8_t> least(groups, 1);
    for (std::size_t c = 0; c < groups; ++c) {
        std::array<std::size_t, std::size(stands_out) + 1> count{};
        for (std::size_t i = 0; i < texels.size(); ++i) ++count[steps[i * groups + c]];
        double so_many = 0;
        for (std::size_t s = std::size(stands_out); s > 0; --s) {
            so_many += static_cast<double>(count[s]);
            if (so_many > share_looked_at * all) {
                least[c] = static_cast<std::uint8_t>(s + 1);
                break;
            }
        }
    }
    TexelsAgain looks;
    std::vector<std::uint8_t> own(groups);
    for (std::uint32_t i = 0; i < texels.size(); ++i) {
        for (std::size_t c = 0; c < groups; ++c) own[c] = steps[i * groups + c] >= least[c] ? 1 : 0;
        if (std::count(own.begin(), own.end(), 1) == 0) continue;
        looks.texel.push_back(i);
        looks.asked.insert(looks.asked.end(), own.begin(), own.end());
    }
    return looks;
}

}  // namespace

bool looks_again(const BakeOptions& quality, std::uint32_t first) {
    return quality.denoise == Denoise::automatic && !quality.bounces && first >= DirectionGuide::cells;
}

void look_again(const Making& m, const Solved& solved, const TexelFlags& wanted, LightField& by_links,
                Job& job) {
    const std::size_t groups = m.size();
    if (!looks_again(m.quality, solved.lengths.first)) return;
    const TexelsAgain looks = who_stands_out(m, wanted, by_links, job);
    if (looks.texel.empty()) return;
    job.begin(Stage::second_look, looks.texel.size() * first_copies);
    HalfField sent;
    reflect(solved.light, m.albedo, sent, job);
    const GatheringAgain gathering{m, solved, sent};
    const std::vector<Said> said = gather_again(gathering, looks, {0, first_copies}, job);
    // Where that says otherwise, more rays tell what it is: others than those that decided so.
    TexelsAgain wrong;
    for (std::size_t k = 0; k < looks.texel.size(); ++k) {
        const std::uint32_t i = looks.texel[k];
        std::vector<std::uint8_t> off(groups, 0);
        for (std::size_t c = 0; c < groups; ++c) {
            if (!looks.asked[k * groups + c]) continue;
            const float shown = luminance(by_links.get(i, c)), now = luminance(said[k * groups + c].mean());
            off[c] = std::abs(shown - now) > is_wrong * std::max({m.floor[c], shown, now}) ? 1 : 0;
        }
        if (std::count(off.begin(), off.end(), 1) == 0) continue;
        wrong.texel.push_back(i);
        wrong.asked.insert(wrong.asked.end(), off.begin(), off.end());
    }
    const std::vector<Said> surely = gather_again(gathering, wrong, {first_copies, more_copies}, job);
    for (std::size_t k = 0; k < wrong.texel.size(); ++k)
        for (std::size_t c = 0; c < groups; ++c) {
            if (!wrong.asked[k * groups + c]) continue;
            const Said& s = surely[k * groups + c];
            const Rgb shown = by_links.get(wrong.texel[k], c);
            const float apart = luminance(shown) - luminance(s.mean()), square = apart * apart,
                        share = square > 0 ? square / (square + s.variance()) : 0;
            by_links.add(wrong.texel[k], c, (s.mean() - shown) * share);
        }
}

}  // namespace stasigraph
