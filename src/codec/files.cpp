#include "codec/files.hpp"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <ctime>
#include <memory>

#include <xxhash.h>

#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

struct Closer {
    void operator()(std::FILE* f) const { std::fclose(f); }
};
using File = std::unique_ptr<std::FILE, Closer>;

}  // namespace

Bytes read_file(const fs::path& path) {
    std::error_code bad;
    if (!fs::exists(path, bad))
        throw Error{.what = "there is no such file",
                    .where = path.string(),
                    .value = "",
                    .remedy = "Check the name."};
    if (!fs::is_regular_file(path, bad))
        throw Error{.what = "is not a file", .where = path.string(), .value = "", .remedy = ""};
    const File file(std::fopen(path.c_str(), "rb"));
    if (!file)
        throw Error{
            .what = "cannot be read", .where = path.string(), .value = std::strerror(errno), .remedy = ""};
    Bytes bytes(fs::file_size(path));
    const std::size_t got = std::fread(bytes.data(), 1, bytes.size(), file.get());
    if (got != bytes.size())
        throw Error{
            .what = "ended early while being read", .where = path.string(), .value = "", .remedy = ""};
    return bytes;
}

void flush_to_disk(const fs::path& path) {
    const int file = open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (file < 0) return;
    fsync(file);
    close(file);
}

void write_beside(const fs::path& to, const std::function<void(const fs::path&)>& write) {
    const fs::path temporary = to.parent_path() / ("." + to.stem().string() + "." + std::to_string(getpid()) +
                                                   to.extension().string());
    std::error_code bad;
    try {
        if (!to.parent_path().empty()) fs::create_directories(to.parent_path());
        write(temporary);
        flush_to_disk(temporary);
        fs::rename(temporary, to);
        flush_to_disk(to.parent_path().empty() ? fs::path(".") : to.parent_path());
    } catch (const fs::filesystem_error& e) {
        fs::remove(temporary, bad);
        throw Error{.what = "cannot be written",
                    .where = to.string(),
                    .value = e.code().message(),
                    .remedy = "Check the folder, its permissions and the space left."};
    } catch (...) {
        fs::remove(temporary, bad);
        throw;
    }
}

void write_file(const fs::path& to, std::span<const std::uint8_t> bytes) {
    write_beside(to, [&](const fs::path& temporary) {
        File file(std::fopen(temporary.c_str(), "wb"));
        const bool good = file && std::fwrite(bytes.data(), 1, bytes.size(), file.get()) == bytes.size() &&
                          std::fflush(file.get()) == 0;
        if (!good)
            throw Error{.what = "cannot be written",
                        .where = to.string(),
                        .value = std::strerror(errno),
                        .remedy = "Check the folder, its permissions and the space left."};
    });
}

void write_text(const fs::path& to, const std::string& text) {
    write_file(to, {reinterpret_cast<const std::uint8_t*>(text.data()), text.size()});
}

void check_writable(const fs::path& folder) {
    std::error_code bad;
    fs::create_directories(folder, bad);
    // A file without a name: nothing of it is left, whenever this is killed.
    if (const int f = open(folder.c_str(), O_TMPFILE | O_WRONLY | O_CLOEXEC, 0600); f >= 0) {
        close(f);
        return;
    }
    // Where that is refused, or unknown to the file system, a plain one tells why.
    write_text(folder / ".write-test", "");
    fs::remove(folder / ".write-test", bad);
}

fs::path referenced_file(const fs::path& folder, const std::string& name, const std::string& where) {
    std::error_code bad;
    const fs::path base = fs::weakly_canonical(folder.empty() ? fs::path(".") : folder, bad);
    const fs::path full = fs::weakly_canonical(base / fs::path(name), bad);
    const fs::path relative = full.lexically_relative(base);
    if (fs::path(name).is_absolute() || relative.empty() || *relative.begin() == "..")
        throw Error{.what = "a referenced file lies outside the level's folder",
                    .where = where,
                    .value = name,
                    .remedy = "Move it into or under the folder of the level."};
    if (!fs::is_regular_file(full, bad))
        throw Error{.what = "a referenced file does not exist",
                    .where = where,
                    .value = name,
                    .remedy = "Check the name."};
    return folder / relative;
}

std::string hash_text(std::span<const std::uint8_t> bytes) {
    const XXH128_hash_t h = XXH3_128bits(bytes.data(), bytes.size());
    char text[33];
    std::snprintf(text, sizeof text, "%016llx%016llx", static_cast<unsigned long long>(h.high64),
                  static_cast<unsigned long long>(h.low64));
    return text;
}
std::string hash_text(std::string_view text) {
    return hash_text(std::span(reinterpret_cast<const std::uint8_t*>(text.data()), text.size()));
}

std::string utc_text() {
    const std::time_t now = std::time(nullptr);
    std::tm parts{};
    gmtime_r(&now, &parts);
    char text[32];
    std::strftime(text, sizeof text, "%Y-%m-%d %H:%M", &parts);
    return text;
}

}  // namespace stasigraph
