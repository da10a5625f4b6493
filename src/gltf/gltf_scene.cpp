#include "gltf/gltf_scene.hpp"

#include <algorithm>
#include <map>
#include <set>

#include "base/renamed.hpp"
#include "base/text.hpp"
#include "codec/images.hpp"
#include "level/words.hpp"

namespace stasigraph {

namespace {

constexpr std::array known_extensions = {"KHR_lights_punctual",   "KHR_materials_emissive_strength",
                                         "KHR_texture_transform", "KHR_mesh_quantization",
                                         "KHR_materials_unlit",   "KHR_materials_transmission"};

Affine node_transform(const JsonNode& node) {
    if (const JsonNode m = node["matrix"]) {
        float v[16] = {};
        m.numbers(16, v);
        return {{v[0], v[1], v[2]}, {v[4], v[5], v[6]}, {v[8], v[9], v[10]}, {v[12], v[13], v[14]}};
    }
    float t[3] = {0, 0, 0}, q[4] = {0, 0, 0, 1}, s[3] = {1, 1, 1};
    node["translation"].numbers(3, t);
    node["rotation"].numbers(4, q);
    node["scale"].numbers(3, s);
    const float n = std::sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3]);
    if (!(n > 1e-6f)) node["rotation"].fail("is a quaternion of length 0");
    const float x = q[0] / n, y = q[1] / n, z = q[2] / n, w = q[3] / n;
    return {Vec3{1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w)} * s[0],
            Vec3{2 * (x * y - z * w), 1 - 2 * (x * x + z * z), 2 * (y * z + x * w)} * s[1],
            Vec3{2 * (x * z + y * w), 2 * (y * z - x * w), 1 - 2 * (x * x + y * y)} * s[2],
            {t[0], t[1], t[2]}};
}

/// One of the words of an enumeration.
template <Worded E>
E word_in(const JsonNode& node) {
    const std::string said = node.text("");
    if (const auto value = value_of<E>(said)) return *value;
    const std::string now(new_word(said));
    throw Error{.what = std::string(Words<E>::wrong),
                .where = node.where(),
                .value = said,
                .remedy = now.empty() ? words_to_use<E>() : "It is called \"" + now + "\" now."};
}

class SceneReader {
public:
    explicit SceneReader(const GltfFile& file) : file_(file), root_(file.root()) {}

    Level run() {
        check_extensions();
        read_images();
        read_materials();
        read_meshes();
        const JsonNode nodes = root_["nodes"];
        visited_.assign(nodes.size(), 0);
        level_.source_nodes = static_cast<std::uint32_t>(nodes.size());
        find_animated();
        for (const std::uint32_t node : root_nodes()) visit(node, {}, {});
        for (const auto& [text, count] : skipped_) level_.notes.push_back(std::to_string(count) + " " + text);
        for (Remark& r : flaws_)
            if (r.count > 0) level_.remarks.push_back(std::move(r));
        if (level_.surfaces.empty())
            throw Error{.what = "has no triangles",
                        .where = file_.path.filename().string(),
                        .value = "",
                        .remedy = "Export at least one mesh with the scene."};
        unique_names();
        return std::move(level_);
    }

private:
    struct Inherited {
        Part part = Part::still;
        LitBy lit_by = LitBy::lightmap;
        std::uint32_t place = none;
        bool animated = false;
    };

    /// One flaw of a mesh that is being read.
    Remark flaw(const char* finding, const std::string& mesh, const char* text) const {
        return {.finding = finding,
                .name = mesh,
                .text = text,
                .count = 0,
                .mesh = static_cast<std::uint32_t>(level_.meshes.size())};
    }

    /// Nodes that an animation moves or deforms.
    void find_animated() {
        const JsonNode nodes = root_["nodes"], animations = root_["animations"];
        animated_.assign(nodes.size(), 0);
        for (std::size_t a = 0; a < animations.size(); ++a) {
            const JsonNode channels = animations[a]["channels"];
            for (std::size_t c = 0; c < channels.size(); ++c)
                if (const JsonNode node = channels[c]["target"]["node"])
                    animated_[node.index(nodes.size())] = 1;
        }
    }

