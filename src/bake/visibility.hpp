#pragma once
// Which share of the lights that stay live reaches each texel.

#include "bake/unlit_level.hpp"

namespace stasigraph {

/// Keeps the maps while the lights they are of stay the same. Colours and strengths do not matter to them.
class VisibilityCache {
public:
    /// One page for each plan, or none at all where no light has the role `bounce`. Throws Error naming page
    /// and lights where more than four reach one page.
    const std::vector<VisibilityPage>& pages(const Level& level, const UnlitLevel& unlit, Job& job);

private:
    std::string key_;
    std::vector<VisibilityPage> pages_;
};

}  // namespace stasigraph
