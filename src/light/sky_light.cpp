#include "light/sky_light.hpp"

#include "level/standard_sky.hpp"

#include <algorithm>
#include <cmath>

namespace stasigraph {

namespace {

constexpr int most_width = 1024, most_height = 512;
constexpr int standard_width = 512, standard_height = 256;

/// Excess over the mean worth direct samples, as a share of the sky's whole light. Lower: shadow rays
/// for skies that gather rays carry as well. Higher: grain under a bright corner of the sky.
constexpr double least_excess = 0.1;

/// Abramowitz and Stegun 4.4.46; absolute error below 3e-7 in floats.
float acos_of(float x) {
    const float a = std::min(std::abs(x), 1.0f);
    float p = -0.0012624911f;
    for (const float c : {0.0066700901f, -0.0170881256f, 0.0308918810f, -0.0501743046f, 0.0889789874f,
                          -0.2145988016f, 1.5707963050f})
        p = p * a + c;
    p *= std::sqrt(1 - a);
    return x < 0 ? pi - p : p;
}

/// Turns in (-1/2, 1/2]; Abramowitz and Stegun 4.4.49, absolute error below 1e-7 turns.
float atan2_turns(float y, float x) {
    const float ax = std::abs(x), ay = std::abs(y), top = std::max(ax, ay);
    if (!(top > 0)) return 0;
    const float t = std::min(ax, ay) / top, t2 = t * t;
    float p = 0.0028662257f;
    for (const float c : {-0.0161657367f, 0.0429096138f, -0.0752896400f, 0.1065626393f, -0.1420889944f,
                          0.1999355085f, -0.3333314528f, 1.0f})
        p = p * t2 + c;
    p *= t / (2 * pi);
    if (ay > ax) p = 0.25f - p;
    if (x < 0) p = 0.5f - p;
    return y < 0 ? -p : p;
}

/// Solid angle of one cell of a row.
double cell_angle(int row, int width, int height) {
    const double step = static_cast<double>(pi) / height;
    return (std::cos(row * step) - std::cos((row + 1) * step)) * 2 * static_cast<double>(pi) / width;
}

std::size_t find_step(const float* cumulative, std::size_t count, float& at) {
    const float target = at * cumulative[count - 1];
    auto i = static_cast<std::size_t>(std::upper_bound(cumulative, cumulative + count, target) - cumulative);
    i = std::min(i, count - 1);
    while (i > 0 && cumulative[i] == cumulative[i - 1]) --i;  // rounding may land on an empty step
    const float below = i == 0 ? 0 : cumulative[i - 1], step = cumulative[i] - below;
    at = step > 0 ? std::clamp((target - below) / step, 0.0f, 0x1.fffffep-1f) : 0.0f;
    return i;
}

}  // namespace

SkyLight::SkyLight(const Sky& sky) {
    if (sky.kind == SkyKind::constant || !(max_channel(sky.radiance) > 0)) {
        even_ = sky.kind == SkyKind::constant ? sky.radiance : Rgb{};
        return;
    }
    fill(sky);
    plan_samples();
}

void SkyLight::fill(const Sky& sky) {
    if (sky.kind == SkyKind::standard) return fill_standard(sky);
    turn_ = sky.turn / (2 * pi);
    width_ = std::min(sky.width, most_width);
    height_ = std::min(sky.height, most_height);
    cells_.assign(static_cast<std::size_t>(width_) * height_, {});
    std::vector<double> angle(cells_.size(), 0.0);
    std::vector<std::array<double, 3>> sum(cells_.size());
    for (int y = 0; y < sky.height; ++y) {
        const double omega = cell_angle(y, sky.width, sky.height);
        const auto row = static_cast<std::size_t>(static_cast<std::int64_t>(y) * height_ / sky.height);
        for (int x = 0; x < sky.width; ++x) {
            const std::size_t i =
                row * width_ + static_cast<std::size_t>(static_cast<std::int64_t>(x) * width_ / sky.width);
            const Rgb c = (*sky.pixels)[static_cast<std::size_t>(y) * sky.width + x] * sky.radiance;
            sum[i][0] += omega * static_cast<double>(c.r);
            sum[i][1] += omega * static_cast<double>(c.g);
            sum[i][2] += omega * static_cast<double>(c.b);
            angle[i] += omega;
        }
    }
    // Where the sizes do not divide, cells get a few more or fewer pixels than their share: what all of them
    // hold together is kept exactly.
    double whole = 0, kept = 0;
    for (std::size_t i = 0; i < cells_.size(); ++i) {
        const double mean = (sum[i][0] + sum[i][1] + sum[i][2]) / angle[i];
        whole += sum[i][0] + sum[i][1] + sum[i][2];
        kept += mean * cell_angle(static_cast<int>(i / static_cast<std::size_t>(width_)), width_, height_);
    }
    const double scale = kept > 0 ? whole / kept : 0;
    for (std::size_t i = 0; i < cells_.size(); ++i)
        cells_[i] = {static_cast<float>(sum[i][0] / angle[i] * scale),
                     static_cast<float>(sum[i][1] / angle[i] * scale),
                     static_cast<float>(sum[i][2] / angle[i] * scale)};
}

/// Each cell is the mean of four directions.
void SkyLight::fill_standard(const Sky& sky) {
    width_ = standard_width;
    height_ = standard_height;
    std::vector<Vec2> rises, ways;  // sines and cosines
    for (int k = 0; k < 2 * height_; ++k) {
        const float v = (static_cast<float>(k) + 0.5f) * pi / static_cast<float>(2 * height_);
        rises.push_back({std::sin(v), std::cos(v)});
    }
    for (int k = 0; k < 2 * width_; ++k) {
        const float a = (static_cast<float>(k) + 0.5f) * pi / static_cast<float>(width_) - pi;
        ways.push_back({std::sin(a), std::cos(a)});
    }
    const StandardSky standard(sky.type, sky.sun);
    cells_.reserve(static_cast<std::size_t>(width_) * static_cast<std::size_t>(height_));
    for (int y = 0; y < height_; ++y)
        for (int x = 0; x < width_; ++x) {
            Rgb sum;
            for (int k = 0; k < 4; ++k) {
                const Vec2 rise = rises[static_cast<std::size_t>(2 * y + k / 2)],
                           way = ways[static_cast<std::size_t>(2 * x + k % 2)];
                sum += rise.y > 0 ? sky.radiance * static_cast<float>(standard.relative(
                                                       {rise.x * way.x, rise.y, -rise.x * way.y}))
                                  : sky.below;
            }
            cells_.push_back(sum * 0.25f);
        }
}

void SkyLight::plan_samples() {
    double sum = 0;
    for (int y = 0; y < height_; ++y)
        for (int x = 0; x < width_; ++x)
            sum += cell_angle(y, width_, height_) *
                   static_cast<double>(luminance(cells_[static_cast<std::size_t>(y) * width_ + x]));
    const double even = sum / (4 * static_cast<double>(pi));
    std::vector<double> excess(cells_.size());
    double whole = 0;
    for (std::size_t i = 0; i < cells_.size(); ++i) {
        const int row = static_cast<int>(i / static_cast<std::size_t>(width_));
        excess[i] = cell_angle(row, width_, height_) *
                    std::max(0.0, static_cast<double>(luminance(cells_[i])) - even);
        whole += excess[i];
    }
    if (!(whole > least_excess * sum)) return;
    density_.resize(cells_.size());
    double rows = 0;
    for (int y = 0; y < height_; ++y) {
        double row = 0;
        for (int x = 0; x < width_; ++x) {
            const std::size_t i = static_cast<std::size_t>(y) * width_ + x;
            row += excess[i];
            columns_.push_back(static_cast<float>(row));
            density_[i] = static_cast<float>(excess[i] / whole / cell_angle(y, width_, height_));
        }
        rows += row;
        rows_.push_back(static_cast<float>(rows));
    }
}

std::size_t SkyLight::cell_of(Vec3 d) const {
    if (even()) return 0;
    float u = atan2_turns(d.x, -d.z) - turn_ + 0.5f;
    u -= std::floor(u);
    const int x = std::clamp(static_cast<int>(u * static_cast<float>(width_)), 0, width_ - 1),
              y = std::clamp(static_cast<int>(acos_of(d.y) / pi * static_cast<float>(height_)), 0,
                             height_ - 1);
    return static_cast<std::size_t>(y) * width_ + x;
}

SkyLight::Sample SkyLight::sample(Vec2 random) const {
    const std::size_t y = find_step(rows_.data(), rows_.size(), random.x);
    const std::size_t x = find_step(&columns_[y * width_], static_cast<std::size_t>(width_), random.y);
    const std::size_t i = y * width_ + x;
    // Even over the cell: heights between its two parallels, turns between its meridians.
    const float step = pi / static_cast<float>(height_);
    const float top = std::cos(static_cast<float>(y) * step),
                foot = std::cos(static_cast<float>(y + 1) * step);
    const float h = top + (foot - top) * random.x, s = std::sqrt(std::max(0.0f, 1 - h * h));
    const float turns = (static_cast<float>(x) + random.y) / static_cast<float>(width_) - 0.5f + turn_;
    float sine, cosine;
    sincos_turn(turns - std::floor(turns), sine, cosine);
    return {{s * sine, h, -s * cosine}, cells_[i], density_[i]};
}

}  // namespace stasigraph
