#pragma once
#include <unistd.h>

#include <filesystem>
#include <string>

/// A folder that is gone with it.
struct TemporaryFolder {
    std::filesystem::path path =
        std::filesystem::temp_directory_path() / ("stasigraph_bench." + std::to_string(getpid()));
    TemporaryFolder() { std::filesystem::create_directories(path); }
    TemporaryFolder(const TemporaryFolder&) = delete;
    TemporaryFolder& operator=(const TemporaryFolder&) = delete;
    ~TemporaryFolder() {
        std::error_code bad;
        std::filesystem::remove_all(path, bad);
    }
};
