// The direct pass: a pilot pass over every texel, a refinement of those around which a pilot found light, and
// a long refinement where the two differ.

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <iterator>

#include "bake/sources.hpp"
#include "base/blob.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t texels_per_task = 256;
/// A pass is done in this many slices; after one, what is done may be saved.
constexpr std::size_t slices = 16;

/// A pilot pass has a quarter of the effort asked for, a refinement twice the rays of a pilot, a long
/// refinement 3, 9 or 27 times.
constexpr int pilots_an_effort = 4, refinement_pilots = 2, long_refinements[] = {3, 9, 27};
/// Longer ones for texels that the one before would leave with `left_noisy` times the noise asked for. The
/// last only where there are few sources, so that a pilot is a few rays.
constexpr int longest_refinements[] = {63, 255};
constexpr float left_noisy = 2;
constexpr std::size_t few_sources = 8;
/// Noise in the dark is not seen beside what is bright: darker texels count as having this share of the mean
/// over all lit ones.
constexpr double dark_share = 0.05;
constexpr int reach = 2;  ///< Texels to every side that decide what a texel needs.
/// Twice the rays lower the variance by more than half, since they are spread evenly and the lamps told apart
/// better; estimates are weighed by that.
constexpr float gain = 1.3f;
/// Times a pilot's rays that lit texels come to besides the first, on average: for forecasts alone.
constexpr int pilots_where_lit = 5;
constexpr double decided = 1.45e-6;  ///< Seconds for each row, to tell what it needs from those around it.
constexpr int few = 8;               ///< With fewer neighbours than that a texel is refined anyway.

/// One over the variance of an estimate by this many times a pilot's rays, by which it weighs; a pilot's
/// is 1.
float inverse_variance(int n) {
    return std::pow(static_cast<float>(n), gain);
}

LightEffort times(const LightEffort& e, int factor) {
    return {.samples = std::min(e.samples * factor, 1024),
            .cut = std::min(e.cut * factor, 1024),
            .error = e.error / std::sqrt(static_cast<float>(factor)),
            .spread = e.spread,
            .faint = std::min(1.0f, e.faint * static_cast<float>(factor))};
}

LightEffort pilot_effort(LightEffort effort) {
    effort.spread = true;
    effort.samples = std::max(1, effort.samples / pilots_an_effort);
    effort.cut = std::max(1, effort.cut / pilots_an_effort);
    return effort;
}

/// Light and, where asked for, its gradient.
struct Estimate {
    Rgb light;
    IrradianceGradient gradient;
};

/// Once more at a texel.
struct TexelDraws {
    const LightEffort& effort;
    std::uint32_t seed = 0;
    SourcesMet known{};
    SourcesMet* met = nullptr;
};

Estimate light_of(const DirectPass& pass, std::size_t i, const TexelDraws& draws,
                  DirectLight::Scratch& scratch) {
    const Receiver& r = pass.rows.receivers[i];
    const std::uint32_t own = combine_bits(pass.rows.seeds[i], draws.seed);
    const bool with_gradient = pass.gradients && pass.gradients->of(i) != none;
    Estimate sum;
    const auto beside = [&](std::uint32_t k) {
        return pass.footprints.offset(i, sobol_point_beside(own, k), pass.width);
    };
    const SkyWeights weights = pass.weights.at(i);
    pass.light.gather(r, {draws.effort, weights, own}, scratch,
                      ShadowRays<decltype(beside)>{beside, draws.known, draws.met}, [&](Vec3 w, Rgb e) {
                          sum.light += e * r.weight(w);
                          if (with_gradient) sum.gradient += gradient_along(e, gradient_of(r.normal, w));
                      });
    return sum;
}

/// A texel's light from its estimates so far; each new one counts by what it weighs.
struct Mixed {
    Estimate sum;
    float weight = 0;
    void add(const Estimate& e, float by) {
        const float share = by / (weight + by);
        sum.light = sum.light * (1 - share) + e.light * share;
        sum.gradient = sum.gradient * (1 - share) + e.gradient * share;
        weight += by;
    }
};

