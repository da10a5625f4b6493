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
        if (r.zones && r.zones[y * r.zone_stride + x] != r.own) continue;
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
        if (r.zones && r.zones[y * r.zone_stride + x] != r.own) continue;
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

// Up to four sources, whose weights stay in registers; more are rare, and left to the code above.
template <std::size_t N>
__attribute__((target("avx2,f16c"))) void mix_halves_of(const Rectangle& r, const PixelSource* s,
                                                        unsigned char* out) {
    const __m256 low = _mm256_set1_ps(r.below_zero ? -most_half : 0), high = _mm256_set1_ps(most_half),
                 one = _mm256_setr_ps(0, 0, 0, 1, 0, 0, 0, 1);
    __m256 weight[N];
    const unsigned char* from[N];
    for (std::size_t k = 0; k < N; ++k) {
        weight[k] = _mm256_setr_ps(s[k].r, s[k].g, s[k].b, 0, s[k].r, s[k].g, s[k].b, 0);
        from[k] = s[k].data;
    }
    for (std::size_t y = 0; y < r.height; ++y) {
        std::size_t x = 0;
        for (; x + 4 <= r.width; x += 4) {
            __m256i mask = _mm256_set1_epi64x(-1);
            if (r.zones) {
                std::uint32_t four;
                std::memcpy(&four, r.zones + y * r.zone_stride + x, 4);
                const __m128i own = _mm_cmpeq_epi8(_mm_cvtsi32_si128(static_cast<int>(four)),
                                                   _mm_set1_epi8(static_cast<char>(r.own)));
                if ((_mm_movemask_epi8(own) & 15) == 0) continue;
                mask = _mm256_cvtepi8_epi64(own);
            }
            const std::size_t at = y * r.stride + 8 * x;
            __m256 a = _mm256_setzero_ps(), b = _mm256_setzero_ps();
            for (std::size_t k = 0; k < N; ++k) {
                const auto* in = reinterpret_cast<const __m128i*>(from[k] + at);
                a = _mm256_add_ps(a, _mm256_mul_ps(_mm256_cvtph_ps(_mm_loadu_si128(in)), weight[k]));
                b = _mm256_add_ps(b, _mm256_mul_ps(_mm256_cvtph_ps(_mm_loadu_si128(in + 1)), weight[k]));
            }
            a = _mm256_blend_ps(_mm256_max_ps(low, _mm256_min_ps(high, a)), one, 0x88);
            b = _mm256_blend_ps(_mm256_max_ps(low, _mm256_min_ps(high, b)), one, 0x88);
            constexpr int rounding = _MM_FROUND_TO_NEAREST_INT | _MM_FROUND_NO_EXC;
            const __m256i packed =
                _mm256_set_m128i(_mm256_cvtps_ph(b, rounding), _mm256_cvtps_ph(a, rounding));
            auto* to = out + at;
            if (r.zones)
                _mm256_maskstore_epi64(reinterpret_cast<long long*>(to), mask, packed);
            else
                _mm256_storeu_si256(reinterpret_cast<__m256i*>(to), packed);
        }
        if (x < r.width) mix_halves(r, s, N, out, y, x);
    }
}

/// 2^(24 - e).
__attribute__((target("avx2"))) inline __m256 scale_of(__m256i e) {
    return _mm256_castsi256_ps(_mm256_slli_epi32(_mm256_sub_epi32(_mm256_set1_epi32(127 + 24), e), 23));
}
__attribute__((target("avx2"))) inline __m256i rounded(__m256 v, __m256 scale) {
    return _mm256_cvttps_epi32(_mm256_add_ps(_mm256_mul_ps(v, scale), _mm256_set1_ps(0.5f)));
}
/// The nine bits of a channel, as they are.
__attribute__((target("avx2"))) inline __m256 nine_bits(__m256i word) {
    return _mm256_cvtepi32_ps(_mm256_and_si256(word, _mm256_set1_epi32(511)));
}

