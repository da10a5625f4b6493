// game.sgl: what is packed comes back as it was, and no damage leads anywhere.

#include <gtest/gtest.h>

#include <cmath>
#include <cstring>

#include "shapes.hpp"
#include "stasigraph/game.h"
#include "stasigraph/game.hpp"
#include "stasigraph/game_file.hpp"
#include "stasigraph/mixer.hpp"
#include "support.hpp"

namespace test::game_tests {
namespace {

namespace rt = stasigraph::runtime;

/// Bytes that are aligned as a mapped file's are.
class Held {
public:
    explicit Held(const std::string& bytes) : words_((bytes.size() + 7) / 8), size_(bytes.size()) {
        if (size_ > 0) std::memcpy(words_.data(), bytes.data(), size_);
    }
    const void* data() const { return words_.data(); }
    std::size_t size() const { return size_; }

private:
    std::vector<std::uint64_t> words_;
    std::size_t size_;
};

/// A room with a crate, two sets, probes and two reflection probes.
struct Packed {
    Bake bake;
    Folder folder;
    std::string bytes;
    explicit Packed(GamePixels pixels = GamePixels::half, LightmapShape shape = LightmapShape::flat) {
        Level level;
        level.quality.tier = Tier::glance;
        level.lightmap.density = 8;
        level.lightmap.page = 64;
        level.lightmap.shape = shape;
        add_box(level, "room", {-2, 0, -2}, {3, 3, 2}, true, {0.5f, 0.4f, 0.3f});
        add_box(level, "crate", {1, 0, -1}, {1.6f, 0.6f, -0.4f}, false, {0.7f, 0.3f, 0.2f});
        Light lamp;
        lamp.name = "lamp";
        lamp.position = {0, 2.5f, 0};
        lamp.color = {30000, 280, 2};
        level.lights.push_back(lamp);
        add_quad(level, "panel", {2, 2.9f, 1}, {1, 2.9f, 1}, {1, 2.9f, -1}, {2, 2.9f, -1}, {0, 0, 0},
                 {9, 50, 90});
        level.volumes = {box_volume("room", {-1.8f, 0.2f, -1.8f}, {2.8f, 2.8f, 1.8f}, 1)};
        ReflectionProbe mirror;
        mirror.name = "room";
        mirror.middle = mirror.room_middle = {0.5f, 1.5f, 0};
        mirror.half = mirror.room_half = {2.5f, 1.5f, 2};
        mirror.capture = {-1, 1.2f, 0.5f};
        mirror.resolution = 32;
        ReflectionProbe ball = mirror;
        ball.name = "ball";
        ball.shape = ReflectionShape::sphere;
        ball.radius = 0.8f;
        ball.parallax = false;
        ball.capture = ball.middle = {0, 1, 0};
        level.reflections = {mirror, ball};
        complete_level(level);
        level.sets = {{"day", {1, 1}, {}, {}, none}, {"night", {0.25f, 1}, {{1, 0.5f, 0.25f}}, {}, none}};
        Job job;
        Baker baker(level, job);
        bake = {level, baker.atlas(), {}};
        bake.baked = light_and_capture(baker, level, {place_reflections(level, job)}, job).baked;
        save_game(folder / "game.sgl", {bake.level, bake.atlas}, bake.baked, {.pixels = pixels});
        bytes = read_text(folder / "game.sgl");
    }
};

void expect_near(rt::Color got, Rgb want, float share) {
    const float most = max_channel(want);
    EXPECT_NEAR(got.r, want.r, share * most);
    EXPECT_NEAR(got.g, want.g, share * most);
    EXPECT_NEAR(got.b, want.b, share * most);
}

TEST(Game, tells_what_the_baker_tells_at_ten_thousand_points_in_each_set) {
    const Packed p;
    rt::Game game;
    ASSERT_EQ(game.open((p.folder / "game.sgl").c_str()), rt::Status::ok) << game.message();
    EXPECT_TRUE(game.verify());
    ASSERT_EQ(game.set_count(), 2u);
    EXPECT_EQ(game.find_set("night"), 1u);
    EXPECT_EQ(game.find_set("noon"), rt::nothing);
    EXPECT_EQ(game.probe_count(), p.bake.baked.probes.size());
    Numbers numbers(8);
    for (std::uint32_t s = 0; s < 2; ++s) {
        const BakedSet& set = p.bake.baked.sets[s];
        int off = 0;
        for (int i = 0; i < 10000; ++i) {
            std::uint32_t hint = rt::nothing;
            const Vec3 at{-2.2f + 5.4f * numbers.next(), -0.1f + 3.2f * numbers.next(),
                          -2.2f + 4.4f * numbers.next()},
                normal = normalize(Vec3{numbers.next() - 0.5f, numbers.next() - 0.5f, numbers.next() - 0.5f});
            const Rgb want =
                probe_irradiance(probe_weights(p.bake.baked.probes, at), set.probes, set.lamps, at, normal);
            const rt::Weights w = game.weights({at.x, at.y, at.z}, hint);
            const rt::Color got = game.irradiance(s, w, {normal.x, normal.y, normal.z});
            const Rgb apart{got.r - want.r, got.g - want.g, got.b - want.b};
            off += max_channel(apart) > 0.005f * max_channel(want) ||
                   max_channel(apart * -1.0f) > 0.005f * max_channel(want);
            // The same of all nine coefficients at once.
            float all[27];
            game.coefficients(s, w, all);
            ShRgb sh;
            std::memcpy(sh.data(), all, sizeof all);
            rt::Weights anywhere = w;
            anywhere.placed = false;
            expect_near(game.irradiance(s, anywhere, {normal.x, normal.y, normal.z}),
                        sh_irradiance(sh, normal), 1e-4f);
        }
        // On edges of the hull, out of every probe's sight, it may matter where a walk came from.
        EXPECT_LE(off, 2) << "of ten thousand";
        // Lightmaps by the meter, and by the game's own place of that texel.
        for (std::uint32_t page = 0; page < game.page_count(); ++page)
            for (int i = 0; i < 5000; ++i) {
                const int side = set.pages[page].side,
                          x = static_cast<int>(numbers.next() * static_cast<float>(side)),
                          y = static_cast<int>(numbers.next() * static_cast<float>(side));
                expect_near(
                    game.page_light(s, page, static_cast<float>(x) + 0.5f, static_cast<float>(y) + 0.5f),
                    set.pages[page].texels[static_cast<std::size_t>(y * side + x)], 0.005f);
            }
    }
}

TEST(Game, names_places_gains_and_reflection_probes_come_back) {
    const Packed p;
    const Held held(p.bytes);
    rt::Game game;
    ASSERT_EQ(game.open(held.data(), held.size()), rt::Status::ok) << game.message();
    ASSERT_EQ(game.surface_count(), p.bake.level.surfaces.size());
    const std::uint32_t crate = game.find_surface("crate");
    ASSERT_NE(crate, rt::nothing);
    const rt::SurfaceInfo info = game.surface(crate);
    EXPECT_STREQ(info.name, "crate");
    EXPECT_EQ(info.page, p.bake.atlas.surfaces[crate].page);
    EXPECT_EQ(info.scale[0], p.bake.atlas.scale(crate).x);
    EXPECT_EQ(info.offset[1], p.bake.atlas.offset(crate).y);
    ASSERT_EQ(game.group_count(), 2u);
    EXPECT_STREQ(game.group_name(0), p.bake.level.groups[0].c_str());
    EXPECT_EQ(game.gain(1, 0).g, 0.125f);
    EXPECT_EQ(game.gain(1, 1).g, 1);
    // Reflection probes answer as the baker's do.
    ASSERT_EQ(game.reflection_count(), 2u);
    Numbers numbers(4);
    for (int i = 0; i < 2000; ++i) {
        const Vec3 at{-2.4f + 5.8f * numbers.next(), 3 * numbers.next(), -2.4f + 4.8f * numbers.next()},
            way = normalize(Vec3{numbers.next() - 0.5f, numbers.next() - 0.5f, numbers.next() - 0.5f});
        const ReflectionWeights want = reflection_weights(p.bake.baked.reflections, at, way);
        const rt::Reflections got = game.reflections({at.x, at.y, at.z}, {way.x, way.y, way.z});
        ASSERT_EQ(got.count, want.count);
        for (int k = 0; k < got.count; ++k) {
            EXPECT_EQ(got.probe[k], want.probe[static_cast<std::size_t>(k)]);
            EXPECT_EQ(got.weight[k], want.weight[static_cast<std::size_t>(k)]);
            const Vec3 to = lookup_direction(p.bake.baked.reflections[got.probe[k]], at, way);
            const rt::Vector led =
                game.reflection_direction(got.probe[k], {at.x, at.y, at.z}, {way.x, way.y, way.z});
            EXPECT_EQ((Vec3{led.x, led.y, led.z}), to);
        }
    }
    const rt::Pixels level = game.reflection_map(1, 1, 2);
    ASSERT_EQ(game.reflection_levels(1), 4u);
    EXPECT_EQ(level.side, 8u);
    EXPECT_EQ(level.size, 6u * 8 * 8 * 8);
    std::size_t pixels = 0, chunks = 0;
    for (std::uint32_t i = 0; i < game.chunk_count(); ++i) {
        chunks += game.chunk(i).size;
        if (std::string(game.chunk(i).tag) == "PIXELS") pixels = game.chunk(i).size;
    }
    EXPECT_GE(pixels, game.page_count() * 2u * 64 * 64 * 8);
    EXPECT_LE(chunks, p.bytes.size());
}

TEST(Game, shared_exponents_take_half_the_bytes_and_stay_within_their_step) {
    const Packed p(GamePixels::rgb9e5), whole;
    const Held held(p.bytes);
    rt::Game game;
    ASSERT_EQ(game.open(held.data(), held.size()), rt::Status::ok);
    EXPECT_LT(game.page(0, 0).size,
              0.51 * static_cast<double>(whole.bake.baked.sets[0].pages[0].texels.size()) * 8);
    for (std::uint32_t s = 0; s < 2; ++s) {
        const PageImage& page = p.bake.baked.sets[s].pages[0];
        for (int y = 0; y < page.side; ++y)
            for (int x = 0; x < page.side; ++x)
                // Half a step of nine bits under the brightest channel.
                expect_near(game.page_light(s, 0, static_cast<float>(x) + 0.5f, static_cast<float>(y) + 0.5f),
                            page.texels[static_cast<std::size_t>(y * page.side + x)], 1.0f / 511);
    }
}

TEST(Game, directional_pages_bring_their_coefficients_with_their_signs) {
    const Packed p(GamePixels::rgb9e5, LightmapShape::directional);
    const Held held(p.bytes);
    rt::Game game;
    ASSERT_EQ(game.open(held.data(), held.size()), rt::Status::ok);
    const rt::Pixels part = game.page(0, 0, 1);
    ASSERT_NE(part.data, nullptr);
    EXPECT_EQ(part.format, rt::PixelFormat::half4);
    const DirectionalPage& want = p.bake.baked.sets[0].directional[0];
    std::size_t below = 0;
    for (std::size_t i = 0; i < want.texels.size(); ++i) {
        std::uint16_t half;
        std::memcpy(&half, static_cast<const char*>(part.data) + 8 * i, 2);
        const float v = want.texels[i][0].r;
        below += v < 0;
        if (std::abs(v) > 1) {
            EXPECT_EQ((half & 0x8000u) != 0, v < 0);
        }
    }
    EXPECT_GT(below, 10u);
    EXPECT_EQ(game.page(0, 0, 3).side, part.side);
}

TEST(Game, the_same_level_gives_the_same_bytes) {
    EXPECT_TRUE(Packed().bytes == Packed().bytes);
}

TEST(Game, is_all_there_for_c) {
    const Packed p;
    rt::Game game;
    ASSERT_EQ(game.open((p.folder / "game.sgl").c_str()), rt::Status::ok);
    sgraph_game* c = nullptr;
    char text[64] = "";
    ASSERT_EQ(sgraph_game_open((p.folder / "game.sgl").c_str(), &c, text, sizeof text), SGRAPH_OK);
    EXPECT_EQ(sgraph_game_verify(c), 1);
    EXPECT_EQ(sgraph_game_set_count(c), 2u);
    EXPECT_STREQ(sgraph_game_set_name(c, sgraph_game_find_set(c, "night")), "night");
    EXPECT_EQ(sgraph_game_chunk_count(c), game.chunk_count());
    const float at[3] = {0.3f, 1.1f, 0.4f}, up[3] = {0, 1, 0};
    std::uint32_t hint = 0, other = 0;
    sgraph_weights w;
    sgraph_game_weights(c, at, &hint, &w);
    const rt::Weights same = game.weights({0.3f, 1.1f, 0.4f}, other);
    ASSERT_EQ(w.count, same.count);
    float rgb[3], mixed[27], page[3];
    sgraph_game_irradiance(c, 1, &w, up, rgb);
    EXPECT_EQ(rgb[0], game.irradiance(1, same, {0, 1, 0}).r);
    sgraph_game_mixed_coefficients(c, 1, &w, mixed);
    EXPECT_NEAR(mixed[0], sgraph_game_coefficients(c, 1, w.probe[0])[0], std::abs(mixed[0]));
    sgraph_surface s;
    sgraph_game_surface(c, sgraph_game_find_surface(c, "crate"), &s);
    EXPECT_STREQ(s.node, "crate");
    sgraph_pixels pixels;
    sgraph_game_page(c, 0, 0, 0, &pixels);
    EXPECT_EQ(pixels.format, 97u);
    sgraph_game_page_light(c, 0, 0, 20.5f, 20.5f, page);
    EXPECT_EQ(page[1], game.page_light(0, 0, 20.5f, 20.5f).g);
    sgraph_weights m;
    sgraph_game_reflections(c, at, up, &m);
    EXPECT_EQ(m.count, game.reflections({0.3f, 1.1f, 0.4f}, {0, 1, 0}).count);
    float way[3], led[3] = {0, 0, 1};
    sgraph_game_reflection_direction(c, 0, at, led, way);
    EXPECT_EQ(way[0], game.reflection_direction(0, {0.3f, 1.1f, 0.4f}, {0, 0, 1}).x);
    sgraph_game_reflection_map(c, 0, 0, 1, &pixels);
    EXPECT_EQ(pixels.side, 16u);
    sgraph_game_close(c);
    EXPECT_EQ(sgraph_game_open("/nowhere/game.sgl", &c, text, sizeof text), SGRAPH_NOT_FOUND);
    EXPECT_EQ(c, nullptr);
    EXPECT_STRNE(text, "");
}

/// Opens bytes and asks for whatever is there.
rt::Status survives(const std::string& bytes, std::string* message = nullptr) {
    const Held held(bytes);
    rt::Game game;
    const rt::Status status = game.open(held.data(), held.size());
    if (message) *message = game.message();
    if (status != rt::Status::ok) {
        EXPECT_STRNE(game.message(), "");
        return status;
    }
    std::size_t letters = 0;
    for (std::uint32_t i = 0; i < game.surface_count(); ++i) letters += std::strlen(game.surface(i).name);
    for (std::uint32_t s = 0; s < game.set_count(); ++s) {
        letters += std::strlen(game.set_name(s));
        for (std::uint32_t page = 0; page < game.page_count(); ++page) game.page_light(s, page, 3.2f, NAN);
        std::uint32_t hint = 0;
        for (const float x : {-9.0f, 0.1f, 2.0f})
            if (game.probe_count() > 0) game.irradiance(s, game.weights({x, 1, 0.3f}, hint), {0, 1, 0});
        for (std::uint32_t m = 0; m < game.reflection_count(); ++m)
            for (std::uint32_t l = 0; l < game.reflection_levels(m); ++l) {
                const rt::Pixels p = game.reflection_map(s, m, l);
                if (p.data) letters += static_cast<const unsigned char*>(p.data)[p.size - 1];
            }
    }
    game.reflections({0, 1, 0}, {0, 1, 0});
    game.verify();
    for (std::uint32_t z = 0; z < game.zone_count(); ++z) letters += std::strlen(game.zone_name(z));
    for (std::uint32_t i = 0; i < game.series_count(); ++i) letters += std::strlen(game.series_name(i));
    for (const rt::Paging paging : {rt::Paging::pair, rt::Paging::composite}) {
        rt::Mixer mixer;
        if (mixer.start(game, {.paging = paging}) != rt::Status::ok) {
            EXPECT_STRNE(mixer.message(), "");
            continue;
        }
        for (int i = 0; i < 4; ++i) {
            mixer.request(static_cast<std::uint32_t>(i) % std::max(1u, game.set_count()), rt::everywhere,
                          0.1f);
            mixer.follow(0, rt::nothing, 0.1f);
            mixer.set_layer(0, {2, 0, 1});
            mixer.advance(0.07);
            std::uint32_t hint = 7;
            mixer.sample({0, 1, 0}, {0, 1, 0}, hint);
            for (std::uint32_t s = 0; s < game.surface_count(); ++s) mixer.surface_light(s, 0.4f, 2);
        }
    }
    return letters > 0 ? status : rt::Status::ok;
}

TEST(Game, truncated_and_damaged_files_are_errors_and_never_more) {
    const Packed p;
    EXPECT_EQ(survives(p.bytes), rt::Status::ok);
    std::string message;
    for (std::size_t size = 0; size < p.bytes.size(); size += size < 1200 ? 13 : 4099)
        EXPECT_EQ(survives(p.bytes.substr(0, size)), rt::Status::damaged) << size;
    std::string newer = p.bytes;
    newer[8] = 2;
    EXPECT_EQ(survives(newer, &message), rt::Status::wrong_version);
    EXPECT_NE(message.find("newer major version"), std::string::npos);
    std::string minor = p.bytes;
    minor[10] = 9;
    EXPECT_EQ(survives(minor), rt::Status::ok) << "of a later minor version what is known is read";
    EXPECT_EQ(survives("not a packed level at all"), rt::Status::damaged);
    // Bytes of everything but the table of chunks, at random places and at every place of the short lists.
    Numbers numbers(17);
    int refused = 0;
    for (int i = 0; i < 4000; ++i) {
        std::string bytes = p.bytes;
        const std::size_t from = 64 + 28 * 40, span = i % 2
                                                          ? bytes.size() - from
                                                          : std::min<std::size_t>(9000, bytes.size() - from);
        for (int k = 0; k <= i % 3; ++k)
            bytes[from + static_cast<std::size_t>(numbers.next() * static_cast<float>(span - 1))] =
                static_cast<char>(static_cast<int>(numbers.next() * 255.99f));
        refused += survives(bytes) != rt::Status::ok;
    }
    EXPECT_GT(refused, 100);
    // A byte of the pixels is found by verify() alone.
    std::string last = p.bytes;
    for (std::size_t at = last.size() - 1; at > 0; --at)
        if (last[at] != 0) {
            last[at] = static_cast<char>(last[at] ^ 1);
            break;
        }
    const Held held(last);
    rt::Game game;
    if (game.open(held.data(), held.size()) == rt::Status::ok) {
        EXPECT_FALSE(game.verify());
    }
    // The table is held by its checksum.
    for (std::size_t at = 24; at < 64 + 28 * 40; at += 3) {
        std::string bytes = p.bytes;
        bytes[at] = static_cast<char>(bytes[at] ^ 0x41);
        if (at < 32 || at >= 64) {
            EXPECT_EQ(survives(bytes), rt::Status::damaged) << at;
        }
    }
}

SLOW_TEST(Game, the_tool_packs_says_what_takes_how_much_and_a_bake_keeps_it_up_to_date) {
    const fs::path sheet = demo_folder() / "observatory.toml";
    const Folder folder;
    const std::string out = " --out " + demo_glance().string(), file = (folder / "demo.sgl").string();
    const Ran r = tool("pack " + sheet.string() + out + " --file " + file + " --pixels rgb9e5 --json");
    ASSERT_EQ(r.status, 0) << r.err;
    const nlohmann::json j = r.json();
    std::size_t sum = 0;
    for (const auto& c : j["chunks"]) sum += c["bytes"].get<std::size_t>();
    EXPECT_EQ(j["bytes"].get<double>(), static_cast<double>(fs::file_size(file)));
    EXPECT_GT(static_cast<double>(sum), 0.99 * j["bytes"].get<double>());
    rt::Game game;
    ASSERT_EQ(game.open(file.c_str()), rt::Status::ok);
    EXPECT_TRUE(game.verify());
    EXPECT_NE(game.find_set("observing"), rt::nothing);
    EXPECT_GT(game.reflection_count(), 5u);
    EXPECT_NE(tool("pack " + sheet.string() + out + " --file " + file).out.find("PIXELS"), std::string::npos);
    // Nothing baked: an error that says what to do.
    const Ran none_there = tool("pack " + sheet.string() + " --out " + (folder / "empty").string());
    EXPECT_EQ(none_there.status, 1);
    EXPECT_NE(none_there.err.find("stasigraph bake"), std::string::npos) << none_there.err;
}

}  // namespace
}  // namespace test::game_tests
