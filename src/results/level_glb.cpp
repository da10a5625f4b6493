#include <algorithm>
#include <map>
#include <set>

#include "codec/files.hpp"
#include "gltf/glb_builder.hpp"
#include "results/level_glb.hpp"
#include "results/result_parts.hpp"
#include "sheet/sheet.hpp"
#include "stasigraph/io.hpp"

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
        places_ = glb_primitives(level_);
        for (std::uint32_t s = 0; s < level_.surfaces.size(); ++s)
            if (level_.surfaces[s].copy_of == none && (atlas_.surfaces[s].page != none || is_part(s)))
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
    /// Whether a surface is not the whole of its primitive as it came.
    bool is_part(std::uint32_t s) const {
        const Surface& surface = level_.surfaces[s];
        return !level_.meshes[surface.mesh]->between.empty() || surface.one_side;
    }

    /// Which vertices of a primitive the vertices of what is written are. `tag` tells lists apart.
    struct Vertices {
        const std::vector<BetweenVertices>* of = nullptr;  ///< null: all as they are.
        std::uint32_t tag = none;
        bool turned = false;
        const std::vector<Vec3>* places =
            nullptr;  ///< Of vertices that are mixed: exactly where the level has them.
        const std::vector<std::uint32_t>* vertex = nullptr;  ///< Which of those each is; null: in order.
        bool made() const {
            return turned || (of && std::any_of(of->begin(), of->end(),
                                                [](const BetweenVertices& b) { return b.share[0] != 1; }));
        }
    };

    /// Copies an accessor, its elements chosen, repeated and mixed by `source`.
    std::size_t copy(std::uint32_t index, const Vertices& source, int target, const std::string& name = "") {
        const auto [at, fresh] = copied_.try_emplace({index, source.tag}, 0);
        if (!fresh) return at->second;
        const AccessorView view = view_accessor(file_, index);
        const bool mixed = source.of && source.made() && !name.starts_with("JOINTS");
        at->second = mixed ? copy_mixed(view, index, source, name) : copy_chosen(view, index, source, target);
        return at->second;
    }
    std::size_t copy_chosen(const AccessorView& view, std::uint32_t index, const Vertices& source,
                            int target) {
        const Json& from = file_.json["accessors"][index];
        const std::size_t count = source.of ? source.of->size() : view.count, size = view.element_bytes();
        // Vertex attributes must start and step at multiples of four bytes.
        const std::size_t step = target == 34962 ? (size + 3) / 4 * 4 : size;
        Bytes bytes(count * step, 0);
        std::vector<std::uint32_t> chosen;
        for (std::size_t i = 0; source.of && i < count; ++i) chosen.push_back((*source.of)[i].of[0]);
        for (std::size_t i = 0; i < count && view.data; ++i)
            std::memcpy(&bytes[i * step], view.data + (source.of ? chosen[i] : i) * view.stride, size);
        const std::size_t buffer_view = out_.add_view(bytes, target);
        if (step != size) out_.json["bufferViews"][buffer_view]["byteStride"] = step;
        Json accessor = from;
        accessor.erase("byteOffset");
        accessor["bufferView"] = buffer_view;
        accessor["count"] = count;
        if (source.of && from.contains("min")) set_bounds(view, chosen, accessor);
        return out_.add_accessor(std::move(accessor));
    }
    /// As floats, whatever it was: vertices on a cut lie between those of the primitive.
    std::size_t copy_mixed(const AccessorView& view, std::uint32_t index, const Vertices& source,
                           const std::string& name) {
        const auto n = static_cast<std::size_t>(view.components);
        std::vector<float> values;
        values.reserve(source.of->size() * n);
        for (std::size_t i = 0; i < source.of->size(); ++i) {
            const BetweenVertices& b = (*source.of)[i];
            std::array<float, 4> v{};
            for (int c = 0; c < std::min(view.components, 4); ++c)
                for (std::size_t k = 0; k < 3; ++k)
                    if (b.share[k] > 0)
                        v[static_cast<std::size_t>(c)] += view.number(b.of[k], c) * b.share[k];
            if (b.share[0] != 1 && (name == "NORMAL" || name == "TANGENT")) {
                const Vec3 unit = normalize(Vec3{v[0], v[1], v[2]});
                v = {unit.x, unit.y, unit.z, view.number(b.of[0], std::min(3, view.components - 1))};
            }
            if (name == "POSITION" && !target_of_morph_ && b.share[0] != 1) {
                const Vec3 at = (*source.places)[source.vertex ? (*source.vertex)[i] : i];
                v = {at.x, at.y, at.z, 0};
            }
            if (source.turned && name == "NORMAL") v = {-v[0], -v[1], -v[2], v[3]};
            if (source.turned && name == "TANGENT") v[3] = -v[3];
            values.insert(values.end(), v.begin(), v.begin() + static_cast<std::ptrdiff_t>(n));
        }
        Json accessor = file_.json["accessors"][index];
        for (const char* key : {"byteOffset", "normalized", "sparse", "min", "max"}) accessor.erase(key);
        accessor["componentType"] = 5126;
        accessor["count"] = source.of->size();
        accessor["bufferView"] = out_.add_view_of(values, 34962);
        if (name == "POSITION")
            for (std::size_t c = 0; c < n; ++c) {
                float low = values[c], high = low;
                for (std::size_t i = c; i < values.size(); i += n) {
                    low = std::min(low, values[i]);
                    high = std::max(high, values[i]);
                }
                accessor["min"][c] = low;
                accessor["max"][c] = high;
            }
        return out_.add_accessor(std::move(accessor));
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
            // Nodes share a mesh again when every primitive got the same layout. Parts of a primitive stand
            // behind those that came.
            const std::vector<std::uint32_t>& own = node_surfaces_[n];
            std::vector<std::uint32_t> key{mesh};
            for (const std::uint32_t s : own) {
                key.insert(
                    key.end(),
                    {places_[s].primitive, level_.meshes[level_.surfaces[s].mesh]->source_primitive,
                     atlas_.surfaces[s].page == none ? none : atlas_.surfaces[s].layout,
                     is_part(s) ? level_.surfaces[s].mesh : none, level_.surfaces[s].one_side ? 1u : 0u});
            }
            const auto [at, fresh] = made.try_emplace(key, out_.json["meshes"].size());
            if (fresh) {
                Json copy_of = meshes[mesh];
                const Json before = copy_of["primitives"];
                std::set<std::uint32_t> done;
                for (const std::uint32_t s : own) {
                    const std::uint32_t p = places_[s].primitive;
                    while (copy_of["primitives"].size() <= p) copy_of["primitives"].push_back(Json::object());
                    copy_of["primitives"][p] =
                        before[level_.meshes[level_.surfaces[s].mesh]->source_primitive];
                    primitive(copy_of["primitives"][p], s);
                    done.insert(p);
                }
                for (std::uint32_t p = 0; p < before.size(); ++p)
                    if (!done.contains(p)) primitive(copy_of["primitives"][p], none);
                out_.json["meshes"].push_back(std::move(copy_of));
            }
            Json& again = out_.json["nodes"][n];
            again["mesh"] = at->second;
            for (const std::uint32_t s : own)
                if (atlas_.surfaces[s].page != none) add_place(again, places_[s].primitive, s);
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
                primitive(copy_of["primitives"][0], s);
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
            const std::size_t number = out_.json["nodes"].size();  // as glb_primitives() counts
            out_.json["nodes"].push_back(std::move(node));
            if (out_.json.contains("scenes") && !out_.json["scenes"].empty())
                out_.json["scenes"][out_.json.value("scene", std::size_t{0})]["nodes"].push_back(number);
        }
    }

    /// A primitive as a surface has it; none: as it came.
    void primitive(Json& p, std::uint32_t surface) {
        const std::uint32_t layout_index =
            surface == none || atlas_.surfaces[surface].page == none ? none : atlas_.surfaces[surface].layout;
        const Layout* layout = layout_index == none ? nullptr : &atlas_.layouts[layout_index];
        const Vertices vertices = surface == none ? Vertices{} : vertices_of(surface, layout, layout_index);
        const auto attributes = [&](Json& set) {
            for (auto& [name, accessor] : set.items())
                accessor = copy(accessor.get<std::uint32_t>(), vertices, 34962, name);
        };
        if (layout && !layout->given) p["attributes"].erase("TEXCOORD_1");
        attributes(p["attributes"]);
        target_of_morph_ = true;
        if (p.contains("targets"))
            for (Json& target : p["targets"]) attributes(target);
        target_of_morph_ = false;
        if (surface != none && level_.surfaces[surface].one_side && p.contains("material"))
            p["material"] = single_sided(p["material"].get<std::size_t>());
        if (!layout && !vertices.of) {
            if (p.contains("indices")) p["indices"] = copy(p["indices"].get<std::uint32_t>(), {}, 34963);
            return;
        }
        p["mode"] = 4;
        const auto [indices, first_use] = layout_indices_.try_emplace(vertices.tag, 0);
        if (first_use)
            indices->second = out_.add_indices(
                layout ? layout->indices : level_.meshes[level_.surfaces[surface].mesh]->indices);
        p["indices"] = indices->second;
        if (!layout || layout->given) return;
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

    /// By layouts, and for meshes without one by number, counted from behind.
    Vertices vertices_of(std::uint32_t surface, const Layout* layout, std::uint32_t layout_index) {
        const std::uint32_t number = level_.surfaces[surface].mesh;
        const Mesh& mesh = level_.meshes[number];
        const bool own = layout && !layout->given;
        if (!own && mesh.between.empty() && !mesh.turned)
            return {nullptr, layout ? layout_index : none, false, nullptr, nullptr};
        const std::uint32_t tag = own ? layout_index : none - 2 - number;
        const auto [at, fresh] = vertices_.try_emplace(tag);
        if (fresh) {
            const auto between = [&](std::uint32_t v) {
                return mesh.between.empty() ? BetweenVertices{{v, v, v}, {1, 0, 0}} : mesh.between[v];
            };
            if (own)
                for (const std::uint32_t v : layout->source) at->second.push_back(between(v));
            else
                for (std::uint32_t v = 0; v < mesh.positions.size(); ++v) at->second.push_back(between(v));
        }
        return {&at->second, tag, mesh.turned, &mesh.positions, own ? &layout->source : nullptr};
    }

    std::size_t single_sided(std::size_t material) {
        const auto [at, fresh] = single_.try_emplace(material, 0);
        if (fresh) {
            Json one = out_.json["materials"][material];
            one.erase("doubleSided");
            at->second = out_.json["materials"].size();
            out_.json["materials"].push_back(std::move(one));
        }
        return at->second;
    }

    void skins_and_animations() {
        const Vertices other{nullptr, none - 1, false, nullptr, nullptr};
        if (out_.json.contains("skins"))
            for (Json& skin : out_.json["skins"])
                if (skin.contains("inverseBindMatrices"))
                    skin["inverseBindMatrices"] =
                        copy(skin["inverseBindMatrices"].get<std::uint32_t>(), other, 0);
        if (out_.json.contains("animations"))
            for (Json& animation : out_.json["animations"])
                for (Json& sampler : animation["samplers"])
                    for (const char* key : {"input", "output"})
                        sampler[key] = copy(sampler[key].get<std::uint32_t>(), other, 0);
    }

    const GltfFile& file_;
    const Level& level_;
    const Atlas& atlas_;
    GlbBuilder out_;
    Json meshes_;  ///< As they came in.
    bool target_of_morph_ = false;
    std::vector<GlbPrimitive> places_;
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::size_t> copied_;
    std::map<std::uint32_t, std::size_t> layout_indices_, layout_uv_;
    std::map<std::uint32_t, std::vector<BetweenVertices>> vertices_;
    std::map<std::size_t, std::size_t> single_;  ///< Materials, by the double-sided ones they were.
    std::map<std::uint32_t, std::vector<std::uint32_t>> node_surfaces_;
};

}  // namespace

std::vector<GlbPrimitive> glb_primitives(const Level& level) {
    std::vector<GlbPrimitive> out;
    std::uint32_t next = level.source_nodes;
    std::map<std::uint32_t, std::uint32_t> added;  // behind a node's own primitives
    for (const Surface& s : level.surfaces) {
        GlbPrimitive& place = out.emplace_back();
        const Mesh& mesh = level.meshes[s.mesh];
        if (s.copy_of == none) {
            place = {s.source_node, s.part_of == none ? mesh.source_primitive
                                                      : mesh.source_primitives + added[s.source_node]++};
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
