#include "probe/decimate.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include "probe/net.hpp"
#include "runtime/lamp_sum.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t judged_per_task = 128;
constexpr int most_rounds = 400, most_prunings = 24;
constexpr std::size_t least_of_a_round = 16;
/// Lightness below which differences are held against it instead: a tenth of white's, one percent of its
/// light.
constexpr float dark = 10;
/// Where no figure's body can be, light may be off by this many times as much.
constexpr float out_of_reach = 3;

/// CIE 15:2004, 8.2.1, of light over that of white.
float lightness(float share) {
    constexpr float knee = 216.0f / 24389;
    return share > knee ? 116 * std::cbrt(share) - 16 : share * (24389.0f / 27);
}
Rgb lightness(Rgb e, float white) {
    return {lightness(e.r / white), lightness(e.g / white), lightness(e.b / white)};
}
float square(Rgb c) {
    return (c.r * c.r + c.g * c.g + c.b * c.b) / 3;
}

/// Squared, of the lightness of one normal.
float relative(Rgb exact, Rgb other) {
    return square(exact - other) / std::max(square(exact), dark * dark);
}

}  // namespace

float lightness_apart(Rgb exact, Rgb other, float white) {
    return std::sqrt(relative(lightness(exact, white), lightness(other, white)));
}

float white_of(const BakeSet& set, const ProbeLight& light) {
    // ISO 2720: middle grey, 18 % of white, is a luminance of 2^EV / 8 nit.
    if (set.exposure) return pi * std::exp2(*set.exposure) / 8 / 0.18f;
    std::vector<float> mean;
    for (const ShRgb& sh : light) mean.push_back(luminance(sh[0]) * 0.28209479f);
    if (mean.empty()) return 1;
    const auto at = mean.begin() + static_cast<std::ptrdiff_t>(mean.size() * 9 / 10);
    std::nth_element(mean.begin(), at, mean.end());
    return std::max(*at, 1e-6f);
}

/// Lux by set and normal at a place, as these probes tell it: the rest of their light, and the lamps that
/// they see worked out there.
void LightnessDifference::told(std::size_t place, const ProbeWeights& weights,
                               const std::vector<std::uint32_t>& which, std::vector<Rgb>& out) const {
    static const std::array<std::array<float, 9>, normals> bases = [] {
        std::array<std::array<float, 9>, normals> all;
        for (std::size_t n = 0; n < normals; ++n) all[n] = sh_basis(side_normals[n]);
        return all;
    }();
    out.assign(stride(), {});
    runtime::LampSum seen;
    const runtime::LampEntries entries{lit_.lamp_first.data(), lit_.lamp_entry.data()};
    for (int k = 0; k < weights.count; ++k) {
        const std::uint32_t p = which[weights.probe[k]];
        seen.add_probe(entries, p, weights.weight[k], nullptr);
        for (std::size_t s = 0; s < lit_.rest.size(); ++s)
            for (std::size_t n = 0; n < normals; ++n)
                for (std::size_t b = 0; b < 9; ++b)
                    out[s * normals + n] += lit_.rest[s][p][b] * (bases[n][b] * weights.weight[k]);
    }
    const runtime::LampView view = view_of(lit_.lamps);
    const Vec3 at = lit_.at(place);
    for (int i = 0; i < seen.count(); ++i) {
        const std::uint32_t number = seen.number(i);
        const float share = seen.seen(view, i);
        if (!(share > 0)) continue;
        for (std::size_t n = 0; n < normals; ++n) {
            const Vec3 normal = side_normals[n];
            const float e = share * runtime::lamp_light(view, view.lamp[number], {at.x, at.y, at.z},
                                                        {normal.x, normal.y, normal.z});
            if (!(e > 0)) continue;
            for (std::size_t s = 0; s < lit_.rest.size(); ++s)
                out[s * normals + n] += lit_.lamp_color[s][number] * e;
        }
    }
    for (Rgb& e : out) e = {std::max(e.r, 0.0f), std::max(e.g, 0.0f), std::max(e.b, 0.0f)};
}

LightnessDifference::LightnessDifference(const LitPlaces& lit, Job& job) : lit_(lit) {
    lightness_.resize(lit.size() * stride());
    job.parallel(lit.size(), judged_per_task, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i)
            for (std::size_t k = 0; k < stride(); ++k)
                lightness_[i * stride() + k] =
                    lightness(lit.sides[k / normals][i][k % normals], lit.white[k / normals]);
    });
}

