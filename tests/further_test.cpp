// Single promises: what a result is made of, what a session tells, whose zone a thing is in, what a gain
// costs.

#include <gtest/gtest.h>

#include "room.hpp"
#include "stasigraph/link_zones.hpp"
#include "stasigraph/session.hpp"
#include "stores.hpp"
#include "two_rooms.hpp"

namespace test::further_tests {
namespace {

// ---- the hash of the code that makes results

std::string method_of(const fs::path& source, const fs::path& out) {
    const Ran r = run("cmake -DSOURCE=" + source.string() + " -DCOMPILER=" STASIGRAPH_COMPILER " -DOUT=" +
                      (out / "method.hpp").string() + " -P " STASIGRAPH_SOURCE "/cmake/method.cmake");
    EXPECT_EQ(r.status, 0) << r.err;
    return read_text(out / "method.hpp");
}

TEST(Method, changes_with_code_that_makes_results_and_with_nothing_else) {
    const Folder folder;
    fs::copy(STASIGRAPH_SOURCE "/src", folder / "src", fs::copy_options::recursive);
    fs::copy(STASIGRAPH_SOURCE "/include", folder / "include", fs::copy_options::recursive);
    const std::string first = method_of(folder.path(), folder.path());
    const auto with = [&](const std::string& file, const std::string& more) {
        const std::string text = read_text(folder / file);
        EXPECT_FALSE(text.empty()) << file;
        write_bytes(folder / file, text + more);
        const std::string now = method_of(folder.path(), folder.path());
        write_bytes(folder / file, text);
        return now;
    };
    EXPECT_EQ(with("include/stasigraph/level.hpp", "\n// A comment.\n\n/* and another */\n"), first);
    EXPECT_EQ(with("src/codec/exr.cpp", "\nint more;\n"), first);
    EXPECT_EQ(with("src/inspect/check.cpp", "\nint more;\n"), first);
    for (const char* file :
         {"src/runtime/net_lookup.hpp", "src/runtime/reflection_lookup.hpp", "src/picture/capture.cpp",
          "src/picture/prelit.cpp", "src/bake/layers.cpp", "include/stasigraph/level.hpp"})
        EXPECT_NE(with(file, "\nint more();\n"), first) << file;
}

// ---- a session

Level lit_room() {
    Level level;
    add_box(level, "room", {-1, 0, -1}, {1, 1, 1}, true, {0.5f, 0.5f, 0.5f});
    level.lights.push_back({.name = "lamp", .color = {50, 50, 50}, .position = {0, 0.8f, 0}});
    level.lightmap.density = 6;
    level.lightmap.page = 128;
    level.quality.tier = Tier::glance;
    return level;
}

TEST(Session, makes_the_occlusion_map_anew_where_its_reach_alone_changed) {
    Job job;
    Level level = lit_room();
    level.occlusion.reach = 0.2f;
    Session session(level, job);
    const std::vector<OcclusionPage> before = session.baked().occlusion;
    level = session.level();
    level.occlusion.reach = 0.8f;
    EXPECT_TRUE(session.update(level, job).empty()) << "no set shows it";
    EXPECT_EQ(session.maps_changed().size(), session.atlas().pages.size());
    Baker fresh(level, job);
    ASSERT_FALSE(session.baked().occlusion.empty());
    EXPECT_TRUE(session.baked().occlusion[0].texels == fresh.light(level, job).occlusion[0].texels);
    EXPECT_FALSE(session.baked().occlusion[0].texels == before[0].texels);
    EXPECT_TRUE(session.update(level, job).empty());
    EXPECT_TRUE(session.maps_changed().empty());
}

TEST(Session, tells_of_pages_whose_directional_part_alone_changed) {
    // From one side or from the other the same light falls on a floor, but its gradient is another.
    Job job;
    Level level;
    add_floor(level, 2);
    Light sun{.name = "sun", .kind = LightKind::sun, .color = {1000, 1000, 1000}};
    sun.direction = normalize(Vec3{1, -1, 0});
    level.lights.push_back(sun);
    level.lightmap = {.shape = LightmapShape::directional, .density = 4, .page = 64};
    level.quality.tier = Tier::glance;
    Session session(level, job);
    const auto flat = session.baked().sets[0].pages[0].texels;
    level = session.level();
    level.lights[0].direction = normalize(Vec3{-1, -1, 0});
    const std::vector<PageRef> pages = session.update(level, job);
    EXPECT_TRUE(session.baked().sets[0].pages[0].texels == flat);
    ASSERT_EQ(pages.size(), 1u);
    EXPECT_EQ(pages[0], (PageRef{0, 0}));
}

// ---- a group's gain

TEST(Gain, of_a_whole_group_is_a_mix_from_the_first_time_on_for_any_number) {
    Level level = lit_room();
    Numbers chance(5);
    for (int i = 0; i < 84; ++i) {
        Light l{.name = "l" + std::to_string(i),
                .color = Rgb{1, 0.7f + 0.3f * chance.next(), 0.5f} * (10 + 90 * chance.next())};
        l.position = {chance.next() - 0.5f, 0.2f + 0.6f * chance.next(), chance.next() - 0.5f};
        level.lights.push_back(l);
    }
    Job job;
    Session session(level, job);
    for (const float gain : {2.5f, 0.3f, 1.0f / 3, 7.77f, 0.01f}) {
        Level now = session.level();
        for (Light& l : now.lights) l.color = l.color * gain;
        session.update(now, job);
        EXPECT_EQ(session.baked().figures.layers_made, 0u) << gain;
        Baker fresh(now, job);
        EXPECT_TRUE(session.baked().sets[0].pages[0].texels == fresh.light(now, job).sets[0].pages[0].texels)
            << gain;
    }
    // One lamp alone is another matter.
    Level now = session.level();
    now.lights[3].color = now.lights[3].color * 2.0f;
    session.update(now, job);
    EXPECT_EQ(session.baked().figures.layers_made, 1u);
}

TEST(Gain, is_a_mix_with_exposures_too_but_where_it_passes_a_step_of_six_stops) {
    Level level = lit_room();
    level.lights = {{.name = "lamp", .color = {20, 20, 20}, .position = {0, 0.5f, 0}}};
    complete_level(level);
    for (BakeSet& set : level.sets) set.exposure = 4.0f;
    Job job;
    Session session(level, job);
    for (const auto& [candela, made] :
         {std::pair{50.0f, 0u}, {3.0f, 0u}, {63.0f, 0u}, {70.0f, 1u}, {900.0f, 0u}}) {
        Level now = session.level();
        now.lights[0].color = Rgb{1, 1, 1} * candela;
        session.update(now, job);
        EXPECT_EQ(session.baked().figures.layers_made, made) << candela;
        Baker fresh(now, job);
        EXPECT_TRUE(session.baked().sets[0].pages[0].texels == fresh.light(now, job).sets[0].pages[0].texels)
            << candela;
    }
}

TEST(Gain, kelvin_and_tint_of_imported_lamps_in_a_sheet_are_mixes) {
    const Folder folder;
    Json gltf = good_gltf();
    gltf["extensionsUsed"] = {"KHR_lights_punctual"};
    Json lights = Json::array();
    for (int i = 0; i < 30; ++i) {
        lights.push_back({{"type", "point"}, {"intensity", 10.0 + 3.7 * i}, {"color", {1.0, 0.8, 0.6}}});
        gltf["nodes"].push_back({{"name", "lamp"},
                                 {"translation", {0.1 * i - 1.5, 1.0, 0.05 * i}},
                                 {"extensions", {{"KHR_lights_punctual", {{"light", i}}}}}});
        gltf["scenes"][0]["nodes"].push_back(i + 1);
    }
    gltf["extensions"]["KHR_lights_punctual"]["lights"] = lights;
    write_bytes(folder / "a.gltf", gltf.dump());
    const auto bake = [&](const std::string& lamp) {
        write_bytes(folder / "a.toml",
                    "[level]\nscene = \"a.gltf\"\n[lightmap]\ndensity = 6\npage = 64\n[quality]\ntier = "
                    "\"glance\"\n[[light]]\nmatch = \"lamp*\"\n" +
                        lamp);
        const Ran r = tool("bake --json --quiet " + (folder / "a.toml").string());
        EXPECT_EQ(r.status, 0) << r.err;
        return r.json()["layers_made"].get<int>();
    };
    EXPECT_EQ(bake("gain = 1.0\n"), 1);
    for (const char* lamp : {"gain = 2.5\n", "gain = 0.7\n", "kelvin = 2200\n", "kelvin = 5100\ngain = 1.3\n",
                             "tint = [1.0, 0.6, 0.3]\n"})
        EXPECT_EQ(bake(lamp), 0) << lamp;
}

// ---- zones, and where a surface stands

TEST(Zones, primitives_of_one_node_go_together_unless_the_sheet_says_otherwise) {
    Level level = two_rooms();
    // A tree whose trunk stands in the left room while most of its leaves reach through into the right one.
    const auto first = static_cast<std::uint32_t>(level.surfaces.size());
    add_box(level, "bark", {-0.5f, 0, 0}, {-0.3f, 2, 0.2f}, false, {0.3f, 0.2f, 0.1f});
    add_box(level, "needles", {0.3f, 1, 0}, {1.8f, 2, 1}, false, {0.1f, 0.4f, 0.1f});
    level.lightmap.density = 6;
    const auto zones_of = [&](const Level& of) {
        Job job;
        return link_zones(of, {}, {}, job).surface;
    };
    EXPECT_NE(zones_of(level)[first], zones_of(level)[first + 1]) << "two nodes";
    level.surfaces[first].source_node = level.surfaces[first + 1].source_node = 77;
    EXPECT_EQ(zones_of(level)[first], zones_of(level)[first + 1]) << "one node";
    level.zones[0].listed = {first};
    level.zones[1].listed = {first + 1};
    EXPECT_EQ(zones_of(level)[first], 0u);
    EXPECT_EQ(zones_of(level)[first + 1], 1u);
}

SLOW_TEST(GlbPlaces, name_the_node_and_the_primitive_of_every_surface_in_the_written_level) {
    const fs::path out = demo_glance();
    const Json m = Json::parse(read_text(out / "manifest.json"));
    const Level written = load_level(out / "observatory.glb");
    std::size_t checked = 0;
    for (const char* list : {"surfaces", "surfaces_without_lightmap"})
        for (const Json& s : m[list]) {
            const std::uint32_t node = s["glb_node"], primitive = s["glb_primitive"];
            const auto at =
                std::find_if(written.surfaces.begin(), written.surfaces.end(), [&](const Surface& w) {
                    return w.source_node == node && written.meshes[w.mesh]->source_primitive == primitive;
                });
            ASSERT_NE(at, written.surfaces.end()) << s;
            // A rig's copies are nodes of their own, named as the surface is.
            EXPECT_TRUE(at->node == s["node"] || at->node == s["name"]) << s << " is " << at->node;
            ++checked;
        }
    EXPECT_GT(checked, 100u);
    EXPECT_GT(m["surfaces_without_lightmap"].size(), 0u);
}

TEST(Demo, faces_and_normals_of_pine_needles_agree) {
    const Level level = load_level(demo_source() / "observatory.glb");
    std::size_t triangles = 0, against = 0;
    for (const Surface& s : level.surfaces) {
        if (s.node.rfind("pine_", 0) != 0) continue;
        const Mesh& mesh = level.meshes[s.mesh];
        for (std::size_t t = 0; t < mesh.triangle_count(); ++t) {
            const auto at = [&](int k) { return mesh.positions[mesh.indices[3 * t + k]]; };
            const Vec3 face = cross(at(1) - at(0), at(2) - at(0));
            ++triangles;
            against += dot(face, mesh.normals[mesh.indices[3 * t]]) < 0 ? 1 : 0;
        }
    }
    EXPECT_GT(triangles, 1000u);
    EXPECT_EQ(against, 0u);
}

// ---- the runtime

TEST(Game, every_getter_answers_something_harmless_for_any_number) {
    const rt::Game& open = TwoRooms::whole().game;
    const rt::Game closed;
    for (const rt::Game* game : {&open, &closed})
        for (const std::uint32_t n : {std::uint32_t{999999}, std::uint32_t{0x7fffffff}, rt::nothing}) {
            EXPECT_STREQ(game->set_name(n), "");
            EXPECT_STREQ(game->group_name(n), "");
            EXPECT_STREQ(game->zone_name(n), "");
            EXPECT_STREQ(game->series_name(n), "");
            EXPECT_STREQ(game->reflection_name(n), "");
            EXPECT_STREQ(game->chunk(n).tag, "");
            EXPECT_STREQ(game->surface(n).name, "");
            EXPECT_EQ(game->surface(n).page, rt::nothing);
            EXPECT_EQ(game->gain(n, n).r, 0);
            EXPECT_EQ(game->gain(0, n).r, 0);
            EXPECT_EQ(game->probe_zone(n), rt::nothing);
            EXPECT_EQ(game->reflection_zone(n), rt::nothing);
            EXPECT_EQ(game->layer(n).set, rt::nothing);
            EXPECT_EQ(game->series_length(n), 0u);
            EXPECT_EQ(game->series_step(n, n).set, rt::nothing);
            EXPECT_EQ(game->page_side(n), 0u);
            for (const std::uint32_t part : {0u, 4u, 99u}) EXPECT_EQ(game->page(n, n, part).data, nullptr);
            EXPECT_EQ(game->page(0, 0, 4).data, nullptr);
            EXPECT_EQ(game->page_light(n, n, 1e30f, -1e30f).r, 0);
            ASSERT_NE(game->coefficients(n, n), nullptr);
            EXPECT_EQ(game->coefficients(n, n)[26], 0);
            rt::Weights w;
            w.count = 99;
            w.probe[0] = n;
            w.weight[0] = 1;
            EXPECT_EQ(game->irradiance(n, w, {0, 1, 0}).r, 0);
            EXPECT_EQ(game->reflection_levels(n), 0u);
            EXPECT_EQ(game->reflection_map(n, n, n).data, nullptr);
            EXPECT_EQ(game->reflection_map(0, 0, 99).data, nullptr);
            EXPECT_EQ(game->reflection_direction(n, {0, 0, 0}, {0, 0, 1}).z, 1);
        }
}

TEST(Mixer, a_renderer_that_uploads_what_it_is_told_when_it_is_told_is_right_in_every_frame) {
    const rt::Game& game = TwoRooms::whole().game;
    rt::Mixer mixer;
    ASSERT_EQ(mixer.start(game, {.paging = rt::Paging::pair, .bytes = 20000}), rt::Status::ok);
    // What the renderer holds of the mixer's own pages, by copy and page.
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::vector<unsigned char>> held;
    int waited = 0, uploads = 0, bound = 0;
    for (int frame = 0; frame < 240; ++frame) {
        if (frame == 5) mixer.request(1, 0, 0.5f);
        if (frame == 20) mixer.request(2, 0, 0.5f);  // a third set, in mid-fade
        if (frame == 60) mixer.request(0, 0, 0.3f);
        if (frame == 70) mixer.request(1, 0, 0.2f);
        mixer.advance(1.0 / 60);
        waited += mixer.waits(0) ? 1 : 0;
        for (std::uint32_t i = 0; i < mixer.changed_count(); ++i) {
            const rt::Tile t = mixer.changed(i);
            const rt::Pixels p = mixer.own_page(t.copy, t.page);
            ASSERT_NE(p.data, nullptr);
            auto& texture = held[{t.copy, t.page}];
            texture.resize(p.size);
            const std::size_t texel = p.format == rt::PixelFormat::half4 ? 8 : 4;
            for (std::uint32_t y = t.y; y < t.y + t.height; ++y) {
                const std::size_t at = (std::size_t{y} * p.side + t.x) * texel;
                std::memcpy(texture.data() + at, static_cast<const unsigned char*>(p.data) + at,
                            t.width * texel);
            }
            ++uploads;
        }
        // Whatever the mixer binds of its own, the renderer has it.
        for (std::uint32_t s = 0; s < game.surface_count(); ++s) {
            const rt::SurfaceInfo info = game.surface(s);
            if (info.page == rt::nothing || info.zone != 0) continue;
            const rt::PagePair pair = mixer.surface_pages(s);
            if (pair.from_set != rt::nothing || !pair.from.data || pair.weight >= 1) continue;
            ++bound;
            bool found = false;
            for (std::uint32_t copy = 0; copy < 2; ++copy) {
                const rt::Pixels own = mixer.own_page(copy, info.page);
                if (own.data != pair.from.data) continue;
                found = true;
                const auto at = held.find({copy, info.page});
                ASSERT_NE(at, held.end()) << frame;
                // This surface's own texels; other zones' may lie on the same page.
                const std::size_t texel = own.format == rt::PixelFormat::half4 ? 8 : 4;
                const auto px = [&](float uv, int axis) {
                    return static_cast<std::uint32_t>((uv * info.scale[axis] + info.offset[axis]) *
                                                      static_cast<float>(own.side));
                };
                for (const float u : {0.3f, 0.5f, 0.7f}) {
                    const std::size_t byte = (std::size_t{px(u, 1)} * own.side + px(u, 0)) * texel;
                    if (byte + texel > own.size) continue;
                    EXPECT_EQ(std::memcmp(at->second.data() + byte,
                                          static_cast<const unsigned char*>(own.data) + byte, texel),
                              0)
                        << "frame " << frame;
                }
            }
            EXPECT_TRUE(found);
        }
    }
    EXPECT_GT(waited, 0);
    EXPECT_GT(uploads, 10);
    EXPECT_GT(bound, 10);
    EXPECT_EQ(mixer.own_page(2, 0).data, nullptr);
    EXPECT_EQ(rt::Mixer().own_page(0, 0).data, nullptr);
}

// ---- building

SLOW_TEST(Package, the_runtime_alone_is_configured_and_installed_without_any_package) {
    const Folder folder;
    const std::string build = (folder / "build").string(), to = (folder / "to").string();
    const Ran configured = run(
        "cmake -S " STASIGRAPH_SOURCE " -B " + build +
        " -DSTASIGRAPH_CORE=OFF -DCMAKE_DISABLE_FIND_PACKAGE_embree=ON -DCMAKE_DISABLE_FIND_PACKAGE_TBB=ON"
        " -DCMAKE_DISABLE_FIND_PACKAGE_Eigen3=ON -DCMAKE_INSTALL_PREFIX=" +
        to);
    ASSERT_EQ(configured.status, 0) << configured.err;
    ASSERT_EQ(run("cmake --build " + build + " -j 2").status, 0);
    ASSERT_EQ(run("cmake --install " + build).status, 0);
    bool library = false, licence = false, docs = false;
    for (const auto& e : fs::recursive_directory_iterator(to)) {
        library = library || e.path().filename() == "libstasigraph_runtime.a";
        licence = licence || e.path().filename() == "LICENSE";
        docs = docs || e.path().filename() == "files.md";
    }
    EXPECT_TRUE(library && licence && docs);
}

}  // namespace
}  // namespace test::further_tests
