#pragma once
// What each surface is unwrapped from: its shape in the world, its charts, and what can be seen of them.

#include <map>
#include <memory>

#include "chart/sized_charts.hpp"
#include "level/texture.hpp"
#include "stasigraph/atlas.hpp"
#include "trace/scene_tree.hpp"
#include "trace/sight.hpp"

namespace stasigraph {

/// A surface's wish: charts of a mesh at a shape.
struct Wish {
    double area = 0;  ///< World, square metres; 0 where there is nothing to unwrap.
    Shape shape;
    std::uint64_t key = 0;
    std::vector<float> share;  ///< For each chart; empty while its charts are not known.
};

class ChartSource {
public:
    /// Measures every surface, and looks around where unseen charts are to be shrunk. Notes surfaces that
    /// have nothing to unwrap.
    ChartSource(const Level& level, float density_scale, Job& job);

    bool mapped(std::uint32_t surface) const {
        return level_.surfaces[surface].lit_by == LitBy::lightmap &&
               level_.surfaces[surface].part == Part::still;
    }
    std::vector<Wish> front, back;  ///< For each surface; no area where there is nothing to unwrap.

    /// Cut and laid flat; surfaces of one wish share the result.
    std::shared_ptr<Unfolded> unfold(std::uint32_t surface, const Wish& wish);
    /// The key of a surface's front with what can be seen of it; fills in its shares.
    std::uint64_t full_key(std::uint32_t surface);

private:
    Wish wish(std::uint32_t surface, double area, float density) const;
    void make_wishes();
    void look_around();
    std::vector<float> shares(std::uint32_t surface, const Unfolded& unfolded);

    const Level& level_;
    const LightmapOptions& map_;
    float scale_;
    Job& job_;
    std::vector<std::uint64_t> mesh_keys_;
    std::map<std::uint64_t, std::shared_ptr<Unfolded>> unfolded_;
    std::shared_ptr<const SceneTree> tree_;
    std::unique_ptr<Sight> sight_;
};

}  // namespace stasigraph
