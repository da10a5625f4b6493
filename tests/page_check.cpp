#include "page_check.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>

#include "stasigraph/error.hpp"

namespace test {

using namespace stasigraph;

namespace {

/// Signed distance of a point to the left of an edge, in doubles.
double left_of(Vec2 a, Vec2 b, double x, double y) {
    const double dx = static_cast<double>(b.x) - static_cast<double>(a.x),
                 dy = static_cast<double>(b.y) - static_cast<double>(a.y);
    const double l = std::hypot(dx, dy);
    return l > 0 ? (dx * (y - static_cast<double>(a.y)) - dy * (x - static_cast<double>(a.x))) / l : 0;
}

/// Whether a triangle (positive orientation) touches a texel with an area: no axis or edge parts them.
bool touches(const std::array<Vec2, 3>& p, int x, int y) {
    const auto reaches = [](float a, float b, float c, int texel) {
        return static_cast<double>(std::min({a, b, c})) < texel + 1 - 1e-4 &&
               static_cast<double>(std::max({a, b, c})) > texel + 1e-4;
    };
    if (!reaches(p[0].x, p[1].x, p[2].x, x) || !reaches(p[0].y, p[1].y, p[2].y, y)) return false;
    for (int k = 0; k < 3; ++k) {
        bool any = false;
        for (int c = 0; c < 4; ++c)
            any = any || left_of(p[k], p[(k + 1) % 3], x + (c & 1), y + (c >> 1)) > 1e-4;
        if (!any) return false;
    }
    return true;
}

class Looker {
public:
    Looker(const Level& level, const Atlas& atlas) : level_(level), atlas_(atlas) {}

    PageFindings run() {
        double touched = 0, all = 0;
        for (std::uint32_t page = 0; page < atlas_.pages.size(); ++page) {
            side_ = atlas_.pages[page];
            owner_.assign(static_cast<std::size_t>(side_) * side_, 0);
            samples_.assign(static_cast<std::size_t>(side_) * side_, 0);
            for (std::uint32_t s = 0; s < atlas_.surfaces.size(); ++s)
                if (atlas_.surfaces[s].page == page) surface(s);
            look_at_distances();
            touched += static_cast<double>(owner_.size()) -
                       static_cast<double>(std::count(owner_.begin(), owner_.end(), 0u));
            all += static_cast<double>(owner_.size());
        }
        found_.coverage = all > 0 ? touched / all : 0;
        return found_;
    }

private:
    void surface(std::uint32_t s) {
        const SurfaceUv& uv = atlas_.surfaces[s];
        const Layout& layout = atlas_.layouts[uv.layout];
        const Surface& surface = level_.surfaces[s];
        const Mesh& mesh = level_.meshes[surface.mesh];
        std::vector<double> texels(layout.charts.size(), 0.0), metres(layout.charts.size(), 0.0);
        for (std::uint32_t t = 0; t < layout.chart.size(); ++t) {
            std::array<Vec2, 3> p;
            std::array<Vec3, 3> w;
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t i = layout.indices[3 * t + k];
                p[k] = layout.uv[i] + Vec2{static_cast<float>(uv.x), static_cast<float>(uv.y)};
                w[k] = transform_point(surface.to_world, mesh.positions[layout.source[i]]);
            }
            const double world = 0.5 * static_cast<double>(length(cross(w[1] - w[0], w[2] - w[0])));
            const float longest = std::max({length(w[1] - w[0]), length(w[2] - w[1]), length(w[0] - w[2])});
            if (layout.chart[t] == none) {
                if (2 * world > 3e-6 * static_cast<double>(longest * longest) && !mesh.is_covered(t))
                    ++found_.chartless;
                continue;
            }
            double area = 0.5 * static_cast<double>(cross(p[1] - p[0], p[2] - p[0]));
            const float side = std::max({length(p[1] - p[0]), length(p[2] - p[1]), length(p[0] - p[2])});
            if (area < -static_cast<double>(side) / 1000) {
                if (!layout.given) ++found_.turned_over;
            }
            texels[layout.chart[t]] += area;
            metres[layout.chart[t]] += world;
            if (area < 0) std::swap(p[1], p[2]);
            cover(p, (s << 12 | (layout.given ? 0 : layout.chart[t] & 4095)) + 1,
                  static_cast<std::uint32_t>(t));
        }
        for (std::size_t c = 0; c < texels.size(); ++c) {
            const double wanted = static_cast<double>(uv.density * layout.charts[c].share);
            const double off = std::abs(std::sqrt(std::abs(texels[c]) / metres[c]) / wanted - 1);
            if (texels[c] > 1) found_.worst_density = std::max(found_.worst_density, off);
            if (texels[c] > 1 && off > 0.1 && !layout.given) ++found_.off_density;
        }
    }