    void check_extensions() {
        const JsonNode required = root_["extensionsRequired"];
        for (std::size_t i = 0; i < required.size(); ++i) {
            const std::string name = required[i].text("");
            if (std::find(known_extensions.begin(), known_extensions.end(), name) == known_extensions.end())
                throw Error{.what = "needs a glTF extension that is not supported",
                            .where = file_.path.filename().string(),
                            .value = name,
                            .remedy = "Export without it."};
        }
    }

    void read_images() {
        const JsonNode images = root_["images"];
        for (std::uint32_t i = 0; i < images.size(); ++i) {
            Image image = decode_image(image_bytes(file_, i), images[i].where());
            image.name = images[i]["name"].text("image_" + std::to_string(i));
            level_.images.push_back(std::move(image));
        }
    }

    TextureUse texture_use(const JsonNode& info) {
        TextureUse use;
        if (!info) return use;
        const JsonNode textures = root_["textures"];
        const JsonNode texture = textures[static_cast<std::size_t>(info["index"].index(textures.size()))];
        if (info["texCoord"].count(0) != 0) {
            level_.notes.push_back(info.where() +
                                   " uses a second UV set, which is not read; the texture is left out");
            return use;
        }
        if (!texture["source"]) return use;
        use.image = texture["source"].index(level_.images.size());
        if (const JsonNode sampler = texture["sampler"]) {
            const JsonNode samplers = root_["samplers"];
            const JsonNode s = samplers[static_cast<std::size_t>(sampler.index(samplers.size()))];
            use.repeat_x = s["wrapS"].count(10497) != 33071;
            use.repeat_y = s["wrapT"].count(10497) != 33071;
        }
        const JsonNode t = info["extensions"]["KHR_texture_transform"];
        float offset[2] = {0, 0}, scale[2] = {1, 1};
        t["offset"].numbers(2, offset);
        t["scale"].numbers(2, scale);
        use.offset = {offset[0], offset[1]};
        use.scale = {scale[0], scale[1]};
        use.rotation = static_cast<float>(t["rotation"].number(0));
        return use;
    }

    void read_materials() {
        const JsonNode materials = root_["materials"];
        for (std::size_t i = 0; i < materials.size(); ++i) {
            const JsonNode m = materials[i], pbr = m["pbrMetallicRoughness"];
            Material material;
            material.name = m["name"].text("material_" + std::to_string(i));
            float base[4] = {1, 1, 1, 1}, emissive[3] = {0, 0, 0};
            pbr["baseColorFactor"].numbers(4, base);
            m["emissiveFactor"].numbers(3, emissive);
            const auto strength = static_cast<float>(
                m["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"].number(1));
            for (float v :
                 {base[0], base[1], base[2], base[3], emissive[0], emissive[1], emissive[2], strength})
                if (!(v >= 0)) m.fail("has a colour or strength below 0");
            material.base_color = {base[0], base[1], base[2]};
            material.alpha = base[3];
            material.base_texture = texture_use(pbr["baseColorTexture"]);
            material.emission = Rgb{emissive[0], emissive[1], emissive[2]} * strength;
            material.emission_texture = texture_use(m["emissiveTexture"]);
            material.metallic = static_cast<float>(pbr["metallicFactor"].number(1));
            material.roughness = static_cast<float>(pbr["roughnessFactor"].number(1));
            for (const char* key : {"metallicFactor", "roughnessFactor"})
                if (const double v = pbr[key].number(1); !(v >= 0 && v <= 1))
                    pbr[key].fail("is not in 0 to 1");
            material.roughness_texture = texture_use(pbr["metallicRoughnessTexture"]);
            const JsonNode glass = m["extensions"]["KHR_materials_transmission"];
            material.transmission = static_cast<float>(glass["transmissionFactor"].number(0));
            if (!(material.transmission >= 0 && material.transmission <= 1))
                glass["transmissionFactor"].fail("is not in 0 to 1");
            material.transmission_texture = texture_use(glass["transmissionTexture"]);
            material.normal_texture = texture_use(m["normalTexture"]);
            material.normal_scale = static_cast<float>(m["normalTexture"]["scale"].number(1));
            if (!std::isfinite(material.normal_scale)) m["normalTexture"]["scale"].fail("is not finite");
            material.double_sided = m["doubleSided"].flag(false);
            material.alpha_cutoff = static_cast<float>(m["alphaCutoff"].number(0.5));
            const std::string mode = m["alphaMode"].text("OPAQUE");
            if (mode != "OPAQUE" && mode != "MASK" && mode != "BLEND")
                m["alphaMode"].fail("is not OPAQUE, MASK or BLEND");
            material.alpha_mode = mode == "MASK"    ? AlphaMode::mask
                                  : mode == "BLEND" ? AlphaMode::blend
                                                    : AlphaMode::opaque;
            level_.materials.push_back(std::move(material));
        }
    }