/// What decides about a texel is what those around it found and itself, never it alone: one whose rays all
/// missed a lamp would think itself done, and all such texels together would be too dark. But it counts as
/// well: the one texel of a neighbourhood that met a sliver of a lamp would stay a bright dot, since no other
/// has anything to tell. What is lost is light of which not one ray of all around met anything.
struct Field {
    const TexelSet& texels;
    const TexelStates& states;
    const std::vector<float>& besides;
    std::vector<float> pilot, refinement;  ///< Luminance; refinement is below 0 where there was none.
    std::vector<SourcesMet> met;           ///< Of both.
    bool few_to_tell;                      ///< Of the sources.

    bool wants_refinement(std::size_t i) const {
        int count = 0;
        bool lit = pilot[i] > 0;
        texels.for_neighbours(static_cast<std::uint32_t>(i), reach, [&](std::uint32_t n) {
            if (!is_valid(states[n])) return;
            ++count;
            lit = lit || pilot[n] > 0;
        });
        return lit || count < few;
    }

    /// The sources of which all around a texel and itself saw all, or nothing. A sliver of a lamp that not
    /// one of some hundred rays met is lost.
    SourcesMet known(std::size_t i) const {
        SourcesMet all = met[i];
        int count = 0;
        texels.for_neighbours(static_cast<std::uint32_t>(i), reach, [&](std::uint32_t n) {
            if (!is_valid(states[n])) return;
            ++count;
            all.seen |= met[n].seen;
            all.hidden |= met[n].hidden;
        });
        if (count < few) return {};
        return {static_cast<std::uint16_t>(all.seen & ~all.hidden),
                static_cast<std::uint16_t>(all.hidden & ~all.seen)};
    }

    /// Of pilot and refinement.
    float mean(std::size_t i) const {
        const float share = inverse_variance(refinement_pilots) / (1 + inverse_variance(refinement_pilots));
        return (refinement[i] < 0 ? pilot[i] : pilot[i] * (1 - share) + refinement[i] * share) +
               (besides.empty() ? 0 : besides[i]);
    }

    float floor() const {
        double sum = 0, lit = 0;
        for (std::size_t i = 0; i < pilot.size(); ++i) {
            const float here = is_valid(states[i]) ? mean(i) : 0;
            if (!(here > 0)) continue;
            sum += static_cast<double>(here * texels.area[i]);
            lit += static_cast<double>(texels.area[i]);
        }
        return lit > 0 ? static_cast<float>(dark_share * sum / lit) : 0;
    }

    /// How many times a pilot's rays a texel's long refinement needs; 0: none.
    int wanted(std::size_t i, float least, float noise) const {
        float square = 0, light = 0, count = 0;
        const auto told_by = [&](std::size_t n) {
            const float apart = refinement[n] < 0 ? 0 : pilot[n] - refinement[n];
            square += apart * apart;
            light += mean(n);
            count += 1;
        };
        told_by(i);
        texels.for_neighbours(static_cast<std::uint32_t>(i), reach, [&](std::uint32_t n) {
            if (is_valid(states[n])) told_by(n);
        });
        // With a variance of v for a pilot and v / w for a refinement, the difference has v + v / w, both
        // together v / (1 + w).
        const float both = 1 + inverse_variance(refinement_pilots),
                    together = inverse_variance(refinement_pilots) / (both * both);
        const float allowed = std::max(light / count, least) * noise;
        const float over = square / count * together / (allowed * allowed);
        if (!(over > 1)) return 0;
        for (const int n : long_refinements)
            if (over <= (both + static_cast<float>(n)) / both) return n;
        int last = long_refinements[std::size(long_refinements) - 1];
        for (const int n : longest_refinements)
            if ((n == longest_refinements[0] || few_to_tell) &&
                over > left_noisy * left_noisy * (both + static_cast<float>(last)) / both)
                last = n;
        return last;
    }
};

