#include "results/result_folder.hpp"

#include <fcntl.h>
#include <stdio.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>

#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

constexpr const char *fresh_prefix = ".new-", *result_prefix = ".result-", *manifest_file = "manifest.json";

[[noreturn]] void fail_to_write(const fs::path& path, const std::string& why) {
    throw Error{.what = "cannot be written",
                .where = path.string(),
                .value = why,
                .remedy = "Check the folder, its permissions and the space left, and bake again."};
}

/// The same file under a second name; a copy where the file system has no such thing.
void link_or_copy(const fs::path& from, const fs::path& to) {
    std::error_code bad;
    fs::create_directories(to.parent_path(), bad);
    fs::create_hard_link(from, to, bad);
    if (bad) fs::copy_file(from, to, fs::copy_options::overwrite_existing, bad);
    if (bad) fail_to_write(to, bad.message());
}

/// Gives a file a plain name, in place of what has it.
void show(const fs::path& from, const fs::path& to) {
    std::error_code bad;
    if (fs::equivalent(from, to, bad)) return;
    const fs::path beside = to.parent_path() / (fresh_prefix + to.filename().string());
    fs::remove(beside, bad);
    link_or_copy(from, beside);
    fs::rename(beside, to, bad);
    if (bad) fail_to_write(to, bad.message());
}

/// Removes a plain name, and its folder where nothing is left in it.
void hide(const fs::path& folder, const fs::path& name) {
    std::error_code bad;
    fs::remove(folder / name, bad);
    for (fs::path up = name.parent_path(); !up.empty(); up = up.parent_path())
        fs::remove(folder / up, bad);  // only when empty
}

Json parsed_manifest(const fs::path& folder) {
    std::error_code bad;
    if (!fs::exists(folder / manifest_file, bad)) return {};
    const Bytes bytes = read_file(folder / manifest_file);
    Json json = Json::parse(bytes.begin(), bytes.end(), nullptr, false);
    return json.is_object() ? json : Json();
}

std::string result_name(const Manifest& manifest) {
    const std::string& name = manifest.result;
    return name.starts_with(result_prefix) && name.find('/') == std::string::npos ? name : "";
}

/// Where the files of a manifest lie: beside it where its own folder is gone, as in a copy.
fs::path root_of(const fs::path& folder, const Manifest& manifest) {
    const std::string name = result_name(manifest);
    std::error_code bad;
    return !name.empty() && fs::is_directory(folder / name, bad) ? folder / name : folder;
}

/// Places of probes and charts may be newer than the result: `place` and `unwrap` write them as well.
bool is_input(const std::string& name) {
    return name == "places.json" || (name.starts_with("charts-") && name.ends_with(".bin"));
}

}  // namespace

Manifest manifest_head(const fs::path& folder) {
    return read_manifest_head(parsed_manifest(folder));
}

ResultFiles::ResultFiles(fs::path folder) : folder_(std::move(folder)) {
    std::error_code bad;
    if (!fs::exists(folder_ / manifest_file, bad))
        throw Error{.what = "holds no bake",
                    .where = folder_.string(),
                    .value = "",
                    .remedy = "Run `stasigraph bake` first."};
    json_ = parsed_manifest(folder_);
    if (json_.is_null())
        throw Error{.what = "is damaged",
                    .where = (folder_ / manifest_file).string(),
                    .value = "",
                    .remedy = "Run `stasigraph bake --rebake`."};
    manifest_ = read_manifest(json_);
    root_ = root_of(folder_, manifest_);
}

Bytes ResultFiles::read(const std::string& name) const {
    if (!stays_in_folder(name))
        throw Error{.what = "a file of the result lies outside of its folder",
                    .where = "manifest.json",
                    .value = name,
                    .remedy = "Run `stasigraph bake --rebake`."};
    Bytes bytes = read_file(root_ / name);
    const auto listed = std::find_if(manifest_.files.begin(), manifest_.files.end(),
                                     [&](const auto& file) { return file.first == name; });
    if (listed == manifest_.files.end() || listed->second != hash_text(bytes))
        throw Error{.what = "is not the file that the bake wrote",
                    .where = (root_ / name).string(),
                    .value = "",
                    .remedy = "It was changed, or is of another bake; run `stasigraph bake --rebake`."};
    return bytes;
}

