#pragma once
// Drawing what a viewer sees.

#include "picture/viewer.hpp"

namespace stasigraph {

/// The picture of a shot: one sample of every pixel, the settings' number where colours change. Advances the
/// job by draw_units().
Picture draw(const Shot& shot, const ViewOptions& settings, Job& job);
std::size_t draw_units(const ViewOptions& settings);

}  // namespace stasigraph
