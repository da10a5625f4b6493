// The mixer beside readers, as a program of its own under ThreadSanitizer.

#include <gtest/gtest.h>

#include "two_rooms.hpp"

namespace test::threads_tests {
namespace {

SLOW_TEST(Threads, eight_readers_beside_a_million_frames_of_requests) {
    const TwoRooms& t = TwoRooms::whole();
    const Ran r =
        run(STASIGRAPH_BUILD "/tests/mixer_threads " + (t.folder / "game.sgl").string() + " 1000000");
    EXPECT_EQ(r.status, 0) << r.out << r.err.substr(0, 4000);
    EXPECT_EQ(r.err, "") << "a race";
    std::printf("%s", r.out.c_str());
}

}  // namespace
}  // namespace test::threads_tests
