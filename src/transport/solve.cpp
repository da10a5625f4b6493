#include "transport/solve.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "transport/half_row.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t rows_per_task = 1024;  // fixed: sums are the same for any number of threads
constexpr float settled = 0.001f;

/// Sums the rows that the words name, `blocks` lanes of eight 16-bit floats each, and divides by their
/// number.
template <std::size_t blocks>
void mean_row(const std::uint32_t* words, std::size_t count, const HalfField& from, float* to) {
    constexpr std::size_t stride = 8 * blocks;
    const std::uint32_t last = from.last;
    const std::uint16_t* values = from.values.data();
    Lane sum[blocks] = {};
    for (std::size_t k = 0; k < count; ++k) {
        if (k + 12 < count)
            __builtin_prefetch(values + static_cast<std::size_t>(std::min(words[k + 12], last)) * stride);
        const std::uint16_t* row = values + static_cast<std::size_t>(std::min(words[k], last)) * stride;
        for (std::size_t b = 0; b < blocks; ++b) sum[b] += load_half(row + 8 * b);
    }
    const float share = count ? 1.0f / static_cast<float>(count) : 0.0f;
    for (std::size_t b = 0; b < blocks; ++b) {
        const Lane v = sum[b] * share;
        __builtin_memcpy(to + 8 * b, &v, sizeof v);
    }
}

void mean_row_any(std::size_t blocks, const std::uint32_t* words, std::size_t count, const HalfField& from,
                  float* to) {
    switch (blocks) {
        case 1:
            return mean_row<1>(words, count, from, to);
        case 2:
            return mean_row<2>(words, count, from, to);
        case 3:
            return mean_row<3>(words, count, from, to);
        case 4:
            return mean_row<4>(words, count, from, to);
        case 5:
            return mean_row<5>(words, count, from, to);
        case 6:
            return mean_row<6>(words, count, from, to);
        case 7:
            return mean_row<7>(words, count, from, to);
        case 8:
            return mean_row<8>(words, count, from, to);
        default:
            break;
    }
    const std::size_t stride = 8 * blocks;
    std::fill_n(to, stride, 0.0f);
    for (std::size_t k = 0; k < count; ++k) {
        const std::uint16_t* row =
            from.values.data() + static_cast<std::size_t>(std::min(words[k], from.last)) * stride;
        for (std::size_t b = 0; b < blocks; ++b) {
            const Lane v = load_half(row + 8 * b);
            for (std::size_t i = 0; i < 8; ++i) to[8 * b + i] += v[i];
        }
    }
    for (std::size_t i = 0; i < stride; ++i) to[i] /= static_cast<float>(std::max<std::size_t>(count, 1));
}

/// Largest value of new light over all light so far, by task; texels darker than `floor` count as that.
float largest_share(const LightField& fresh, const LightField& total, const std::vector<float>& floor,
                    Job& job) {
    std::vector<float> largest((fresh.rows + rows_per_task - 1) / rows_per_task, 0.0f);
    job.parallel(fresh.rows, rows_per_task, [&](std::size_t begin, std::size_t end) {
        float most = 0;
        for (std::size_t row = begin; row < end; ++row)
            for (std::size_t i = 0; i < fresh.stride; ++i)
                if (floor[i] > 0)
                    most = std::max(most, fresh.values[row * fresh.stride + i] /
                                              std::max(total.values[row * fresh.stride + i], floor[i]));
        largest[begin / rows_per_task] = most;
    });
    return largest.empty() ? 0 : *std::max_element(largest.begin(), largest.end());
}

std::vector<double> column_sums(const LightField& field, Job& job) {
    std::vector<std::vector<double>> parts((field.rows + rows_per_task - 1) / rows_per_task);
    job.parallel(field.rows, rows_per_task, [&](std::size_t begin, std::size_t end) {
        std::vector<double>& part = parts[begin / rows_per_task];
        part.assign(field.stride, 0.0);
        for (std::size_t row = begin; row < end; ++row)
            for (std::size_t i = 0; i < field.stride; ++i)
                part[i] += static_cast<double>(field.values[row * field.stride + i]);
    });
    std::vector<double> sums(field.stride, 0.0);
    for (const std::vector<double>& part : parts)
        for (std::size_t i = 0; i < field.stride; ++i) sums[i] += part[i];
    return sums;
}

