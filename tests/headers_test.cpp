// The weight of the public headers, and the arrows between the folders.

#include <gtest/gtest.h>

#include <algorithm>
#include <fstream>
#include <map>
#include <regex>
#include <set>
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

/// The parameters of what is declared at a bracket; 0 where it is something else, as a call is.
std::size_t parameters_at(const std::string& text, std::size_t open) {
    int depth = 0;
    std::size_t commas = 0, close = open;
    for (; close < text.size(); ++close) {
        const char c = text[close];
        if (std::string("([{<").find(c) != std::string::npos) ++depth;
        if (std::string(")]}>").find(c) != std::string::npos && text[close - 1] != '-' && --depth == 0) break;
        if (c == ';') return 0;
        commas += c == ',' && depth == 1 ? 1 : 0;
    }
    static const std::regex first(R"(^\(\s*(const\s+)?[\w:]+(<[^()]*>)?(\s*[&*]+\s*|\s+)\w+\s*[,=)\[])");
    static const std::regex after(R"(^\)\s*(const\s*|noexcept\s*|override\s*)*(;|\{|:|= 0))");
    return std::regex_search(text.substr(open, 200), first) &&
                   std::regex_search(text.substr(close, 60), after)
               ? commas + 1
               : 0;
}

SLOW_TEST(Headers, signatures_have_five_parameters_at_most) {
    // Places on paper, bits of vectors, and C, which has no other way.
    const std::set<std::string> more{"text", "line", "lay_box", "sgraph_probes_irradiance_at",
                                     "sgraph_game_page_light"};
    const std::regex comment(R"(//[^\n]*)"), name(R"((\w+)\()");
    std::size_t seen = 0;
    for (const char* folder : {"include/stasigraph", "src"})
        for (const auto& e : fs::recursive_directory_iterator(fs::path(STASIGRAPH_SOURCE) / folder)) {
            if (e.path().extension() != ".hpp" && e.path().extension() != ".h") continue;
            const std::string text = std::regex_replace(read_text(e.path()), comment, "");
            for (std::sregex_iterator at(text.begin(), text.end(), name), end; at != end; ++at) {
                const std::size_t n =
                    parameters_at(text, static_cast<std::size_t>(at->position()) + (*at)[1].str().size());
                seen += n > 0 ? 1 : 0;
                if (!more.contains((*at)[1])) {
                    EXPECT_LE(n, 5u) << e.path().filename() << ": " << (*at)[1];
                }
            }
        }
    EXPECT_GT(seen, 500u);
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

/// The arrows of the diagram in docs/architecture.md, from a folder to those it stands on.
std::map<std::string, std::set<std::string>> drawn_arrows() {
    std::ifstream file(STASIGRAPH_SOURCE "/docs/architecture.md");
    const std::regex arrow("  ([a-z]+) --> ([a-z]+)");
    std::map<std::string, std::set<std::string>> arrows;
    for (std::string line; std::getline(file, line);)
        if (std::smatch m; std::regex_match(line, m, arrow)) arrows[m[1]].insert(m[2]);
    return arrows;
}

bool leads_to(const std::map<std::string, std::set<std::string>>& arrows, const std::string& from,
              const std::string& to) {
    if (from == to) return true;
    const auto at = arrows.find(from);
    return at != arrows.end() &&
           std::any_of(at->second.begin(), at->second.end(),
                       [&](const std::string& next) { return leads_to(arrows, next, to); });
}

TEST(Layers, folders_include_what_the_diagram_in_the_docs_says_and_nothing_else) {
    const auto drawn = drawn_arrows();
    ASSERT_GT(drawn.size(), 15u);
    for (const auto& [from, to] : drawn)
        for (const std::string& next : to)
            ASSERT_FALSE(leads_to(drawn, next, from)) << from << " in a circle";
    std::map<std::string, std::set<std::string>> used;
    const std::regex include("#include \"([a-z0-9_]+)/[a-z0-9_]+\\.(?:hpp|h)\"");
    for (const auto& entry : fs::recursive_directory_iterator(STASIGRAPH_SOURCE "/src")) {
        if (!entry.is_regular_file()) continue;
        const std::string folder = entry.path().parent_path().filename();
        std::ifstream file(entry.path());
        for (std::string line; std::getline(file, line);) {
            std::smatch m;
            if (!std::regex_search(line, m, include)) continue;
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
            used[folder].insert(m[1]);
            EXPECT_TRUE(leads_to(drawn, folder, m[1])) << entry.path() << ": " << line;
        }
    }
    for (const auto& [from, to] : drawn)
        for (const std::string& next : to)
            EXPECT_TRUE(used[from].contains(next)) << from << " --> " << next << " is drawn for nothing";
}

}  // namespace
}  // namespace test::headers_tests
