// The weight of the public headers, and the arrows between the folders.

#include <gtest/gtest.h>

#include <fstream>
#include <map>
#include <regex>
#include <sstream>

#include "support.hpp"

namespace test::headers_tests {
namespace {

std::size_t preprocessed_lines(const std::string& header) {
    const Folder folder;
    write_bytes(folder / "h.cpp", "#include \"stasigraph/" + header + "\"\n");
    const Ran r = run("g++ -std=c++20 -E -I" STASIGRAPH_SOURCE "/include " + (folder / "h.cpp").string());
    EXPECT_EQ(r.status, 0) << r.err;
    // No third-party header may come in with ours.
    for (const char* other : {"embree", "tbb/", "OpenImageIO", "nlohmann", "toml", "Eigen", "cairo", "fmt/",
                              "spdlog", "CLI/", "OpenEXR", "Imath", "Recast", "recastnavigation", "xxhash"})
        EXPECT_EQ(r.out.find(other), std::string::npos) << header << " pulls in " << other;
    std::istringstream lines(r.out);
    std::size_t count = 0;
    for (std::string line; std::getline(lines, line);)
        if (!line.empty() && line[0] != '#' && line.find_first_not_of(" \t") != std::string::npos) ++count;
    return count;
}

TEST(Headers, stay_light) {
    EXPECT_LT(preprocessed_lines("runtime.hpp"), 15000u);
    EXPECT_LT(preprocessed_lines("game.hpp"), 15000u);
    EXPECT_LT(preprocessed_lines("stasigraph.hpp"), 45000u);
    for (const auto& e : fs::directory_iterator(STASIGRAPH_SOURCE "/include/stasigraph"))
        EXPECT_LT(preprocessed_lines(e.path().filename().string()), 70000u);
}

TEST(Headers, the_runtime_compiles_as_cpp_17_and_as_c) {
    const Folder folder;
    write_bytes(
        folder / "a.cpp",
        "#include \"stasigraph/runtime.hpp\"\n#include \"stasigraph/game.hpp\"\nint main() { return 0; }\n");
    write_bytes(
        folder / "b.c",
        "#include \"stasigraph/runtime.h\"\n#include \"stasigraph/game.h\"\nint main(void) { return 0; }\n");
    EXPECT_EQ(
        run("g++ -std=c++17 -Wall -Wextra -Werror -pedantic -fsyntax-only -I" STASIGRAPH_SOURCE "/include " +
            (folder / "a.cpp").string())
            .status,
        0);
    EXPECT_EQ(
        run("gcc -std=c99 -Wall -Wextra -Werror -pedantic -fsyntax-only -I" STASIGRAPH_SOURCE "/include " +
            (folder / "b.c").string())
            .status,
        0);
}

TEST(Layers, no_folder_includes_one_below_it) {
    const std::vector<std::string> order = {"runtime", "base",    "level",     "chart",  "trace",
                                            "parts",   "light",   "transport", "finish", "probe",
                                            "bake",    "inspect", "picture",   "codec",  "gltf",
                                            "sheet",   "plot",    "results",   "game",   "workflow"};
    std::map<std::string, int> rank;
    for (std::size_t i = 0; i < order.size(); ++i) rank[order[i]] = static_cast<int>(i);
    const std::regex include("#include \"([a-z0-9_]+)/[a-z0-9_]+\\.(?:hpp|h)\"");
    int seen = 0;
    for (const auto& entry : fs::recursive_directory_iterator(STASIGRAPH_SOURCE "/src")) {
        if (!entry.is_regular_file()) continue;
        const std::string folder = entry.path().parent_path().filename();
        std::ifstream file(entry.path());
        for (std::string line; std::getline(file, line);) {
            std::smatch m;
            if (!std::regex_search(line, m, include)) continue;
            ++seen;
            if (m[1] == "stasigraph") {
                // The game's side knows its own headers and none of the baker's.
                if (folder == "runtime") {
                    EXPECT_TRUE(line.find("/runtime.") != std::string::npos ||
                                line.find("/game.") != std::string::npos ||
                                line.find("/mixer.") != std::string::npos ||
                                line.find("/lamp.") != std::string::npos)
                        << entry.path() << ": " << line;
                }
                continue;
            }
            ASSERT_TRUE(rank.contains(folder) && rank.contains(m[1])) << entry.path() << ": " << line;
            EXPECT_LE(rank[m[1]], rank[folder]) << entry.path() << ": " << line;
        }
    }
    EXPECT_GT(seen, 100);
}

}  // namespace
}  // namespace test::headers_tests
