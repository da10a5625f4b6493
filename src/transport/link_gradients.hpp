#pragma once
// The gradient of the light that comes by links: which way the normal would have to turn to get more of it.

#include "light/irradiance_gradient.hpp"
#include "transport/solve.hpp"

namespace stasigraph {

/// The texels whose gradients are kept, one row of a gradient field each: few levels want those of all.
struct GradientRows {
    std::vector<std::uint32_t> texel;   ///< Ascending.
    Flags<struct OfGradients> shown;    ///< By row: pages show it; else it is there to smooth others with.
    std::vector<std::uint32_t> row_of;  ///< For each texel of the level; none where none is kept. Or empty.

    GradientRows() = default;
    struct Wanted {
        const TexelFlags& shown;
        const TexelFlags& kept;  ///< All of those, and more.
    };
    explicit GradientRows(const Wanted& wanted) {
        row_of.assign(wanted.kept.size(), none);
        for (std::uint32_t i = 0; i < wanted.kept.size(); ++i) {
            if (!wanted.kept[i]) continue;
            row_of[i] = static_cast<std::uint32_t>(texel.size());
            texel.push_back(i);
            shown.push_back(wanted.shown[i]);
        }
    }
    bool empty() const { return texel.empty(); }
    std::uint32_t of(std::size_t i) const { return row_of.empty() ? none : row_of[i]; }
};

/// Gradients of all groups over such rows: a LightField of three times the groups, x, y and z of one group
/// side by side.
inline IrradianceGradient gradient_at(const LightField& field, std::size_t row, std::size_t group) {
    return {field.get(row, 3 * group), field.get(row, 3 * group + 1), field.get(row, 3 * group + 2)};
}
inline void add_gradient(LightField& field, std::size_t row, std::size_t group, const IrradianceGradient& s) {
    field.add(row, 3 * group, s.x);
    field.add(row, 3 * group + 1, s.y);
    field.add(row, 3 * group + 2, s.z);
}

/// What one gather ray adds to a row's gradient for each unit it adds to the row's light.
Vec3 gathered_gradient(const Receiver& receiver, Vec3 direction);

/// Gradients of the texels `kept`, the sky aside: of those links of each one that count, to `from` (made by
/// reflect()). Same bytes for any number of threads. Cost: about four applications of those links.
LightField link_gradients(const RecordedRows& recorded, const RowLengths& lengths, const GradientRows& kept,
                          const HalfField& from, Job& job);

}  // namespace stasigraph