float LightnessDifference::between(std::size_t a, std::size_t b) const {
    float most = 0;
    for (std::size_t s = 0; s < lit_.sides.size(); ++s) {
        float off = 0;
        for (std::size_t n = 0; n < normals; ++n)
            off += relative(lightness_[a * stride() + s * normals + n],
                            lightness_[b * stride() + s * normals + n]);
        most = std::max(most, std::sqrt(off / normals));
    }
    return most;
}

float LightnessDifference::of_answer(std::size_t place, const ProbeWeights& weights,
                                     const std::vector<std::uint32_t>& which,
                                     std::vector<Rgb>& scratch) const {
    if (weights.count == 0) return 1;
    told(place, weights, which, scratch);
    float most = 0;
    for (std::size_t s = 0; s < lit_.sides.size(); ++s) {
        float off = 0;
        for (std::size_t n = 0; n < normals; ++n)
            off += relative(lightness_[place * stride() + s * normals + n],
                            lightness(scratch[s * normals + n], lit_.white[s]));
        most = std::max(most, std::sqrt(off / normals));
    }
    return most;
}

namespace {

/// A choice of candidates, and how well it tells the light of all places.
class Trial {
public:
    Trial(const LitPlaces& lit, const LightnessDifference& difference, Job& job)
        : lit_(lit), difference_(difference), job_(job), error(lit.size()), cell(lit.size(), none) {}

    void judge(std::vector<std::uint32_t> kept) {
        which = std::move(kept);
        std::vector<ProbePlace> places;
        for (const std::uint32_t k : which) places.push_back(lit_.places[k]);
        net = connect_probes(places, {});
        measure_probes({lit_.rows, lit_.distances, lit_.links}, which, net, job_);
        job_.parallel(lit_.size(), judged_per_task, [&](std::size_t begin, std::size_t end) {
            std::vector<Rgb> scratch;
            for (std::size_t i = begin; i < end; ++i) {
                // From where it was found last would depend on the rounds before: cells are other ones now.
                std::uint32_t hint = i > begin ? cell[i - 1] : none;
                const ProbeWeights w = probe_weights(net, lit_.at(i), hint);
                cell[i] = hint;
                error[i] = difference_.of_answer(i, w, which, scratch);
                if (!lit_.in_reach.empty() && !lit_.in_reach[i]) error[i] /= out_of_reach;
            }
        });
    }

    Trial& operator=(const Trial& other) {  // of the same places
        which = other.which;
        net = other.net;
        error = other.error;
        cell = other.cell;
        return *this;
    }
    Trial(const Trial&) = default;

