#include "light/light_tree.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

namespace stasigraph {

namespace {

constexpr int buckets = 12;

/// Sources that lie close together as seen from the receiver are mostly hidden together and shine alike,
/// unless one may shine far less to some sides than to others: one sample stands for all of them, and its
/// error is taken as this many times the angle they fill. Even a small fitting hides parts of itself; lower
/// than the least: white dots.
constexpr float sight_spread = 4, least_spread = 0.35f;
/// What a cut's error comes to, as a share of the bound it is made by; measured on the bench's hall.
constexpr float error_in_use = 1;

/// Cosine of max(0, a - b) from the cosines and sines of both, each in [0, pi].
float cos_less(float sin_a, float cos_a, float sin_b, float cos_b) {
    return cos_a > cos_b ? 1.0f : cos_a * cos_b + sin_a * sin_b;
}
float sin_less(float sin_a, float cos_a, float sin_b, float cos_b) {
    return cos_a > cos_b ? 0.0f : sin_a * cos_b - cos_a * sin_b;
}
float sin_of(float cosine) {
    return std::sqrt(std::max(0.0f, 1 - cosine * cosine));
}

/// The smallest cone that holds both cones of normals.
void join_cones(const SourceBounds& a, const SourceBounds& b, SourceBounds& out) {
    const SourceBounds &wide = a.cone >= b.cone ? a : b, &narrow = a.cone >= b.cone ? b : a;
    out.emit = std::max(a.emit, b.emit);
    const float between = std::acos(std::clamp(dot(wide.axis, narrow.axis), -1.0f, 1.0f));
    if (std::min(between + narrow.cone, pi) <= wide.cone) {
        out.axis = wide.axis;
        out.cone = wide.cone;
        return;
    }
    const float cone = (wide.cone + between + narrow.cone) / 2;
    const Vec3 turn = cross(wide.axis, narrow.axis);
    if (cone >= pi || !(length(turn) > 1e-6f)) {
        out.axis = wide.axis;
        out.cone = pi;
        return;
    }
    const float by = cone - wide.cone;
    const Vec3 k = normalize(turn);
    out.axis = normalize(wide.axis * std::cos(by) + cross(k, wide.axis) * std::sin(by));
    // Rounding must not leave a normal outside.
    out.cone = std::min(pi, cone + 1e-3f);
}

SourceBounds join(const SourceBounds& a, const SourceBounds& b) {
    if (!(a.power > 0)) return b;
    if (!(b.power > 0)) return a;
    SourceBounds out;
    out.low = min(a.low, b.low);
    out.high = max(a.high, b.high);
    out.power = a.power + b.power;
    out.uneven = a.uneven || b.uneven;
    out.range = a.range > 0 && b.range > 0 ? std::max(a.range, b.range) : 0;
    join_cones(a, b, out);
    return out;
}

/// What a part costs as one: its light times how far it spreads, in place and in direction.
float cost(const SourceBounds& b) {
    const Vec3 d = b.high - b.low;
    const float wide = std::min(b.cone + b.emit, pi), c = std::cos(b.cone), s = std::sin(b.cone);
    const float omega =
        2 * pi * (1 - c) + pi / 2 * (2 * wide * s - std::cos(b.cone - 2 * wide) - 2 * b.cone * s + c);
    return b.power * std::max(omega, 0.1f) * (dot(d, d) + 1e-6f);
}

float axis_of(Vec3 v, int axis) {
    return axis == 0 ? v.x : axis == 1 ? v.y : v.z;
}

}  // namespace

LightTree::LightTree(std::vector<SourceBounds> sources) {
    std::vector<std::uint32_t> order;
    for (std::uint32_t i = 0; i < sources.size(); ++i)
        if (sources[i].power > 0) order.push_back(i);
    if (order.empty()) return;
    nodes_.reserve(2 * order.size());
    build(sources, order, 0, order.size());
}

namespace {

/// Where sources are divided best: bucket `split` of the buckets along an axis; below 0 where nowhere.
struct Division {
    int axis = -1, split = 0;
};

int bucket_of(const SourceBounds& s, int axis, Vec3 low, Vec3 high) {
    const float from = axis_of(low, axis), width = axis_of(high, axis) - from,
                at = (axis_of((s.low + s.high) * 0.5f, axis) - from) / width;
    return std::min(buckets - 1, static_cast<int>(at * buckets));
}

/// `low`, `high`: around the middles of all.
Division best_division(const std::vector<SourceBounds>& sources, std::span<const std::uint32_t> order,
                       Vec3 low, Vec3 high) {
    Division best;
    float least = 1e38f;
    for (int axis = 0; axis < 3; ++axis) {
        if (!(axis_of(high, axis) - axis_of(low, axis) > 0)) continue;
        SourceBounds bucket[buckets];
        for (const std::uint32_t i : order) {
            SourceBounds& b = bucket[bucket_of(sources[i], axis, low, high)];
            b = join(b, sources[i]);
        }
        SourceBounds left[buckets];
        left[0] = bucket[0];
        for (int k = 1; k < buckets; ++k) left[k] = join(left[k - 1], bucket[k]);
        SourceBounds right;
        for (int k = buckets - 1; k > 0; --k) {
            right = join(right, bucket[k]);
            if (!(right.power > 0) || !(left[k - 1].power > 0)) continue;
            const float c = cost(left[k - 1]) + cost(right);
            if (c >= least) continue;
            least = c;
            best = {axis, k};
        }
    }
    return best;
}

/// Puts those of the first half first; how many they are.
std::size_t divide(const std::vector<SourceBounds>& sources, std::span<std::uint32_t> order, Vec3 low,
                   Vec3 high) {
    const Division best = best_division(sources, order, low, high);
    if (best.axis < 0) return order.size() / 2;
    const auto split = std::stable_partition(order.begin(), order.end(), [&](std::uint32_t i) {
        return bucket_of(sources[i], best.axis, low, high) < best.split;
    });
    return static_cast<std::size_t>(split - order.begin());
}

}  // namespace

std::uint32_t LightTree::build(std::vector<SourceBounds>& sources, std::vector<std::uint32_t>& order,
                               std::size_t begin, std::size_t end) {
    SourceBounds all = sources[order[begin]];
    Vec3 low{1e30f, 1e30f, 1e30f}, high = -low;  // of the middles
    for (std::size_t i = begin; i < end; ++i) {
        const SourceBounds& s = sources[order[i]];
        if (i > begin) all = join(all, s);
        const Vec3 middle = (s.low + s.high) * 0.5f;
        low = min(low, middle);
        high = max(high, middle);
    }
    const auto number = static_cast<std::uint32_t>(nodes_.size());
    nodes_.push_back({.low = all.low,
                      .high = all.high,
                      .axis = all.axis,
                      .cos_cone = std::cos(all.cone),
                      .sin_cone = std::sin(all.cone),
                      .cos_emit = all.emit >= pi ? -2.0f : std::cos(all.emit),
                      .power = all.power,
                      .range = all.range,
                      .uneven = all.uneven,
                      .first = order[begin]});
    if (end - begin == 1) return number;

    const std::size_t middle =
        divide(sources, std::span(order).subspan(begin, end - begin), low, high) + begin;
    const std::uint32_t first = build(sources, order, begin, middle),
                        second = build(sources, order, middle, end);
    nodes_[number].first = first;
    nodes_[number].second = second;
    return number;
}

float LightTree::weight(const Node& n, const Receiver& r) const {
    const Vec3 middle = (n.low + n.high) * 0.5f, half = (n.high - n.low) * 0.5f, to = middle - r.position;
    const float radius2 = dot(half, half), d2 = dot(to, to);
    if (n.range > 0) {
        const Vec3 out = max(Vec3{}, max(n.low - r.position, r.position - n.high));
        if (dot(out, out) >= n.range * n.range) return 0;
    }
    const float size = n.power / std::max(d2, std::max(radius2, 1e-8f));
    if (d2 <= radius2) return size;
    const float d = std::sqrt(d2), sin_ball = std::sqrt(radius2 / d2), cos_ball = std::sqrt(1 - radius2 / d2);
    const Vec3 w = to * (1 / d);
    float share = 1;
    if (!r.in_air) {
        const float c = dot(r.normal, w);
        share = cos_less(sin_of(c), c, sin_ball, cos_ball);
        if (!(share > 0)) return 0;
    }
    if (n.cos_emit > -1 && n.cos_cone > -1) {
        const float c = -dot(n.axis, w), s = sin_of(c);
        const float c1 = cos_less(s, c, n.sin_cone, n.cos_cone), s1 = sin_less(s, c, n.sin_cone, n.cos_cone);
        const float facing = cos_less(s1, c1, sin_ball, cos_ball);
        if (!(facing > n.cos_emit)) return 0;
        share *= std::max(facing, 0.05f);
    }
    return size * share;
}

LightTree::Part LightTree::part(std::uint32_t node, const Receiver& r) const {
    const Node& n = nodes_[node];
    const float w = weight(n, r);
    if (!(w > 0)) return {};
    const Vec3 half = (n.high - n.low) * 0.5f, to = (n.low + n.high) * 0.5f - r.position;
    const float apart = std::sqrt(dot(half, half) / std::max(dot(to, to), 1e-12f));
    return {node, w, n.uneven ? w : w * std::clamp(sight_spread * apart, least_spread, 1.0f)};
}

void LightTree::cut(const Receiver& receiver, const LightEffort& effort, Cut& cut) const {
    cut.parts.clear();
    cut.total = 0;
    if (nodes_.empty()) return;
    cut.open.clear();
    float spread = 0;  // sum of squares of the errors of the parts that are more than one source
    const auto lesser = [](const Part& a, const Part& b) {
        return a.error < b.error || (a.error == b.error && a.node > b.node);
    };
    const auto add = [&](std::uint32_t node) {
        const Part p = part(node, receiver);
        if (!(p.weight > 0)) return;
        cut.total += p.weight;
        if (is_leaf(node)) return cut.parts.push_back(p);
        spread += p.error * p.error;
        cut.open.push_back(p);
        std::push_heap(cut.open.begin(), cut.open.end(), lesser);
    };
    add(0);
    const float allowed = error_in_use * effort.error;
    while (!cut.open.empty() && static_cast<int>(cut.parts.size() + cut.open.size()) < effort.cut &&
           spread > allowed * allowed * cut.total * cut.total) {
        std::pop_heap(cut.open.begin(), cut.open.end(), lesser);
        const Part split = cut.open.back();
        cut.open.pop_back();
        cut.total -= split.weight;
        spread -= split.error * split.error;
        add(nodes_[split.node].first);
        add(nodes_[split.node].second);
    }
    cut.parts.insert(cut.parts.end(), cut.open.begin(), cut.open.end());
    cut.open.clear();
    cut.total = 0;
    for (const Part& p : cut.parts) cut.total += p.weight;
}

bool LightTree::passes(const Receiver& receiver, float reach, float size, const Box& box) const {
    if (nodes_.empty()) return false;
    std::array<std::uint32_t, 128> todo;  // deeper than any tree that splits by halves or by cost is
    std::size_t count = 0;
    todo[count++] = 0;
    while (count > 0) {
        const std::uint32_t number = todo[--count];
        const Node& n = nodes_[number];
        if (!(weight(n, receiver) > 0)) continue;
        // All ways from around the receiver into a node lie this near the way between the middles.
        const Vec3 half = (n.high - n.low) * 0.5f, near{reach, reach, reach},
                   by = max(half + Vec3{size, size, size}, near),
                   way = (n.low + n.high) * 0.5f - receiver.position;
        const float far = length(way);
        const Box wide{box.low - by, box.high + by};
        if (far > 0 && !wide.meets(receiver.position, way * (1 / far), far)) continue;
        if (is_leaf(number) || count + 2 > todo.size()) return true;
        todo[count++] = n.first;
        todo[count++] = n.second;
    }
    return false;
}

std::uint32_t LightTree::choose(std::uint32_t node, const Receiver& receiver, float random,
                                float& chance) const {
    chance = 1;
    while (!is_leaf(node)) {
        const std::uint32_t a = nodes_[node].first, b = nodes_[node].second;
        const float wa = weight(nodes_[a], receiver), wb = weight(nodes_[b], receiver);
        if (!(wa + wb > 0)) return none;
        const float share = wa / (wa + wb);
        if (random < share) {
            random = std::min(random / share, 0x1.fffffep-1f);
            chance *= share;
            node = a;
        } else {
            random = std::min((random - share) / (1 - share), 0x1.fffffep-1f);
            chance *= 1 - share;
            node = b;
        }
    }
    return source(node);
}

}  // namespace stasigraph