/// The pass over the texels of a level, from nothing or from what an edit left.
///
/// A round reads what the rounds before it found around a texel, and writes nothing that another texel of the
/// same round reads. What of an edit is sampled again in rounds one and two keeps the pilot and the
/// refinement it had: none of its rays met what moved, so they are the same to the bit, and only its mix is
/// wanted.
class TexelPass {
public:
    TexelPass(const DirectPass& pass, const LitTexels& lit, const DirectBefore* before, const KeptParts* kept,
              Job& job)
        : pass_(pass),
          states_(lit.states),
          before_(before),
          kept_(kept),
          job_(job),
          count_(pass.rows.size()),
          pilot_(pilot_effort(pass.effort)),
          field_{lit.texels,
                 lit.states,
                 lit.besides,
                 std::vector<float>(count_, 0.0f),
                 std::vector<float>(count_, -1.0f),
                 std::vector<SourcesMet>(count_),
                 pass.light.sources() <= few_sources},
          mixed_(count_),
          longer_(count_, 0),
          known_(count_),
          fresh_(count_, true) {}

    DirectTexels run() {
        DirectTexels out;
        load();
        each(0, [&](std::size_t i, DirectLight::Scratch& scratch) {
            fresh_.set(i, !before_ || is_touched(i));
            if (fresh_[i]) {
                mixed_[i] = with_pilot(i, scratch, field_.met[i]);
                field_.pilot[i] = luminance(mixed_[i].sum.light);
            } else {
                field_.pilot[i] = before_->texels.pilot[was(i)];
                field_.met[i] = before_->texels.met[was(i)];
            }
        });
        each(1, [&](std::size_t i, DirectLight::Scratch& scratch) {
            const bool wanted_now = field_.wants_refinement(i);
            if (!fresh_[i] && wanted_now != !(before_->texels.refinement[was(i)] < 0)) {
                fresh_.set(i);
                ++again_;
                mixed_[i] = with_pilot(i, scratch, field_.met[i]);
            }
            if (!fresh_[i])
                field_.refinement[i] = before_->texels.refinement[was(i)];
            else if (wanted_now)
                field_.refinement[i] = refine(mixed_[i], i, scratch, field_.met[i]);
        });
        out.least = pass_.floor > 0 ? pass_.floor : field_.floor();
        each(2, [&](std::size_t i, DirectLight::Scratch& scratch) {
            // Also where a pilot found nothing all around, if those a little farther know better.
            const int n = out.least > 0 ? field_.wanted(i, out.least, pass_.effort.error) : 0;
            longer_[i] = static_cast<std::uint8_t>(n);
            if (n > 0) known_[i] = field_.known(i);
            if (!fresh_[i] && n == before_->texels.longer[was(i)] &&
                known_[i] == before_->texels.known[was(i)])
                return;
            if (!fresh_[i]) {
                SourcesMet same;
                mixed_[i] = with_pilot(i, scratch, same);
                if (!(field_.refinement[i] < 0)) refine(mixed_[i], i, scratch, same);
                fresh_.set(i);
                ++again_;
            }
            if (n > 0)
                mixed_[i].add(light_of(pass_, i, {times(pilot_, n), long_seed(), known_[i]}, scratch),
                              inverse_variance(n));
        });
        finish(out);
        return out;
    }

private:
    std::uint32_t was(std::size_t i) const { return before_->edit.was[i]; }
    std::uint32_t refinement_seed() const { return mix_bits(pass_.seed ^ 1u); }
    std::uint32_t long_seed() const { return mix_bits(pass_.seed ^ 2u); }

    /// All texels of a round, the third of which counts as half of the pass. What is done is saved every now
    /// and then.
    template <class F>
    void each(std::size_t round, F&& f) {
        const std::size_t slice = (count_ / slices / texels_per_task + 1) * texels_per_task,
                          share = round == 2 ? 2 : 1;
        if (round < round_) job_.advance(count_ * share * pass_.units / 4);
        if (round != round_) return;
        for (; row_ < count_; row_ = std::min(count_, row_ + slice)) {
            const std::size_t from = row_;
            job_.parallel(std::min(slice, count_ - from), texels_per_task,
                          [&](std::size_t begin, std::size_t end) {
                              DirectLight::Scratch scratch;
                              for (std::size_t i = from + begin; i < from + end; ++i)
                                  if (is_valid(states_[i])) f(i, scratch);
                              job_.advance((end - begin) * share * pass_.units / 4);
                          });
            save(from + slice);
        }
        ++round_;
        row_ = 0;
    }

