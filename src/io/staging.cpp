#include "io/staging.hpp"

#include <fcntl.h>
#include <stdio.h>
#include <unistd.h>

#include <algorithm>

#include "io/files.hpp"
#include "stasigraph/error.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

constexpr const char* prefix = ".new-";

/// Makes what was written outlast a power cut before names point to it.
void flush(const fs::path& path) {
    const int file = open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (file < 0) return;
    fsync(file);
    close(file);
}

/// Files of a replaced folder that nobody of us wrote come along.
void keep_others(const fs::path& old, const fs::path& now, const std::string& name,
                 const std::vector<std::string>& ours) {
    std::error_code bad;
    for (const fs::directory_entry& entry : fs::directory_iterator(old, bad)) {
        const std::string file = name + "/" + entry.path().filename().string();
        if (std::find(ours.begin(), ours.end(), file) == ours.end() &&
            !fs::exists(now / entry.path().filename(), bad))
            fs::rename(entry.path(), now / entry.path().filename(), bad);
    }
}

void swap_folder(const fs::path& fresh, const fs::path& target, const std::string& name,
                 const std::vector<std::string>& ours) {
    std::error_code bad;
    if (!fs::exists(target, bad)) {
        fs::rename(fresh, target);
        return;
    }
    if (renameat2(AT_FDCWD, fresh.c_str(), AT_FDCWD, target.c_str(), RENAME_EXCHANGE) == 0) {
        keep_others(fresh, target, name, ours);
        return;
    }
    // A file system that cannot swap: file by file.
    for (const fs::directory_entry& entry : fs::directory_iterator(fresh))
        fs::rename(entry.path(), target / entry.path().filename());
}

}  // namespace

Staging::Staging(fs::path target)
    : target_(std::move(target)), folder_(target_ / (prefix + std::to_string(getpid()))) {
    std::error_code bad;
    for (const fs::directory_entry& entry : fs::directory_iterator(target_, bad))
        if (entry.path().filename().string().rfind(prefix, 0) == 0) fs::remove_all(entry.path(), bad);
    fs::create_directories(folder_);
}

Staging::~Staging() {
    std::error_code bad;
    fs::remove_all(folder_, bad);
}

void Staging::commit(const std::vector<std::string>& files, const std::vector<std::string>& ours) {
    std::vector<std::string> folders;
    for (const std::string& file : files) {
        flush(folder_ / file);
        // The whole of it: what lies deeper comes along.
        const fs::path path(file);
        const std::string folder = path.has_parent_path() ? path.begin()->string() : "";
        if (!folder.empty() && std::find(folders.begin(), folders.end(), folder) == folders.end())
            folders.push_back(folder);
    }
    try {
        for (const std::string& name : folders) swap_folder(folder_ / name, target_ / name, name, ours);
        for (const std::string& file : files)
            if (fs::path(file).parent_path().empty()) fs::rename(folder_ / file, target_ / file);
    } catch (const fs::filesystem_error& e) {
        throw Error{.what = "cannot be written",
                    .where = e.path2().string(),
                    .value = e.code().message(),
                    .remedy = "Check the folder and its permissions, and bake again."};
    }
    flush(target_);
}

}  // namespace stasigraph
