#include "level/texture_bounds.hpp"

#include <algorithm>
#include <cmath>

namespace stasigraph {

TextureBounds::TextureBounds(const Image& image) {
    Step base{image.width, image.height, {}};
    for (std::size_t i = 0; i < image.rgba.size(); i += 4) {
        const float l = luminance(
            {linear_byte(image.rgba[i]), linear_byte(image.rgba[i + 1]), linear_byte(image.rgba[i + 2])});
        base.cells.push_back({l, l});
    }
    steps_.push_back(std::move(base));
    while (steps_.back().width > 1 || steps_.back().height > 1) {
        const Step& from = steps_.back();
        Step to{(from.width + 1) / 2, (from.height + 1) / 2, {}};
        to.cells.assign(static_cast<std::size_t>(to.width) * to.height, {1e30f, 0});
        for (int y = 0; y < from.height; ++y)
            for (int x = 0; x < from.width; ++x) {
                Range& r = to.cells[static_cast<std::size_t>(y / 2) * to.width + x / 2];
                const Range& f = from.cells[static_cast<std::size_t>(y) * from.width + x];
                r = {std::min(r.least, f.least), std::max(r.most, f.most)};
            }
        steps_.push_back(std::move(to));
    }
}

TextureBounds::Range TextureBounds::within(const TextureUse& use, Vec2 a, Vec2 b, Vec2 c) const {
    // KHR_texture_transform, as TextureSet::sample applies it; lines stay lines, so corners are enough.
    const float cosine = std::cos(use.rotation), sine = std::sin(use.rotation);
    const Step& base = steps_[0];
    Vec2 low{1e30f, 1e30f}, high{-1e30f, -1e30f};
    for (const Vec2 uv : {a, b, c}) {
        const Vec2 q{uv.x * use.scale.x, uv.y * use.scale.y};
        const Vec2 p = Vec2{cosine * q.x + sine * q.y, -sine * q.x + cosine * q.y} + use.offset;
        low = {std::min(low.x, p.x), std::min(low.y, p.y)};
        high = {std::max(high.x, p.x), std::max(high.y, p.y)};
    }
    // In pixels, with the neighbour that a lookup blends in; a whole turn of a repeated texture is all of it.
    const auto span = [](float from, float to, int size, bool repeat, int& first, int& last) {
        const float n = static_cast<float>(size);
        if (repeat && to - from >= 1) {
            first = 0;
            last = size - 1;
            return;
        }
        const float turn = repeat ? std::floor(from) : 0;
        const auto tame = [&](float v) { return std::clamp((v - turn) * n, -2.0f, 3 * n); };
        first = static_cast<int>(std::floor(tame(from) - 1));
        last = static_cast<int>(std::floor(tame(to) + 1));
    };
    int x0 = 0, x1 = 0, y0 = 0, y1 = 0;
    span(low.x, high.x, base.width, use.repeat_x, x0, x1);
    span(low.y, high.y, base.height, use.repeat_y, y0, y1);
    std::size_t level = 0;
    while (level + 1 < steps_.size() && ((x1 - x0) >> level > 6 || (y1 - y0) >> level > 6)) ++level;
    const Step& step = steps_[level];
    const auto wrap = [](int i, int n, bool repeat) {
        if (!repeat) return std::clamp(i, 0, n - 1);
        i %= n;
        return i < 0 ? i + n : i;
    };
    Range range{1e30f, 0};
    const int stride = 1 << level;
    // Pixels are wrapped before they are halved: sizes need not be powers of two.
    for (int y = y0;; y = std::min(y + stride, y1)) {
        for (int x = x0;; x = std::min(x + stride, x1)) {
            const Range& r =
                step.cells[static_cast<std::size_t>(wrap(y, base.height, use.repeat_y) >> level) *
                               step.width +
                           static_cast<std::size_t>(wrap(x, base.width, use.repeat_x) >> level)];
            range = {std::min(range.least, r.least), std::max(range.most, r.most)};
            if (x == x1) break;
        }
        if (y == y1) break;
    }
    return range;
}

}  // namespace stasigraph
