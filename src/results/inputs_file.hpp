#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "stasigraph/changes.hpp"

namespace stasigraph {

/// The file's text, and its name by its content.
std::string inputs_text(const LevelInputs& inputs);
std::string inputs_name(const std::string& text);

/// Empty where there is none, or it is damaged or of another version: then only keys tell what is stale.
std::vector<InputItem> read_inputs(const std::filesystem::path& path);
/// What is different from such a file; nothing where it cannot be read.
std::vector<Change> changes_since(const std::filesystem::path& path, const std::vector<InputItem>& now);

}  // namespace stasigraph
