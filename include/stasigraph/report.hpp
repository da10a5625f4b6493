#pragma once
// One self-contained page about a level and its bake.

#include <filesystem>
#include <optional>
#include <string>

#include "stasigraph/job.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

struct ReportOptions {
    std::filesystem::path folder, cache;  ///< Of the bake and of the level; empty: the defaults.
    std::optional<Tier> tier;             ///< To look at; the one baked last unless given.
    int width = 960, height = 600;        ///< Of pictures, pixels. Range [320, 2048].
    int probe_places = 48;  ///< Places at which light between probes is held against exact light; 0: none.
};

/// What a report came to.
struct ReportFigures {
    std::size_t cameras = 0, pictures = 0, findings = 0, pages = 0, bytes = 0;
};

/// Writes the page: one file, no network. It holds pictures of every camera under every set, of the result
/// kept last, of density and of light in false colour; the pages with their charts; findings with pictures;
/// probes and how well they tell light; time and memory by stage; settings; past bakes. Throws Error where
/// there is no bake. The file appears whole or not at all.
ReportFigures write_report(const std::filesystem::path& to, const std::filesystem::path& level_file,
                           const ReportOptions& settings, Job& job);

}  // namespace stasigraph
