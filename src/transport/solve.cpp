#include "transport/solve.hpp"

#include <algorithm>
#include <cmath>

namespace stasigraph {

namespace {

constexpr std::size_t rows_per_task = 1024;     // fixed: sums are the same for any number of threads
constexpr float settled = 0.001f;

typedef float Lane __attribute__((vector_size(32)));

/// Sums the rows that the words name, `blocks` lanes of eight floats each.
template <std::size_t blocks>
void sum_rows(const std::uint32_t* words, std::size_t count, const float* from, std::uint32_t last, float* to) {
    Lane sum[blocks] = {};
    for (std::size_t k = 0; k < count; ++k) {
        const float* row = from + static_cast<std::size_t>(std::min(words[k], last)) * (8 * blocks);
        if (k + 8 < count) __builtin_prefetch(from + static_cast<std::size_t>(std::min(words[k + 8], last)) * (8 * blocks));
        for (std::size_t b = 0; b < blocks; ++b) {
            Lane v;
            __builtin_memcpy(&v, row + 8 * b, sizeof v);
            sum[b] += v;
        }
    }
    const float share = count ? 1.0f / static_cast<float>(count) : 0.0f;
    for (std::size_t b = 0; b < blocks; ++b) {
        const Lane v = sum[b] * share;
        __builtin_memcpy(to + 8 * b, &v, sizeof v);
    }
}

void sum_rows_any(std::size_t blocks, const std::uint32_t* words, std::size_t count, const float* from, std::uint32_t last, float* to) {
    switch (blocks) {
        case 1: return sum_rows<1>(words, count, from, last, to);
        case 2: return sum_rows<2>(words, count, from, last, to);
        case 3: return sum_rows<3>(words, count, from, last, to);
        case 4: return sum_rows<4>(words, count, from, last, to);
        default: break;
    }
    const std::size_t stride = 8 * blocks;
    std::fill_n(to, stride, 0.0f);
    for (std::size_t k = 0; k < count; ++k) {
        const float* row = from + static_cast<std::size_t>(std::min(words[k], last)) * stride;
        for (std::size_t i = 0; i < stride; ++i) to[i] += row[i];
    }
    for (std::size_t i = 0; i < stride; ++i) to[i] /= static_cast<float>(std::max<std::size_t>(count, 1));
}

/// Largest value of new light over all light so far, by task; texels darker than `floor` count as that.
float largest_share(const LightField& fresh, const LightField& total, const std::vector<float>& floor, Job& job) {
    std::vector<float> largest((fresh.rows + rows_per_task - 1) / rows_per_task, 0.0f);
    job.parallel(fresh.rows, rows_per_task, [&](std::size_t begin, std::size_t end) {
        float most = 0;
        for (std::size_t row = begin; row < end; ++row)
            for (std::size_t i = 0; i < fresh.stride; ++i)
                if (floor[i] > 0)
                    most = std::max(most, fresh.values[row * fresh.stride + i] / std::max(total.values[row * fresh.stride + i], floor[i]));
        largest[begin / rows_per_task] = most;
    });
    return largest.empty() ? 0 : *std::max_element(largest.begin(), largest.end());
}

std::vector<double> column_sums(const LightField& field) {
    std::vector<double> sums(field.stride, 0.0);
    for (std::size_t row = 0; row < field.rows; ++row)
        for (std::size_t i = 0; i < field.stride; ++i) sums[i] += static_cast<double>(field.values[row * field.stride + i]);
    return sums;
}

}  // namespace

void apply_links(const Links& links, const std::vector<std::uint32_t>& lengths, const LightField& from, LightField& to, Job& job) {
    const std::size_t blocks = from.stride / 8;
    const auto last = static_cast<std::uint32_t>(from.rows - 1);
    job.parallel(links.rows(), rows_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t row = begin; row < end; ++row)
            sum_rows_any(blocks, &links.words[links.first[row]], lengths[row], from.values.data(), last, &to.values[row * to.stride]);
    });
}

SolveResult solve_bounces(const Links& links, const std::vector<std::uint32_t>& lengths, const std::vector<Rgb>& albedo, const LightField& sources,
                          std::optional<int> bounces, Job& job) {
    SolveResult result{.light = sources};
    LightField& total = result.light;
    const std::size_t rows = sources.rows, stride = sources.stride;
    if (rows == 0) return result;
    LightField fresh = sources, reflected;
    reflected.rows = rows + 1;
    reflected.stride = stride;
    reflected.values.assign((rows + 1) * stride, 0.0f);
    const int limit = bounces.value_or(most_bounces);
    double before = 0;
    for (; result.bounces < limit; ++result.bounces) {
        job.parallel(rows, rows_per_task, [&](std::size_t begin, std::size_t end) {
            for (std::size_t row = begin; row < end; ++row) {
                const float a[3] = {albedo[row].r, albedo[row].g, albedo[row].b};
                for (std::size_t i = 0; i < stride; ++i)
                    reflected.values[row * stride + i] = fresh.values[row * stride + i] * a[i % 3];
            }
        });
        apply_links(links, lengths, reflected, fresh, job);
        job.parallel(rows, rows_per_task, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin * stride; i < end * stride; ++i) total.values[i] += fresh.values[i];
        });
        job.advance(1);
        if (bounces) continue;
        // What is still to come of a geometric series with this ratio: fresh * ratio / (1 - ratio).
        const std::vector<double> sums = column_sums(fresh);
        std::vector<float> floor(stride);
        const std::vector<double> totals = column_sums(total);
        double all = 0;
        for (std::size_t i = 0; i < stride; ++i) {
            all += sums[i];
            floor[i] = static_cast<float>(1e-4 * totals[i] / static_cast<double>(rows));
        }
        const double ratio = before > 0 ? std::min(all / before, 0.999) : 0.999;
        before = all;
        if (largest_share(fresh, total, floor, job) * ratio / (1 - ratio) < settled) {
            ++result.bounces;
            break;
        }
    }
    return result;
}

}  // namespace stasigraph