    const LitPlaces& lit_;
    const LightnessDifference& difference_;
    Job& job_;
    std::vector<std::uint32_t> which;
    ProbeNet net;
    std::vector<float> error;
    std::vector<std::uint32_t> cell;  ///< Of every place.
};

/// Those placed by hand, and of all candidates the outermost along eight diagonals and six axes.
std::vector<std::uint32_t> first_choice(const LitPlaces& lit) {
    std::vector<std::uint8_t> chosen(lit.places.size(), 0);
    for (std::size_t i = 0; i < lit.places.size(); ++i)
        chosen[i] = lit.places[i].rule == ProbeRule::hand ? 1 : 0;
    for (int x = -1; x <= 1; ++x)
        for (int y = -1; y <= 1; ++y)
            for (int z = -1; z <= 1; ++z) {
                if (x * x + y * y + z * z == 2 || (x == 0 && y == 0 && z == 0)) continue;
                const Vec3 way{static_cast<float>(x), static_cast<float>(y), static_cast<float>(z)};
                std::size_t best = 0;
                for (std::size_t i = 1; i < lit.places.size(); ++i)
                    if (dot(way, lit.places[i].position) > dot(way, lit.places[best].position)) best = i;
                chosen[best] = 1;
            }
    std::vector<std::uint32_t> out;
    for (std::uint32_t i = 0; i < chosen.size(); ++i)
        if (chosen[i]) out.push_back(i);
    return out;
}

/// Which places are told well enough: nearly all of them, and most in every block of space, so that no small
/// room is left wrong for being small.
class Goal {
public:
    /// `best`: errors of all candidates together.
    Goal(const LitPlaces& lit, float tolerance, float block, const std::vector<float>& best)
        : limit_(lit.size()), block_(lit.size(), 0) {
        for (std::size_t i = 0; i < limit_.size(); ++i) limit_[i] = std::max(tolerance, as_good * best[i]);
        std::map<std::array<int, 3>, std::uint32_t> known;
        for (std::size_t i = 0; i < lit.size(); ++i) {
            const Vec3 p = lit.at(i);
            const auto at = [&](float v) { return static_cast<int>(std::floor(v / block)); };
            block_[i] =
                known.try_emplace({at(p.x), at(p.y), at(p.z)}, static_cast<std::uint32_t>(known.size()))
                    .first->second;
        }
        size_.assign(known.size(), 0);
        for (const std::uint32_t b : block_) ++size_[b];
        const std::size_t first = lit.checks.empty() ? 0 : lit.places.size();
        const auto outside =
            static_cast<double>(std::count_if(best.begin() + static_cast<std::ptrdiff_t>(first), best.end(),
                                              [&](float error) { return error > tolerance; }));
        const double most = outliers * static_cast<double>(best.size() - first);
        allowed_ = static_cast<std::size_t>(std::max(most - outside, 0.5 * most));
        first_counted_ = first;
    }
    bool misses(std::size_t place, float error) const { return error > limit_[place]; }
    /// Check points that may be missed: with those that no candidates tell within the tolerance 5 of 100, and
    /// at least half as many beside them.
    std::size_t allowed() const { return allowed_; }
    std::size_t allowed_in(std::uint32_t block) const {
        return std::max<std::size_t>(
            1, static_cast<std::size_t>(outliers_in_block * static_cast<double>(size_[block])));
    }
    std::uint32_t block_of(std::size_t place) const { return block_[place]; }