template <std::size_t N>
__attribute__((target("avx2"))) void mix_shared_of(const Rectangle& r, const PixelSource* s,
                                                   unsigned char* out) {
    const __m256 zero = _mm256_setzero_ps(), most = _mm256_set1_ps(65408.0f);
    __m256 wr[N], wg[N], wb[N];
    const unsigned char* from[N];
    for (std::size_t k = 0; k < N; ++k) {
        wr[k] = _mm256_set1_ps(s[k].r);
        wg[k] = _mm256_set1_ps(s[k].g);
        wb[k] = _mm256_set1_ps(s[k].b);
        from[k] = s[k].data;
    }
    for (std::size_t y = 0; y < r.height; ++y) {
        std::size_t x = 0;
        for (; x + 8 <= r.width; x += 8) {
            __m256i mask = _mm256_set1_epi32(-1);
            if (r.zones) {
                const __m128i own = _mm_cmpeq_epi8(
                    _mm_loadl_epi64(reinterpret_cast<const __m128i*>(r.zones + y * r.zone_stride + x)),
                    _mm_set1_epi8(static_cast<char>(r.own)));
                if ((_mm_movemask_epi8(own) & 255) == 0) continue;
                mask = _mm256_cvtepi8_epi32(own);
            }
            const std::size_t at = y * r.stride + 4 * x;
            __m256 red = zero, green = zero, blue = zero;
            for (std::size_t k = 0; k < N; ++k) {
                const __m256i in = _mm256_loadu_si256(reinterpret_cast<const __m256i*>(from[k] + at));
                const __m256 scale = _mm256_castsi256_ps(_mm256_slli_epi32(
                    _mm256_add_epi32(_mm256_srli_epi32(in, 27), _mm256_set1_epi32(127 - 24)), 23));
                red = _mm256_add_ps(red, _mm256_mul_ps(_mm256_mul_ps(nine_bits(in), scale), wr[k]));
                green = _mm256_add_ps(
                    green, _mm256_mul_ps(_mm256_mul_ps(nine_bits(_mm256_srli_epi32(in, 9)), scale), wg[k]));
                blue = _mm256_add_ps(
                    blue, _mm256_mul_ps(_mm256_mul_ps(nine_bits(_mm256_srli_epi32(in, 18)), scale), wb[k]));
            }
            red = _mm256_min_ps(_mm256_max_ps(red, zero), most);
            green = _mm256_min_ps(_mm256_max_ps(green, zero), most);
            blue = _mm256_min_ps(_mm256_max_ps(blue, zero), most);
            const __m256 top = _mm256_max_ps(red, _mm256_max_ps(green, blue));
            // Half of the last of nine bits on top: the exponent is that of what it will be rounded to.
            const __m256i bits = _mm256_add_epi32(_mm256_castps_si256(top), _mm256_set1_epi32(0x4000));
            const __m256i e = _mm256_add_epi32(
                _mm256_max_epi32(_mm256_sub_epi32(_mm256_srli_epi32(bits, 23), _mm256_set1_epi32(127)),
                                 _mm256_set1_epi32(-16)),
                _mm256_set1_epi32(16));
            const __m256 scale = scale_of(e);
            const __m256i word = _mm256_or_si256(
                _mm256_or_si256(rounded(red, scale), _mm256_slli_epi32(rounded(green, scale), 9)),
                _mm256_or_si256(_mm256_slli_epi32(rounded(blue, scale), 18), _mm256_slli_epi32(e, 27)));
            if (r.zones)
                _mm256_maskstore_epi32(reinterpret_cast<int*>(out + at), mask, word);
            else
                _mm256_storeu_si256(reinterpret_cast<__m256i*>(out + at), word);
        }
        if (x < r.width) mix_shared(r, s, N, out, y, x);
    }
}

template <std::size_t N>
void mix_of(const Rectangle& r, const PixelSource* s, unsigned char* out) {
    r.format == PixelFormat::half4 ? mix_halves_of<N>(r, s, out) : mix_shared_of<N>(r, s, out);
}

bool has_avx2() {
    // Whatever has AVX2 has half floats, too; Clang 14 cannot ask for them.
    static const bool has = __builtin_cpu_supports("avx2");
    return has;
}

#endif

}  // namespace

void mix_pixels(const Rectangle& r, const PixelSource* s, std::size_t count, unsigned char* out) {
    const bool halves = r.format == PixelFormat::half4;
#ifdef STASIGRAPH_HAS_AVX2
    if (has_avx2() && count >= 1 && count <= 4) {
        constexpr void (*by_count[])(const Rectangle&, const PixelSource*, unsigned char*) = {
            mix_of<1>, mix_of<2>, mix_of<3>, mix_of<4>};
        return by_count[count - 1](r, s, out);
    }
#endif
    for (std::size_t y = 0; y < r.height; ++y)
        halves ? mix_halves(r, s, count, out, y, 0) : mix_shared(r, s, count, out, y, 0);
}

}  // namespace stasigraph::runtime