    /// Unless that was done a moment ago.
    void save(std::size_t done) {
        const auto now = std::chrono::steady_clock::now();
        if (!kept_ || !kept_->store.save || before_ || now - saved_ < kept_->every) return;
        BlobWriter out;
        out.number(round_);
        out.number(std::min(done, count_));
        out.array(mixed_);
        out.array(field_.pilot);
        out.array(field_.refinement);
        out.array(field_.met);
        out.array(longer_);
        out.array(known_);
        kept_->store.save(kept_->name, out.parts());
        saved_ = std::chrono::steady_clock::now();
    }
    void load() {
        Blob blob;
        if (!kept_ || !kept_->store.load || before_ || !kept_->store.load(kept_->name, blob)) return;
        BlobReader in(blob);
        const std::uint64_t round = in.number(), row = in.number();
        std::vector<Mixed> mixed;
        std::vector<float> pilot, refinement;
        std::vector<std::uint8_t> longer;
        std::vector<SourcesMet> met, known;
        in.array(mixed, count_);
        in.array(pilot, count_);
        in.array(refinement, count_);
        in.array(met, count_);
        in.array(longer, count_);
        in.array(known, count_);
        if (!in.done() || round > 2 || row > count_) return;
        round_ = round;
        row_ = row;
        mixed_ = std::move(mixed);
        field_.pilot = std::move(pilot);
        field_.refinement = std::move(refinement);
        field_.met = std::move(met);
        longer_ = std::move(longer);
        known_ = std::move(known);
    }
    Mixed with_pilot(std::size_t i, DirectLight::Scratch& scratch, SourcesMet& met) const {
        Mixed mixed;
        met = {};
        mixed.add(light_of(pass_, i, {pilot_, pass_.seed, {}, &met}, scratch), 1);
        return mixed;
    }
    /// Adds a refinement; returns its luminance.
    float refine(Mixed& mixed, std::size_t i, DirectLight::Scratch& scratch, SourcesMet& met) const {
        const Estimate second =
            light_of(pass_, i, {times(pilot_, refinement_pilots), refinement_seed(), {}, &met}, scratch);
        mixed.add(second, inverse_variance(refinement_pilots));
        return luminance(second.light);
    }

    /// Whether one of the rays that were sent from a texel may have met what the edit moved.
    bool is_touched(std::size_t i) const {
        if (was(i) == none || before_->other[i]) return true;
        if (pass_.gradients && pass_.gradients->of(i) != none &&
            !std::binary_search(before_->gradient_texel.begin(), before_->gradient_texel.end(), was(i)))
            return true;
        const Receiver& r = pass_.rows.receivers[i];
        const float around = pass_.footprints.reach(i, pass_.width);
        const std::uint32_t own = pass_.rows.seeds[i];
        const int longer = before_->texels.longer[was(i)];
        for (const Box& box : before_->edit.boxes) {
            if (pass_.light.passes(r, around, box)) return true;
            const auto sky = [&](const LightEffort& effort, std::uint32_t seed) {
                return pass_.light.sky_passes(r, around, effort.samples, combine_bits(own, seed), box);
            };
            if (sky(pilot_, pass_.seed) || sky(times(pilot_, refinement_pilots), refinement_seed()) ||
                (longer > 0 && sky(times(pilot_, longer), long_seed())))
                return true;
        }
        return false;
    }

    void finish(DirectTexels& out) {
        out.light.assign(count_, {});
        for (std::size_t i = 0; i < count_; ++i)
            if (is_valid(states_[i]))
                out.light[i] = fresh_[i] ? mixed_[i].sum.light : before_->texels.light[was(i)];
        if (pass_.gradients) {
            for (const std::uint32_t i : pass_.gradients->texel)
                out.gradient.push_back(!is_valid(states_[i]) ? IrradianceGradient{}
                                       : fresh_[i]           ? mixed_[i].sum.gradient
                                                   : before_->texels.gradient[gradient_row(was(i))]);
        }
        out.again = again_;
        out.longer = std::move(longer_);
        out.pilot = std::move(field_.pilot);
        out.refinement = std::move(field_.refinement);
        out.met = std::move(field_.met);
        out.known = std::move(known_);
    }
    std::size_t gradient_row(std::uint32_t texel) const {
        return static_cast<std::size_t>(
            std::lower_bound(before_->gradient_texel.begin(), before_->gradient_texel.end(), texel) -
            before_->gradient_texel.begin());
    }

