#include "stasigraph/stage.hpp"

#include <array>

namespace stasigraph {

std::string_view stage_name(Stage stage) {
    static constexpr std::array<std::string_view, stages> names = {"load",
                                                                   "place probes",
                                                                   "reflection places",
                                                                   "sight",
                                                                   "unwrap",
                                                                   "pack",
                                                                   "texels",
                                                                   "links",
                                                                   "probe links",
                                                                   "direct light",
                                                                   "noise",
                                                                   "guided links",
                                                                   "more links",
                                                                   "bounces",
                                                                   "denoise",
                                                                   "second look",
                                                                   "noise that is left",
                                                                   "probes",
                                                                   "pages",
                                                                   "occlusion",
                                                                   "finish",
                                                                   "reflections",
                                                                   "leaks",
                                                                   "write",
                                                                   "thin",
                                                                   "judge probes",
                                                                   "check",
                                                                   "walk",
                                                                   "reference",
                                                                   "reference picture",
                                                                   "picture",
                                                                   "pictures",
                                                                   "play",
                                                                   "game"};
    return names[static_cast<std::size_t>(stage)];
}

}  // namespace stasigraph