/// How much of each row a bounce reads. Rows grow for the sake of the first bounces, which carry the noise
/// one sees; the later ones are small and smooth, and a shorter prefix is as good a sample of them.
std::vector<std::uint32_t> bounce_lengths(const std::vector<std::uint32_t>& lengths, std::uint32_t first,
                                          int bounce) {
    if (bounce < 2) return lengths;
    const std::uint32_t cap = bounce < 6 ? first : std::min(first, bounce < 12 ? 32u : 16u);
    std::vector<std::uint32_t> shorter(lengths);
    for (std::uint32_t& l : shorter) l = std::min(l, cap);
    return shorter;
}

}  // namespace

void apply_links(const Links& links, const std::vector<std::uint32_t>& lengths, const HalfField& from,
                 LightField& to, Job& job) {
    const std::size_t blocks = to.stride / 8;
    job.parallel(links.rows(), rows_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t row = begin; row < end; ++row) {
            float* out = &to.values[row * to.stride];
            mean_row_any(blocks, &links.words[links.first[row]], lengths[row], from, out);
            for (const TintedLink& t : links.tints_of(row)) {
                if (t.link >= lengths[row]) break;
                // The mean counted the link as clear: what the glass keeps is taken off again.
                const float kept[3] = {(1 - t.tint.r) / static_cast<float>(lengths[row]),
                                       (1 - t.tint.g) / static_cast<float>(lengths[row]),
                                       (1 - t.tint.b) / static_cast<float>(lengths[row])};
                const std::uint32_t at = std::min(links.words[links.first[row] + t.link], from.last);
                const std::uint16_t* sent = &from.values[static_cast<std::size_t>(at) * to.stride];
                for (std::size_t b = 0; b < blocks; ++b) {
                    const Lane v = load_half(sent + 8 * b);
                    for (std::size_t i = 0; i < 8; ++i)
                        out[8 * b + i] = std::max(0.0f, out[8 * b + i] - v[i] * kept[(8 * b + i) % 3]);
                }
            }
            for (std::size_t i = 0; i < to.stride; ++i) out[i] *= from.unit[i];
        }
    });
}

void link_moments(const std::uint32_t* words, std::size_t count, const HalfField& from,
                  std::vector<float>& sum, std::vector<float>& squares) {
    const std::size_t stride = sum.size();
    const std::uint16_t* values = from.values.data();
    std::fill(sum.begin(), sum.end(), 0.0f);
    std::fill(squares.begin(), squares.end(), 0.0f);
    constexpr std::size_t ahead = 8;
    for (std::size_t k = 0; k < count; ++k) {
        if (k + ahead < count) {
            const std::uint16_t* next = values + static_cast<std::size_t>(std::min(words[k + ahead], from.last)) * stride;
            for (std::size_t i = 0; i < stride; i += 32) __builtin_prefetch(next + i);
        }
        if (words[k] >= from.last) continue;
        const std::uint16_t* row = values + static_cast<std::size_t>(words[k]) * stride;
        for (std::size_t i = 0; i < stride; i += 8) {
            const Lane v = load_half(row + i);
            Lane s, q;
            __builtin_memcpy(&s, &sum[i], sizeof s);
            __builtin_memcpy(&q, &squares[i], sizeof q);
            s += v;
            q += v * v;
            __builtin_memcpy(&sum[i], &s, sizeof s);
            __builtin_memcpy(&squares[i], &q, sizeof q);
        }
    }
    for (std::size_t i = 0; i < stride; ++i) {
        sum[i] *= from.unit[i];
        squares[i] *= from.unit[i] * from.unit[i];
    }
}

