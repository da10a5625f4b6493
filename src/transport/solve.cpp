#include "transport/solve.hpp"

#include "base/blob.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "transport/guided_links.hpp"
#include "transport/half_row.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t solved_rows_per_task = 1024;  // fixed: sums are the same for any number of threads
constexpr double settled_share = 0.001;
constexpr int guided_bounces = 1;  ///< Before the last; all groups are still there, in their own columns.

/// Adds up the rows that the words name, `blocks` lanes of eight 16-bit floats each.
template <std::size_t blocks>
void add_rows(const std::uint32_t* words, std::size_t count, const HalfField& from, float* to) {
    constexpr std::size_t stride = 8 * blocks;
    const std::uint32_t last = from.last;
    const std::uint16_t* values = from.values.data();
    Lane sum[blocks];
    __builtin_memcpy(sum, to, sizeof sum);
    for (std::size_t k = 0; k < count; ++k) {
        if (k + 12 < count)
            __builtin_prefetch(values + static_cast<std::size_t>(std::min(words[k + 12], last)) * stride);
        const std::uint16_t* row = values + static_cast<std::size_t>(std::min(words[k], last)) * stride;
        for (std::size_t b = 0; b < blocks; ++b) sum[b] += load_half(row + 8 * b);
    }
    __builtin_memcpy(to, sum, sizeof sum);
}

void add_rows_any(std::size_t blocks, const std::uint32_t* words, std::size_t count, const HalfField& from,
                  float* to) {
    switch (blocks) {
        case 1:
            return add_rows<1>(words, count, from, to);
        case 2:
            return add_rows<2>(words, count, from, to);
        case 3:
            return add_rows<3>(words, count, from, to);
        case 4:
            return add_rows<4>(words, count, from, to);
        case 5:
            return add_rows<5>(words, count, from, to);
        case 6:
            return add_rows<6>(words, count, from, to);
        default:
            break;
    }
    const std::size_t stride = 8 * blocks;
    for (std::size_t k = 0; k < count; ++k) {
        const std::uint16_t* row =
            from.values.data() + static_cast<std::size_t>(std::min(words[k], from.last)) * stride;
        for (std::size_t b = 0; b < blocks; ++b) {
            const Lane v = load_half(row + 8 * b);
            for (std::size_t i = 0; i < 8; ++i) to[8 * b + i] += v[i];
        }
    }
}

/// A row's mean for each group over the links that count for it. One for each thread's piece of work.
class RowMean {
public:
    RowMean(const RowLengths& lengths, const HalfField& from)
        : lengths_(lengths), from_(from), sum_(from.unit.size()) {}

    void write(const std::uint32_t* words, std::size_t row, float* to) {
        const std::size_t stride = sum_.size();
        std::fill(sum_.begin(), sum_.end(), 0.0f);
        const std::uint32_t longest = lengths_.longest(row);
        std::uint32_t added = 0;
        for (std::uint32_t until = lengths_.first; until <= longest && until > 0; until *= 2) {
            add_rows_any(stride / 8, words + added, until - added, from_, sum_.data());
            added = until;
            const float share = 1.0f / static_cast<float>(until);
            if (until == longest && until == lengths_.first) {
                for (std::size_t i = 0; i < stride; ++i) to[i] = sum_[i] * share;
                return;
            }
            for (std::size_t g = 0; g < lengths_.groups; ++g)
                if (lengths_.at(row, g) == until)
                    for (std::size_t c = 3 * g; c < 3 * g + 3; ++c) to[c] = sum_[c] * share;
        }
    }

private:
    const RowLengths& lengths_;
    const HalfField& from_;
    std::vector<float> sum_;
};

/// For each group of `fresh` the largest value of its new light over all its light so far; texels darker than
/// `floor` count as that. `of`: which group of the total each one is.
std::vector<float> largest_shares(const LightField& fresh, const LightField& total,
                                  const std::vector<std::size_t>& of, const std::vector<float>& floor,
                                  Job& job) {
    std::vector<std::vector<float>> parts((fresh.rows + solved_rows_per_task - 1) / solved_rows_per_task);
    job.parallel(fresh.rows, solved_rows_per_task, [&](std::size_t begin, std::size_t end) {
        std::vector<float>& most = parts[begin / solved_rows_per_task];
        most.assign(of.size(), 0.0f);
        for (std::size_t row = begin; row < end; ++row)
            for (std::size_t k = 0; k < of.size(); ++k)
                for (std::size_t c = 0; c < 3; ++c)
                    if (const float least = floor[3 * of[k] + c]; least > 0)
                        most[k] = std::max(
                            most[k], fresh.values[row * fresh.stride + 3 * k + c] /
                                         std::max(total.values[row * total.stride + 3 * of[k] + c], least));
    });
    std::vector<float> largest(of.size(), 0.0f);
    for (const std::vector<float>& part : parts)
        for (std::size_t k = 0; k < of.size(); ++k) largest[k] = std::max(largest[k], part[k]);
    return largest;
}

