#pragma once
// An edit: what a level's geometry has become since an unlit level was made of it, and what of that one still
// holds.

#include <optional>
#include <string>
#include <vector>

#include "bake/judged_texels.hpp"
#include "base/blob.hpp"
#include "trace/box.hpp"
#include "transport/links.hpp"

namespace stasigraph {

/// What an unlit level remembers of a surface, to tell later whether it is still the same.
struct SurfaceMark {
    std::string name, to_rays;  ///< to_rays: key of what rays see of it; empty where it takes no part.
    std::string texels[2];      ///< Keys of the texels of both sides; empty where there are none.
    std::uint32_t first[2]{}, count[2]{};  ///< Their numbers.
    Box bounds;
};

/// Of texels as they were placed, before any was moved.
std::vector<SurfaceMark> mark_surfaces(const Level& level, const TexelSet& texels);

struct LevelMarks {
    std::string key;  ///< Of the unlit level.
    std::vector<SurfaceMark> surfaces;
};
/// The marks of the last unlit level made with the same settings. Under one name for all levels of a store.
std::optional<LevelMarks> load_marks(const BakeStore& store, const std::string& name);
void save_marks(const BakeStore& store, const std::string& name, const LevelMarks& marks);

/// What became of an unlit level's surfaces.
struct Edit {
    std::string before;                ///< Key of that one.
    std::vector<std::uint32_t> was;    ///< For each texel its number then; none where its surface changed.
    std::vector<std::uint32_t> now;    ///< The other way round.
    std::vector<std::uint32_t> grid;   ///< For each grid its number then.
    std::vector<Box> boxes;            ///< Of all that moved, came or went: where it was and where it is.
    Flags<struct OfSurfaces> changed;  ///< By surface.
    std::size_t texels_before = 0;
};
/// None where too much changed for the old one to be of use: nothing is the same, or surfaces changed
/// order.
std::optional<Edit> find_edit(const LevelMarks& before, const std::vector<SurfaceMark>& now,
                              std::size_t texels);

/// What there is of the earlier unlit level.
struct UnlitBefore {
    JudgedTexels judged;
    std::vector<Vec3> positions;  ///< Of its texels.
    Links links;
};

/// Links on their way from one to the other.
struct AdoptedLinks {
    Links links;
    RowFlags kept;    ///< Rows that are what they were.
    LinkMarks again;  ///< Of those, links that were traced again.
};

/// Links of the new rows as far as those of the old ones still hold: words renamed, rows that were something
/// else before empty. Rows keep as many links as they had. An invalid row of which one of the `judging` rays
/// that judge it may have changed counts as something else.
AdoptedLinks adopt_links(const Edit& edit, const UnlitBefore& before, const RowSource& rows,
                         std::uint32_t judging, Job& job);

/// Of kept rows, the links whose rays may meet something else than before.
LinkMarks touched_links(const Edit& edit, const TexelSet& texels, const RowSource& rows,
                        const AdoptedLinks& adopted, Job& job);

struct TexelsNow {
    const TexelSet& texels;
    const TexelStates& states;
};
/// Of kept rows, links that were not traced again and lead to, or near, texels that moved, are invalid or
/// open now, or have other things beside them: what was led past invalid ones may go elsewhere.
LinkMarks misled_links(const Edit& edit, const UnlitBefore& before, const TexelsNow& now,
                       const AdoptedLinks& adopted, Job& job);

}  // namespace stasigraph