    /// The default material, made when first needed.
    std::uint32_t default_material() {
        if (default_material_ == none) {
            default_material_ = static_cast<std::uint32_t>(level_.materials.size());
            level_.materials.push_back({.name = "default", .base_texture = {}, .emission_texture = {}});
        }
        return default_material_;
    }

    void read_meshes() {
        const JsonNode meshes = root_["meshes"];
        for (std::uint32_t m = 0; m < meshes.size(); ++m) {
            const JsonNode primitives = meshes[m]["primitives"];
            const std::string name = meshes[m]["name"].text("mesh_" + std::to_string(m));
            std::vector<Primitive>& list = primitives_.emplace_back();
            for (std::uint32_t p = 0; p < primitives.size(); ++p) {
                const JsonNode primitive = primitives[p];
                const std::uint32_t material =
                    primitive["material"] ? primitive["material"].index(root_["materials"].size()) : none;
                Mesh mesh =
                    read_primitive(primitive, primitives.size() > 1 ? name + "/" + std::to_string(p) : name);
                mesh.source_mesh = m;
                mesh.source_primitive = p;
                mesh.source_primitives = static_cast<std::uint32_t>(primitives.size());
                if (mesh.indices.empty()) {
                    for (Remark& r : flaws_)
                        if (r.mesh == level_.meshes.size()) r.mesh = none;  // nothing draws it
                    continue;
                }
                list.push_back({static_cast<std::uint32_t>(level_.meshes.size()), material});
                level_.meshes.push_back(std::move(mesh));
            }
        }
    }

    AccessorView attribute(const JsonNode& primitive, const char* name, int components, std::size_t count) {
        const JsonNode at = primitive["attributes"][name];
        if (!at) return {};
        const AccessorView view = view_accessor(file_, at.index(root_["accessors"].size()));
        if (view.components != components)
            at.fail("has " + std::to_string(view.components) + " components instead of " +
                    std::to_string(components));
        if (count != 0 && view.count != count)
            at.fail("has " + std::to_string(view.count) + " elements where POSITION has " +
                    std::to_string(count));
        return view;
    }

