// The docs held against the code: what they name is there, by the same name, and lines are short enough to
// read in a terminal.

#include <gtest/gtest.h>

#include <algorithm>
#include <fstream>
#include <regex>
#include <set>
#include <sstream>

#include "support.hpp"

namespace test::docs_tests {
namespace {

const fs::path source = STASIGRAPH_SOURCE;

std::vector<std::string> lines_of(const fs::path& file) {
    std::istringstream in(read_text(file));
    std::vector<std::string> lines;
    for (std::string line; std::getline(in, line);) lines.push_back(line);
    return lines;
}

/// What stands in `backquotes`.
std::vector<std::string> code_in(const std::string& text) {
    std::vector<std::string> out;
    for (std::size_t at = 0; (at = text.find('`', at)) != std::string::npos;) {
        const std::size_t end = text.find('`', at + 1);
        if (end == std::string::npos) break;
        out.push_back(text.substr(at + 1, end - at - 1));
        at = end + 1;
    }
    return out;
}

/// Every word of all code.
const std::set<std::string>& words_of_code() {
    static const std::set<std::string> words = [] {
        std::set<std::string> all;
        for (const char* folder : {"src", "include", "cli", "tests", "bench"})
            for (const auto& e : fs::recursive_directory_iterator(source / folder)) {
                if (!e.is_regular_file()) continue;
                std::string word;
                for (const char c : read_text(e.path()) + " ")
                    if (std::isalnum(static_cast<unsigned char>(c)) || c == '_') {
                        word += c;
                    } else if (!word.empty()) {
                        all.insert(word);
                        word.clear();
                    }
            }
        return all;
    }();
    return words;
}

/// Whether a path names a file or a folder of the code; its ending may be left out.
bool is_path_of_code(const std::string& path) {
    for (const char* folder : {"", "src", "include", "include/stasigraph", "docs"})
        for (const char* ending : {"", ".hpp", ".cpp"})
            if (fs::exists(source / folder / (path + ending))) return true;
    return false;
}

/// What is no part of the code's names: files of results, keys of JSON and sheets, commands.
bool names_something_else(const std::string& code) {
    static const std::regex other(
        R"([^A-Za-z_:/.()0-9~-]|^\.|\.(toml|json|bin|exr|ktx2|sgl|glb|png)\b|^--|-$)");
    return std::regex_search(code, other);
}

TEST(Docs, of_subsystems_and_the_glossary_name_what_is_in_the_code) {
    std::vector<fs::path> pages = {source / "docs" / "glossary.md"};
    for (const auto& e : fs::directory_iterator(source / "docs" / "subsystems")) pages.push_back(e.path());
    std::size_t names = 0;
    for (const fs::path& page : pages)
        for (const std::string& line : lines_of(page)) {
            // Of the glossary, the column that says where a word stands in the code.
            std::string text = line;
            if (page.filename() == "glossary.md") {
                if (!line.starts_with("| ")) continue;
                text = line.substr(line.rfind('|', line.size() - 2));
            } else if (!line.starts_with("In the code:") && line.find("`src/") == std::string::npos) {
                // In running text, names of functions and members alone: `join` may be a step, `A::b` is not.
                std::string named;
                for (const std::string& code : code_in(line))
                    if (code.ends_with("()") || code.find("::") != std::string::npos || code.ends_with("pp"))
                        named += '`' + code + '`';
                text = named;
            }
            for (std::string code : code_in(text)) {
                if (names_something_else(code)) continue;
                ++names;
                code = code.substr(0, code.find('('));
                if (code.find('/') != std::string::npos || code.ends_with(".hpp") || code.ends_with(".cpp")) {
                    EXPECT_TRUE(is_path_of_code(code)) << page.filename() << ": " << code;
                    continue;
                }
                std::istringstream parts(std::regex_replace(code, std::regex("::|\\."), " "));
                for (std::string part; parts >> part;)
                    EXPECT_TRUE(words_of_code().count(part)) << page.filename() << ": " << code;
            }
        }
    EXPECT_GT(names, 150u);
}

TEST(Docs, that_people_read_in_a_terminal_have_short_lines) {
    std::vector<fs::path> pages = {source / "docs" / "architecture.md", source / "docs" / "contributing.md",
                                   source / "docs" / "glossary.md"};
    for (const auto& e : fs::directory_iterator(source / "docs" / "subsystems")) pages.push_back(e.path());
    for (const fs::path& page : pages) {
        bool code = false;
        int heading = 0;
        for (const std::string& line : lines_of(page)) {
            if (line.starts_with("```")) code = !code;
            heading += line.starts_with("#") ? 1 : 0;
            if (code || line.starts_with("|")) continue;
            const auto letters = std::count_if(line.begin(), line.end(), [](char c) {
                return (static_cast<unsigned char>(c) & 0xc0) != 0x80;  // of UTF-8 the first bytes alone
            });
            EXPECT_LE(letters, 100) << page.filename() << ": " << line;
        }
        EXPECT_GT(heading, 2) << page.filename();
    }
}

TEST(Docs, link_to_pages_and_pictures_that_are_there) {
    std::vector<fs::path> pages = {source / "README.md"};
    for (const auto& e : fs::recursive_directory_iterator(source / "docs"))
        if (e.path().extension() == ".md") pages.push_back(e.path());
    const std::regex link(R"(\]\(([^)#\s]+)(#[^)]*)?\))");
    std::size_t links = 0;
    for (const fs::path& page : pages) {
        const std::string text = read_text(page);
        for (auto m = std::sregex_iterator(text.begin(), text.end(), link); m != std::sregex_iterator();
             ++m) {
            const std::string to = (*m)[1];
            if (to.find("://") != std::string::npos) continue;
            EXPECT_TRUE(fs::exists(page.parent_path() / to)) << page.filename() << " links to " << to;
            ++links;
        }
    }
    EXPECT_GT(links, 60u);
    // And no picture lies there that nobody sees.
    const std::string readme = read_text(source / "README.md");
    std::size_t pictures = 0;
    for (const auto& e : fs::directory_iterator(source / "docs" / "screenshots")) {
        EXPECT_NE(readme.find("docs/screenshots/" + e.path().filename().string()), std::string::npos)
            << e.path().filename();
        ++pictures;
    }
    EXPECT_LT(pictures, 20u);
}

}  // namespace
}  // namespace test::docs_tests
