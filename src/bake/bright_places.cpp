#include "bake/bright_places.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace stasigraph {

namespace {

/// Bright places of a tile, and of the region, that a block's rows look for.
constexpr std::size_t most_near = 32;
/// A place that is nearer looks larger, but by this factor at most: evenly spread links meet what is right
/// beside a texel anyway.
constexpr float most_larger = 8;
constexpr std::uint32_t wide = DirectionGuide::wide, high = DirectionGuide::high;

/// Smaller ones stay (Efraimidis and Spirakis, Weighted random sampling with a reservoir, 2006).
float rank_of(const BrightLink& l) {
    return -std::log(l.chance) / (l.relative * l.relative);
}

void keep_best(std::vector<BrightLink>& links, std::size_t most) {
    if (links.size() <= most) return;
    const auto middle = links.begin() + static_cast<std::ptrdiff_t>(most);
    std::nth_element(links.begin(), middle, links.end(),
                     [](const BrightLink& a, const BrightLink& b) { return rank_of(a) < rank_of(b); });
    links.erase(middle, links.end());
}

/// An angle as a share of a turn, in [0, 1], to less than a thousandth (Rajan, Wang, Inkol and Joyal,
/// Efficient approximations for the arctangent function, 2006: off by 0.0015 radians).
float turn_of(float x, float y) {
    const float a = std::abs(x), b = std::abs(y), q = std::min(a, b) / std::max({a, b, 1e-20f});
    float turn = q * (0.25f * pi + (1 - q) * (0.2447f + 0.0663f * q)) * (0.5f / pi);
    if (b > a) turn = 0.25f - turn;
    if (x < 0) turn = 0.5f - turn;
    return y < 0 && turn > 0 ? 1 - turn : turn;
}

/// Where among all parts a direction about a normal lies.
void find_part(const Frame& frame, Vec3 w, std::uint32_t& u, std::uint32_t& v) {
    const float x = dot(frame.tangent, w), y = dot(frame.bitangent, w);
    const float turn = turn_of(x, y);
    u = std::min(wide - 1, static_cast<std::uint32_t>((x * x + y * y) * wide));
    v = std::min(high - 1, static_cast<std::uint32_t>(turn * high));
}

/// The same for a row in the air, whose directions are those of a sphere.
void find_part_of_sphere(Vec3 w, std::uint32_t& u, std::uint32_t& v) {
    u = std::min(wide - 1, static_cast<std::uint32_t>(0.5f * std::max(0.0f, 1 - w.z) * wide));
    v = std::min(high - 1, static_cast<std::uint32_t>(turn_of(w.x, w.y) * high));
}

/// How near a ray comes to a point, metres; infinite for what lies behind.
float apart(const BrightLink& l, Vec3 point) {
    const Vec3 way = point - l.from;
    const float t = dot(way, l.to);
    return t > 0 ? length(way - l.to * t) : std::numeric_limits<float>::infinity();
}

/// Links to the sky end where they go through an opening: where, looked at along one of them, the others come
/// nearest to it. A window, a gap and a long slit are all found; where others come no nearer than far away,
/// the link stays one to the sky.
void lead_through_openings(std::vector<BrightLink>& links) {
    constexpr int steps = 20;
    constexpr std::size_t most_others = 32;
    constexpr float nearest = 0.3f, by = 1.3f, angle = 0.02f, finest = 0.03f;  // metres, radians
    std::vector<BrightLink> skies;
    for (const BrightLink& l : links)
        if (l.sky) skies.push_back(l);
    const std::size_t every = skies.size() / most_others + 1;
    std::size_t number = 0;
    for (BrightLink& l : links) {
        if (!l.sky) continue;
        const std::size_t own = number++;
        float best = 0, at = 0, t = nearest;
        for (int k = 0; k <= steps; ++k, t *= by) {
            // At last without end, where directions alone tell.
            float score = 0;
            for (std::size_t j = own % every; j < skies.size(); j += every) {
                if (j == own) continue;
                const float off = k < steps ? apart(skies[j], l.from + l.to * t) / (finest + angle * t)
                                            : length(skies[j].to - l.to) / angle;
                score += 1 / (1 + off * off);
            }
            if (score > best) {
                best = score;
                at = k < steps ? t : 0;
            }
        }
        l.far = !(at > 0);
        if (!l.far) l.to = l.from + l.to * at;
    }
}

/// How much of what is met at one place counts at another, this many metres away.
float counts_at(float distance, float block) {
    const float d = distance / block, s = 1 + d * d;
    return 1 / (s * std::sqrt(s));
}

/// Those alone that bring a place most.
void keep_most(std::vector<NearBright>& some, const Receiver& middle) {
    if (some.size() <= most_near) return;
    std::vector<std::pair<float, std::uint32_t>> rank;
    for (std::uint32_t k = 0; k < some.size(); ++k) {
        Vec3 direction;
        constexpr float behind = 0.05f;  // from the middle of the block
        rank.emplace_back(
            -some[k].weight * some[k].place->square * (behind + some[k].place->larger(middle, direction)), k);
    }
    std::nth_element(rank.begin(), rank.begin() + most_near, rank.end());
    std::vector<NearBright> best;
    for (std::size_t k = 0; k < most_near; ++k) best.push_back(some[rank[k].second]);
    some = std::move(best);
}

}  // namespace

