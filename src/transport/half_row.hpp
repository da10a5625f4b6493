#pragma once
// Eight 16-bit floats at once (F16C).

#include <immintrin.h>
#include <cstdint>

namespace stasigraph {

typedef float Lane __attribute__((vector_size(32)));

inline Lane load_half(const std::uint16_t* p) {
    return reinterpret_cast<Lane>(_mm256_cvtph_ps(_mm_loadu_si128(reinterpret_cast<const __m128i*>(p))));
}

/// One 16-bit float.
inline float one_half(std::uint16_t bits) {
    return _cvtsh_ss(bits);
}

}  // namespace stasigraph
