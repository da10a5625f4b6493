#include "results/manifest.hpp"

#include <algorithm>
#include <array>

#include "level/words.hpp"
#include "results/level_glb.hpp"
#include "results/result_parts.hpp"

namespace stasigraph {

namespace {

Json pair(Vec2 v) {
    return Json::array({v.x, v.y});
}

Json to_json(const ManifestSettings& s) {
    return {{"density", s.density},
            {"density_scale", s.density_scale},
            {"page", s.page},
            {"margin", s.margin},
            {"shape", word_of(s.shape)},
            {"tier", s.tier},
            {"seed", s.seed},
            {"noise", s.noise},
            {"links", {s.first_links, s.most_links}},
            {"denoise", word_of(s.denoise)},
            {"seams", word_of(s.seams)},
            {"edges", word_of(s.edges)},
            {"bounce_gain", s.bounce_gain},
            {"saturation", s.saturation},
            {"bounces", s.bounces ? Json(*s.bounces) : Json("settle")}};
}

Json to_json(const std::vector<ManifestMap>& maps) {
    Json list = Json::array();
    for (const ManifestMap& m : maps) list.push_back({{"file", m.file}, {"exponent", m.exponent}});
    return list;
}

/// Leaves out what there is none of.
void add_text(Json& to, const char* name, const std::string& text) {
    if (!text.empty()) to[name] = text;
}

Json to_json(const ManifestSet& s) {
    Json j = {{"name", s.name},
              {"scene_hash", s.scene_hash},
              {"sheet_hash", s.sheet_hash},
              {"gains", s.gains},
              {"lightmaps", to_json(s.lightmaps)}};
    for (const Rgb t : s.tints) j["tints"].push_back({t.r, t.g, t.b});
    if (!s.directional.empty()) j["directional"] = to_json(s.directional);
    j["made_from"] = s.made_from;
    add_text(j, "probes_made_from", s.probes_made_from);
    add_text(j, "inputs", s.inputs);
    if (s.prelit)
        j["prelit"] = {
            {"file", s.prelit->file}, {"exposure_ev", s.prelit->exposure_ev}, {"images", s.prelit->images}};
    if (!s.surfaces_made_from.empty()) j["surfaces_made_from"] = s.surfaces_made_from;
    add_text(j, "probes_light_made_from", s.probes_light_made_from);
    add_text(j, "probes_inputs", s.probes_inputs);
    for (const ManifestMirror& m : s.mirrors)
        j["reflections"].push_back({{"file", m.file}, {"picture", m.picture}});
    add_text(j, "reflections_made_from", s.mirrors_made_from);
    add_text(j, "reflections_inputs", s.mirrors_inputs);
    add_text(j, "reflection_places", s.mirror_places);
    return j;
}

std::vector<std::string> texts(const JsonNode& list) {
    std::vector<std::string> out;
    for (std::size_t i = 0; i < list.size(); ++i) out.push_back(list[i].text(""));
    return out;
}

/// Members of an object of texts.
std::vector<std::pair<std::string, std::string>> named_texts(const JsonNode& object) {
    std::vector<std::pair<std::string, std::string>> out;
    if (!object) return out;
    if (!object.json().is_object()) object.fail("is not an object");
    for (const auto& [name, value] : object.json().items())
        out.emplace_back(name, JsonNode(value, object.where() + "." + name).text(""));
    return out;
}

float real(const JsonNode& place, float fallback = 0) {
    return static_cast<float>(place.number(static_cast<double>(fallback)));
}

int whole(const JsonNode& place, int fallback = 0) {
    return static_cast<int>(place.count(static_cast<std::uint64_t>(fallback), 1u << 30));
}

std::vector<ManifestMap> maps_of(const JsonNode& list, std::size_t pages) {
    std::vector<ManifestMap> out;
    if (list && list.size() != pages) list.fail("has not one file for each page");
    for (std::size_t i = 0; i < list.size(); ++i)
        out.push_back({list[i]["file"].text(""), static_cast<int>(list[i]["exponent"].number(0))});
    return out;
}

ManifestSettings settings_of(const JsonNode& j) {
    // A word of another version is told as the usual one; settings here are for people.
    const auto word = [&]<Worded E>(const char* key, E usual) {
        return value_of<E>(j[key].text("")).value_or(usual);
    };
    ManifestSettings s{.density = real(j["density"]),
                       .density_scale = real(j["density_scale"], 1),
                       .page = whole(j["page"]),
                       .margin = whole(j["margin"]),
                       .shape = word("shape", LightmapShape::flat),
                       .tier = j["tier"].text(""),
                       .seed = static_cast<std::uint32_t>(j["seed"].count(0, ~std::uint32_t{0})),
                       .noise = real(j["noise"]),
                       .denoise = word("denoise", Denoise::automatic),
                       .seams = word("seams", Seams::automatic),
                       .edges = word("edges", Edges::straight),
                       .bounce_gain = real(j["bounce_gain"], 1),
                       .saturation = real(j["saturation"], 1),
                       .bounces = {}};
    if (const JsonNode links = j["links"]; links.size() == 2) {
        s.first_links = whole(links[std::size_t{0}]);
        s.most_links = whole(links[1]);
    }
    if (const JsonNode bounces = j["bounces"]; bounces && bounces.json().is_number())
        s.bounces = whole(bounces);
    return s;
}

ManifestSet set_of(const JsonNode& j, std::size_t pages) {
    ManifestSet s;
    s.name = j["name"].text("");
    s.scene_hash = j["scene_hash"].text("");
    s.sheet_hash = j["sheet_hash"].text("");
    for (std::size_t g = 0; g < j["gains"].size(); ++g) s.gains.push_back(real(j["gains"][g]));
    for (std::size_t g = 0; g < j["tints"].size(); ++g) {
        float c[3]{};
        j["tints"][g].numbers(3, c);
        s.tints.push_back({c[0], c[1], c[2]});
    }
    if (!j["lightmaps"]) j["lightmaps"].fail("is missing");
    s.lightmaps = maps_of(j["lightmaps"], pages);
    s.directional = maps_of(j["directional"], pages);
    s.made_from = j["made_from"].text("");
    s.inputs = j["inputs"].text("");
    if (const JsonNode prelit = j["prelit"])
        s.prelit =
            ManifestPrelit{prelit["file"].text(""), real(prelit["exposure_ev"]), texts(prelit["images"])};
    for (auto& [name, key] : named_texts(j["surfaces_made_from"])) s.surfaces_made_from[name] = key;
    s.probes_made_from = j["probes_made_from"].text("");
    s.probes_light_made_from = j["probes_light_made_from"].text("");
    s.probes_inputs = j["probes_inputs"].text("");
    const JsonNode mirrors = j["reflections"];
    for (std::size_t r = 0; r < mirrors.size(); ++r)
        s.mirrors.push_back({mirrors[r]["file"].text(""), mirrors[r]["picture"].text("")});
    s.mirrors_made_from = j["reflections_made_from"].text("");
    s.mirrors_inputs = j["reflections_inputs"].text("");
    s.mirror_places = j["reflection_places"].text("");
    return s;
}

std::uint32_t number_of(const JsonNode& place) {
    return static_cast<std::uint32_t>(place.count(none, none));
}

void read_surfaces(const JsonNode& root, Manifest& m) {
    const JsonNode list = root["surfaces"], unmapped = root["surfaces_without_lightmap"];
    for (std::size_t i = 0; i < list.size(); ++i) {
        const JsonNode j = list[i];
        ManifestSurface& s = m.surfaces.emplace_back();
        s.name = j["name"].text("");
        s.node = j["node"].text("");
        s.page = number_of(j["page"]);
        j["scale"].numbers(2, &s.scale.x);
        j["offset"].numbers(2, &s.offset.x);
        if (j["texels"].size() == 2) {
            s.width = whole(j["texels"][std::size_t{0}]);
            s.height = whole(j["texels"][1]);
        }
        s.density = real(j["density"]);
        s.glb_node = number_of(j["glb_node"]);
        s.glb_primitive = number_of(j["glb_primitive"]);
    }
    for (std::size_t i = 0; i < unmapped.size(); ++i) {
        const JsonNode j = unmapped[i];
        m.unmapped.push_back({j["name"].text(""), j["node"].text(""),
                              j["lit_by"].text("") == "nothing" ? LitBy::nothing : LitBy::probes,
                              number_of(j["glb_node"]), number_of(j["glb_primitive"])});
    }
}

void read_maps(const JsonNode& root, Manifest& m) {
    const JsonNode maps = root["visibility"], occlusion = root["occlusion"];
    for (std::size_t i = 0; i < maps.size(); ++i) {
        ManifestVisibility& v = m.visibility.emplace_back();
        v.page = maps[i]["page"].index(m.pages.size());
        v.file = maps[i]["file"].text("");
        v.lights = texts(maps[i]["lights"]);
        if (v.lights.size() > 4) maps[i]["lights"].fail("are more than four");
    }
    if (!occlusion) return;
    m.occlusion_reach = real(occlusion["reach"]);
    m.occlusion = texts(occlusion["files"]);
    if (m.occlusion.size() != m.pages.size()) occlusion["files"].fail("has not one file for each page");
}

}  // namespace

std::vector<std::string> ManifestSet::mirror_files() const {
    std::vector<std::string> out;
    for (const ManifestMirror& m : mirrors) out.insert(out.end(), {m.file, m.picture});
    return out;
}

std::vector<std::string> ManifestSet::files() const {
    std::vector<std::string> out = mirror_files();
    for (const ManifestMap& m : lightmaps) out.push_back(m.file);
    for (const ManifestMap& m : directional) out.push_back(m.file);
    out.push_back(name + "/preview.glb");
    if (!prelit) return out;
    out.push_back(prelit->file);
    out.insert(out.end(), prelit->images.begin(), prelit->images.end());
    return out;
}

const ManifestSet* Manifest::find(const std::string& set) const {
    const auto at =
        std::find_if(sets.begin(), sets.end(), [&](const ManifestSet& s) { return s.name == set; });
    return at == sets.end() ? nullptr : &*at;
}

std::vector<std::string> Manifest::file_names() const {
    std::vector<std::string> list;
    for (const auto& [name, hash] : files)
        if (stays_in_folder(name)) list.push_back(name);
    return list;
}

bool stays_in_folder(const std::filesystem::path& name) {
    return !name.empty() && !name.is_absolute() && std::find(name.begin(), name.end(), "..") == name.end();
}

Manifest read_manifest_head(const Json& json) {
    Manifest m;
    if (!json.is_object()) return m;
    const auto text = [](const Json& in, const char* name) {
        const auto at = in.find(name);
        return at != in.end() && at->is_string() ? at->get<std::string>() : std::string();
    };
    m.level = text(json, "level");
    m.result = text(json, "result");
    if (const auto files = json.find("files"); files != json.end() && files->is_object())
        for (const auto& [name, hash] : files->items())
            m.files.emplace_back(name, text(*files, name.c_str()));
    return m;
}

Manifest read_manifest(const Json& json) {
    const JsonNode root(json, "manifest.json:");
    Manifest m;
    m.version = whole(root["version"]);
    m.level = root["level"].text("");
    m.files = named_texts(root["files"]);
    m.result = root["result"].text("");
    if (m.version != manifest_version) return m;
    m.scene_hash = root["scene_hash"].text("");
    m.sheet_hash = root["sheet_hash"].text("");
    m.atlas_hash = root["atlas_hash"].text("");
    m.settings = settings_of(root["settings"]);
    m.bounces_done = whole(root["bounces_done"]);
    m.groups = texts(root["groups"]);
    for (std::size_t p = 0; p < root["pages"].size(); ++p) m.pages.push_back(whole(root["pages"][p]));
    m.density_gave_way = real(root["density_gave_way"], 1);
    for (std::size_t s = 0; s < root["sets"].size(); ++s)
        m.sets.push_back(set_of(root["sets"][s], m.pages.size()));
    m.unlit = root["ground"].text("");
    m.layers = named_texts(root["layers"]);
    m.visibility_made_from = root["visibility_made_from"].text("");
    m.occlusion_made_from = root["occlusion_made_from"].text("");
    m.inputs = root["inputs"].text("");
    m.mirrors = reflections_of(root["reflections"]);
    m.mirror_places = root["reflection_places"].text("");
    read_surfaces(root, m);
    read_maps(root, m);
    if (root["probes"]) m.probes = root["probes"]["count"].count(0);
    m.charts = root["charts"].text("");
    return m;
}

Json to_json(const Manifest& m) {
    Json j = {{"format", "stasigraph bake"},
              {"version", m.version},
              {"level", m.level},
              {"scene_hash", m.scene_hash},
              {"sheet_hash", m.sheet_hash},
              {"atlas_hash", m.atlas_hash},
              {"settings", to_json(m.settings)},
              {"bounces_done", m.bounces_done},
              {"groups", m.groups},
              {"pages", m.pages},
              {"density_gave_way", m.density_gave_way},
              {"sets", Json::array()}};
    for (const ManifestSet& s : m.sets) j["sets"].push_back(to_json(s));
    j["ground"] = m.unlit;
    for (const auto& [group, key] : m.layers) j["layers"][group] = key;
    j["visibility_made_from"] = m.visibility_made_from;
    j["occlusion_made_from"] = m.occlusion_made_from;
    j["inputs"] = m.inputs;
    if (!m.mirror_places.empty()) {
        j["reflections"] = reflections_json(m.mirrors);
        j["reflection_places"] = m.mirror_places;
    }
    j["surfaces"] = Json::array();
    for (const ManifestSurface& s : m.surfaces)
        j["surfaces"].push_back({{"name", s.name},
                                 {"node", s.node},
                                 {"page", s.page},
                                 {"scale", pair(s.scale)},
                                 {"offset", pair(s.offset)},
                                 {"texels", {s.width, s.height}},
                                 {"density", s.density},
                                 {"glb_node", s.glb_node},
                                 {"glb_primitive", s.glb_primitive}});
    j["surfaces_without_lightmap"] = Json::array();
    for (const UnmappedSurface& s : m.unmapped)
        j["surfaces_without_lightmap"].push_back(
            {{"name", s.name},
             {"node", s.node},
             {"lit_by", s.lit_by == LitBy::nothing ? "nothing" : "probes"},
             {"glb_node", s.glb_node},
             {"glb_primitive", s.glb_primitive}});
    for (const ManifestVisibility& v : m.visibility)
        j["visibility"].push_back({{"page", v.page}, {"file", v.file}, {"lights", v.lights}});
    if (!m.occlusion.empty()) j["occlusion"] = {{"reach", m.occlusion_reach}, {"files", m.occlusion}};
    if (m.probes) j["probes"] = {{"count", *m.probes}, {"header", "probes.json"}};
    j["charts"] = m.charts;
    Json files = Json::object();
    for (const auto& [name, hash] : m.files) files[name] = hash;
    j["files"] = std::move(files);
    add_text(j, "result", m.result);
    return j;
}

std::vector<ManifestSurface> mapped_surfaces(const Level& level, const Atlas& atlas) {
    std::vector<ManifestSurface> list;
    const std::vector<GlbPrimitive> places = glb_primitives(level);
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        const SurfaceUv& uv = atlas.surfaces[s];
        if (uv.page == none) continue;
        const Layout& layout = atlas.layouts[uv.layout];
        list.push_back({.name = level.surfaces[s].name,
                        .node = level.surfaces[s].node,
                        .page = uv.page,
                        .scale = atlas.scale(s),
                        .offset = atlas.offset(s),
                        .width = layout.width,
                        .height = layout.height,
                        .density = uv.density,
                        .glb_node = places[s].node,
                        .glb_primitive = places[s].primitive});
    }
    return list;
}

