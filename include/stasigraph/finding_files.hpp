#pragma once
// Pictures of findings, as files.

#include <filesystem>
#include <vector>

#include "stasigraph/check.hpp"
#include "stasigraph/job.hpp"

namespace stasigraph {

/// A PNG for each finding that has a place, the place ringed, `NN-<id>.png`; those of an earlier call go. By
/// finding, empty where there is none. Throws Error where the folder cannot be written to.
std::vector<std::filesystem::path> write_finding_pictures(const std::filesystem::path& folder,
                                                          const Level& level,
                                                          const std::vector<Finding>& findings, Job& job);

}  // namespace stasigraph
