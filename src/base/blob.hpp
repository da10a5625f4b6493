#pragma once
// What is kept of a bake, as runs of bytes.

#include <cstring>
#include <deque>
#include <span>
#include <type_traits>
#include <vector>

#include "stasigraph/bake_store.hpp"

namespace stasigraph {

/// Collects arrays without copying them: they must live until the blob is saved.
class BlobWriter {
public:
    template <class T>
    requires std::is_trivially_copyable_v<T>
    void array(const std::vector<T>& v) {
        sizes_.push_back(v.size());
        add(&sizes_.back(), sizeof(std::uint64_t));
        add(v.data(), v.size() * sizeof(T));
    }
    template <class T>
    void array(std::span<const T> v) {
        sizes_.push_back(v.size());
        add(&sizes_.back(), sizeof(std::uint64_t));
        add(v.data(), v.size() * sizeof(T));
    }
    void number(std::uint64_t v) {
        sizes_.push_back(v);
        add(&sizes_.back(), sizeof v);
    }
    const std::vector<BlobPart>& parts() const { return parts_; }

private:
    void add(const void* p, std::size_t size) {
        parts_.push_back({static_cast<const std::uint8_t*>(p), size});
    }
    std::deque<std::uint64_t> sizes_;
    std::vector<BlobPart> parts_;
};

/// Reads it back. What does not fit makes good() false, and everything read after that empty.
class BlobReader {
public:
    explicit BlobReader(const Blob& blob) : rest_(blob.data, blob.size) {}
    template <class T>
    requires std::is_trivially_copyable_v<T>
    void array(std::vector<T>& v) {
        const std::uint64_t count = number();
        v.clear();
        if (count > rest_.size() / sizeof(T)) good_ = false;
        if (!good_) return;
        v.resize(count);
        if (count) std::memcpy(static_cast<void*>(v.data()), rest_.data(), count * sizeof(T));
        rest_ = rest_.subspan(count * sizeof(T));
    }
    /// The same, of a length that is known.
    template <class T>
    void array(std::vector<T>& v, std::size_t count) {
        array(v);
        good_ = good_ && v.size() == count;
    }
    /// An array where it lies; the blob must outlive it.
    template <class T>
    std::span<const T> view() {
        const std::uint64_t count = number();
        if (count > rest_.size() / sizeof(T) ||
            reinterpret_cast<std::uintptr_t>(rest_.data()) % alignof(T) != 0)
            good_ = false;
        if (!good_) return {};
        const std::span<const T> v(reinterpret_cast<const T*>(rest_.data()), count);
        rest_ = rest_.subspan(count * sizeof(T));
        return v;
    }
    std::uint64_t number() {
        std::uint64_t v = 0;
        if (rest_.size() < sizeof v) good_ = false;
        if (!good_) return 0;
        std::memcpy(&v, rest_.data(), sizeof v);
        rest_ = rest_.subspan(sizeof v);
        return v;
    }
    /// Whether all fitted; ask at the end, when nothing may be left over.
    bool done() const { return good_ && rest_.empty(); }
    bool good() const { return good_; }

private:
    std::span<const std::uint8_t> rest_;
    bool good_ = true;
};

}  // namespace stasigraph
