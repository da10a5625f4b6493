#pragma once
// Which share of the lights that stay live reaches each texel.

#include "finish/pages.hpp"
#include "trace/ray_caster.hpp"
#include "transport/links.hpp"

namespace stasigraph {

/// Keeps the maps while the lights they are of stay the same. Colours and strengths do not matter to them.
class VisibilityCache {
public:
    /// One page for each plan, or none at all where no light has the role `bounce`. Throws Error naming page
    /// and lights where more than four reach one page.
    const std::vector<VisibilityPage>& pages(const Level& level, const RayCaster& caster,
                                             const RowSource& rows, const std::vector<PagePlan>& plans,
                                             int samples, Job& job);

private:
    std::vector<Light> lights_;
    std::vector<Profile> profiles_;
    std::vector<VisibilityPage> pages_;
};

}  // namespace stasigraph
