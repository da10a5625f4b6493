// What copies of a level share, and what they do not.

#include "stasigraph/shared.hpp"

#include <gtest/gtest.h>

#include <string>
#include <thread>
#include <vector>

#include "stasigraph/session.hpp"
#include "support.hpp"

namespace test::shared_tests {
namespace {

TEST(Shared, copies_hold_one_value_until_one_of_them_is_edited) {
    Shared<std::vector<int>> a(std::vector<int>{1, 2, 3}), b = a, empty, also_empty;
    EXPECT_TRUE(a.is(b));
    EXPECT_TRUE(empty.is(also_empty));
    b.edit([](std::vector<int>& v) { v.push_back(4); });
    EXPECT_EQ(a->size(), 3u);
    EXPECT_EQ((*b)[3], 4);
    EXPECT_FALSE(a == b);
    EXPECT_TRUE(b == (Shared<std::vector<int>>(std::vector<int>{1, 2, 3, 4})));
    a = b;
    EXPECT_TRUE(a.is(b));
    const Shared<std::vector<int>> moved = std::move(b);
    EXPECT_TRUE(moved.is(a));
}

TEST(Shared, keys_are_made_once_for_all_copies_and_anew_for_another_value) {
    int made = 0;
    const auto key = [&](const std::string& s) {
        ++made;
        return "key of " + s;
    };
    Shared<std::string> a(std::string("a")), b = a;
    EXPECT_EQ(a.key(key), "key of a");
    EXPECT_EQ(b.key(key), "key of a");
    EXPECT_EQ(made, 1);
    b.edit([](std::string& s) { s = "b"; });
    EXPECT_EQ(b.key(key), "key of b");
    EXPECT_EQ(a.key(key), "key of a");
    EXPECT_EQ(made, 2);
}

TEST(Shared, copies_and_keys_may_come_from_any_thread) {
    const Shared<std::string> one(std::string("one"));
    std::vector<std::thread> threads;
    std::vector<std::string> keys(4);
    for (std::string& key : keys)
        threads.emplace_back([&] {
            for (int i = 0; i < 2000; ++i) {
                const Shared<std::string> copy = one;
                key = copy.key([](const std::string& s) { return s + "'s"; });
            }
        });
    for (std::thread& t : threads) t.join();
    for (const std::string& key : keys) EXPECT_EQ(key, "one's");
}

TEST(Shared, shapes_and_images_stay_those_of_the_level_that_a_session_was_given) {
    Level level;
    level.name = "floor";
    add_floor(level, 2, {0.5f, 0.5f, 0.5f});
    set_uvs(level.meshes[0], std::vector<Vec2>(level.meshes[0]->positions.size(), {0.5f, 0.5f}));
    level.images.push_back(Image{.name = "grey", .width = 1, .height = 1, .rgba = {90, 90, 90, 255}});
    level.materials[0].base_texture.image = 0;
    level.lights.push_back({.name = "lamp", .color = {100, 100, 100}, .position = {0, 1, 0}});
    level.lightmap = {.density = 4, .page = 32, .margin = 2};
    complete_level(level);
    Job job;
    Session session(level, job);
    EXPECT_TRUE(session.level().images[0].is(level.images[0]));
    EXPECT_TRUE(session.level().meshes[0].is(level.meshes[0]));
    level.lights[0].color = {50, 60, 70};
    EXPECT_FALSE(session.update(level, job).empty());
    EXPECT_TRUE(session.level().images[0].is(level.images[0]));
    EXPECT_TRUE(session.level().meshes[0].is(level.meshes[0]));
}

}  // namespace
}  // namespace test::shared_tests
