// The cache beside a level: blobs that a later bake need not make again. See docs/files.md.

#include <fcntl.h>
#include <signal.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <memory>
#include <set>
#include <utility>

#include <xxhash.h>

#include "codec/files.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

struct Header {
    char magic[8] = {'S', 'G', 'C', 'A', 'C', 'H', 'E', '1'};
    std::uint64_t size = 0, low = 0, high = 0;  ///< Of what follows; its xxHash3, 128 bits.
};

/// A file in memory. Files of the cache are replaced by renaming and never written into, so it stays as it is
/// even when its name is gone; its pages leave memory when that is short and come back when asked for.
struct Mapped {
    const std::uint8_t* data = nullptr;
    std::size_t size = 0;

    static std::shared_ptr<const Mapped> of(const fs::path& path) {
        const int f = open(path.c_str(), O_RDONLY | O_CLOEXEC);
        if (f < 0) return nullptr;
        struct stat about {};
        void* at = MAP_FAILED;
        if (fstat(f, &about) == 0 && about.st_size > 0)
            at = mmap(nullptr, static_cast<std::size_t>(about.st_size), PROT_READ, MAP_PRIVATE, f, 0);
        close(f);
        if (at == MAP_FAILED) return nullptr;
        auto mapped = std::make_shared<Mapped>();
        mapped->data = static_cast<const std::uint8_t*>(at);
        mapped->size = static_cast<std::size_t>(about.st_size);
        return mapped;
    }
    /// Pages leave memory now; they are read from the file again when asked for.
    void rest() const { madvise(const_cast<std::uint8_t*>(data), size, MADV_DONTNEED); }
    Mapped() = default;
    Mapped(const Mapped&) = delete;
    Mapped& operator=(const Mapped&) = delete;
    ~Mapped() {
        if (data) munmap(const_cast<std::uint8_t*>(data), size);
    }
};

class Store {
public:
    Store(fs::path folder, std::function<void(const std::string&)> note, std::uint64_t limit)
        : folder_(std::move(folder)), note_(std::move(note)), limit_(limit) {
        clear_leftovers();
    }

    bool load(const std::string& name, Blob& blob) {
        const fs::path path = file(name);
        std::error_code bad;
        if (!fs::is_regular_file(path, bad)) return false;
        const std::shared_ptr<const Mapped> mapped = Mapped::of(path);
        Header header;
        bool good = mapped && mapped->size >= sizeof header;
        if (good) {
            const Header expected;
            std::memcpy(&header, mapped->data, sizeof header);
            blob = {mapped->data + sizeof header, mapped->size - sizeof header, [mapped] {},
                    [mapped] { mapped->rest(); }};
            good = std::memcmp(header.magic, expected.magic, sizeof header.magic) == 0 &&
                   blob.size == header.size;
        }
        if (good) {
            const XXH128_hash_t h = XXH3_128bits(blob.data, blob.size);
            good = h.low64 == header.low && h.high64 == header.high;
        }
        if (!good) {
            note_(path.string() + " is truncated or damaged; what it held is made again.");
            blob = {};
            fs::remove(path, bad);
            return false;
        }
        used_.insert(path.filename().string());
        fs::last_write_time(path, fs::file_time_type::clock::now(), bad);
        return true;
    }

    void drop(const std::string& name) {
        std::error_code bad;
        fs::remove(file(name), bad);
    }

    void save(const std::string& name, const std::vector<BlobPart>& parts) {
        const std::unique_ptr<XXH3_state_t, XXH_errorcode (*)(XXH3_state_t*)> state(XXH3_createState(),
                                                                                    XXH3_freeState);
        XXH3_128bits_reset(state.get());
        Header header;
        for (const BlobPart& part : parts) {
            XXH3_128bits_update(state.get(), part.data, part.size);
            header.size += part.size;
        }
        const XXH128_hash_t h = XXH3_128bits_digest(state.get());
        header.low = h.low64;
        header.high = h.high64;
        const fs::path path = file(name);
        used_.insert(path.filename().string());
        try {
            write_beside(path, [&](const fs::path& temporary) { write(temporary, header, parts); });
            make_room();
        } catch (const Error& e) {
            if (!std::exchange(told_, true))
                note_(e.text() + " The bake goes on, but the next one has to do the same work again.");
        }
    }

private:
    fs::path file(const std::string& name) const { return folder_ / (name + ".bin"); }

    static void write(const fs::path& to, const Header& header, const std::vector<BlobPart>& parts) {
        std::FILE* f = std::fopen(to.c_str(), "wb");
        bool good = f && std::fwrite(&header, sizeof header, 1, f) == 1;
        for (const BlobPart& part : parts)
            good = good && (part.size == 0 || std::fwrite(part.data, 1, part.size, f) == part.size);
        const int why = errno;
        if (f) good = std::fclose(f) == 0 && good;
        if (!good)
            throw Error{.what = "the cache cannot be written",
                        .where = to.parent_path().string(),
                        .value = std::strerror(why),
                        .remedy = "Check the folder, its permissions and the space left."};
    }

    /// What killed processes were writing: named by write_beside() with their number before the ending.
    void clear_leftovers() {
        std::error_code bad;
        for (const fs::directory_entry& entry : fs::directory_iterator(folder_, bad)) {
            const std::string name = entry.path().stem().string();
            const std::size_t dot = name.rfind('.');
            if (name.front() != '.' || dot == 0 || entry.path().extension() != ".bin") continue;
            const int writer = std::atoi(name.c_str() + dot + 1);
            if (writer > 0 && kill(writer, 0) != 0 && errno == ESRCH) fs::remove(entry.path(), bad);
        }
    }

    /// Beyond the limit, what was not used for longest goes; what this run used stays.
    void make_room() {
        struct Old {
            fs::file_time_type time;
            fs::path path;
            std::uint64_t size;
        };
        std::vector<Old> files;
        std::uint64_t whole = 0;
        std::error_code bad;
        for (const fs::directory_entry& entry : fs::directory_iterator(folder_, bad)) {
            if (entry.path().extension() != ".bin" || !entry.is_regular_file(bad)) continue;
            const std::uintmax_t size = entry.file_size(bad);
            if (bad) continue;
            whole += size;
            if (!used_.contains(entry.path().filename().string()))
                files.push_back({entry.last_write_time(bad), entry.path(), size});
        }
        std::sort(files.begin(), files.end(), [](const Old& a, const Old& b) { return a.time < b.time; });
        for (const Old& old : files) {
            if (whole <= limit_) return;
            if (fs::remove(old.path, bad)) whole -= old.size;
        }
    }

    fs::path folder_;
    std::function<void(const std::string&)> note_;
    std::uint64_t limit_;
    std::set<std::string> used_;
    bool told_ = false;
};

}  // namespace

fs::path default_cache(const fs::path& level_file) {
    return level_file.parent_path() / ".stasigraph";
}

BakeStore open_store(const fs::path& folder, std::function<void(const std::string&)> note,
                     std::uint64_t limit) {
    const auto store = std::make_shared<Store>(folder, std::move(note), limit);
    return {.load = [store](const std::string& name, Blob& blob) { return store->load(name, blob); },
            .save = [store](const std::string& name,
                            const std::vector<BlobPart>& parts) { store->save(name, parts); },
            .drop = [store](const std::string& name) { store->drop(name); }};
}

}  // namespace stasigraph