    /// By block, places over the tolerance; `all`: of check points, where a figure's body can be.
    std::vector<std::size_t> over(const std::vector<float>& error, std::size_t& all) const {
        std::vector<std::size_t> count(size_.size(), 0);
        all = 0;
        for (std::size_t i = 0; i < error.size(); ++i)
            if (misses(i, error[i])) {
                ++count[block_[i]];
                all += i >= first_counted_ ? 1 : 0;
            }
        return count;
    }

private:
    static constexpr double outliers = 0.05, outliers_in_block = 0.25;
    /// An error up to this many times that of all candidates together counts as equally good.
    static constexpr float as_good = 1.1f;
    std::vector<float> limit_;
    std::vector<std::uint32_t> block_;
    std::vector<std::size_t> size_;
    std::size_t first_counted_ = 0, allowed_ = 0;
};

/// What is wrong in a cell: the sum of its errors over the tolerance, and where the worst of them is.
struct Wrong {
    float sum = 0, most = 0;
    std::uint32_t place = none;
};

/// By cell, over places that count.
std::vector<Wrong> wrong_in(const Trial& t, const Goal& goal) {
    std::size_t all = 0;
    const std::vector<std::size_t> over = goal.over(t.error, all);
    const bool everywhere = all > goal.allowed();
    std::vector<Wrong> wrong(t.net.vertex.size());
    for (std::uint32_t i = 0; i < t.error.size(); ++i) {
        const std::uint32_t block = goal.block_of(i);
        if (t.cell[i] >= wrong.size() || !goal.misses(i, t.error[i]) ||
            !(everywhere || over[block] > goal.allowed_in(block)))
            continue;
        Wrong& w = wrong[t.cell[i]];
        w.sum += std::min(t.error[i], 1.0f);
        if (t.error[i] > w.most) {
            w.most = t.error[i];
            w.place = i;
        }
    }
    return wrong;
}

/// Check points and probes cannot be added. For them, the nearest candidate in the cell or in the cells
/// beside it is.
void find_candidates_near(const Trial& t, std::vector<Wrong>& wrong) {
    const std::size_t candidates = t.lit_.places.size();
    std::vector<std::uint8_t> kept(candidates, 0);
    for (const std::uint32_t k : t.which) kept[k] = 1;
    std::vector<std::vector<std::uint32_t>> in_cell(wrong.size());
    for (std::uint32_t i = 0; i < candidates; ++i)
        if (!kept[i] && t.cell[i] < wrong.size()) in_cell[t.cell[i]].push_back(i);
    for (std::uint32_t c = 0; c < wrong.size(); ++c) {
        Wrong& w = wrong[c];
        if (w.place == none || (w.place < candidates && !kept[w.place])) continue;
        const Vec3 p = t.lit_.at(w.place);
        std::uint32_t nearest = none;
        float least = 1e30f;
        const auto look = [&](std::uint32_t in) {
            for (const std::uint32_t i : in_cell[in])
                if (const float d = length(t.lit_.at(i) - p); d < least) {
                    least = d;
                    nearest = i;
                }
        };
        look(c);
        for (const std::uint32_t n : t.net.adjacent[c])
            if (nearest == none && n != none) look(n);
        w.place = nearest;
        if (nearest == none) w.sum = 0;
    }
}

/// The candidates to add next. Of each cell that is more wrong than all cells beside it, the candidate with
/// the largest error; of those the half with the largest errors, so that each round sees what the last one
/// changed.
std::vector<std::uint32_t> next_choice(const Trial& t, const Goal& goal, std::size_t room) {
    std::vector<Wrong> wrong = wrong_in(t, goal);
    find_candidates_near(t, wrong);
    const auto worse = [](const Wrong& a, const Wrong& b) {
        return a.sum != b.sum ? a.sum > b.sum : a.place < b.place;
    };
    std::vector<Wrong> chosen, others;
    for (std::uint32_t c = 0; c < wrong.size(); ++c) {
        if (wrong[c].place == none) continue;
        const bool first =
            std::none_of(t.net.adjacent[c].begin(), t.net.adjacent[c].end(), [&](std::uint32_t n) {
                return n != none && wrong[n].place != none &&
                       (wrong[n].sum > wrong[c].sum || (wrong[n].sum == wrong[c].sum && n < c));
            });
        (first ? chosen : others).push_back(wrong[c]);
    }
    std::sort(chosen.begin(), chosen.end(), worse);
    if (chosen.size() > least_of_a_round) {
        chosen.resize(std::max(least_of_a_round, chosen.size() * 2 / 3));
    } else {
        // Towards the end: not one by one.
        std::sort(others.begin(), others.end(), worse);
        others.resize(std::min(others.size(), least_of_a_round - chosen.size()));
        chosen.insert(chosen.end(), others.begin(), others.end());
    }
    std::vector<std::uint32_t> out;
    std::set<std::uint32_t> taken;
    for (const Wrong& w : chosen)
        if (out.size() < room && taken.insert(w.place).second) out.push_back(w.place);
    return out;
}

/// Probes of a net of which no two are neighbours and none was tried before.
std::vector<std::uint32_t> apart_from_each_other(const Trial& t, std::vector<std::uint8_t>& tried) {
    const std::size_t probes = t.which.size();
    std::vector<std::vector<std::uint32_t>> cells_of(probes);
    for (std::uint32_t c = 0; c < t.net.vertex.size(); ++c)
        for (const std::uint32_t v : t.net.vertex[c])
            if (v < probes) cells_of[v].push_back(c);
    std::vector<std::uint8_t> stays(probes, 0);
    std::vector<std::uint32_t> out;
    for (std::uint32_t v = 0; v < probes; ++v) {
        const std::uint32_t place = t.which[v];
        if (stays[v] || tried[place] || t.lit_.places[place].rule == ProbeRule::hand) continue;
        out.push_back(v);
        tried[place] = 1;
        for (const std::uint32_t c : cells_of[v])
            for (const std::uint32_t n : t.net.vertex[c])
                if (n < probes) stays[n] = 1;
    }
    return out;
}

/// Whether a choice meets the goal, or fails it no more than an earlier one.
bool good_enough(const Trial& t, const Trial& before, const Goal& goal) {
    std::size_t all = 0, all_before = 0;
    const std::vector<std::size_t> over = goal.over(t.error, all), was = goal.over(before.error, all_before);
    if (all > std::max(goal.allowed(), all_before)) return false;
    for (std::uint32_t b = 0; b < over.size(); ++b)
        if (over[b] > std::max(goal.allowed_in(b), was[b])) return false;
    return true;
}

/// Leaves out probes, many at a time that are no neighbours, and takes back those without which too many
/// places would be told worse than the tolerance.
void prune(Trial& t, const Goal& goal, Job& job) {
    std::vector<std::uint8_t> tried(t.lit_.places.size(), 0);
    for (int round = 0; round < most_prunings; ++round) {
        const std::vector<std::uint32_t> out = apart_from_each_other(t, tried);
        const std::size_t probes = t.which.size();
        if (out.empty() || probes <= out.size() + 4) return;
        job.advance(1);
        const Trial before = t;
        std::vector<std::uint8_t> gone(probes, 0);
        for (const std::uint32_t v : out) gone[v] = 1;
        const auto judge = [&] {
            std::vector<std::uint32_t> kept;
            for (std::uint32_t v = 0; v < probes; ++v)
                if (!gone[v]) kept.push_back(before.which[v]);
            t.judge(std::move(kept));
        };
        judge();
        // Of each probe that went, how many places of its cells are told worse now.
        std::vector<std::size_t> worse(probes, 0);
        for (std::size_t i = 0; i < t.error.size(); ++i) {
            if (!goal.misses(i, t.error[i]) || goal.misses(i, before.error[i])) continue;
            for (const std::uint32_t v : before.net.vertex[before.cell[i]])
                if (v < probes && gone[v]) ++worse[v];
        }
        std::vector<std::uint32_t> order = out;
        std::stable_sort(order.begin(), order.end(),
                         [&](std::uint32_t a, std::uint32_t b) { return worse[a] < worse[b]; });
        // What may still go wrong is shared out evenly over what is left to try.
        std::size_t all = 0;
        goal.over(before.error, all);
        std::size_t room = all < goal.allowed() ? (goal.allowed() - all) / 4 : 0;
        for (const std::uint32_t v : order) {
            if (worse[v] <= room)
                room -= worse[v];
            else
                gone[v] = 0;
        }
        judge();
        if (!good_enough(t, before, goal)) {
            for (const std::uint32_t v : out)
                if (worse[v] > 0) gone[v] = 0;
            judge();
            if (!good_enough(t, before, goal)) t = before;
        }
    }
}

void tell(const Trial& t, PlaceFigures& f) {
    std::vector<float> errors;
    f.worst_error = f.error_95 = 0;
    for (std::size_t i = t.lit_.checks.empty() ? 0 : t.lit_.places.size(); i < t.error.size(); ++i) {
        errors.push_back(t.error[i]);
        if (t.error[i] > f.worst_error) {
            f.worst_error = t.error[i];
            f.worst_at = t.lit_.at(i);
        }
    }
    f.checked = errors.size();
    if (errors.empty()) return;
    const auto at = errors.begin() + static_cast<std::ptrdiff_t>((errors.size() - 1) * 95 / 100);
    std::nth_element(errors.begin(), at, errors.end());
    f.error_95 = *at;
}

}  // namespace