void BrightPlaces::add(const BrightLink& link) {
    sum_ += link.relative * link.relative;
    ++added_;
    links_.push_back(link);
    if (links_.size() >= 4 * most_) keep_best(links_, most_);
}

void BrightPlaces::settle() {
    keep_best(links_, most_);
    lead_through_openings(links_);
    for (const BrightLink& l : links_) {
        const Vec3 way = l.to - l.from;
        // Links chosen in proportion to their squares each represent the same share of the sum; where there
        // are few, each represents itself.
        const float share =
            added_ == links_.size() ? l.relative * l.relative : sum_ / static_cast<float>(links_.size());
        places_.push_back({.at = l.to,
                           .from = l.from,
                           .tile = l.tile,
                           .far = l.far,
                           .sky = l.sky,
                           .light = l.light,
                           .square = share / (l.relative * l.relative) * l.light * l.light,
                           .spread = (l.far ? 1 : dot(way, way)) / std::max(0.05f, l.cosine)});
    }
    links_ = {};
}

float BrightPlace::larger(const Receiver& r, Vec3& direction) const {
    const Vec3 way = far ? at : at - r.position;
    const float distance = dot(way, way);
    direction = way * (1 / std::sqrt(std::max(distance, 1e-12f)));
    if (r.in_air) return std::min(most_larger, spread / std::max(distance, 1e-12f));
    const float cosine = dot(r.normal, direction);
    if (!(cosine > 0) || !(dot(r.face_normal, direction) > 0)) return 0;
    return std::min(most_larger, spread * cosine / std::max(distance, 1e-12f));
}

bool BrightPlace::turns(const Receiver& a, const Receiver& b) const {
    Vec3 to_a, to_b;
    if (!(larger(a, to_a) > 0) || !(larger(b, to_b) > 0)) return true;
    std::uint32_t ua = 0, va = 0, ub = 0, vb = 0;
    find_part(Frame(a.normal), to_a, ua, va);
    find_part(Frame(b.normal), to_b, ub, vb);
    const std::uint32_t turned = va > vb ? va - vb : vb - va;
    return (ua > ub ? ua - ub : ub - ua) > 1 || std::min(turned, high - turned) > 1;
}

float BrightAround::looked_around(Vec3 place) const {
    const auto h = static_cast<std::size_t>(half);
    float looked = 0;
    for (const LookedAt& b : blocks) looked += b.links[h] * counts_at(length(b.middle - place), block);
    for (std::size_t t = 0; t < tiles.size(); ++t)
        if (t != tile) looked += tiles[t].links[h] * counts_at(length(tiles[t].middle - place), block);
    return looked;
}