std::vector<UnmappedSurface> unmapped_surfaces(const Level& level, const Atlas& atlas) {
    std::vector<UnmappedSurface> list;
    const std::vector<GlbPrimitive> places = glb_primitives(level);
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        const Surface& surface = level.surfaces[s];
        if (atlas.surfaces[s].page != none || places[s].node == none || surface.part == Part::bake_only)
            continue;
        list.push_back({surface.name, surface.node,
                        surface.lit_by == LitBy::nothing ? LitBy::nothing : LitBy::probes, places[s].node,
                        places[s].primitive});
    }
    return list;
}

ManifestSettings settings_for_manifest(const Level& level) {
    const TierOptions tier = tier_options(level.quality);
    return {.density = level.lightmap.density,
            .density_scale = tier.density_scale,
            .page = level.lightmap.page,
            .margin = level.lightmap.margin,
            .shape = level.lightmap.shape,
            .tier = tier_name(level.quality.tier),
            .seed = level.quality.seed,
            .noise = level.quality.noise > 0 ? level.quality.noise : tier.noise,
            .first_links = tier.first_links,
            .most_links = tier.most_links,
            .denoise = level.quality.denoise,
            .seams = level.quality.seams,
            .edges = level.quality.edges,
            .bounce_gain = level.quality.bounce_gain,
            .saturation = level.quality.saturation,
            .bounces = level.quality.bounces};
}

std::string mirror_places_of(const std::vector<ReflectionProbe>& probes) {
    const std::string text = reflections_json(probes).dump();
    return hash_text(Bytes(text.begin(), text.end()));
}

}  // namespace stasigraph
