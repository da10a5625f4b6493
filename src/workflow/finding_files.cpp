#include "stasigraph/finding_files.hpp"

#include "stasigraph/finding_view.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

constexpr int picture_width = 640, picture_height = 400;

/// Pictures of an earlier run, by their names: two or more digits, a finding's id, .png.
void remove_earlier(const fs::path& folder) {
    std::error_code bad;
    for (const fs::directory_entry& e : fs::directory_iterator(folder, bad)) {
        const std::string name = e.path().filename().string();
        const std::size_t dash = name.find('-');
        if (dash == std::string::npos || dash < 2 || !name.ends_with(".png") ||
            name.find_first_not_of("0123456789") != dash)
            continue;
        const std::string id = name.substr(dash + 1, name.size() - dash - 5);
        for (const FindingKind& k : finding_kinds())
            if (id == k.id) fs::remove(e.path(), bad);
    }
}

}  // namespace

std::vector<fs::path> write_finding_pictures(const fs::path& folder, const Level& level,
                                             const std::vector<Finding>& findings, Job& job) {
    check_writable(folder);
    remove_earlier(folder);
    const std::vector<Picture> pictures =
        finding_pictures(level, findings, picture_width, picture_height, job);
    std::vector<fs::path> files(findings.size());
    for (std::size_t i = 0; i < findings.size(); ++i) {
        if (pictures[i].pixels.empty()) continue;
        const Finding& f = findings[i];
        std::vector<std::uint8_t> pixels = tone_map(pictures[i], {});
        std::string names;
        for (std::size_t k = 0; k < f.names.size() && k < 2; ++k) names += (k ? ", " : "") + f.names[k];
        draw_legend(picture_width, picture_height,
                    {{std::to_string(i + 1) + " " + f.id + ": " + names, severity_color(f.severity)}},
                    pixels);
        files[i] = folder / ((i < 9 ? "0" : "") + std::to_string(i + 1) + "-" + f.id + ".png");
        write_png(files[i], picture_width, picture_height, pixels);
    }
    return files;
}

}  // namespace stasigraph
