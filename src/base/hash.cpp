#include "base/hash.hpp"

#define XXH_INLINE_ALL
#include <xxhash.h>

namespace stasigraph {

namespace {

constexpr std::size_t block = 1 << 16;

}  // namespace

// Large runs are hashed where they lie, chained by seeds; small ones are collected first.
void Hasher::raw(const void* data, std::size_t size) {
    const auto* p = static_cast<const std::uint8_t*>(data);
    if (size >= block) {
        flush();
        const XXH128_hash_t h = XXH3_128bits_withSeed(p, size, low_);
        low_ = h.low64 ^ high_;
        high_ = h.high64;
        return;
    }
    waiting_.insert(waiting_.end(), p, p + size);
    if (waiting_.size() >= block) flush();
}

void Hasher::flush() {
    if (waiting_.empty()) return;
    const XXH128_hash_t h = XXH3_128bits_withSeed(waiting_.data(), waiting_.size(), low_);
    low_ = h.low64 ^ high_;
    high_ = h.high64;
    waiting_.clear();
}

std::string Hasher::key() const {
    Hasher end = *this;
    end.flush();
    constexpr char digits[] = "0123456789abcdef";
    std::string s;
    for (const std::uint64_t part : {end.high_, end.low_})
        for (int shift = 60; shift >= 0; shift -= 4) s += digits[part >> shift & 15];
    return s;
}

}  // namespace stasigraph
