#pragma once
// Words of sheets, scenes and the command line that have other names now.

#include <string_view>

namespace stasigraph {

/// What a word is called now; empty for one that never was another. An old word is an error that says so, so
/// that nobody's sheet is read as half of what it asks for.
std::string_view new_word(std::string_view old);

}  // namespace stasigraph