void reflect(const LightField& light, const std::vector<Rgb>& albedo, HalfField& out, Job& job) {
    const std::size_t rows = light.rows, stride = light.stride;
    std::vector<std::vector<float>> largest((rows + rows_per_task - 1) / rows_per_task);
    job.parallel(rows, rows_per_task, [&](std::size_t begin, std::size_t end) {
        std::vector<float>& most = largest[begin / rows_per_task];
        most.assign(stride, 0.0f);
        for (std::size_t row = begin; row < end; ++row)
            for (std::size_t i = 0; i < stride; ++i)
                most[i] = std::max(most[i], light.values[row * stride + i]);
    });
    out.unit.assign(stride, 1.0f);
    std::vector<float> inverse(stride, 1.0f);
    for (std::size_t i = 0; i < stride; ++i) {
        float most = 0;
        for (const std::vector<float>& l : largest) most = std::max(most, l[i]);
        int exponent = 0;
        if (most > 0) std::frexp(most, &exponent);
        out.unit[i] = std::ldexp(1.0f, exponent - 15);  // the largest value lands in [16384, 32768)
        inverse[i] = std::ldexp(1.0f, 15 - exponent);
    }
    out.last = static_cast<std::uint32_t>(rows);
    out.values.resize((rows + 1) * stride);
    job.parallel(rows, rows_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t row = begin; row < end; ++row) {
            const float a[3] = {albedo[row].r, albedo[row].g, albedo[row].b};
            for (std::size_t i = 0; i < stride; i += 8) {
                Lane v;
                for (std::size_t k = 0; k < 8; ++k)
                    v[k] = light.values[row * stride + i + k] * a[(i + k) % 3] * inverse[i + k];
                const __m128i half = _mm256_cvtps_ph(reinterpret_cast<__m256>(v),
                                                     _MM_FROUND_TO_NEAREST_INT | _MM_FROUND_NO_EXC);
                _mm_storeu_si128(reinterpret_cast<__m128i*>(&out.values[row * stride + i]), half);
            }
        }
    });
    std::fill_n(&out.values[rows * stride], stride, std::uint16_t{0});
}

SolveResult solve_bounces(const Links& links, const std::vector<std::uint32_t>& lengths,
                          const std::vector<Rgb>& albedo, const LightField& sources,
                          std::optional<int> bounces, Job& job) {
    SolveResult result{.light = sources};
    LightField& total = result.light;
    const std::size_t rows = sources.rows, stride = sources.stride;
    if (rows == 0) return result;
    LightField fresh = sources;
    HalfField reflected;
    const std::uint32_t first = *std::min_element(lengths.begin(), lengths.end());
    const int limit = bounces.value_or(most_bounces);
    double before = 0;
    std::vector<float> floor(stride, 0.0f);
    for (; result.bounces < limit; ++result.bounces) {
        reflect(fresh, albedo, reflected, job);
        apply_links(links, bounce_lengths(lengths, first, result.bounces), reflected, fresh, job);
        job.parallel(rows, rows_per_task, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin * stride; i < end * stride; ++i) total.values[i] += fresh.values[i];
        });
        job.advance(1);
        if (bounces) continue;
        // What is still to come of a geometric series with this ratio: fresh * ratio / (1 - ratio).
        const std::vector<double> sums = column_sums(fresh, job);
        const double all = std::accumulate(sums.begin(), sums.end(), 0.0);
        const double ratio = before > 0 ? std::min(all / before, 0.999) : 0.999;
        before = all;
        if (result.bounces < 3) {
            const std::vector<double> totals = column_sums(total, job);
            for (std::size_t i = 0; i < stride; ++i)
                floor[i] = static_cast<float>(1e-4 * totals[i] / static_cast<double>(rows));
        }
        if (largest_share(fresh, total, floor, job) * ratio / (1 - ratio) < settled) {
            ++result.bounces;
            break;
        }
    }
    return result;
}

}  // namespace stasigraph
