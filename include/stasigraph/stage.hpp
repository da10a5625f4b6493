#pragma once
// The stages of long calls.

#include <cstdint>
#include <string_view>

namespace stasigraph {

/// In the order in which a bake goes through them, then those of other calls.
enum class Stage : std::uint8_t {
    load,               ///< Reading the level and what was there.
    place_probes,       ///< Where probes stand, by a quick bake.
    reflection_places,  ///< Where reflection probes are captured.
    sight,              ///< Which charts can be seen.
    unwrap,             ///< Surfaces laid flat.
    pack,               ///< Charts onto pages.
    texels,             ///< Texels onto surfaces.
    links,              ///< Gather rays.
    probe_links,        ///< Gather rays of probes.
    direct_light,       ///< Light straight from its sources.
    noise,              ///< Which rows need more links.
    guided_links,       ///< Links to what is small and bright.
    more_links,         ///< Links of rows that are too noisy.
    bounces,            ///< Light from surface to surface.
    denoise,            ///< Light by links, smoothed.
    second_look,        ///< Texels that stand out, gathered again.
    noise_left,         ///< Measured, room by room.
    probes,             ///< Light at probes.
    pages,              ///< A group's pages.
    occlusion,          ///< How open surroundings are.
    finish,             ///< Sets mixed from layers.
    reflections,        ///< What mirrors show.
    leaks,              ///< Light that is not there, looked for.
    write,              ///< Files.
    thin,               ///< Probes chosen among candidates.
    judge_probes,       ///< Probes held against exact light.
    check,              ///< Findings.
    walk,               ///< Light along a path.
    reference,          ///< Light by the reference path tracer.
    reference_picture,  ///< A picture by the reference path tracer.
    picture,            ///< A picture.
    pictures,           ///< Several of them.
    play,               ///< Frames of a walk.
    game,               ///< The packed level.
};
inline constexpr int stages = static_cast<int>(Stage::game) + 1;
/// As progress, the report and `--json` name it: "direct light".
std::string_view stage_name(Stage stage);

}  // namespace stasigraph
