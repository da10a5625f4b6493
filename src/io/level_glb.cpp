#include <algorithm>
#include <map>
#include <set>

#include "io/bake_files.hpp"
#include "io/glb_builder.hpp"
#include "io/gltf_scene.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

/// Rewrites a glTF with lightmap UVs. Works on its JSON, so that whatever it holds that we do not read
/// (animations, skins, extras, unknown extensions) goes through untouched.
class LevelWriter {
public:
    LevelWriter(const GltfFile& file, const Level& level, const Atlas& atlas)
        : file_(file), level_(level), atlas_(atlas) {
        out_.json = file.json;
        for (const char* key : {"buffers", "bufferViews", "accessors"}) out_.json.erase(key);
    }

    Bytes run() {
        images();
        for (std::uint32_t s = 0; s < level_.surfaces.size(); ++s)
            if (atlas_.surfaces[s].page != none && level_.surfaces[s].copy_of == none)
                node_surfaces_[level_.surfaces[s].source_node].push_back(s);
        nodes();
        copies();
        skins_and_animations();
        Json& extras = out_.json["asset"]["extras"];
        if (!extras.is_object()) extras = Json::object();
        extras["scene_hash"] = level_.scene_hash;
        extras["atlas_hash"] = atlas_hash(atlas_);
        return out_.finish();
    }

private:
    /// Copies an accessor, its elements chosen and repeated by `source` (empty: all as they are).
    std::size_t copy(std::uint32_t index, const std::vector<std::uint32_t>* source, std::uint32_t layout,
                     int target) {
        const auto [at, fresh] = copied_.try_emplace({index, layout}, 0);
        if (!fresh) return at->second;
        const AccessorView view = view_accessor(file_, index);
        const Json& from = file_.json["accessors"][index];
        const std::size_t count = source ? source->size() : view.count, size = view.element_bytes();
        // Vertex attributes must start and step at multiples of four bytes.
        const std::size_t step = target == 34962 ? (size + 3) / 4 * 4 : size;
        Bytes bytes(count * step, 0);
        for (std::size_t i = 0; i < count && view.data; ++i)
            std::memcpy(&bytes[i * step], view.data + (source ? (*source)[i] : i) * view.stride, size);
        const std::size_t buffer_view = out_.add_view(bytes, target);
        if (step != size) out_.json["bufferViews"][buffer_view]["byteStride"] = step;
        Json accessor = from;
        accessor.erase("byteOffset");
        accessor["bufferView"] = buffer_view;
        accessor["count"] = count;
        if (source && from.contains("min")) set_bounds(view, *source, accessor);
        at->second = out_.add_accessor(std::move(accessor));
        return at->second;
    }

    static void set_bounds(const AccessorView& view, const std::vector<std::uint32_t>& source,
                           Json& accessor) {
        const bool whole = view.component_type != 5126;
        for (int c = 0; c < view.components; ++c) {
            AccessorView plain = view;
            plain.normalized = false;
            float low = plain.number(source[0], c), high = low;
            for (const std::uint32_t i : source) {
                low = std::min(low, plain.number(i, c));
                high = std::max(high, plain.number(i, c));
            }
            accessor["min"][static_cast<std::size_t>(c)] =
                whole ? Json(static_cast<std::int64_t>(low)) : Json(low);
            accessor["max"][static_cast<std::size_t>(c)] =
                whole ? Json(static_cast<std::int64_t>(high)) : Json(high);
        }
    }

    void images() {
        if (!out_.json.contains("images")) return;
        for (std::uint32_t i = 0; i < out_.json["images"].size(); ++i) {
            Json& image = out_.json["images"][i];
            const Bytes bytes = image_bytes(file_, i);
            image["bufferView"] = out_.add_view(bytes);
            image["mimeType"] = bytes.size() > 1 && bytes[0] == 0xff ? "image/jpeg" : "image/png";
            image.erase("uri");
        }
    }