    Mesh read_primitive(const JsonNode& primitive, const std::string& name) {
        Mesh mesh{.name = name,
                  .positions = {},
                  .normals = {},
                  .uv0 = {},
                  .uv1 = {},
                  .tangents = {},
                  .indices = {}};
        const auto mode = primitive["mode"].count(4);
        if (mode > 6) primitive["mode"].fail("is no primitive mode of glTF");
        if (mode < 4) {
            ++skipped_["primitives of points or lines are left out"];
            return mesh;
        }
        if (primitive["extensions"]["KHR_draco_mesh_compression"])
            primitive.fail("is compressed in a way that is not supported");
        const AccessorView position = attribute(primitive, "POSITION", 3, 0);
        if (position.components == 0) primitive.fail("has no POSITION");
        const AccessorView normal = attribute(primitive, "NORMAL", 3, position.count),
                           uv0 = attribute(primitive, "TEXCOORD_0", 2, position.count),
                           uv1 = attribute(primitive, "TEXCOORD_1", 2, position.count),
                           tangent = attribute(primitive, "TANGENT", 4, position.count);
        std::vector<std::uint8_t> good(position.count, 1);
        Remark broken = flaw("bad-vertices", name, "positions, normals or UVs are not finite"),
               stretched = flaw("bad-normals", name, "normals are not of unit length");
        for (std::size_t i = 0; i < position.count; ++i) {
            Vec3 p{position.number(i, 0), position.number(i, 1), position.number(i, 2)};
            Vec3 n = normal.components ? Vec3{normal.number(i, 0), normal.number(i, 1), normal.number(i, 2)}
                                       : Vec3{};
            bool finite_vertex = is_finite(p) && is_finite(n);
            if (!is_finite(p)) {
                good[i] = 0;
                p = {};
            }
            if (!is_finite(n)) n = {};
            // Quantised normals are up to a hundredth off.
            if (normal.components && finite_vertex && std::abs(length(n) - 1) > 0.02f) ++stretched.count;
            mesh.positions.push_back(p);
            mesh.normals.push_back(normalize(n));
            const auto finite = [&](float x, float y) {
                const bool is = std::isfinite(x) && std::isfinite(y);
                finite_vertex = finite_vertex && is;
                return is ? Vec2{x, y} : Vec2{};
            };
            if (uv0.components) mesh.uv0.push_back(finite(uv0.number(i, 0), uv0.number(i, 1)));
            if (tangent.components) {
                const Vec3 t{tangent.number(i, 0), tangent.number(i, 1), tangent.number(i, 2)};
                mesh.tangents.push_back(
                    {is_finite(t) ? normalize(t) : Vec3{}, tangent.number(i, 3) < 0 ? -1.0f : 1.0f});
            }
            if (uv1.components) mesh.uv1.push_back({uv1.number(i, 0), uv1.number(i, 1)});
            broken.count += finite_vertex ? 0 : 1;
        }
        flaws_.push_back(std::move(broken));
        flaws_.push_back(std::move(stretched));
        add_triangles(primitive, mode, good, mesh);
        return mesh;
    }

