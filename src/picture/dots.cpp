#include "picture/dots.hpp"

#include <algorithm>

namespace stasigraph {

namespace {

constexpr int around = 4;             ///< Texels to every side that tell how bright a place is.
constexpr float least_share = 0.25f;  ///< Of the mean around a texel: darker light counts as that much.

/// Sums over rectangles of a page in constant time (Crow, Summed-Area Tables for Texture Mapping, 1984).
class PageSums {
public:
    explicit PageSums(int side) : side_(side), sum_(place(side, side) + 1, 0.0) {}
    void set(int x, int y, double value) { sum_[place(x + 1, y + 1)] = value; }
    void finish() {
        for (int y = 1; y <= side_; ++y)
            for (int x = 1; x <= side_; ++x)
                sum_[place(x, y)] +=
                    sum_[place(x - 1, y)] + sum_[place(x, y - 1)] - sum_[place(x - 1, y - 1)];
    }
    double box(int x, int y, int reach) const {
        const int x0 = std::max(0, x - reach), y0 = std::max(0, y - reach),
                  x1 = std::min(side_, x + reach + 1), y1 = std::min(side_, y + reach + 1);
        return sum_[place(x1, y1)] - sum_[place(x0, y1)] - sum_[place(x1, y0)] + sum_[place(x0, y0)];
    }

private:
    std::size_t place(int x, int y) const {
        return static_cast<std::size_t>(y) * (static_cast<std::size_t>(side_) + 1) +
               static_cast<std::size_t>(x);
    }
    int side_;
    std::vector<double> sum_;
};

}  // namespace

std::vector<float> dot_measure(const std::vector<DotTexel>& texels, const std::vector<int>& sides) {
    std::vector<PageSums> light(sides.begin(), sides.end()), count(sides.begin(), sides.end());
    for (const DotTexel& t : texels) {
        light[t.page].set(t.x, t.y, static_cast<double>(t.light));
        count[t.page].set(t.x, t.y, 1);
    }
    for (PageSums& s : light) s.finish();
    for (PageSums& s : count) s.finish();
    std::vector<float> out;
    out.reserve(texels.size());
    for (const DotTexel& t : texels) {
        const double mean = light[t.page].box(t.x, t.y, around) / count[t.page].box(t.x, t.y, around);
        out.push_back(std::max(t.light, least_share * static_cast<float>(mean)));
    }
    return out;
}

}  // namespace stasigraph
