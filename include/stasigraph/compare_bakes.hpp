#pragma once
// Two results of a folder, loaded, measured and drawn side by side.

#include <array>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "stasigraph/compare.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

/// The name of what a folder holds now, among those of results that were kept.
inline constexpr const char* result_now = "now";

struct CompareRequest {
    std::filesystem::path level_file, folder;  ///< `folder` empty: default_output().
    /// result_now, or the name of a kept result. `before` empty: the last one kept, or `after` where two sets
    /// are compared.
    std::string before, after = result_now;
    std::string set, set_before;  ///< Empty: the first; `set_before` empty: `set`.
    std::optional<Tier> tier;     ///< To look at; empty: that of the folder's results.
    bool reference = false;       ///< The reference path tracer stands before.
    int paths = 32;               ///< Its paths a pixel.
};

/// One side of a comparison.
struct ComparedResult {
    std::string name;  ///< As pictures and messages call it; the reference's too.
    Level level;
    SavedBake bake;    ///< Of one set.
    bool now = false;  ///< What the folder holds, not a kept one.
    const BakedSet& set() const { return bake.sets[0]; }
};

/// Pictures of both sides, of one size.
struct ComparedPictures {
    Picture before, after;
    float ev[2] = {0, 0};  ///< Exposure values at ISO 100; one for both, unless they are two sets.
    float range = 1;       ///< Stops at the ends of the difference's scale.
    float floor = 0;       ///< Nit: six stops under middle grey, below which nothing is told apart.
};
struct DrawRequest {
    std::optional<Camera> camera;  ///< Empty: `page`.
    int page = 0;
    int width = 0, height = 0;
    bool on_white = false;          ///< Light on white instead of what the player sees.
    std::optional<float> exposure;  ///< EV; empty: each set's own, else metered.
    float range = 0;                ///< 0: by what differs.
};

/// Two results of a level.
///
/// Threads: const use is safe from any number of threads.
class BakeComparison {
public:
    /// Loads both. Throws Error where one is not there.
    explicit BakeComparison(const CompareRequest& request);

    /// Null where the reference stands before.
    const ComparedResult* before() const { return before_ ? &*before_ : nullptr; }
    const ComparedResult& after() const { return after_; }
    /// Of before and after.
    std::array<std::string, 2> names() const;
    /// Texel by texel; against the reference, `noise` is what that is unsure of.
    ReferenceDifference measure(Job& job) const;
    /// Throws Error where a page is asked for that one of them does not have.
    ComparedPictures draw(const DrawRequest& request, Job& job) const;

private:
    int paths_;
    ComparedResult after_;
    std::optional<ComparedResult> before_;
};

/// What the colours of difference_picture() mean.
std::vector<LegendLine> difference_legend(float range);
/// The difference, developed, with its legend where it is large enough for one.
std::vector<std::uint8_t> difference_pixels(const ComparedPictures& pictures);
/// The left half of the picture before and the right half of that after, a white line between.
std::vector<std::uint8_t> halves_pixels(const ComparedPictures& pictures);

}  // namespace stasigraph
