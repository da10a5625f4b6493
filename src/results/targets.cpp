// What may be written where: nothing that a bake reads is ever written over.

#include <algorithm>
#include <fstream>

#include "results/result_folder.hpp"
#include "sheet/sheet.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/kept.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

bool same_file(const fs::path& a, const fs::path& b) {
    std::error_code bad;
    return fs::equivalent(a, b, bad);
}

[[noreturn]] void refuse(const fs::path& target, const std::string& why) {
    throw Error{.what = "would be written over, and " + why,
                .where = target.string(),
                .value = "",
                .remedy = "Choose another name."};
}

std::string head_of(const fs::path& path, std::size_t bytes) {
    std::ifstream file(path, std::ios::binary);
    std::string text(bytes, 0);
    file.read(text.data(), static_cast<std::streamsize>(bytes));
    text.resize(static_cast<std::size_t>(file.gcount()));
    return text;
}

/// A level that we wrote says which atlas it has.
bool is_ours(const fs::path& glb) {
    return head_of(glb, std::size_t{1} << 24).find("\"atlas_hash\"") != std::string::npos;
}

/// The sheet or scene beside or above a file that names it; empty where none does.
std::string named_by(const fs::path& file) {
    constexpr int folders = 4;
    std::error_code bad;
    const std::string name = file.filename().string();
    fs::path folder = fs::weakly_canonical(file, bad).parent_path();
    for (int up = 0; up < folders && !folder.empty(); ++up, folder = folder.parent_path()) {
        for (const fs::directory_entry& e : fs::directory_iterator(folder, bad)) {
            const std::string ending = e.path().extension().string();
            if ((ending == ".toml" || ending == ".gltf") && e.is_regular_file(bad) &&
                head_of(e.path(), std::size_t{1} << 24).find(name) != std::string::npos)
                return e.path().filename().string();
        }
        if (folder == folder.parent_path()) break;
    }
    return {};
}

}  // namespace

void check_target(const fs::path& target, const fs::path& level_file) {
    std::error_code bad;
    if (target.empty() || !fs::exists(target, bad)) return;
    if (!fs::is_regular_file(target, bad)) refuse(target, "it is no file");
    if (fs::exists(level_file, bad)) {
        if (same_file(target, level_file)) refuse(target, "it is the level");
        for (const fs::path& input : level_files(level_file))
            if (same_file(target, input)) refuse(target, level_file.filename().string() + " reads it");
    }
    const std::string ending = target.extension().string();
    if (ending == ".toml" || ending == ".gltf" || ending == ".ies" || (ending == ".glb" && !is_ours(target)))
        refuse(target, "it looks like what another level is made of");
    if (const std::string other = named_by(target); !other.empty() && ending != ".glb")
        refuse(target, other + " names it");
}

void check_output(const fs::path& folder, const Level& level, const fs::path& level_file) {
    std::error_code bad;
    const Manifest manifest = manifest_head(folder);
    if (!manifest.level.empty() && manifest.level != level.name)
        throw Error{.what = "holds the results of another level",
                    .where = folder.string(),
                    .value = manifest.level,
                    .remedy =
                        "Give another folder with --out, or delete this one. Without --out each level has "
                        "a folder of its own."};
    const fs::path written = folder / (level.name + ".glb");
    if (!fs::exists(written, bad)) return;
    const std::vector<std::string> ours = manifest.file_names();
    if (std::find(ours.begin(), ours.end(), written.filename().string()) == ours.end() && !is_ours(written))
        refuse(written, "no bake wrote it");
    if (fs::exists(level_file, bad) &&
        (same_file(written, level_file) || same_file(written, scene_of(level_file))))
        refuse(written, level_file.filename().string() + " reads it");
}

}  // namespace stasigraph