std::vector<std::uint32_t> decimate(const LitPlaces& lit, const ProbeOptions& settings, float block,
                                    PlaceFigures& figures, Job& job) {
    const auto start = std::chrono::steady_clock::now();
    const LightnessDifference difference(lit, job);
    Trial t(lit, difference, job);
    const std::size_t budget =
        settings.budget > 0 ? static_cast<std::size_t>(settings.budget) : lit.places.size();
    job.begin(Stage::thin, most_rounds);
    std::vector<std::uint32_t> kept(lit.places.size());
    std::iota(kept.begin(), kept.end(), 0u);
    t.judge(kept);
    if (settings.tolerance > 0 || kept.size() > budget) {
        const Goal goal(lit, settings.tolerance, block, t.error);
        kept = first_choice(lit);
        for (int round = 0; round < most_rounds; ++round) {
            std::sort(kept.begin(), kept.end());
            t.judge(kept);
            job.advance(1);
            if (kept.size() >= budget) break;
            const std::vector<std::uint32_t> more = next_choice(t, goal, budget - kept.size());
            if (more.empty()) break;
            kept.insert(kept.end(), more.begin(), more.end());
        }
        if (settings.tolerance > 0) prune(t, goal, job);
    }
    tell(t, figures);
    figures.thinned = lit.places.size() - t.which.size();
    figures.thin_seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    return t.which;
}

}  // namespace stasigraph
