// Sets that switch and mix at runtime, beside the exact mix of what was baked.

#include <gtest/gtest.h>

#include <atomic>
#include <cmath>
#include <cstdlib>
#include <new>

#include "probe/lamps.hpp"
#include "stasigraph/mixer.h"
#include "two_rooms.hpp"

namespace {
std::atomic<bool> counting{false};
std::atomic<int> allocations{0};
}  // namespace

// Counts what the library asks the heap for, whichever way. Sanitizers have a heap of their own.
#ifndef STASIGRAPH_SANITIZED
extern "C" void* __libc_malloc(std::size_t size);
extern "C" void* malloc(std::size_t size) noexcept {
    if (counting) ++allocations;
    return __libc_malloc(size);
}
#endif

namespace test::mixer_tests {
namespace {

constexpr std::uint32_t day = 0, night = 1, alarm_set = 2, left = 0, right = 1;

float scale_of(const rt::Pixels& p) {
    return std::ldexp(1.0f, p.exponent);
}
float half_value(std::uint16_t h) {
    const int e = h >> 10 & 31, f = h & 1023;
    const float v =
        e == 0 ? std::ldexp(static_cast<float>(f), -24) : std::ldexp(static_cast<float>(f + 1024), e - 25);
    return h & 0x8000 ? -v : v;
}
/// A texel as a shader reads it.
Rgb texel(const rt::Pixels& p, int x, int y) {
    const auto* at = static_cast<const unsigned char*>(p.data) +
                     (static_cast<std::size_t>(y) * p.side + static_cast<std::size_t>(x)) *
                         (p.format == rt::PixelFormat::half4 ? 8 : 4);
    if (p.format == rt::PixelFormat::half4) {
        std::uint16_t h[4];
        std::memcpy(h, at, 8);
        EXPECT_EQ(h[3], 0x3c00) << "the fourth channel is 1";
        return Rgb{half_value(h[0]), half_value(h[1]), half_value(h[2])} * scale_of(p);
    }
    std::uint32_t w;
    std::memcpy(&w, at, 4);
    const float s = std::ldexp(1.0f, static_cast<int>(w >> 27) - 24) * scale_of(p);
    return Rgb{static_cast<float>(w & 511), static_cast<float>(w >> 9 & 511),
               static_cast<float>(w >> 18 & 511)} *
           s;
}
Rgb shaded(const rt::PagePair& p, int x, int y) {
    return texel(p.from, x, y) * (1 - p.weight) + texel(p.to, x, y) * p.weight;
}

/// Whether the middle of a texel of a layout lies on its surface: others may be packed into its gaps.
bool on_surface(const Layout& l, int x, int y) {
    const Vec2 p{static_cast<float>(x) + 0.5f, static_cast<float>(y) + 0.5f};
    for (std::size_t i = 0; i + 2 < l.indices.size(); i += 3) {
        int signs = 0;
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec2 a = l.uv[l.indices[i + k]], b = l.uv[l.indices[i + (k + 1) % 3]];
            signs += cross(b - a, p - a) >= 0 ? 1 : -1;
        }
        if (signs == 3 || signs == -3) return true;
    }
    return false;
}

float apart(Rgb a, Rgb b) {
    return std::max({std::abs(a.r - b.r), std::abs(a.g - b.g), std::abs(a.b - b.b)});
}
Rgb rgb(rt::Color c) {
    return {c.r, c.g, c.b};
}

/// What each zone should show: shares of the sets, and then what the first group is multiplied by on top.
struct Mix {
    float share[3] = {};
    Rgb layer{0, 0, 0};
};

Rgb exact_probe_light(const Bake& b, const std::vector<std::uint32_t>& zones, const Mix (&mix)[3], Vec3 at,
                      Vec3 n) {
    const ProbeWeights w = probe_weights(b.baked.probes, at);
    ProbeLight rest(b.baked.probes.size());
    Rgb lamps;
    for (std::size_t s = 0; s < 4; ++s) {
        const ProbeLamps& own = b.baked.sets[s].lamps;
        const auto gain_at = [&](std::uint32_t p) {
            const Mix& m = mix[zones[p] == none ? 2 : zones[p]];
            return s < 3 ? Rgb{m.share[s], m.share[s], m.share[s]} : m.layer;
        };
        for (int k = 0; k < w.count; ++k) {
            const std::uint32_t p = w.probe[static_cast<std::size_t>(k)];
            for (std::size_t i = 0; i < 9; ++i) rest[p][i] += own.rest[p][i] * gain_at(p);
        }
        rt::LampSum sum;
        for (std::size_t k = 0; k < static_cast<std::size_t>(w.count); ++k)
            sum.add_probe({own.first.data(), own.entry.data()}, w.probe[k], w.weight[k], nullptr);
        for (int i = 0; i < sum.count(); ++i) {
            const std::uint32_t lamp = sum.number(i);
            const float seen = sum.seen(view_of(own), i);
            if (!(seen > 0)) continue;
            float listed = 0;
            Rgb gain;
            for (std::size_t k = 0; k < static_cast<std::size_t>(w.count); ++k)
                for (std::uint32_t e = own.first[w.probe[k]]; e < own.first[w.probe[k] + 1]; ++e)
                    if (rt::lamp_of(own.entry[e]) == lamp) {
                        gain += gain_at(w.probe[k]) * w.weight[k];
                        listed += w.weight[k];
                    }
            const float lux =
                rt::lamp_light(view_of(own), own.lamp[lamp], {at.x, at.y, at.z}, {n.x, n.y, n.z});
            lamps += own.color[lamp] * gain * (lux * seen / listed);
        }
    }
    return probe_irradiance(w, rest, n) + lamps;
}

/// Compares a mixer with the exact mix: probes at ten thousand points in both rooms and between them, and as
/// many places of surfaces.
void expect_exact(const TwoRooms& t, const rt::Mixer& mixer, const Mix (&mix)[3], int points = 10000) {
    Numbers numbers(11);
    int off = 0;
    for (int i = 0; i < points; ++i) {
        const Vec3 at{-4.2f + 8.4f * numbers.next(), -0.1f + 3.2f * numbers.next(),
                      -2.2f + 4.4f * numbers.next()},
            n = normalize(Vec3{numbers.next() - 0.5f, numbers.next() - 0.5f, numbers.next() - 0.5f});
        const Rgb want = exact_probe_light(t.bake, t.links.probe, mix, at, n);
        std::uint32_t hint = rt::nothing;
        const Rgb got = rgb(mixer.sample({at.x, at.y, at.z}, {n.x, n.y, n.z}, hint));
        off += apart(got, want) > 0.005f * max_channel(want) + 1e-5f;
        // The same as a shader has it.
        const rt::PlaceLight light = mixer.light({at.x, at.y, at.z}, hint);
        ShRgb sh;
        std::memcpy(sh.data(), light.coefficients, sizeof light.coefficients);
        Rgb shaded = sh_irradiance(sh, n);
        for (int l = 0; l < light.count; ++l) {
            const rt::LampLight& lamp = light.lamp[l];
            const float cosine = std::max(0.0f, dot(n, {lamp.toward[0], lamp.toward[1], lamp.toward[2]}));
            shaded += Rgb{lamp.lux[0], lamp.lux[1], lamp.lux[2]} * cosine;
        }
        EXPECT_LE(apart(shaded, got), 2e-3f * max_channel(got) + 1e-4f);
    }
    EXPECT_LE(off, std::max(1, points / 5000))
        << "of " << points << " (where nothing sees a place its neighbours are free)";
    for (std::uint32_t s = 0; s < t.bake.level.surfaces.size(); ++s) {
        const SurfaceUv& uv = t.bake.atlas.surfaces[s];
        const Layout& layout = t.bake.atlas.layouts[uv.layout];
        const Mix& m = mix[t.links.surface[s] == none ? 2 : t.links.surface[s]];
        for (int i = 0; i < points / 4; ++i) {
            const int x = static_cast<int>(numbers.next() * static_cast<float>(layout.width)),
                      y = static_cast<int>(numbers.next() * static_cast<float>(layout.height));
            const auto at = static_cast<std::size_t>((uv.y + y) * t.bake.atlas.pages[uv.page] + uv.x + x);
            Rgb want = t.bake.baked.sets[3].pages[uv.page].texels[at] * m.layer;
            float most = max_channel(want);
            for (std::size_t k = 0; k < 3; ++k) {
                const Rgb own = t.bake.baked.sets[k].pages[uv.page].texels[at] * m.share[k];
                want += own;
                most = std::max(most, max_channel(own));
            }
            const Rgb got =
                rgb(mixer.surface_light(s, (static_cast<float>(x) + 0.5f) / static_cast<float>(layout.width),
                                        (static_cast<float>(y) + 0.5f) / static_cast<float>(layout.height)));
            // Half floats round each page by 1/2048 of it, which shows where a layer is taken off again.
            const float rounding = m.layer == Rgb{0, 0, 0} ? 0 : 0.0006f * most;
            ASSERT_LE(apart(got, want), 0.005f * max_channel(want) + rounding + 1e-4f)
                << t.bake.level.surfaces[s].name << " " << x << " " << y;
        }
    }
}

/// The same by the light meter, at ten thousand places of surfaces.
void expect_metered(const TwoRooms& t, const rt::Mixer& mixer, const Mix (&mix)[3]) {
    constexpr int points = 10000;
    Numbers numbers(23);
    std::vector<MeterPoint> asked;
    std::vector<std::array<float, 3>> where;  // surface, u, v
    while (asked.size() < points) {
        const auto s = static_cast<std::uint32_t>(numbers.next() * 0.999f *
                                                  static_cast<float>(t.bake.level.surfaces.size()));
        const Surface& surface = t.bake.level.surfaces[s];
        const Mesh& mesh = t.bake.level.meshes[surface.mesh];
        const Layout& layout = t.bake.atlas.layouts[t.bake.atlas.surfaces[s].layout];
        const auto triangle =
            static_cast<std::size_t>(numbers.next() * 0.999f * static_cast<float>(mesh.indices.size() / 3));
        float b[3] = {0.05f + numbers.next(), 0.05f + numbers.next(), 0.05f + numbers.next()};
        const float sum = b[0] + b[1] + b[2];
        Vec3 place, corner[3];
        Vec2 uv;
        for (std::size_t k = 0; k < 3; ++k) {
            corner[k] = transform_point(surface.to_world, mesh.positions[mesh.indices[3 * triangle + k]]);
            place = place + corner[k] * (b[k] / sum);
            uv = uv + layout.uv[layout.indices[3 * triangle + k]] * (b[k] / sum);
        }
        asked.push_back({place, normalize(cross(corner[1] - corner[0], corner[2] - corner[0]))});
        where.push_back({static_cast<float>(s), uv.x / static_cast<float>(layout.width),
                         uv.y / static_cast<float>(layout.height)});
    }
    Job job;
    std::vector<MeterReading> by_set[4];
    for (std::size_t s = 0; s < 4; ++s)
        by_set[s] = meter_lightmap({t.bake.level, t.bake.atlas}, t.bake.baked.sets[s], asked, 0.01f, job);
    int off = 0, read = 0;
    for (std::size_t i = 0; i < asked.size(); ++i) {
        const auto s = static_cast<std::uint32_t>(where[i][0]);
        if (!by_set[0][i].irradiance || by_set[0][i].surface != t.bake.level.surfaces[s].name) continue;
        ++read;
        const Mix& m = mix[t.links.surface[s] == none ? 2 : t.links.surface[s]];
        Rgb want = *by_set[3][i].irradiance * m.layer;
        for (std::size_t k = 0; k < 3; ++k) want += *by_set[k][i].irradiance * m.share[k];
        off += apart(rgb(mixer.surface_light(s, where[i][1], where[i][2])), want) >
               0.005f * max_channel(want) + 1e-3f;
    }
    EXPECT_GT(read, 9900);
    EXPECT_EQ(off, 0) << "of " << read;
}

TEST(Mixer, equals_the_baker_in_each_set_and_in_the_middle_of_fades_in_and_between_zones) {
    const TwoRooms& t = TwoRooms::whole();
    rt::Mixer mixer;
    ASSERT_EQ(mixer.start(t.game), rt::Status::ok) << mixer.message();
    for (const std::uint32_t set : {day, night, alarm_set}) {
        ASSERT_TRUE(mixer.request(set, rt::everywhere, 0));
        mixer.advance(0);
        Mix all[3];
        for (Mix& m : all) m.share[set] = 1;
        expect_exact(t, mixer, all);
        expect_metered(t, mixer, all);
    }
    // One room turns to night, the other to alarm, at another pace and by another curve.
    mixer.request(day, rt::everywhere, 0);
    mixer.request(night, left, 4, rt::Curve::linear);
    mixer.request(alarm_set, right, 2, rt::Curve::smooth);
    mixer.advance(0.6);
    Mix mid[3];
    mid[2].share[day] = 1;
    mid[left].share[night] = 0.15f;
    mid[left].share[day] = 0.85f;
    const float smooth = 0.3f * 0.3f * (3 - 2 * 0.3f);
    mid[right].share[alarm_set] = smooth;
    mid[right].share[day] = 1 - smooth;
    expect_exact(t, mixer, mid);
    expect_metered(t, mixer, mid);
    rt::Term terms[4];
    ASSERT_EQ(mixer.terms(left, terms, 4), 2u);
    EXPECT_EQ(terms[1].set, night);
    EXPECT_NEAR(terms[1].weight, 0.15f, 1e-6f);
    EXPECT_NEAR(mixer.progress(right), 0.3f, 1e-6f);
    mixer.advance(10);
    EXPECT_EQ(mixer.progress(right), 1);
    ASSERT_EQ(mixer.terms(right, terms, 4), 1u);
    EXPECT_EQ(terms[0].set, alarm_set);
}

TEST(Mixer, a_shader_gets_two_pages_and_a_weight_also_when_a_fade_is_turned_to_a_third_set) {
    for (const GamePixels pixels : {GamePixels::half, GamePixels::rgb9e5}) {
        const TwoRooms t(pixels);
        const float step = pixels == GamePixels::half ? 1.0f / 1024 : 1.0f / 255;
        rt::Mixer mixer;
        ASSERT_EQ(mixer.start(t.game, {.bytes = 6000}), rt::Status::ok);
        mixer.request(night, left, 1);
        mixer.advance(0.4);
        ASSERT_TRUE(mixer.request(alarm_set, left, 1));
        int waited = 0, fading = 0;
        const std::uint32_t surface = t.game.find_surface("left_room"), page = t.game.surface(surface).page;
        ASSERT_EQ(t.game.surface(surface).zone, left);
        const SurfaceUv& uv = t.bake.atlas.surfaces[surface];
        const Layout& layout = t.bake.atlas.layouts[uv.layout];
        for (int frame = 0; frame < 400; ++frame) {
            waited += mixer.waits(left);
            mixer.advance(1.0 / 60);
            fading += mixer.progress(left) < 1 && !mixer.waits(left);
            std::size_t written = 0;
            for (std::uint32_t i = 0; i < mixer.changed_count(); ++i)
                written +=
                    mixer.changed(i).width * mixer.changed(i).height * (pixels == GamePixels::half ? 8 : 4);
            EXPECT_LE(written, std::max<std::size_t>(6000, pixels == GamePixels::half ? 8192 : 4096));
            const rt::PagePair p = mixer.surface_pages(surface);
            ASSERT_NE(p.from.data, nullptr);
            for (int i = 0; i < 40; ++i) {
                const int x = (frame * 7 + i * 13) % layout.width, y = (frame * 3 + i * 29) % layout.height;
                if (!on_surface(layout, x, y)) continue;
                const Rgb want = rgb(mixer.surface_light(
                    surface, (static_cast<float>(x) + 0.5f) / static_cast<float>(layout.width),
                    (static_cast<float>(y) + 0.5f) / static_cast<float>(layout.height)));
                ASSERT_LE(apart(shaded(p, uv.x + x, uv.y + y), want), step * max_channel(want) + 2e-3f)
                    << "frame " << frame << " waits " << mixer.waits(left) << " at " << uv.x + x << ", "
                    << uv.y + y << " of " << uv.page;
            }
            if (mixer.progress(left) == 1 && frame > 60) break;
        }
        EXPECT_GT(waited, 3) << "what is shown is written first";
        EXPECT_GE(fading, 59);
        EXPECT_EQ(mixer.surface_pages(surface).to_set, alarm_set);
        EXPECT_EQ(mixer.pages(right, page).to_set, day) << "the other room has not moved";
    }
}

TEST(Mixer, nothing_jumps_whatever_is_asked_for_and_whenever) {
    const TwoRooms& t = TwoRooms::whole();
    for (const rt::Paging paging : {rt::Paging::pair, rt::Paging::many, rt::Paging::composite}) {
        rt::Mixer mixer;
        ASSERT_EQ(mixer.start(t.game, {.paging = paging, .bytes = 20000}), rt::Status::ok);
        Numbers numbers(5);
        std::uint32_t hint = rt::nothing, other = rt::nothing;
        const rt::Vector here{-2, 1.2f, 0.1f}, border{-0.05f, 1.4f, 0}, up{0, 1, 0};
        Rgb before = rgb(mixer.sample(here, up, hint)), at_border = rgb(mixer.sample(border, up, other));
        const float all = max_channel(before);
        float most = 0, moved = 0;
        for (int frame = 0; frame < 3000; ++frame) {
            if (numbers.next() < 0.08f) {
                const auto set = static_cast<std::uint32_t>(numbers.next() * 2.99f);
                const std::uint32_t zone = numbers.next() < 0.5f ? left : rt::everywhere;
                const float seconds = 0.5f + numbers.next();
                ASSERT_TRUE(mixer.request(set, zone, seconds,
                                          numbers.next() < 0.5f ? rt::Curve::linear : rt::Curve::smooth));
            }
            mixer.advance(1.0 / 120);
            const Rgb now = rgb(mixer.sample(here, up, hint)), then = rgb(mixer.sample(border, up, other));
            most = std::max({most, apart(now, before) / all, apart(then, at_border) / all});
            moved += apart(now, before) / all;
            before = now;
            at_border = then;
        }
        // The quickest: half a second, at one and a half times its mean speed, all the way.
        EXPECT_LE(most, 1.5f / 60 * 1.02f);
        EXPECT_GT(moved, 5) << "it does fade";
    }
}

TEST(Mixer, turning_back_or_on_to_the_same_set_never_waits) {
    const TwoRooms& t = TwoRooms::whole();
    rt::Mixer mixer;
    ASSERT_EQ(mixer.start(t.game), rt::Status::ok);
    mixer.request(night, left, 1, rt::Curve::linear);
    mixer.advance(0.25);
    mixer.request(day, left, 2, rt::Curve::linear);
    EXPECT_FALSE(mixer.waits(left));
    rt::Term terms[2];
    mixer.advance(0);
    ASSERT_EQ(mixer.terms(left, terms, 2), 2u);
    EXPECT_NEAR(terms[0].weight, 0.75f, 1e-6f);
    mixer.advance(1);
    mixer.terms(left, terms, 2);
    EXPECT_NEAR(terms[0].weight, 0.875f, 1e-6f);
    mixer.request(day, left, 0.5f, rt::Curve::linear);
    mixer.advance(0.25);
    mixer.terms(left, terms, 2);
    EXPECT_NEAR(terms[0].weight, 0.9375f, 1e-6f);
    // A third set waits; a second thought within that ends it.
    mixer.request(alarm_set, left, 1);
    EXPECT_TRUE(mixer.waits(left));
    mixer.request(night, left, 1);
    EXPECT_FALSE(mixer.waits(left));
    mixer.request(alarm_set, left, 0);
    mixer.advance(0);
    EXPECT_EQ(mixer.terms(left, terms, 2), 1u);
    EXPECT_EQ(mixer.progress(left), 1);
    // What is not there.
    EXPECT_FALSE(mixer.request(9, left, 1));
    EXPECT_FALSE(mixer.request(day, 7, 1));
    EXPECT_FALSE(mixer.request(day, left, -1));
    EXPECT_FALSE(mixer.request(day, left, NAN));
    EXPECT_FALSE(mixer.follow(0, left, 1));
    EXPECT_FALSE(mixer.set_layer(3, {1, 1, 1}));
}

TEST(Mixer, composited_pages_follow_within_the_budget_and_zone_by_zone) {
    for (const GamePixels pixels : {GamePixels::half, GamePixels::rgb9e5}) {
        const TwoRooms t(pixels);
        const std::size_t texel_size = pixels == GamePixels::half ? 8 : 4, budget = 5 * 1024 * texel_size;
        rt::Mixer mixer;
        ASSERT_EQ(mixer.start(t.game, {.paging = rt::Paging::composite, .bytes = budget}), rt::Status::ok);
        const rt::PagePair before = mixer.pages(left, 0);
        ASSERT_NE(before.from.data, nullptr);
        EXPECT_EQ(before.from.data, mixer.pages(right, 0).to.data);
        mixer.request(night, left, 0);
        int frames = 0;
        std::size_t tiles = 0;
        for (; frames < 50; ++frames) {
            mixer.advance(0.01);
            std::size_t written = 0;
            for (std::uint32_t i = 0; i < mixer.changed_count(); ++i) {
                const rt::Tile tile = mixer.changed(i);
                written += tile.width * tile.height * texel_size;
                EXPECT_LE(tile.x + tile.width, static_cast<std::uint32_t>(t.bake.atlas.pages[tile.page]));
            }
            EXPECT_LE(written, budget);
            tiles += mixer.changed_count();
            if (mixer.changed_count() == 0) break;
        }
        EXPECT_GE(frames, 2) << "five tiles a frame";
        std::size_t all = 0;
        for (const int side : t.bake.atlas.pages)
            all += static_cast<std::size_t>(side / 32) * static_cast<std::size_t>(side / 32);
        EXPECT_LT(tiles, all) << "the other room's are left alone";
        EXPECT_TRUE(mixer.whole(0));
        const float step = pixels == GamePixels::half ? 1.0f / 1500 : 1.0f / 400;
        for (std::uint32_t s = 0; s < t.game.surface_count(); ++s) {
            const SurfaceUv& uv = t.bake.atlas.surfaces[s];
            const Layout& layout = t.bake.atlas.layouts[uv.layout];
            const std::size_t set = t.game.surface(s).zone == left ? night : day;
            for (int y = 0; y < layout.height; ++y)
                for (int x = 0; x < layout.width; ++x) {
                    const Rgb want = t.bake.baked.sets[set].pages[uv.page].texels[static_cast<std::size_t>(
                        (uv.y + y) * t.bake.atlas.pages[uv.page] + uv.x + x)];
                    if (!on_surface(layout, x, y)) continue;
                    ASSERT_LE(apart(texel(mixer.pages(left, uv.page).from, uv.x + x, uv.y + y), want),
                              step * max_channel(want) + 2e-3f)
                        << t.game.surface(s).name << " " << x << " " << y;
                }
        }
        // Time as a budget: a tile at least.
        rt::Mixer timed;
        ASSERT_EQ(timed.start(t.game, {.paging = rt::Paging::composite, .microseconds = 0.001}),
                  rt::Status::ok);
        timed.request(night, rt::everywhere, 0);
        timed.advance(0);
        EXPECT_EQ(timed.changed_count(), 1u);
        EXPECT_FALSE(timed.whole(0));
    }
}

TEST(Mixer, a_layer_is_dimmed_tinted_and_brought_back_bounces_included) {
    const TwoRooms& t = TwoRooms::whole();
    ASSERT_EQ(t.game.layer_count(), 1u);
    const std::uint32_t lamp = t.game.find_layer("left lamp");
    ASSERT_EQ(lamp, 0u);
    EXPECT_EQ(t.game.find_layer("right lamp"), rt::nothing);
    rt::Mixer mixer;
    ASSERT_EQ(mixer.start(t.game, {.set = night}), rt::Status::ok);
    // As a set without that group, at a third of it, and tinted on top of it.
    const auto expect = [&](rt::Color scale, rt::Color add, Rgb gain) {
        ASSERT_TRUE(mixer.set_layer(lamp, scale, add));
        mixer.advance(0);
        Mix all[3];
        for (Mix& m : all) {
            m.share[night] = 1;
            m.layer = gain - Rgb{0.25f, 0.125f, 0.0625f};
        }
        expect_exact(t, mixer, all, 2000);
        EXPECT_LE(apart(rgb(mixer.gain(0, left)), gain), 1e-5f);
    };
    expect({1, 1, 1}, {}, {0.25f, 0.125f, 0.0625f});
    expect({0.3f, 0.3f, 0.3f}, {}, {0.075f, 0.0375f, 0.01875f});
    expect({0, 0, 0}, {0.1f, 0.4f, 0.9f}, {0.1f, 0.4f, 0.9f});
    // Dark where the lamp was all there was.
    ASSERT_TRUE(mixer.set_layer(lamp, {0, 0, 0}));
    mixer.advance(0);
    std::uint32_t hint = 0;
    EXPECT_LE(max_channel(rgb(mixer.sample({-2, 1, 0}, {0, 1, 0}, hint))), 0.02f);
    EXPECT_LE(max_channel(rgb(mixer.surface_light(t.game.find_surface("left_crate"), 0.5f, 0.5f))), 0.3f);
    EXPECT_EQ(rgb(mixer.gain(1, left)), (Rgb{1, 1, 1}));
}

TEST(Mixer, allocates_nothing_once_it_has_started) {
    const TwoRooms& t = TwoRooms::whole();
    for (const rt::Paging paging : {rt::Paging::pair, rt::Paging::many, rt::Paging::composite}) {
        rt::Mixer mixer;
        ASSERT_EQ(mixer.start(t.game, {.paging = paging}), rt::Status::ok);
        std::uint32_t hint = 0;
        float all[27], sum = 0;
        allocations = 0;
        counting = true;
        for (int i = 0; i < 500; ++i) {
            if (i % 7 == 0)
                mixer.request(static_cast<std::uint32_t>(i) % 3, i % 2 ? left : rt::everywhere, 0.3f);
            mixer.set_layer(0, {0.5f, 0.5f, static_cast<float>(i % 5)});
            mixer.advance(1.0 / 60);
            sum += mixer.sample({-3 + static_cast<float>(i) * 0.01f, 1, 0}, {0, 1, 0}, hint).g;
            mixer.sample({0, 1, 0}, hint, all);
            sum += mixer.surface_light(0, 0.3f, 0.3f).g + mixer.surface_pages(0).weight;
            sum += static_cast<float>(t.game.reflections({0, 1, 0}, {0, 1, 0}).count);
        }
        counting = false;
        EXPECT_EQ(allocations.load(), 0);
        EXPECT_GT(sum, 0);
    }
}

TEST(Mixer, reads_levels_of_an_older_minor_version_which_have_no_zones) {
    const std::string file = std::string(STASIGRAPH_SOURCE) + "/tests/data/minor0.sgl";
    rt::Game game;
    ASSERT_EQ(game.open(file.c_str()), rt::Status::ok) << game.message();
    EXPECT_TRUE(game.verify());
    EXPECT_EQ(game.zone_count(), 0u);
    EXPECT_EQ(game.surface(0).zone, rt::nothing);
    EXPECT_EQ(game.probe_zone(0), rt::nothing);
    rt::Mixer mixer;
    ASSERT_EQ(mixer.start(game, {.paging = rt::Paging::composite}), rt::Status::ok) << mixer.message();
    std::uint32_t hint = 0;
    const float before = mixer.sample({0, 1.5f, 0}, {0, 1, 0}, hint).g;
    const std::uint32_t other = game.find_set("night");
    ASSERT_TRUE(mixer.request(other, rt::nothing, 0));
    mixer.advance(0);
    const float want = game.irradiance(other, game.weights({0, 1.5f, 0}, hint), {0, 1, 0}).g;
    EXPECT_NE(want, before);
    EXPECT_EQ(mixer.sample({0, 1.5f, 0}, {0, 1, 0}, hint).g, want);
}

TEST(Mixer, is_all_there_for_c) {
    const TwoRooms& t = TwoRooms::whole();
    sgraph_game* game = nullptr;
    ASSERT_EQ(sgraph_game_open((t.folder / "game.sgl").c_str(), &game, nullptr, 0), SGRAPH_OK);
    EXPECT_EQ(sgraph_game_zone_count(game), 2u);
    EXPECT_STREQ(sgraph_game_zone_name(game, sgraph_game_find_zone(game, "right")), "right");
    EXPECT_EQ(sgraph_game_layer_count(game), 1u);
    std::uint32_t group, set;
    sgraph_game_layer(game, 0, &group, &set);
    EXPECT_STREQ(sgraph_game_set_name(game, set), "layer-left lamp");
    EXPECT_EQ(sgraph_game_series_count(game), 0u);
    sgraph_mixer* c = nullptr;
    char text[64] = "";
    const sgraph_mixer_options wrong = {SGRAPH_PAIR, 99, 1 << 20, 0};
    EXPECT_EQ(sgraph_mixer_start(game, &wrong, &c, text, sizeof text), SGRAPH_NOT_FOUND);
    EXPECT_EQ(c, nullptr);
    EXPECT_STREQ(text, "there is no such set");
    ASSERT_EQ(sgraph_mixer_start(game, nullptr, &c, text, sizeof text), SGRAPH_OK);
    rt::Mixer mixer;
    ASSERT_EQ(mixer.start(t.game), rt::Status::ok);
    EXPECT_EQ(sgraph_mixer_request(c, night, left, 2, SGRAPH_LINEAR), 1);
    EXPECT_EQ(sgraph_mixer_request(c, 77, left, 2, SGRAPH_LINEAR), 0);
    EXPECT_EQ(sgraph_mixer_follow(c, 0, SGRAPH_EVERYWHERE, 2, SGRAPH_LINEAR), 0);
    mixer.request(night, left, 2, rt::Curve::linear);
    const float half[3] = {0.5f, 0.5f, 0.5f};
    EXPECT_EQ(sgraph_mixer_set_layer(c, 0, half, nullptr), 1);
    mixer.set_layer(0, {0.5f, 0.5f, 0.5f});
    sgraph_mixer_advance(c, 0.5);
    mixer.advance(0.5);
    sgraph_mixer_set_clock(c, 30, 1);
    EXPECT_EQ(sgraph_mixer_clock(c), 6);
    EXPECT_EQ(sgraph_mixer_progress(c, left), 0.25f);
    EXPECT_EQ(sgraph_mixer_waits(c, left), 0);
    EXPECT_EQ(sgraph_mixer_whole(c, 0), 1);
    EXPECT_EQ(sgraph_mixer_changed_count(c), 0u);
    const float at[3] = {-2, 1, 0}, up[3] = {0, 1, 0};
    std::uint32_t hint = 0, other = 0;
    float got[3], all[27], same_all[27];
    sgraph_mixer_sample(c, at, up, &hint, got);
    EXPECT_EQ((Rgb{got[0], got[1], got[2]}), rgb(mixer.sample({-2, 1, 0}, {0, 1, 0}, other)));
    sgraph_weights w;
    sgraph_game_weights(game, at, &hint, &w);
    sgraph_mixer_sample_weights(c, &w, up, got);
    EXPECT_EQ((Rgb{got[0], got[1], got[2]}), rgb(mixer.sample({-2, 1, 0}, {0, 1, 0}, other)));
    sgraph_mixer_sample_coefficients(c, at, &hint, all);
    sgraph_mixer_weights_coefficients(c, &w, same_all);
    EXPECT_EQ(std::memcmp(all, same_all, sizeof all), 0);
    sgraph_mixer_surface_light(c, 0, 0.4f, 0.4f, got);
    EXPECT_EQ((Rgb{got[0], got[1], got[2]}), rgb(mixer.surface_light(0, 0.4f, 0.4f)));
    sgraph_term terms[2];
    ASSERT_EQ(sgraph_mixer_terms(c, left, terms, 2), 2u);
    EXPECT_EQ(terms[1].weight, 0.25f);
    sgraph_mixer_layer_gain(c, 0, left, got);
    EXPECT_EQ((Rgb{got[0], got[1], got[2]}), rgb(mixer.layer_gain(0, left)));
    sgraph_mixer_gain(c, 0, left, got);
    EXPECT_EQ(got[0], mixer.gain(0, left).r);
    sgraph_page_pair pair;
    sgraph_mixer_surface_pages(c, 0, 0, &pair);
    EXPECT_EQ(pair.weight, 0.25f);
    EXPECT_EQ(pair.to_set, night);
    sgraph_mixer_pages(c, SGRAPH_NOTHING, 0, 0, &pair);
    EXPECT_EQ(pair.to_set, day);
    EXPECT_EQ(pair.to.side, 128u);
    sgraph_mixer_stop(c);
    sgraph_game_close(game);
}

}  // namespace
}  // namespace test::mixer_tests
