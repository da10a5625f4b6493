#pragma once
#include <span>
#include <string>
#include <string_view>

namespace stasigraph {

/// Shell-style match of a whole text: * any run, ? any one character, everything else itself. Case matters.
bool glob_match(std::string_view pattern, std::string_view text);

/// The candidate with the least edit distance to `word`; empty when there is none within a third of its
/// length + 1.
std::string nearest_word(std::string_view word, std::span<const std::string_view> candidates);

std::string to_text(double value);  ///< Shortest form that reads back as the same float.

}  // namespace stasigraph