std::vector<NearBright> BrightAround::near(std::span<const std::uint32_t> rows) const {
    std::vector<NearBright> out, some;
    if (in_tile.empty() && in_region.empty()) return out;
    const Receiver& middle = middle_of(rows);
    const float looked = looked_around(middle.position);
    for (const std::vector<BrightPlace>* places : {&in_tile, &in_region}) {
        some.clear();
        for (const BrightPlace& p : *places)
            if (places == &in_tile || p.tile != tile)
                some.push_back({&p, counts_at(length(p.from - middle.position), block) / looked});
        keep_most(some, middle);
        for (const NearBright& n : some)
            if (const float sees = share_that_sees(*n.place, rows); sees > 0)
                out.push_back({n.place, n.weight * sees});
    }
    return out;
}

bool BrightAround::turn(std::span<const NearBright> near, std::span<const std::uint32_t> rows) const {
    constexpr float little = 0.1f;
    const Receiver& middle = middle_of(rows);
    float turning = 0, all = 0;
    for (const auto& [p, weight] : near) {
        Vec3 w;
        const float brings = std::sqrt(weight * p->square * p->larger(middle, w));
        all += brings;
        if (p->turns(receivers[rows.front()], middle) || p->turns(receivers[rows.back()], middle))
            turning += brings;
    }
    return turning > little * all;
}

/// Of some rows; all of those near to where it was met are taken to.
float BrightAround::share_that_sees(const BrightPlace& p, std::span<const std::uint32_t> rows) const {
    constexpr std::size_t looks = 4;
    if (length(p.from - middle_of(rows).position) < block) return 1;
    const std::size_t count = std::min(looks, rows.size());
    std::size_t seen = 0;
    for (std::size_t k = 0; k < count; ++k) {
        const Receiver& r = receivers[rows[k * rows.size() / count]];
        Vec3 way;
        if (!(p.larger(r, way) > 0)) continue;
        const float far = p.sky ? Ray{}.far : length(p.at - r.position) * 0.99f - 2 * ray_start_offset;
        seen += far > 0 && caster.blocked({r.position, way, far}) ? 0 : 1;
    }
    return static_cast<float>(seen) / static_cast<float>(count);
}

BrightParts::BrightParts()
    : mean_(wide * high, 0.0f), square_(wide * high, 0.0f), touched_(DirectionGuide::cells, 0) {}

void BrightParts::clear() {
    for (const std::uint16_t cell : cells_) {
        touched_[cell] = 0;
        std::fill_n(&mean_[cell * DirectionGuide::parts], DirectionGuide::parts, 0.0f);
        std::fill_n(&square_[cell * DirectionGuide::parts], DirectionGuide::parts, 0.0f);
    }
    cells_.clear();
}

void BrightParts::project(std::span<const NearBright> places, const Receiver& at, float light) {
    clear();
    const Frame frame(at.in_air ? Vec3{0, 0, 1} : at.normal);
    const float inverse = 1 / light;
    const auto touch = [&](std::uint32_t u, std::uint32_t v) {
        const std::uint32_t part = part_number(u, v), cell = part / DirectionGuide::parts;
        if (!touched_[cell]) {
            touched_[cell] = 1;
            cells_.push_back(static_cast<std::uint16_t>(cell));
        }
        return part;
    };
    for (const auto& [p, weight] : places) {
        Vec3 w;
        const float larger = p->larger(at, w);
        if (!(larger > 0)) continue;
        const float relative = p->light * inverse, brings = weight * p->square * inverse * inverse * larger;
        std::uint32_t u = 0, v = 0;
        if (at.in_air)
            find_part_of_sphere(w, u, v);
        else
            find_part(frame, w, u, v);
        const std::uint32_t part = touch(u, v);
        mean_[part] += brings / relative;
        // What few rays met in one part lies in the next one as well.
        constexpr float beside = 0.5f / 9;
        square_[part] += (0.5f + beside) * brings;
        for (int dv = -1; dv <= 1; ++dv)
            for (int du = -1; du <= 1; ++du) {
                const auto x = static_cast<std::uint32_t>(static_cast<int>(u) + du);
                if ((du == 0 && dv == 0) || x >= wide) continue;
                square_[touch(x, (v + high + static_cast<std::uint32_t>(dv)) % high)] += beside * brings;
            }
    }
}

}  // namespace stasigraph