    const DirectPass& pass_;
    const TexelStates& states_;
    const DirectBefore* before_;
    const KeptParts* kept_;
    Job& job_;
    std::size_t count_;
    LightEffort pilot_;
    Field field_;
    std::vector<Mixed> mixed_;
    std::vector<std::uint8_t> longer_;
    std::vector<SourcesMet> known_;
    TexelFlags fresh_;                    ///< Sampled by this pass.
    std::atomic<std::size_t> again_ = 0;  ///< Of those, touched by nothing.
    std::size_t round_ = 0, row_ = 0;     ///< Where it stands.
    std::chrono::steady_clock::time_point saved_ = std::chrono::steady_clock::now();
};

}  // namespace

std::vector<Rgb> light_rows(const DirectPass& pass, Job& job) {
    std::vector<Rgb> out(pass.rows.size());
    job.parallel(pass.light.empty() ? 0 : out.size(), texels_per_task,
                 [&](std::size_t begin, std::size_t end) {
                     DirectLight::Scratch scratch;
                     for (std::size_t i = begin; i < end; ++i)
                         out[i] = light_of(pass, i, {pass.effort, pass.seed}, scratch).light;
                     job.advance(end - begin);
                 });
    return out;
}

double seconds_a_row(const DirectPass& pass, const TexelStates& states, Job& job) {
    constexpr std::size_t most_rows = 2048, each = 64;
    const std::size_t rows = std::clamp<std::size_t>(states.size() / 64, 1, most_rows);
    std::vector<std::size_t> some;
    for (std::size_t i = 0; i < states.size(); i += std::max<std::size_t>(1, states.size() / rows))
        if (is_valid(states[i])) some.push_back(i);
    if (pass.light.empty() || some.empty()) return 0;
    const LightEffort pilot = pilot_effort(pass.effort);
    double seconds = 0;
    for (int round = 0; round < 2; ++round) {  // the first finds caches cold
        const auto start = std::chrono::steady_clock::now();
        job.parallel(some.size(), each, [&](std::size_t begin, std::size_t end) {
            DirectLight::Scratch scratch;
            for (std::size_t k = begin; k < end; ++k)
                if (max_channel(light_of(pass, some[k], {pilot, pass.seed}, scratch).light) > 0)
                    light_of(pass, some[k], {times(pilot, pilots_where_lit), pass.seed}, scratch);
        });
        seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    }
    return decided + seconds / static_cast<double>(some.size());
}

std::vector<std::array<Rgb, 2>> light_again(const DirectPass& pass, const std::vector<std::uint32_t>& texels,
                                            Job& job) {
    constexpr int effort = 8;  // times a pilot's rays
    constexpr std::uint32_t own_seed[] = {4, 5};
    std::vector<std::array<Rgb, 2>> out(texels.size());
    const LightEffort each = times(pilot_effort(pass.effort), effort);
    job.parallel(pass.light.empty() ? 0 : texels.size(), 32, [&](std::size_t begin, std::size_t end) {
        DirectLight::Scratch scratch;
        for (std::size_t k = begin; k < end; ++k)
            for (std::size_t n = 0; n < 2; ++n)
                out[k][n] =
                    light_of(pass, texels[k], {each, mix_bits(pass.seed ^ own_seed[n])}, scratch).light;
    });
    return out;
}

DirectTexels light_texels(const DirectPass& pass, const LitTexels& texels, Job& job,
                          const DirectBefore* before, const KeptParts* kept) {
    const std::size_t count = pass.rows.size();
    if (pass.light.empty()) {
        job.advance(count * pass.units);
        DirectTexels none_at_all;
        none_at_all.light.resize(count);
        none_at_all.gradient.resize(pass.gradients ? pass.gradients->texel.size() : 0);
        return none_at_all;
    }
    return TexelPass(pass, texels, before, kept, job).run();
}

}  // namespace stasigraph