    void nodes() {
        const Json& meshes = meshes_ = out_.json.value("meshes", Json::array());
        if (out_.json.contains("meshes")) out_.json["meshes"] = Json::array();
        std::map<std::vector<std::uint32_t>, std::size_t> made;
        for (std::uint32_t n = 0; out_.json.contains("nodes") && n < out_.json["nodes"].size(); ++n) {
            Json& node = out_.json["nodes"][n];
            // Where an earlier bake put it is no longer so.
            if (node.contains("extras") && node["extras"].is_object()) node["extras"].erase("lightmap");
            if (!node.contains("mesh")) continue;
            const auto mesh = node["mesh"].get<std::uint32_t>();
            // Nodes share a mesh again when every primitive got the same layout.
            std::vector<std::uint32_t> key{mesh};
            std::map<std::uint32_t, std::uint32_t> surface_of;
            for (const std::uint32_t s : node_surfaces_[n])
                surface_of[level_.meshes[level_.surfaces[s].mesh].source_primitive] = s;
            for (std::uint32_t p = 0; p < meshes[mesh]["primitives"].size(); ++p)
                key.push_back(surface_of.contains(p) ? atlas_.surfaces[surface_of[p]].layout : none);
            const auto [at, fresh] = made.try_emplace(key, out_.json["meshes"].size());
            if (fresh) {
                Json copy_of = meshes[mesh];
                for (std::uint32_t p = 0; p + 1 < key.size(); ++p)
                    primitive(copy_of["primitives"][p], key[p + 1]);
                out_.json["meshes"].push_back(std::move(copy_of));
            }
            Json& again = out_.json["nodes"][n];
            again["mesh"] = at->second;
            for (const auto& [p, s] : surface_of) add_place(again, p, s);
        }
        if (out_.json.contains("meshes") && out_.json["meshes"].empty()) out_.json.erase("meshes");
    }

    void add_place(Json& node, std::uint32_t primitive, std::uint32_t surface) const {
        const Vec2 scale = atlas_.scale(surface), offset = atlas_.offset(surface);
        node["extras"]["lightmap"].push_back({{"primitive", primitive},
                                              {"surface", level_.surfaces[surface].name},
                                              {"page", atlas_.surfaces[surface].page},
                                              {"scale", {scale.x, scale.y}},
                                              {"offset", {offset.x, offset.y}}});
    }

    /// What rigs copied stands in the scene as nodes of its own, one for each surface.
    void copies() {
        std::map<std::pair<std::uint32_t, std::uint32_t>, std::size_t> made;  // mesh, layout
        for (std::uint32_t s = 0; s < level_.surfaces.size(); ++s) {
            const Surface& surface = level_.surfaces[s];
            if (surface.copy_of == none || surface.part == Part::bake_only) continue;
            const Mesh& mesh = level_.meshes[surface.mesh];
            const bool mapped = atlas_.surfaces[s].page != none;
            const std::uint32_t layout = mapped ? atlas_.surfaces[s].layout : none;
            const auto [at, fresh] = made.try_emplace({surface.mesh, layout}, out_.json["meshes"].size());
            if (fresh) {
                Json copy_of = meshes_[mesh.source_mesh];
                copy_of["primitives"] = Json::array({copy_of["primitives"][mesh.source_primitive]});
                primitive(copy_of["primitives"][0], layout);
                out_.json["meshes"].push_back(std::move(copy_of));
            }
            const Affine& m = surface.to_world;
            Json node = {{"name", surface.name},
                         {"mesh", at->second},
                         {"matrix",
                          {m.x.x, m.x.y, m.x.z, 0, m.y.x, m.y.y, m.y.z, 0, m.z.x, m.z.y, m.z.z, 0, m.origin.x,
                           m.origin.y, m.origin.z, 1}}};
            node["extras"]["rig_copy"] = true;
            if (mapped) add_place(node, 0, s);
            const std::size_t number = out_.json["nodes"].size();  // as glb_places() counts
            out_.json["nodes"].push_back(std::move(node));
            if (out_.json.contains("scenes") && !out_.json["scenes"].empty())
                out_.json["scenes"][out_.json.value("scene", std::size_t{0})]["nodes"].push_back(number);
        }
    }

