#pragma once
// The slope of the light that comes by links: which way the normal would have to turn to get more of it.

#include "light/slope.hpp"
#include "transport/solve.hpp"

namespace stasigraph {

/// Slopes of all groups over all rows: a LightField of three times the groups, x, y and z of one group side by
/// side.
inline Slope slope_at(const LightField& field, std::size_t row, std::size_t group) {
    return {field.get(row, 3 * group), field.get(row, 3 * group + 1), field.get(row, 3 * group + 2)};
}
inline void add_slope(LightField& field, std::size_t row, std::size_t group, const Slope& s) {
    field.add(row, 3 * group, s.x);
    field.add(row, 3 * group + 1, s.y);
    field.add(row, 3 * group + 2, s.z);
}

/// What one gather ray adds to a row's slope for each unit it adds to the row's light.
Vec3 gathered_slope(const Receiver& receiver, Vec3 direction);

/// Slopes of the rows marked by `wanted`, the sky aside: of each row's first lengths[row] links to `from`
/// (made by reflect()). Same bytes for any number of threads. Cost: about four applications of the links.
LightField link_slopes(const Links& links, const std::vector<std::uint32_t>& lengths, const RowSource& rows,
                       const std::vector<std::uint8_t>& wanted, const HalfField& from, std::size_t groups,
                       Job& job);

}  // namespace stasigraph
