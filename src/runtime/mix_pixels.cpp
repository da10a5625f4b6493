#include "runtime/mix_pixels.hpp"

#include <algorithm>
#include <cstring>

#include "runtime/pixel_codes.hpp"

#if defined(__x86_64__) && defined(__GNUC__)
#include <immintrin.h>
#define STASIGRAPH_HAS_AVX2 1
#endif

namespace stasigraph::runtime {

namespace {

constexpr float most_half = 65504;

// Rows [x, width) of a rectangle; the vector code below gives the same bits.
void mix_halves(const Rectangle& r, const PixelSource* s, std::size_t count, unsigned char* out,
                std::size_t y, std::size_t x) {
    for (; x < r.width; ++x) {
        const std::size_t at = y * r.stride + 8 * x;
        float sum[3] = {0, 0, 0};
        for (std::size_t k = 0; k < count; ++k) {
            std::uint16_t h[3];
            std::memcpy(h, s[k].data + at, 6);
            sum[0] += from_signed_half(h[0]) * s[k].r;
            sum[1] += from_signed_half(h[1]) * s[k].g;
            sum[2] += from_signed_half(h[2]) * s[k].b;
        }
        const float low = r.below_zero ? -most_half : 0;
        std::uint16_t h[4] = {0, 0, 0, 0x3c00};
        for (int c = 0; c < 3; ++c) h[c] = to_signed_half(std::max(low, std::min(most_half, sum[c])));
        std::memcpy(out + at, h, 8);
    }
}

void mix_shared(const Rectangle& r, const PixelSource* s, std::size_t count, unsigned char* out,
                std::size_t y, std::size_t x) {
    for (; x < r.width; ++x) {
        const std::size_t at = y * r.stride + 4 * x;
        float sum[3] = {0, 0, 0};
        for (std::size_t k = 0; k < count; ++k) {
            std::uint32_t word;
            std::memcpy(&word, s[k].data + at, 4);
            const Color c = from_rgb9e5(word);
            sum[0] += c.r * s[k].r;
            sum[1] += c.g * s[k].g;
            sum[2] += c.b * s[k].b;
        }
        const std::uint32_t word = to_rgb9e5(sum[0], sum[1], sum[2]);
        std::memcpy(out + at, &word, 4);
    }
}

#ifdef STASIGRAPH_HAS_AVX2

__attribute__((target("avx2,f16c"))) void mix_halves_8(const Rectangle& r, const PixelSource* s,
                                                       std::size_t count, unsigned char* out) {
    const __m256 low = _mm256_set1_ps(r.below_zero ? -most_half : 0), high = _mm256_set1_ps(most_half),
                 one = _mm256_setr_ps(0, 0, 0, 1, 0, 0, 0, 1);
    for (std::size_t y = 0; y < r.height; ++y) {
        std::size_t x = 0;
        for (; x + 4 <= r.width; x += 4) {
            const std::size_t at = y * r.stride + 8 * x;
            __m256 a = _mm256_setzero_ps(), b = _mm256_setzero_ps();
            for (std::size_t k = 0; k < count; ++k) {
                const __m256 w = _mm256_setr_ps(s[k].r, s[k].g, s[k].b, 0, s[k].r, s[k].g, s[k].b, 0);
                const __m256i in = _mm256_loadu_si256(reinterpret_cast<const __m256i*>(s[k].data + at));
                a = _mm256_add_ps(a, _mm256_mul_ps(_mm256_cvtph_ps(_mm256_castsi256_si128(in)), w));
                b = _mm256_add_ps(b, _mm256_mul_ps(_mm256_cvtph_ps(_mm256_extracti128_si256(in, 1)), w));
            }
            a = _mm256_max_ps(low, _mm256_min_ps(high, a));
            b = _mm256_max_ps(low, _mm256_min_ps(high, b));
            a = _mm256_blend_ps(a, one, 0x88);
            b = _mm256_blend_ps(b, one, 0x88);
            const __m256i packed =
                _mm256_set_m128i(_mm256_cvtps_ph(b, _MM_FROUND_TO_NEAREST_INT | _MM_FROUND_NO_EXC),
                                 _mm256_cvtps_ph(a, _MM_FROUND_TO_NEAREST_INT | _MM_FROUND_NO_EXC));
            _mm256_storeu_si256(reinterpret_cast<__m256i*>(out + at), packed);
        }
        if (x < r.width) mix_halves(r, s, count, out, y, x);
    }
}

/// 2^(24 - e).
__attribute__((target("avx2"))) inline __m256 scale_of(__m256i e) {
    return _mm256_castsi256_ps(_mm256_slli_epi32(_mm256_sub_epi32(_mm256_set1_epi32(127 + 24), e), 23));
}

__attribute__((target("avx2"))) void mix_shared_8(const Rectangle& r, const PixelSource* s, std::size_t count,
                                                  unsigned char* out) {
    const __m256i nine = _mm256_set1_epi32(511);
    const __m256 zero = _mm256_setzero_ps(), most = _mm256_set1_ps(65408.0f), half = _mm256_set1_ps(0.5f);
    for (std::size_t y = 0; y < r.height; ++y) {
        std::size_t x = 0;
        for (; x + 8 <= r.width; x += 8) {
            const std::size_t at = y * r.stride + 4 * x;
            __m256 sum[3] = {zero, zero, zero};
            for (std::size_t k = 0; k < count; ++k) {
                const __m256i in = _mm256_loadu_si256(reinterpret_cast<const __m256i*>(s[k].data + at));
                const __m256 scale = _mm256_castsi256_ps(_mm256_slli_epi32(
                    _mm256_add_epi32(_mm256_srli_epi32(in, 27), _mm256_set1_epi32(127 - 24)), 23));
                const auto add = [&](__m256 & to, const __m256i bits, float w)
                    __attribute__((target("avx2"))) {
                    const __m256 v = _mm256_mul_ps(_mm256_cvtepi32_ps(_mm256_and_si256(bits, nine)), scale);
                    to = _mm256_add_ps(to, _mm256_mul_ps(v, _mm256_set1_ps(w)));
                };
                add(sum[0], in, s[k].r);
                add(sum[1], _mm256_srli_epi32(in, 9), s[k].g);
                add(sum[2], _mm256_srli_epi32(in, 18), s[k].b);
            }
            for (__m256& c : sum) c = _mm256_min_ps(_mm256_max_ps(c, zero), most);
            const __m256 top = _mm256_max_ps(sum[0], _mm256_max_ps(sum[1], sum[2]));
            __m256i e =
                _mm256_sub_epi32(_mm256_srli_epi32(_mm256_castps_si256(top), 23), _mm256_set1_epi32(127));
            e = _mm256_add_epi32(_mm256_max_epi32(e, _mm256_set1_epi32(-16)), _mm256_set1_epi32(16));
            const __m256i carried =
                _mm256_cmpeq_epi32(_mm256_cvttps_epi32(_mm256_add_ps(_mm256_mul_ps(top, scale_of(e)), half)),
                                   _mm256_set1_epi32(512));
            e = _mm256_sub_epi32(e, carried);
            const __m256 scale = scale_of(e);
            const auto part = [&](__m256 v) __attribute__((target("avx2"))) {
                return _mm256_cvttps_epi32(_mm256_add_ps(_mm256_mul_ps(v, scale), half));
            };
            const __m256i word = _mm256_or_si256(
                _mm256_or_si256(part(sum[0]), _mm256_slli_epi32(part(sum[1]), 9)),
                _mm256_or_si256(_mm256_slli_epi32(part(sum[2]), 18), _mm256_slli_epi32(e, 27)));
            _mm256_storeu_si256(reinterpret_cast<__m256i*>(out + at), word);
        }
        if (x < r.width) mix_shared(r, s, count, out, y, x);
    }
}

bool has_avx2() {
    // Whatever has AVX2 has half floats, too; Clang 14 cannot ask for them.
    static const bool has = __builtin_cpu_supports("avx2");
    return has;
}

#endif

}  // namespace

void mix_pixels(const Rectangle& r, const PixelSource* sources, std::size_t count, unsigned char* out) {
    const bool halves = r.format == PixelFormat::half4;
#ifdef STASIGRAPH_HAS_AVX2
    if (has_avx2())
        return halves ? mix_halves_8(r, sources, count, out) : mix_shared_8(r, sources, count, out);
#endif
    for (std::size_t y = 0; y < r.height; ++y)
        halves ? mix_halves(r, sources, count, out, y, 0) : mix_shared(r, sources, count, out, y, 0);
}

}  // namespace stasigraph::runtime
