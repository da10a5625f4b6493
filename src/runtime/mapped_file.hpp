#pragma once
// A file as bytes in memory: mapped where the system can. C++17.

#include <cstddef>
#include <cstdio>
#include <cstdlib>

#if defined(__unix__) || defined(__APPLE__)
#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#define STASIGRAPH_MAPS_FILES 1
#endif

namespace stasigraph::runtime {

/// Owns what it holds. Not copied.
class MappedFile {
public:
    MappedFile() noexcept = default;
    ~MappedFile() { close(); }
    MappedFile(const MappedFile&) = delete;
    MappedFile& operator=(const MappedFile&) = delete;

    /// False where it cannot be opened, or is empty.
    bool open(const char* path) noexcept {
        close();
#ifdef STASIGRAPH_MAPS_FILES
        const int file = ::open(path, O_RDONLY | O_CLOEXEC);
        struct stat about {};
        if (file >= 0 && ::fstat(file, &about) == 0 && about.st_size > 0) {
            size_ = static_cast<std::size_t>(about.st_size);
            data_ = ::mmap(nullptr, size_, PROT_READ, MAP_PRIVATE, file, 0);
            if (data_ == MAP_FAILED) data_ = nullptr;
        }
        if (file >= 0) ::close(file);
#else
        if (std::FILE* file = std::fopen(path, "rb")) {
            std::fseek(file, 0, SEEK_END);
            const long size = std::ftell(file);
            std::rewind(file);
            if (size > 0) data_ = std::malloc(size_ = static_cast<std::size_t>(size));
            if (data_ && std::fread(data_, 1, size_, file) != size_) close();
            std::fclose(file);
        }
#endif
        return data_ != nullptr;
    }
    void close() noexcept {
        if (!data_) return;
#ifdef STASIGRAPH_MAPS_FILES
        ::munmap(data_, size_);
#else
        std::free(data_);
#endif
        data_ = nullptr;
        size_ = 0;
    }
    const void* data() const noexcept {
        return data_;
    }
    std::size_t size() const noexcept {
        return size_;
    }

private:
    void* data_ = nullptr;
    std::size_t size_ = 0;
};

}  // namespace stasigraph::runtime