bool ResultFiles::replaced() const {
    return parsed_manifest(folder_) != json_;
}

void mend_results(const fs::path& folder) {
    std::error_code bad;
    const Manifest manifest = manifest_head(folder);
    const std::string current = result_name(manifest);
    std::vector<fs::path> left;
    for (const fs::directory_entry& entry : fs::directory_iterator(folder, bad)) {
        const std::string name = entry.path().filename().string();
        if (name.starts_with(fresh_prefix) || (name.starts_with(result_prefix) && name != current))
            left.push_back(entry.path());
    }
    for (const fs::path& old : left) {
        // A plain name of a file in there is ours. It becomes the current result's again, or goes.
        if (fs::is_directory(old, bad))
            for (const fs::directory_entry& entry : fs::recursive_directory_iterator(old, bad)) {
                const fs::path name = entry.path().lexically_relative(old);
                std::error_code other;
                if (!entry.is_regular_file(other) || name == manifest_file ||
                    !fs::equivalent(entry.path(), folder / name, other))
                    continue;
                if (!current.empty() && fs::exists(folder / current / name, other))
                    show(folder / current / name, folder / name);
                else if (!is_input(name.string()))
                    hide(folder, name);
            }
        fs::remove_all(old, bad);
    }
}

ResultWriter::ResultWriter(fs::path folder)
    : folder_(std::move(folder)), fresh_(folder_ / (fresh_prefix + std::to_string(getpid()))) {
    mend_results(folder_);
    const Manifest before = manifest_head(folder_);
    present_ = root_of(folder_, before);
    listed_ = before.file_names();
    std::error_code bad;
    fs::create_directories(fresh_, bad);
    if (bad) fail_to_write(fresh_, bad.message());
}

ResultWriter::~ResultWriter() {
    std::error_code bad;
    fs::remove_all(fresh_, bad);
}

/// A file that was not written: as it is.
void ResultWriter::take_over(const std::string& name) const {
    std::error_code bad;
    if (fs::exists(fresh_ / name, bad)) return;
    const fs::path plain = folder_ / name, present = present_ / name;
    link_or_copy(is_input(name) || !fs::exists(present, bad) ? plain : present, fresh_ / name);
}

void ResultWriter::commit(Manifest manifest, const std::vector<std::string>& files) {
    std::error_code bad;
    for (const std::string& name : files)
        if (fs::exists(folder_ / name, bad) && !is_input(name) &&
            std::find(listed_.begin(), listed_.end(), name) == listed_.end())
            throw Error{.what = "is there already, and no bake of this level wrote it",
                        .where = (folder_ / name).string(),
                        .value = "",
                        .remedy = "Move it away, or bake to another folder with --out."};
    manifest.files.clear();
    manifest.result.clear();
    for (const std::string& name : files) {
        take_over(name);
        manifest.files.emplace_back(name, hash_text(read_file(fresh_ / name)));
        flush_to_disk(fresh_ / name);
    }
    const std::string result = result_prefix + hash_text(to_json(manifest).dump()).substr(0, 16);
    manifest.result = result;
    write_text(fresh_ / manifest_file, to_json(manifest).dump(1) + "\n");
    flush_to_disk(fresh_);
    const fs::path now = folder_ / result;
    if (fs::exists(now, bad)) {
        // The very same result, perhaps with a damaged file.
        if (renameat2(AT_FDCWD, fresh_.c_str(), AT_FDCWD, now.c_str(), RENAME_EXCHANGE) != 0) {
            fs::remove_all(now, bad);
            fs::rename(fresh_, now, bad);
        }
    } else {
        fs::rename(fresh_, now, bad);
        if (bad) fail_to_write(now, bad.message());
    }
    for (const std::string& name : files) show(now / name, folder_ / name);
    show(now / manifest_file, folder_ / manifest_file);
    flush_to_disk(folder_);
    // From here on the new result is the current one; what follows is done by the next bake where this one
    // ends.
    for (const std::string& name : listed_)
        if (std::find(files.begin(), files.end(), name) == files.end()) hide(folder_, name);
    for (const fs::directory_entry& entry : fs::directory_iterator(folder_, bad))
        if (const std::string name = entry.path().filename().string();
            name.starts_with(result_prefix) && name != result)
            fs::remove_all(entry.path(), bad);
}

}  // namespace stasigraph
