#include "results/manifest_parts.hpp"

#include <algorithm>

#include "results/level_glb.hpp"
#include "results/result_parts.hpp"

namespace stasigraph {

namespace {

Json vec(Vec2 v) {
    return Json::array({v.x, v.y});
}

}  // namespace

Json surfaces_json(const Level& level, const Atlas& atlas) {
    Json list = Json::array();
    const std::vector<GlbPlace> places = glb_places(level);
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        const SurfaceUv& uv = atlas.surfaces[s];
        if (uv.page == none) continue;
        const Layout& layout = atlas.layouts[uv.layout];
        list.push_back({{"name", level.surfaces[s].name},
                        {"node", level.surfaces[s].node},
                        {"page", uv.page},
                        {"scale", vec(atlas.scale(s))},
                        {"offset", vec(atlas.offset(s))},
                        {"texels", Json::array({layout.width, layout.height})},
                        {"density", uv.density},
                        {"glb_node", places[s].node},
                        {"glb_primitive", places[s].primitive}});
    }
    return list;
}

/// Surfaces that have no lightmap and are in the game: lit by probes, or by nothing.
Json unmapped_json(const Level& level, const Atlas& atlas) {
    Json list = Json::array();
    const std::vector<GlbPlace> places = glb_places(level);
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        const Surface& surface = level.surfaces[s];
        if (atlas.surfaces[s].page != none || places[s].node == none || surface.part == Part::bake_only)
            continue;
        list.push_back({{"name", surface.name},
                        {"node", surface.node},
                        {"lit_by", surface.lit_by == LitBy::nothing ? "nothing" : "probes"},
                        {"glb_node", places[s].node},
                        {"glb_primitive", places[s].primitive}});
    }
    return list;
}

Json probes_json(const ProbeNet& net, const std::vector<const BakedSet*>& sets) {
    const ProbeFileLayout at = layout_of(net);
    const auto part = [](std::size_t offset, const char* type) {
        return Json{{"offset", offset}, {"type", type}};
    };
    Json json = {{"format", "stasigraph probes"},
                 {"version", 3},
                 {"file", "probes.bin"},
                 {"count", net.size()},
                 {"byte_order", "little"},
                 {"basis",
                  "nine real orthonormal spherical harmonics of world coordinates, +Y up, cosine-convolved: "
                  "00, 1-1 (y), 10 (z), 11 (x), 2-2 (xy), 2-1 (yz), 20 (3z2-1), 21 (xz), 22 (x2-y2); lux"},
                 {"positions", part(at.positions, "float32[3]")},
                 {"stand_ins", net.stand_in.size()},
                 {"dimension", net.dimension},
                 {"base", vec(net.base)},
                 {"axes", Json::array({vec(net.axis[0]), vec(net.axis[1])})},
                 {"front_share", part(at.front_share, "float32")},
                 {"clearance", part(at.clearance, "float32")},
                 {"reach", part(at.reach, "float32")},
                 {"origin", part(at.origin, "uint32: rule << 24 | volume")},
                 {"rules", Json::array()},
                 {"volumes", net.volumes},
                 {"tetrahedra",
                  {{"count", net.vertex.size()},
                   {"vertices", part(at.vertices, "uint32[4]")},
                   {"beside", part(at.adjacent, "uint32[4]")}}},
                 {"nearness", {{"offset", at.nearness}, {"type", "uint8[2]"}, {"map_side", probe_map_side}}}};
    for (int r = 0; r < probe_rules; ++r) json["rules"].push_back(to_text(static_cast<ProbeRule>(r)));
    for (std::size_t s = 0; s < sets.size(); ++s)
        json["sets"].push_back({{"name", sets[s]->name},
                                {"offset", at.light + s * 108 * net.size()},
                                {"type", "float32[9][3]"},
                                {"lamps", sets[s]->lamps.name}});
    return json;
}

Json settings_json(const Level& level) {
    const TierOptions tier = tier_options(level.quality);
    Json j = {{"density", level.lightmap.density},
              {"density_scale", tier.density_scale},
              {"page", level.lightmap.page},
              {"margin", level.lightmap.margin},
              {"shape", level.lightmap.shape == LightmapShape::flat ? "flat" : "directional"},
              {"tier", tier_name(level.quality.tier)},
              {"seed", level.quality.seed},
              {"noise", level.quality.noise > 0 ? level.quality.noise : tier.noise},
              {"links", {tier.first_links, tier.most_links}},
              {"denoise", level.quality.denoise == Denoise::automatic ? "auto" : "off"},
              {"seams", level.quality.seams == Seams::automatic ? "auto" : "off"},
              {"edges", level.quality.edges == Edges::straight ? "straight" : "sharp"}};
    j["bounce_gain"] = level.quality.bounce_gain;
    j["saturation"] = level.quality.saturation;
    j["bounces"] = level.quality.bounces ? Json(*level.quality.bounces) : Json("settle");
    return j;
}

Json earlier_entry(const Json& before, const std::string& atlas, const std::string& set) {
    if (!before.is_object() || before.value("atlas_hash", "") != atlas || !before.contains("sets") ||
        !before["sets"].is_array())
        return {};
    for (const Json& entry : before["sets"])
        if (entry.is_object() && entry.value("name", "") == set && entry.contains("lightmaps") &&
            entry["lightmaps"].is_array())
            return entry;
    return {};
}

}  // namespace stasigraph
