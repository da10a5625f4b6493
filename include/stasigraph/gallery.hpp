#pragma once
// Pictures that answer questions about a level and its bake, with what their colours mean.

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "stasigraph/check.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

/// A question that a picture answers, by the name it has on the command line.
struct Question {
    const char* name;
    const char* about;
    bool needs_bake;  ///< Else the level alone will do.
};
const std::vector<Question>& questions();

struct ShowRequest {
    std::string what = "game";  ///< One of questions().
    Camera camera;
    ViewOptions settings;             ///< Its `show` and the range of lux are filled in.
    std::string set;                  ///< The bake set; empty: the first.
    std::optional<float> exposure;    ///< Exposure value at ISO 100; empty: the set's own, else metered.
    float lux_low = 0, lux_high = 0;  ///< Of `lux`; 0: by what is there.
    std::string against;              ///< Of `dots`: the name of a kept bake that has converged.
    bool legend = true;               ///< Drawn into `rgb`, where the picture is large enough for it.
};

struct ShownPicture {
    std::string set;                ///< Empty where no light is shown.
    std::optional<float> exposure;  ///< With which it was developed; empty for colours that are no light.
    bool metered = false, stale = false;
    Picture picture;
    std::vector<std::uint8_t> rgb;  ///< Eight-bit sRGB, rows from the top.
    std::vector<LegendLine> legend;
};

/// A level and its bake, loaded as far as pictures of it were asked for.
///
/// Threads: one call at a time.
class Gallery {
public:
    /// `folder`: of results; `cache`: of the level. Both as their defaults where empty. `tier`: to be looked
    /// at; empty: the one baked last, or the level's own where nothing was baked. Throws Error where the
    /// level does not load.
    explicit Gallery(const std::filesystem::path& level_file, const std::filesystem::path& folder = {},
                     const std::filesystem::path& cache = {}, std::optional<Tier> tier = {});
    ~Gallery();
    Gallery(const Gallery&) = delete;
    Gallery& operator=(const Gallery&) = delete;

    const Level& level() const noexcept;
    /// Throws Error where it lacks what the question needs: a bake, probes, zones.
    ShownPicture show(const ShowRequest& request, Job& job);
    /// A set as it was baked. Throws Error where there is no bake of it.
    const SavedBake& bake(const std::string& set);

private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace stasigraph
