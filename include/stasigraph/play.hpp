#pragma once
// A walk through a level while its sets change: by the runtime that ships in games, drawn frame by frame.

#include <functional>

#include "stasigraph/io.hpp"

namespace stasigraph {

/// Where the figure is at a time; between two it walks straight on. Metres, the ground it stands on.
struct PlayStep {
    double at = 0;  ///< Seconds.
    Vec3 place;
};

enum class PlayKind : std::uint8_t { set, series, clock, layer };

/// What a game would ask the runtime for.
struct PlayChange {
    double at = 0;  ///< Seconds.
    PlayKind kind = PlayKind::set;
    std::string name;                     ///< Of the set, the series or the layer.
    std::string zone;                     ///< Empty: everywhere.
    float seconds = 0;                    ///< The fade takes, or the flicker.
    bool smooth = true;                   ///< Else at an even pace.
    double hour = 0, hours_a_second = 0;  ///< Of the clock: hours of the day, [0, 24].
    Rgb scale{1, 1, 1}, add{0, 0, 0};     ///< Of a layer, as of runtime::Mixer::set_layer().
    float flicker = 0;                    ///< Share of a layer's light that comes and goes, [0, 1].
};

struct PlayScript {
    std::filesystem::path level;
    std::string set;      ///< At first; empty: the level's first.
    std::string figure;   ///< Glob of the moving thing's nodes.
    float front = 0;      ///< Where it looks in the scene, radians clockwise from -Z as seen from above.
    std::string carries;  ///< Glob of lights that go with it; empty: none.
    std::string camera;   ///< Of the level; empty: from behind the figure.
    double until = 0;     ///< Seconds.
    float fps = 2;
    int width = 640, height = 400;
    std::vector<PlayStep> steps;      ///< In the order of their times.
    std::vector<PlayChange> changes;  ///< So, too.
};

/// Reads a script (TOML), described in docs/files.md. Throws Error naming the line.
PlayScript load_play(const std::filesystem::path& file);

/// Light on the figure, sixty times a second.
struct PlayMoment {
    double at = 0;
    Vec3 place;
    Rgb light;         ///< Mean E over the six directions of the axes, lux.
    std::string zone;  ///< The probe's that counts most; empty: none.
};
struct PlayFrame {
    int number = 0;
    double at = 0;
    Picture picture;
    float exposure = 0;  ///< EV at ISO 100; follows what is seen as an eye does, two stops a second.
    std::string zone;    ///< Where the figure is.
    std::string shows;   ///< What that zone shows: "noon 30 %, dusk 70 %".
};
struct PlayResult {
    std::vector<PlayMoment> moments;
    int frames = 0;
    double advance_mean = 0, advance_most = 0;  ///< Microseconds.
    double sample_mean = 0;
};

/// What is played. Borrowed.
struct PlayedLevel {
    const Level& level;
    const SavedBake& bake;
    std::filesystem::path game;  ///< The packed level's file.
};
/// Plays a script. `take` gets each frame once it is drawn, in order. Throws Error where the script names
/// what is not there.
PlayResult play(const PlayScript& script, const PlayedLevel& played,
                const std::function<void(PlayFrame&&)>& take, Job& job);

/// Light on the figure over time, with what was asked for and where it was: 1280 x 800 pixels, PNG.
void write_play_plot(const std::filesystem::path& to, const std::string& title, const PlayScript& script,
                     const std::vector<PlayMoment>& moments);

/// A frame as one of a contact sheet's pictures, with its time, exposure and zone.
ContactPicture play_thumbnail(const PlayFrame& frame, const ContactLayout& layout);

}  // namespace stasigraph
