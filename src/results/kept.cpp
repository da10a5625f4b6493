#include "stasigraph/kept.hpp"

#include <algorithm>
#include <cctype>

#include "results/result_folder.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

constexpr const char* kept_folder = "kept";
constexpr const char* note_file = "kept.json";

void check_name(const std::string& name) {
    const bool good = !name.empty() && name.front() != '.' && name.size() <= 100 && name != "now" &&
                      std::all_of(name.begin(), name.end(), [](unsigned char c) {
                          return std::isalnum(c) || c == '-' || c == '_' || c == ' ' || c == '.';
                      });
    if (!good)
        throw Error{.what = "cannot be the name of a kept result",
                    .where = "--keep",
                    .value = name,
                    .remedy = "Use letters, digits, spaces, - and _; \"now\" is what the last bake left."};
}

void copy_in(const fs::path& from, const fs::path& to) {
    fs::create_directories(to.parent_path());
    fs::copy_file(from, to, fs::copy_options::overwrite_existing);
}

std::string text_of(const Json& note, const char* key) {
    return note.contains(key) && note[key].is_string() ? note[key].get<std::string>() : "";
}

/// What a folder under `kept` says of itself; no name where it is none of ours.
KeptBake read_kept(const fs::path& folder) {
    KeptBake kept;
    std::error_code bad;
    if (!fs::is_regular_file(folder / note_file, bad)) return kept;
    const Bytes bytes = read_file(folder / note_file);
    const Json note = Json::parse(bytes.begin(), bytes.end(), nullptr, false);
    const fs::path level = note.is_object() ? text_of(note, "level") : "";
    if (level.empty() || level.is_absolute() || std::find(level.begin(), level.end(), "..") != level.end())
        return kept;
    return {folder.filename().string(), text_of(note, "tier"), text_of(note, "when"), folder, folder / level};
}

}  // namespace

void check_keep(const fs::path& folder, const std::string& name) {
    check_name(name);
    const fs::path to = folder / kept_folder / name;
    std::error_code bad;
    if (fs::exists(to, bad))
        throw Error{.what = "a result is kept under that name already",
                    .where = to.string(),
                    .value = name,
                    .remedy = "Choose another name, or delete that folder."};
}

KeptBake keep_bake(const fs::path& folder, const fs::path& level_file, const std::string& name) {
    check_keep(folder, name);
    const fs::path to = folder / kept_folder / name, beside = folder / kept_folder / ("." + name + ".part");
    std::error_code bad;
    try {
        Manifest manifest;
        read_result(folder, [&](const ResultFiles& result) {
            fs::remove_all(beside);
            manifest = result.manifest();
            for (const std::string& file : manifest.file_names()) {
                fs::create_directories((beside / file).parent_path());
                write_file(beside / file, result.read(file));
            }
            manifest.result.clear();  // it lies plain
            write_text(beside / "manifest.json", to_json(manifest).dump(1) + "\n");
            return 0;
        });
        const fs::path base = level_file.parent_path();
        for (const fs::path& file : level_files(level_file))
            copy_in(file, beside / "level" / file.lexically_relative(base.empty() ? "." : base));
        const Json note = {{"level", (fs::path("level") / level_file.filename()).string()},
                           {"tier", manifest.settings.tier},
                           {"when", utc_text()}};
        write_text(beside / note_file, note.dump(1) + "\n");
        fs::rename(beside, to);
    } catch (const fs::filesystem_error& e) {
        fs::remove_all(beside, bad);
        throw Error{.what = "the result cannot be kept",
                    .where = to.string(),
                    .value = e.code().message(),
                    .remedy = "Make room on the disk, or bake again where a file is missing."};
    }
    return read_kept(to);
}

std::vector<KeptBake> kept_bakes(const fs::path& folder) {
    std::vector<KeptBake> all;
    std::error_code bad;
    for (const fs::directory_entry& e : fs::directory_iterator(folder / kept_folder, bad))
        if (e.is_directory(bad) && !e.path().filename().string().starts_with("."))
            if (KeptBake kept = read_kept(e.path()); !kept.name.empty()) all.push_back(std::move(kept));
    std::sort(all.begin(), all.end(), [](const KeptBake& a, const KeptBake& b) {
        std::error_code none_there;
        const auto time_a = fs::last_write_time(a.folder / note_file, none_there),
                   time_b = fs::last_write_time(b.folder / note_file, none_there);
        return time_a != time_b ? time_a > time_b : a.name < b.name;
    });
    return all;
}

KeptBake kept_bake(const fs::path& folder, const std::string& name) {
    std::string names;
    for (const KeptBake& kept : kept_bakes(folder)) {
        if (kept.name == name) return kept;
        names += (names.empty() ? "" : ", ") + kept.name;
    }
    throw Error{.what = "no result is kept under that name",
                .where = (folder / kept_folder).string(),
                .value = name,
                .remedy = names.empty() ? "Keep one with `stasigraph bake --keep NAME`."
                                        : "There are: " + names + "."};
}

}  // namespace stasigraph
