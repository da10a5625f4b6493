#pragma once
#include <string>

namespace stasigraph {

/// The report's page around its data: `name` of the level, `data` as JSON that may stand in a script element.
std::string report_page(const std::string& name, const std::string& data);

}  // namespace stasigraph