    void add_triangles(const JsonNode& primitive, std::uint64_t mode, const std::vector<std::uint8_t>& good,
                       Mesh& mesh) {
        std::vector<std::uint32_t> corners;
        if (const JsonNode at = primitive["indices"]) {
            const AccessorView view = view_accessor(file_, at.index(root_["accessors"].size()));
            if (view.components != 1 || view.component_type == 5126 || view.component_type == 5120 ||
                view.component_type == 5122)
                at.fail("is no accessor of whole numbers");
            for (std::size_t i = 0; i < view.count; ++i) {
                corners.push_back(view.whole(i));
                if (corners[i] >= good.size())
                    at.fail("holds index " + std::to_string(corners[i]) + " at " + std::to_string(i) +
                            ", of " + std::to_string(good.size()) + " vertices");
            }
        } else {
            for (std::uint32_t i = 0; i < good.size(); ++i) corners.push_back(i);
        }
        Remark flat = flaw("no-area", mesh.name, "triangles have no area, and are left out");
        const auto add = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c) {
            if (!good[a] || !good[b] || !good[c]) {
                ++skipped_["triangles of mesh " + mesh.name + " are left out: a position is not finite"];
                return;
            }
            const Vec3 e = mesh.positions[b] - mesh.positions[a], f = mesh.positions[c] - mesh.positions[a];
            if (!(length(cross(e, f)) > 0)) {
                // Strips use them to turn; in a list they are worth a word.
                if (mode == 4) {
                    ++skipped_["triangles of mesh " + mesh.name + " are left out: they have no area"];
                    ++flat.count;
                }
                return;
            }
            mesh.indices.insert(mesh.indices.end(), {a, b, c});
        };
        if (mode == 4 && corners.size() % 3 != 0)
            primitive.fail("is a triangle list whose length is no multiple of 3");
        if (mode == 4)
            for (std::size_t i = 0; i + 2 < corners.size(); i += 3)
                add(corners[i], corners[i + 1], corners[i + 2]);
        for (std::size_t i = 2; mode == 5 && i < corners.size(); ++i)
            i % 2 == 0 ? add(corners[i - 2], corners[i - 1], corners[i])
                       : add(corners[i - 1], corners[i - 2], corners[i]);
        for (std::size_t i = 2; mode == 6 && i < corners.size(); ++i)
            add(corners[0], corners[i - 1], corners[i]);
        flaws_.push_back(std::move(flat));
    }

    std::vector<std::uint32_t> root_nodes() {
        const JsonNode nodes = root_["nodes"], scenes = root_["scenes"];
        std::vector<std::uint32_t> roots;
        if (scenes.size() > 0) {
            const std::size_t scene = root_["scene"] ? root_["scene"].index(scenes.size()) : 0;
            const JsonNode list = scenes[scene]["nodes"];
            for (std::size_t i = 0; i < list.size(); ++i) roots.push_back(list[i].index(nodes.size()));
            return roots;
        }
        std::set<std::uint32_t> children;
        for (std::size_t n = 0; n < nodes.size(); ++n)
            for (std::size_t c = 0; c < nodes[n]["children"].size(); ++c)
                children.insert(nodes[n]["children"][c].index(nodes.size()));
        for (std::uint32_t n = 0; n < nodes.size(); ++n)
            if (!children.contains(n)) roots.push_back(n);
        return roots;
    }

    /// Depth first without recursion: a chain of a million nodes must not end the stack.
    void visit(std::uint32_t first, const Affine& above, const Inherited& first_inherited) {
        struct Step {
            std::uint32_t node;
            Affine above;
            Inherited inherited;
        };
        std::vector<Step> stack{{first, above, first_inherited}};
        const JsonNode nodes = root_["nodes"];
        while (!stack.empty()) {
            const Step step = stack.back();
            stack.pop_back();
            const JsonNode node = nodes[static_cast<std::size_t>(step.node)];
            if (visited_[step.node]++)
                node.fail("is reached twice: the node graph has a cycle or a node with two parents");
            const Affine world = step.above * node_transform(node);
            Inherited inherited = step.inherited;
            if (const JsonNode extras = node["extras"]; extras && extras.json().is_object()) {
                if (const JsonNode part = extras["part"]) inherited.part = word_in<Part>(part);
                if (const JsonNode lit_by = extras["lit_by"]) inherited.lit_by = word_in<LitBy>(lit_by);
            }
            const std::string name = node["name"].text("node_" + std::to_string(step.node));
            level_.nodes.push_back(
                {.name = name, .to_world = world, .parent = inherited.place, .source_node = step.node});
            if (const JsonNode extras = node["extras"]; extras && extras.json().is_object())
                level_.nodes.back().rig_copy = extras.json().value("rig_copy", Json()) == true;
            inherited.place = static_cast<std::uint32_t>(level_.nodes.size() - 1);
            inherited.animated = inherited.animated || animated_[step.node] || node["skin"];
            if (node["mesh"]) add_surfaces(node, step.node, name, world, inherited);
            if (node["camera"]) add_camera(node["camera"], name, world);
            if (const JsonNode light = node["extensions"]["KHR_lights_punctual"]["light"])
                add_light(light, name, world);
            const JsonNode children = node["children"];
            for (std::size_t c = children.size(); c-- > 0;)
                stack.push_back({children[c].index(nodes.size()), world, inherited});
        }
    }

    void add_surfaces(const JsonNode& node, std::uint32_t index, const std::string& name, const Affine& world,
                      const Inherited& inherited) {
        const std::uint32_t mesh = node["mesh"].index(primitives_.size());
        const float size = length(world.x) * length(world.y) * length(world.z);
        if (!(std::abs(determinant(world)) > 1e-9f * size) || !is_finite(world.origin)) {
            level_.notes.push_back("node " + name + " is left out: its transform is singular or not finite");
            level_.remarks.push_back({.finding = "bad-transform", .name = name, .text = level_.notes.back()});
            return;
        }
        for (const Primitive& p : primitives_[mesh]) {
            Surface s{.name = name,
                      .node = name,
                      .mesh = p.mesh,
                      .material = p.material == none ? default_material() : p.material,
                      .source_node = index,
                      .to_world = world,
                      .part = inherited.part,
                      .lit_by = inherited.lit_by,
                      .animated = inherited.animated};
            if (primitives_[mesh].size() > 1) s.name += "/" + level_.materials[s.material].name;
            level_.surfaces.push_back(std::move(s));
        }
    }

    void add_camera(const JsonNode& at, const std::string& node, const Affine& world) {
        const JsonNode camera = root_["cameras"][static_cast<std::size_t>(at.index(root_["cameras"].size()))];
        if (camera["type"].text("") != "perspective") {
            level_.notes.push_back("camera " + node + " is left out: it is not a perspective one");
            return;
        }
        const auto fov = static_cast<float>(camera["perspective"]["yfov"].number(0.9));
        if (!(fov > 0.01f && fov < 3.1f))
            camera["perspective"]["yfov"].fail("is no field of view in radians");
        level_.cameras.push_back({.name = node,
                                  .eye = world.origin,
                                  .toward = world.origin - normalize(world.z),
                                  .vertical_fov = fov});
    }

    void add_light(const JsonNode& at, const std::string& node, const Affine& world) {
        const JsonNode lights = root_["extensions"]["KHR_lights_punctual"]["lights"];
        const JsonNode l = lights[static_cast<std::size_t>(at.index(lights.size()))];
        Light light{.name = node, .position = world.origin, .direction = normalize(-world.z)};
        const std::string type = l["type"].text("");
        if (type == "directional")
            light.kind = LightKind::sun;
        else if (type == "point")
            light.kind = LightKind::point;
        else if (type == "spot")
            light.kind = LightKind::spot;
        else
            l["type"].fail("is not directional, point or spot");
        const Vec3 across = world.x - light.direction * dot(world.x, light.direction);
        if (!(length(light.direction) > 0.5f) || !(length(across) > 0))
            l.fail("hangs on a node whose transform is singular");
        light.across = normalize(across);
        float color[3] = {1, 1, 1};
        l["color"].numbers(3, color);
        const auto intensity = static_cast<float>(l["intensity"].number(1));
        if (!(intensity >= 0 && color[0] >= 0 && color[1] >= 0 && color[2] >= 0))
            l.fail("has a colour or intensity below 0");
        light.color = Rgb{color[0], color[1], color[2]} * intensity;
        light.range = static_cast<float>(l["range"].number(0));
        light.inner_cone = static_cast<float>(l["spot"]["innerConeAngle"].number(0));
        light.outer_cone =
            static_cast<float>(l["spot"]["outerConeAngle"].number(static_cast<double>(pi / 4)));
        if (!(light.inner_cone >= 0 && light.inner_cone <= light.outer_cone &&
              light.outer_cone <= pi / 2 + 1e-4f))
            l["spot"].fail("needs 0 <= innerConeAngle < outerConeAngle <= pi / 2");
        light.outer_cone = std::min(light.outer_cone, pi / 2);
        light.inner_cone = std::min(light.inner_cone, light.outer_cone);
        if (light.kind == LightKind::sun) light.angular_diameter = 0.53f * pi / 180;
        if (const JsonNode extras = l["extras"]; extras && extras.json().is_object())
            light.radius = static_cast<float>(extras["radius"].number(0));
        // Nodes may share a name; lights are told apart by theirs.
        const auto taken = [&](const std::string& name) {
            return std::any_of(level_.lights.begin(), level_.lights.end(),
                               [&](const Light& other) { return other.name == name; });
        };
        for (int n = 2; taken(light.name); ++n) light.name = node + " " + std::to_string(n);
        level_.lights.push_back(std::move(light));
    }

    void unique_names() {
        std::map<std::string, int> seen;
        for (Surface& s : level_.surfaces) {
            const int n = ++seen[s.name];
            if (n > 1) s.name += "#" + std::to_string(n);
        }
    }

    struct Primitive {
        std::uint32_t mesh, material;
    };
    const GltfFile& file_;
    JsonNode root_;
    Level level_;
    std::vector<std::vector<Primitive>> primitives_;
    std::vector<std::uint8_t> visited_;
    std::vector<std::uint8_t> animated_;  ///< By node.
    std::map<std::string, std::size_t> skipped_;
    std::vector<Remark> flaws_;  ///< Of meshes, with how often.
    std::uint32_t default_material_ = none;
};

}  // namespace

Level read_scene(const GltfFile& file) {
    return SceneReader(file).run();
}

}  // namespace stasigraph