    void cover(const std::array<Vec2, 3>& p, std::uint32_t me, std::uint32_t) {
        const auto low = [](float a, float b, float c) {
            return static_cast<int>(std::floor(std::min({a, b, c})));
        };
        const auto high = [](float a, float b, float c) {
            return static_cast<int>(std::floor(std::max({a, b, c})));
        };
        for (int y = low(p[0].y, p[1].y, p[2].y); y <= high(p[0].y, p[1].y, p[2].y); ++y)
            for (int x = low(p[0].x, p[1].x, p[2].x); x <= high(p[0].x, p[1].x, p[2].x); ++x) {
                if (!touches(p, x, y)) continue;
                const int m = atlas_.margin;
                if (x < m || y < m || x >= side_ - m || y >= side_ - m) {
                    ++found_.outside;
                    continue;
                }
                const std::size_t at = static_cast<std::size_t>(y) * side_ + x;
                if (owner_[at] != 0 && owner_[at] != me) ++found_.shared_texels;
                owner_[at] = me;
                for (int i = 0; i < 16; ++i) {
                    const double sx = x + (i % 4 + 0.5) / 4, sy = y + (i / 4 + 0.5) / 4;
                    // Inside by a hundredth of a texel, so that a shared edge counts for neither.
                    bool inside = true;
                    for (int k = 0; k < 3; ++k)
                        inside = inside && left_of(p[k], p[(k + 1) % 3], sx, sy) > 0.01;
                    if (!inside) continue;
                    if (samples_[at] >> i & 1) ++found_.twice_covered;
                    samples_[at] = static_cast<std::uint16_t>(samples_[at] | 1 << i);
                }
            }
    }

    void look_at_distances() {
        const int m = atlas_.margin;
        for (int y = 0; y < side_; ++y)
            for (int x = 0; x < side_; ++x) {
                const std::uint32_t me = owner_[static_cast<std::size_t>(y) * side_ + x];
                if (me == 0) continue;
                for (int ny = y; ny <= std::min(y + m, side_ - 1); ++ny)
                    for (int nx = std::max(0, x - m); nx <= std::min(x + m, side_ - 1); ++nx) {
                        const std::uint32_t other = owner_[static_cast<std::size_t>(ny) * side_ + nx];
                        if (other != 0 && other != me) ++found_.close_texels;
                    }
            }
        if (atlas_.block < 2) return;
        for (int by = 0; by < side_; by += atlas_.block)
            for (int bx = 0; bx < side_; bx += atlas_.block) {
                std::uint32_t first = 0;
                bool shared = false;
                for (int y = by; y < by + atlas_.block; ++y)
                    for (int x = bx; x < bx + atlas_.block; ++x) {
                        const std::uint32_t o = owner_[static_cast<std::size_t>(y) * side_ + x];
                        if (o != 0 && first == 0) first = o;
                        shared = shared || (o != 0 && o != first);
                    }
                found_.shared_blocks += shared;
            }
    }

    const Level& level_;
    const Atlas& atlas_;
    int side_ = 0;
    std::vector<std::uint32_t> owner_;  ///< Surface and chart, plus one; 0 for free texels.
    std::vector<std::uint16_t> samples_;
    PageFindings found_;
};

}  // namespace

PageFindings look_at_pages(const Level& level, const Atlas& atlas) {
    return Looker(level, atlas).run();
}

void expect_clean_pages(const Level& level, const Atlas& atlas) {
    try {
        check_atlas(level, atlas);
    } catch (const Error& e) {
        ADD_FAILURE() << e.text();
    }
    for (const int side : atlas.pages) EXPECT_EQ(side & (side - 1), 0);
    const PageFindings f = look_at_pages(level, atlas);
    EXPECT_EQ(f.twice_covered, 0u);
    EXPECT_EQ(f.shared_texels, 0u);
    EXPECT_EQ(f.close_texels, 0u);
    EXPECT_EQ(f.outside, 0u);
    EXPECT_EQ(f.shared_blocks, 0u);
    EXPECT_EQ(f.turned_over, 0u);
    EXPECT_EQ(f.chartless, 0u);
    EXPECT_EQ(f.off_density, 0u) << "worst " << f.worst_density;
}

}  // namespace test
