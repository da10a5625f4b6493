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

/// Of bytes in memory, seed 0, on a little-endian machine.
inline std::uint64_t checksum(const void* data, std::size_t size) {
    using namespace detail;
    const auto* p = static_cast<const unsigned char*>(data);
    const unsigned char* const end = p + size;
    std::uint64_t h = prime_5;
    if (size >= 32) {
        std::uint64_t a = prime_1 + prime_2, b = prime_2, c = 0, d = 0 - prime_1;
        for (; end - p >= 32; p += 32) {
            a = round(a, word_of<std::uint64_t>(p));
            b = round(b, word_of<std::uint64_t>(p + 8));
            c = round(c, word_of<std::uint64_t>(p + 16));
            d = round(d, word_of<std::uint64_t>(p + 24));
        }
        h = turned(a, 1) + turned(b, 7) + turned(c, 12) + turned(d, 18);
        h = merged(merged(merged(merged(h, a), b), c), d);
    }
    h += size;
    for (; end - p >= 8; p += 8) h = turned(h ^ round(0, word_of<std::uint64_t>(p)), 27) * prime_1 + prime_4;
    if (end - p >= 4) {
        h = turned(h ^ word_of<std::uint32_t>(p) * prime_1, 23) * prime_2 + prime_3;
        p += 4;
    }
    for (; p < end; ++p) h = turned(h ^ *p * prime_5, 11) * prime_1;
    h = (h ^ h >> 33) * prime_2;
    h = (h ^ h >> 29) * prime_3;
    return h ^ h >> 32;
}

}  // namespace stasigraph::runtime
