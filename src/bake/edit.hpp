#pragma once
// An edit: what a level's geometry has become since an unlit level was made of it, and what of that one still
// holds.

#include <optional>
#include <string>
#include <vector>

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
    std::string before;                 ///< Key of that one.
    std::vector<std::uint32_t> was;     ///< For each texel its number then; none where its surface changed.
    std::vector<std::uint32_t> now;     ///< The other way round.
    std::vector<std::uint32_t> grid;    ///< For each grid its number then.
    std::vector<Box> boxes;             ///< Of all that moved, came or went: where it was and where it is.
    std::vector<std::uint8_t> changed;  ///< By surface.
    std::size_t texels_before = 0;
};
/// None where too much changed for the old one to be of use: nothing is the same, or surfaces changed
/// order.
std::optional<Edit> find_edit(const LevelMarks& before, const std::vector<SurfaceMark>& now,
                              std::size_t texels);

/// Links of the new rows as far as those of the old ones still hold: words renamed, rows that were something
/// else before empty. Rows keep as many links as they had. An invalid row of which one of the rays that judge
/// it may have changed counts as something else.
Links adopt_links(const Edit& edit, const std::vector<Receiver>& receivers_before,
                  const std::vector<std::uint8_t>& valid_before, const Links& before, const RowSource& rows,
                  std::vector<std::uint8_t>& kept, std::uint32_t judging, Job& job);

/// Of kept rows, the links whose rays may meet something else than before.
LinkMarks touched_links(const Edit& edit, const TexelSet& texels, const RowSource& rows,
                        const std::vector<std::uint8_t>& kept, const Links& links, Job& job);

/// Of kept rows, links that are not marked and lead to, or near, texels that moved, are invalid or open now,
/// or have other things beside them: what was led past invalid ones may go elsewhere.
LinkMarks misled_links(const Edit& edit, const std::vector<Vec3>& position_before,
                       const std::vector<std::uint8_t>& valid_before, const TexelSet& texels,
                       const std::vector<std::uint8_t>& valid, const std::vector<std::uint8_t>& kept,
                       const LinkMarks& marked, const Links& links, Job& job);

}  // namespace stasigraph
