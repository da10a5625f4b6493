#include "base/text.hpp"

#include <algorithm>
#include <charconv>
#include <vector>

#include "stasigraph/error.hpp"

namespace stasigraph {

bool glob_match(std::string_view pattern, std::string_view text) {
    std::size_t p = 0, t = 0, star = std::string_view::npos, resume = 0;
    while (t < text.size()) {
        if (p < pattern.size() && pattern[p] == '*') {
            star = p++;
            resume = t;
        } else if (p < pattern.size() && (pattern[p] == '?' || pattern[p] == text[t])) {
            ++p;
            ++t;
        } else if (star != std::string_view::npos) {
            p = star + 1;
            t = ++resume;
        } else {
            return false;
        }
    }
    while (p < pattern.size() && pattern[p] == '*') ++p;
    return p == pattern.size();
}

static std::size_t edit_distance(std::string_view a, std::string_view b) {
    std::vector<std::size_t> row(b.size() + 1);
    for (std::size_t j = 0; j <= b.size(); ++j) row[j] = j;
    for (std::size_t i = 1; i <= a.size(); ++i) {
        std::size_t diagonal = row[0];
        row[0] = i;
        for (std::size_t j = 1; j <= b.size(); ++j) {
            const std::size_t above = row[j];
            row[j] = std::min({row[j] + 1, row[j - 1] + 1, diagonal + (a[i - 1] == b[j - 1] ? 0 : 1)});
            diagonal = above;
        }
    }
    return row[b.size()];
}

std::string nearest_word(std::string_view word, std::span<const std::string_view> candidates) {
    std::size_t best = word.size() / 3 + 2;
    std::string_view found;
    for (std::string_view c : candidates)
        if (const std::size_t d = edit_distance(word, c); d < best) {
            best = d;
            found = c;
        }
    return std::string(found);
}

std::string to_text(double value) {
    char buffer[32];
    const auto end = std::to_chars(buffer, buffer + sizeof buffer, static_cast<float>(value)).ptr;
    return {buffer, end};
}

std::string Error::text() const {
    std::string s;
    if (!where.empty()) s += where + ": ";
    s += what;
    if (!value.empty()) s += " (" + value + ")";
    if (!remedy.empty()) s += ". " + remedy;
    return s;
}

}  // namespace stasigraph
