// Twenty seconds of tests/fuzz/game_fuzz.cpp, from levels that are good.

#include <gtest/gtest.h>

#include "two_rooms.hpp"

namespace test::fuzz_tests {
namespace {

SLOW_TEST(Fuzz, packed_levels_of_any_bytes_never_lead_outside) {
    const TwoRooms& t = TwoRooms::whole();
    const Folder folder;
    fs::create_directories(folder / "seeds");
    fs::copy(t.folder / "game.sgl", folder / "seeds" / "two_rooms.sgl");
    const std::string data = STASIGRAPH_SOURCE "/tests/data";
    fs::copy(data + "/minor0.sgl", folder / "seeds" / "minor0.sgl");
    const Ran r = run("cd " + folder.path().string() +
                      " && " STASIGRAPH_BUILD
                      "/tests/game_fuzz -max_total_time=8 -timeout=10 -max_len=400000 -verbosity=0 "
                      "-print_final_stats=1 seeds");
    EXPECT_EQ(r.status, 0) << r.err.substr(r.err.size() > 6000 ? r.err.size() - 6000 : 0);
    const std::size_t at = r.err.find("stat::number_of_executed_units:");
    ASSERT_NE(at, std::string::npos) << r.err;
    const long runs = std::atol(r.err.c_str() + at + 31);
    EXPECT_GT(runs, 500) << "they ran";
    std::printf("%ld inputs\n", runs);
}

}  // namespace
}  // namespace test::fuzz_tests
