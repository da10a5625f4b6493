#pragma once
// XXH64 (Collet, xxHash fast digest algorithm, specification 0.1.1). Standard library only, C++17.

#include <cstddef>
#include <cstdint>
#include <cstring>

namespace stasigraph::runtime {

namespace detail {

constexpr std::uint64_t prime_1 = 0x9e3779b185ebca87u, prime_2 = 0xc2b2ae3d27d4eb4fu,
                        prime_3 = 0x165667b19e3779f9u, prime_4 = 0x85ebca77c2b2ae63u,
                        prime_5 = 0x27d4eb2f165667c5u;

inline std::uint64_t turned(std::uint64_t v, int bits) {
    return v << bits | v >> (64 - bits);
}
inline std::uint64_t round(std::uint64_t sum, std::uint64_t word) {
    return turned(sum + word * prime_2, 31) * prime_1;
}
inline std::uint64_t merged(std::uint64_t sum, std::uint64_t lane) {
    return (sum ^ round(0, lane)) * prime_1 + prime_4;
}
template <class T>
T word_of(const unsigned char* p) {
    T v;
    std::memcpy(&v, p, sizeof v);
    return v;
}

}  // namespace detail

/// Of bytes as they come, seed 0, on a little-endian machine.
class Checksum {
public:
    void add(const void* data, std::size_t size) {
        const auto* p = static_cast<const unsigned char*>(data);
        const unsigned char* const end = p + size;
        size_ += size;
        if (held_ > 0) {
            for (; held_ < stripe && p < end; ++p) rest_[held_++] = *p;
            if (held_ < stripe) return;
            take(rest_);
            held_ = 0;
        }
        for (; end - p >= static_cast<std::ptrdiff_t>(stripe); p += stripe) take(p);
        for (; p < end; ++p) rest_[held_++] = *p;
    }
    std::uint64_t value() const {
        using namespace detail;
        std::uint64_t h = prime_5;
        if (size_ >= stripe) {
            h = turned(lane_[0], 1) + turned(lane_[1], 7) + turned(lane_[2], 12) + turned(lane_[3], 18);
            for (const std::uint64_t lane : lane_) h = merged(h, lane);
        }
        h += size_;
        const unsigned char *p = rest_, *const end = rest_ + held_;
        for (; end - p >= 8; p += 8)
            h = turned(h ^ round(0, word_of<std::uint64_t>(p)), 27) * prime_1 + prime_4;
        if (end - p >= 4) {
            h = turned(h ^ word_of<std::uint32_t>(p) * prime_1, 23) * prime_2 + prime_3;
            p += 4;
        }
        for (; p < end; ++p) h = turned(h ^ *p * prime_5, 11) * prime_1;
        h = (h ^ h >> 33) * prime_2;
        h = (h ^ h >> 29) * prime_3;
        return h ^ h >> 32;
    }

private:
    static constexpr std::size_t stripe = 32;
    void take(const unsigned char* p) {
        for (int k = 0; k < 4; ++k)
            lane_[k] = detail::round(lane_[k], detail::word_of<std::uint64_t>(p + 8 * k));
    }
    std::uint64_t lane_[4] = {detail::prime_1 + detail::prime_2, detail::prime_2, 0, 0 - detail::prime_1};
    std::uint64_t size_ = 0;
    std::size_t held_ = 0;
    unsigned char rest_[stripe] = {};
};

/// Of bytes in memory.
inline std::uint64_t checksum(const void* data, std::size_t size) {
    Checksum sum;
    sum.add(data, size);
    return sum.value();
}

}  // namespace stasigraph::runtime
