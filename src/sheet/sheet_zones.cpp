#include "sheet/sheet_zones.hpp"

#include <algorithm>

#include "base/text.hpp"
#include "sheet/sheet_fields.hpp"

namespace stasigraph {

namespace {

/// Surfaces by globs over nodes and names.
void select(const Entry& e, const char* key, Level& level, std::vector<std::uint32_t>& to) {
    if (!e.has(key)) return;
    for (const std::string& pattern : texts(e, key)) {
        bool any = false;
        for (std::uint32_t s = 0; s < level.surfaces.size(); ++s)
            if (glob_match(pattern, level.surfaces[s].node) || glob_match(pattern, level.surfaces[s].name)) {
                to.push_back(s);
                any = true;
            }
        if (!any) note_unmatched(level, e, pattern, surface_names(level));
    }
    std::sort(to.begin(), to.end());
    to.erase(std::unique(to.begin(), to.end()), to.end());
}

}  // namespace

void apply_zone(const Entry& e, Level& level) {
    const std::string name = e.needed_text("name");
    auto zone =
        std::find_if(level.zones.begin(), level.zones.end(), [&](const Zone& z) { return z.name == name; });
    if (zone == level.zones.end()) {
        level.zones.emplace_back().name = name;
        zone = level.zones.end() - 1;
    }
    const bool box = e.has("low") || e.has("high");
    if (box) {
        need_keys(e, {"low", "high"}, "A box needs its low and high corner in metres.");
        Volume v;
        v.name = name;
        read_corners(e, level, "low", "high", v);
        zone->boxes.push_back(v);
    } else {
        refuse_keys(e, {"turn", "node"}, "zone without a box");
    }
    if (!box && !e.has("match") && !e.has("with"))
        e.fail("name", "a zone needs a box, or surfaces or probes by name",
               "Write low and high (metres), match = \"glob\", or with = [[x, y, z]].");
    select(e, "match", level, zone->listed);
    select(e, "except", level, zone->left_out);
    read_fields(e, *zone);
    for (const Vec3 at : vectors(e, "with")) zone->with.push_back(at);
    for (const Vec3 at : vectors(e, "without")) zone->without.push_back(at);
}

}  // namespace stasigraph