using GroupFlags = Flags<struct OfGroups>;

/// The groups that are kept alone; `of` tells which each one is, before and after.
LightField kept_groups(const LightField& field, std::vector<std::size_t>& of, const GroupFlags& settled,
                       Job& job) {
    std::vector<std::size_t> from, now;
    for (std::size_t k = 0; k < of.size(); ++k)
        if (!settled[of[k]]) {
            from.push_back(k);
            now.push_back(of[k]);
        }
    LightField out(field.rows, now.size());
    job.parallel(field.rows, solved_rows_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t row = begin; row < end; ++row)
            for (std::size_t k = 0; k < now.size(); ++k) out.add(row, k, field.get(row, from[k]));
    });
    of = std::move(now);
    return out;
}

std::vector<double> column_sums(const LightField& field, Job& job) {
    std::vector<std::vector<double>> parts((field.rows + solved_rows_per_task - 1) / solved_rows_per_task);
    job.parallel(field.rows, solved_rows_per_task, [&](std::size_t begin, std::size_t end) {
        std::vector<double>& part = parts[begin / solved_rows_per_task];
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

/// How much of each row a bounce reads before the last one: a shorter prefix is an equally unbiased sample,
/// and the gather over whole rows evens out what noise that leaves.
RowLengths bounce_lengths(const RowLengths& lengths, int bounce) {
    if (bounce < 2) return {.first = lengths.first, .groups = lengths.groups, .log2_scale = {}};
    const std::uint32_t half = std::max(64u, lengths.first / 2),
                        cap = std::min(lengths.first, bounce < 6    ? half
                                                      : bounce < 12 ? 32u
                                                                    : 16u);
    return {.first = cap, .groups = lengths.groups, .log2_scale = {}};
}

}  // namespace

void apply_links(const Links& links, const RowLengths& lengths, const HalfField& from, LightField& to,
                 Job& job) {
    const std::size_t blocks = to.stride / 8;
    links.for_rows(solved_rows_per_task, job, [&](std::size_t begin, std::size_t end) {
        RowMean mean(lengths, from);
        for (std::size_t row = begin; row < end; ++row) {
            float* out = &to.values[row * to.stride];
            mean.write(links.row(row), row, out);
            const std::uint32_t longest = lengths.longest(row);
            for (const TintedLink& t : links.tints_of(row)) {
                if (t.link >= longest) break;
                // The mean counted the link as clear: what the glass keeps is taken off again.
                const float kept[3] = {1 - t.tint.r, 1 - t.tint.g, 1 - t.tint.b};
                const std::uint32_t at = std::min(links.row(row)[t.link], from.last);
                const std::uint16_t* sent = &from.values[static_cast<std::size_t>(at) * to.stride];
                for (std::size_t b = 0; b < blocks; ++b) {
                    const Lane v = load_half(sent + 8 * b);
                    for (std::size_t i = 8 * b; i < std::min(8 * b + 8, 3 * lengths.groups); ++i) {
                        const std::uint32_t length = lengths.at(row, i / 3);
                        if (t.link < length)
                            out[i] = std::max(0.0f,
                                              out[i] - v[i % 8] * (kept[i % 3] / static_cast<float>(length)));
                    }
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
            const std::uint16_t* next =
                values + static_cast<std::size_t>(std::min(words[k + ahead], from.last)) * stride;
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
    std::vector<std::vector<float>> largest((rows + solved_rows_per_task - 1) / solved_rows_per_task);
    job.parallel(rows, solved_rows_per_task, [&](std::size_t begin, std::size_t end) {
        std::vector<float>& most = largest[begin / solved_rows_per_task];
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
    job.parallel(rows, solved_rows_per_task, [&](std::size_t begin, std::size_t end) {
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

namespace {

/// A solve between two bounces.
struct SolveState {
    LightField total, fresh;
    std::vector<std::size_t> of;  ///< Which group each one of `fresh` is.
    GroupFlags settled;
    std::vector<double> before;  ///< What the last bounce brought.
    std::vector<float> floor;    ///< A texel's light counts as this much at least.
    std::vector<int> bounces;    ///< By group.
    int bounce = 0;

    SolveState(const LightField& sources, std::size_t groups)
        : total(sources),
          fresh(sources),
          of(groups),
          settled(groups),
          before(groups, 0.0),
          floor(3 * groups, 0.0f),
          bounces(groups, 0) {
        std::iota(of.begin(), of.end(), std::size_t{0});
    }
    std::size_t left() const { return settled.size() - settled.count(); }

    /// Tells which groups have settled after a bounce, by what is still to come of a geometric series: fresh
    /// * ratio / (1 - ratio).
    void settle(Job& job) {
        const std::vector<double> sums = column_sums(fresh, job);
        if (bounce < 3) {
            const std::vector<double> totals = column_sums(total, job);
            for (std::size_t i = 0; i < floor.size(); ++i)
                floor[i] = static_cast<float>(1e-4 * totals[i] / static_cast<double>(total.rows));
        }
        const std::vector<float> shares = largest_shares(fresh, total, of, floor, job);
        for (std::size_t k = 0; k < of.size(); ++k) {
            const double all = sums[3 * k] + sums[3 * k + 1] + sums[3 * k + 2];
            double& last = before[of[k]];
            const double ratio = last > 0 ? std::min(all / last, 0.999) : 0.999;
            last = all;
            if (shares[k] * ratio / (1 - ratio) < settled_share) settled.set(of[k]);
        }
    }

    void save(const SolveKept& kept) const {
        const std::vector<int> done{bounce};
        BlobWriter out;
        out.array(done);
        out.array(total.values);
        out.array(fresh.values);
        out.array(of);
        out.array(settled.bytes());
        out.array(before);
        out.array(floor);
        out.array(bounces);
        kept.store.save(kept.name, out.parts());
    }
    /// Leaves all as it is where there is nothing that fits.
    void load(const SolveKept& kept) {
        Blob blob;
        if (!kept.store.load || !kept.store.load(kept.name, blob)) return;
        SolveState read = *this;
        std::vector<int> done;
        BlobReader in(blob);
        in.array(done, 1);
        in.array(read.total.values, total.values.size());
        in.array(read.fresh.values);
        in.array(read.of);
        in.array(read.settled.bytes(), settled.size());
        in.array(read.before, before.size());
        in.array(read.floor, floor.size());
        in.array(read.bounces, bounces.size());
        if (!in.done() || read.of.empty() || read.of.size() > of.size()) return;
        const LightField shape(0, read.of.size());
        if (read.fresh.values.size() != total.rows * shape.stride ||
            std::any_of(read.of.begin(), read.of.end(), [&](std::size_t g) { return g >= of.size(); }))
            return;
        read.fresh.stride = shape.stride;
        read.bounce = done[0];
        *this = std::move(read);
    }
};

}  // namespace

SolveResult solve_bounces(const Transport& transport, const LightField& sources, std::optional<int> bounces,
                          Job& job, const SolveKept* kept) {
    const auto& [links, lengths, albedo, guided] = transport;
    const std::size_t rows = sources.rows, groups = lengths.groups;
    SolveState s(sources, groups);
    if (rows == 0) return {std::move(s.total), std::move(s.bounces)};
    if (kept) s.load(*kept);
    auto saved = std::chrono::steady_clock::now();
    HalfField reflected;
    // The last bounce is a gather of all light so far.
    const int limit = bounces ? *bounces - 1 : most_bounces;
    while (s.bounce < limit && s.left() > 0) {
        // Groups that settled are taken along until leaving them out makes rows shorter.
        if (s.bounce >= 2 && LightField(0, s.left()).stride < s.fresh.stride)
            s.fresh = kept_groups(s.fresh, s.of, s.settled, job);
        RowLengths here = bounce_lengths(lengths, s.bounce);
        here.groups = s.of.size();
        reflect(s.fresh, albedo, reflected, job);
        apply_links(links, here, reflected, s.fresh, job);
        if (guided && s.bounce < guided_bounces) apply_guided(*guided, here, reflected, s.fresh, job);
        job.parallel(rows, solved_rows_per_task, [&](std::size_t begin, std::size_t end) {
            for (std::size_t row = begin; row < end; ++row)
                for (std::size_t k = 0; k < s.of.size(); ++k)
                    if (!s.settled[s.of[k]]) s.total.add(row, s.of[k], s.fresh.get(row, k));
        });
        job.advance(bounce_units(s.bounce));
        for (std::size_t g = 0; g < groups; ++g) s.bounces[g] += s.settled[g] ? 0 : 1;
        if (!bounces) s.settle(job);
        ++s.bounce;
        if (const auto now = std::chrono::steady_clock::now();
            kept && kept->store.save && now - saved >= kept->every) {
            s.save(*kept);
            saved = std::chrono::steady_clock::now();
        }
    }
    if (bounces && *bounces == 0) return {std::move(s.total), std::move(s.bounces)};
    reflect(s.total, albedo, reflected, job);
    s.total = LightField(rows, groups);
    apply_links(links, lengths, reflected, s.total, job);
    if (guided) apply_guided(*guided, lengths, reflected, s.total, job);
    job.parallel(rows, solved_rows_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin * sources.stride; i < end * sources.stride; ++i)
            s.total.values[i] += sources.values[i];
    });
    for (int& count : s.bounces) ++count;
    job.advance(gather_units);
    return {std::move(s.total), std::move(s.bounces)};
}

}  // namespace stasigraph
