#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "stasigraph/changes.hpp"

namespace stasigraph {

/// The file's text, and its name by its content.
std::string inputs_text(const LevelInputs& inputs);
std::string inputs_name(const std::string& text);

/// Empty where there is none or it is damaged: then only keys tell what is stale.
std::vector<InputItem> read_inputs(const std::filesystem::path& path);

}  // namespace stasigraph
