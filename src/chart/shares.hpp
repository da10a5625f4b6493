#pragma once

namespace stasigraph {

/// Share of a surface's density that charts get which nobody can see: they still bounce light.
inline constexpr float unseen_share = 0.125f;
/// ... unless they are so small that it saves nothing. Square texels.
inline constexpr double least_shrunk_area = 16;

}  // namespace stasigraph