    void primitive(Json& p, std::uint32_t layout_index) {
        const Layout* layout = layout_index == none ? nullptr : &atlas_.layouts[layout_index];
        const std::vector<std::uint32_t>* source = layout && !layout->given ? &layout->source : nullptr;
        const std::uint32_t tag = source ? layout_index : none;
        const auto attributes = [&](Json& set) {
            for (auto& [name, accessor] : set.items())
                accessor = copy(accessor.get<std::uint32_t>(), source, tag, 34962);
        };
        if (layout && !layout->given) p["attributes"].erase("TEXCOORD_1");
        attributes(p["attributes"]);
        if (p.contains("targets"))
            for (Json& target : p["targets"]) attributes(target);
        if (!layout) {
            if (p.contains("indices"))
                p["indices"] = copy(p["indices"].get<std::uint32_t>(), nullptr, none, 34963);
            return;
        }
        p["mode"] = 4;
        const auto [indices, first_use] = layout_indices_.try_emplace(layout_index, 0);
        if (first_use) indices->second = out_.add_indices(layout->indices);
        p["indices"] = indices->second;
        if (layout->given) return;
        const auto [uv, fresh] = layout_uv_.try_emplace(layout_index, 0);
        if (fresh) {
            std::vector<Vec2> unit;
            for (Vec2 t : layout->uv)
                unit.push_back(
                    {t.x / static_cast<float>(layout->width), t.y / static_cast<float>(layout->height)});
            uv->second = out_.add_floats(unit);
        }
        p["attributes"]["TEXCOORD_1"] = uv->second;
        // UV set 1 without set 0 is not allowed.
        if (!p["attributes"].contains("TEXCOORD_0")) p["attributes"]["TEXCOORD_0"] = uv->second;
    }

    void skins_and_animations() {
        if (out_.json.contains("skins"))
            for (Json& skin : out_.json["skins"])
                if (skin.contains("inverseBindMatrices"))
                    skin["inverseBindMatrices"] =
                        copy(skin["inverseBindMatrices"].get<std::uint32_t>(), nullptr, none - 1, 0);
        if (out_.json.contains("animations"))
            for (Json& animation : out_.json["animations"])
                for (Json& sampler : animation["samplers"])
                    for (const char* key : {"input", "output"})
                        sampler[key] = copy(sampler[key].get<std::uint32_t>(), nullptr, none - 1, 0);
    }

    const GltfFile& file_;
    const Level& level_;
    const Atlas& atlas_;
    GlbBuilder out_;
    Json meshes_;  ///< As they came in.
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::size_t> copied_;
    std::map<std::uint32_t, std::size_t> layout_indices_, layout_uv_;
    std::map<std::uint32_t, std::vector<std::uint32_t>> node_surfaces_;
};

}  // namespace

std::vector<GlbPlace> glb_places(const Level& level) {
    std::vector<GlbPlace> out;
    std::uint32_t next = level.source_nodes;
    for (const Surface& s : level.surfaces) {
        GlbPlace& place = out.emplace_back();
        if (s.copy_of == none) {
            place = {s.source_node, level.meshes[s.mesh].source_primitive};
        } else if (s.part != Part::bake_only) {
            place = {next++, 0};
        }
    }
    return out;
}

void write_level_glb(const fs::path& to, const fs::path& level_file, const Level& level, const Atlas& atlas) {
    const GltfFile file = read_gltf(scene_of(level_file));
    write_file(to, LevelWriter(file, level, atlas).run());
}

}  // namespace stasigraph
