#pragma once
// The first links of every row, by which texels are judged.

#include <optional>

#include "bake/edit.hpp"

namespace stasigraph {

/// Rows of texels before any ray is traced: where each starts, and which lie under no face and so need rays.
struct ReadyRows {
    RowSource rows;
    RowFlags uncovered;
};
ReadyRows ready_rows(const TracedLevel& traced, Job& job);

/// What is taken over of the unlit level that a store holds of an earlier level.
struct TakenOver {
    Edit edit;
    UnlitBefore before;
};

/// Links as they were met, none led elsewhere yet.
struct FirstLinks {
    AdoptedLinks adopted;
    std::optional<TakenOver> from;  ///< Where most of them are those of an earlier level.
    std::size_t traced = 0;
};

/// Where links are kept.
struct LinkStore {
    const BakeStore& store;
    const std::string& key;       ///< Of the unlit level.
    std::uint64_t in_memory = 0;  ///< As Links has it.
};

/// All of them traced, or brought back piece by piece where a bake was stopped, or those alone that an edit
/// touched. `marks`: what the level's surfaces are.
FirstLinks record_first_links(const TracedLevel& traced, const ReadyRows& ready, const LinkStore& kept,
                              const std::vector<SurfaceMark>& marks, Job& job);

}  // namespace stasigraph
