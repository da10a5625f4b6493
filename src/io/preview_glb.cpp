#include <algorithm>
#include <map>

#include "io/bake_files.hpp"
#include "io/glb_builder.hpp"
#include "level/texture.hpp"
#include "stasigraph/picture.hpp"

namespace stasigraph {

namespace {

/// A level in world space whose unlit base colour is the light it sends back: page textures where there is a
/// lightmap, vertex colours from the probes where there is none.
class PreviewWriter {
public:
    PreviewWriter(const Level& level, const Atlas& atlas, const Baked& baked, std::size_t set)
        : level_(level), atlas_(atlas), baked_(baked), set_(baked.sets[set]), gains_(level.sets[set].gains) {}

    Bytes run() {
        Json& j = out_.json;
        j["asset"] = {
            {"version", "2.0"}, {"generator", "stasigraph"}, {"extras", {{"colours", "baked light"}}}};
        j["extensionsUsed"] = Json::array({"KHR_materials_unlit"});
        pages();
        Json roots = Json::array();
        for (std::uint32_t s = 0; s < level_.surfaces.size(); ++s) {
            if (level_.surfaces[s].part == Part::stand_in ||
                level_.meshes[level_.surfaces[s].mesh].indices.empty())
                continue;
            Json primitive = atlas_.surfaces[s].page != none ? mapped(s) : probed(s);
            primitive["mode"] = 4;
            j["meshes"].push_back({{"primitives", Json::array({std::move(primitive)})}});
            j["nodes"].push_back({{"name", level_.surfaces[s].name}, {"mesh", j["meshes"].size() - 1}});
            roots.push_back(j["nodes"].size() - 1);
        }
        j["scenes"] = Json::array({{{"nodes", roots}}});
        j["scene"] = 0;
        j["extras"] = {{"set", set_.name}, {"exposure_ev", ev_}};
        return out_.finish();
    }

private:
    /// What the eye meets on a page, nit: light times albedo over pi, and emission.
    Rgb sent(std::size_t page, std::size_t texel) const {
        return set_.pages[page].texels[texel] * baked_.albedo[page].texels[texel] * (1 / pi) +
               baked_.emission[page].texels[texel];
    }

    void pages() {
        // One exposure for all pages, metered over their valid texels as a picture would be.
        Picture all{1, 0, {}};
        for (std::size_t p = 0; p < set_.pages.size(); ++p)
            for (std::size_t t = 0; t < set_.pages[p].texels.size(); ++t)
                if (set_.pages[p].state[t] == 1) all.pixels.push_back(sent(p, t));
        ev_ = auto_exposure(all);
        for (std::size_t p = 0; p < set_.pages.size(); ++p) {
            Picture page{set_.pages[p].side, set_.pages[p].side, {}};
            for (std::size_t t = 0; t < set_.pages[p].texels.size(); ++t) page.pixels.push_back(sent(p, t));
            const std::size_t texture =
                add_texture(encode_png(page.width, page.height, tone_map(page, ev_)), "image/png");
            page_material_.push_back(add_material({{"baseColorTexture", {{"index", texture}}}}, false));
        }
    }

    std::size_t add_texture(const Bytes& encoded, const char* type) {
        Json& j = out_.json;
        j["images"].push_back({{"bufferView", out_.add_view(encoded)}, {"mimeType", type}});
        j["textures"].push_back({{"source", j["images"].size() - 1}});
        return j["textures"].size() - 1;
    }

    std::size_t add_material(Json pbr, bool double_sided) {
        pbr["metallicFactor"] = 0;
        pbr["roughnessFactor"] = 1;
        Json material = {{"pbrMetallicRoughness", std::move(pbr)},
                         {"extensions", {{"KHR_materials_unlit", Json::object()}}}};
        if (double_sided) material["doubleSided"] = true;
        out_.json["materials"].push_back(std::move(material));
        return out_.json["materials"].size() - 1;
    }

    /// Triangles of a mirrored node turn over when its transform is applied.
    std::vector<std::uint32_t> turned(const std::vector<std::uint32_t>& indices,
                                      const Surface& surface) const {
        std::vector<std::uint32_t> out(indices);
        if (determinant(surface.to_world) < 0)
            for (std::size_t t = 0; t + 2 < out.size(); t += 3) std::swap(out[t + 1], out[t + 2]);
        return out;
    }

    Json mapped(std::uint32_t s) {
        const Surface& surface = level_.surfaces[s];
        const Mesh& mesh = level_.meshes[surface.mesh];
        const Layout& layout = atlas_.layouts[atlas_.surfaces[s].layout];
        const Vec2 origin{static_cast<float>(atlas_.surfaces[s].x), static_cast<float>(atlas_.surfaces[s].y)};
        const float side = static_cast<float>(atlas_.pages[atlas_.surfaces[s].page]);
        std::vector<Vec3> positions;
        std::vector<Vec2> uv;
        for (std::size_t i = 0; i < layout.source.size(); ++i) {
            positions.push_back(transform_point(surface.to_world, mesh.positions[layout.source[i]]));
            uv.push_back((layout.uv[i] + origin) * (1 / side));
        }
        return {{"attributes",
                 {{"POSITION", out_.add_positions(positions)}, {"TEXCOORD_0", out_.add_floats(uv)}}},
                {"indices", out_.add_indices(turned(layout.indices, surface))},
                {"material", page_material_[atlas_.surfaces[s].page]}};
    }

    Json probed(std::uint32_t s) {
        const Surface& surface = level_.surfaces[s];
        const Mesh& mesh = level_.meshes[surface.mesh];
        const Material& material = level_.materials[surface.material];
        std::vector<Vec3> positions, colors;
        const float scale = 0.18f * 8 / std::exp2(ev_);
        for (std::size_t i = 0; i < mesh.positions.size(); ++i) {
            const Vec3 p = transform_point(surface.to_world, mesh.positions[i]);
            const Vec3 n = normalize(transform_normal(surface.to_world, mesh.normals[i]));
            const Vec3 up = length(n) > 0.5f ? n : Vec3{0, 1, 0};
            Rgb c;
            if (surface.lit_by == LitBy::probes || surface.part == Part::moving)
                c = probe_irradiance(probe_weights(baked_.probes, p + up * 0.05f, true), set_.probes, up) *
                    material.base_color * (1 / pi);
            if (surface.group != none)
                c += material.emission * (surface.emission_gain * gains_[surface.group]);
            positions.push_back(p);
            colors.push_back(
                {std::min(c.r * scale, 1.0f), std::min(c.g * scale, 1.0f), std::min(c.b * scale, 1.0f)});
        }
        Json primitive = {
            {"attributes",
             {{"POSITION", out_.add_positions(positions)}, {"COLOR_0", out_.add_floats(colors)}}},
            {"indices", out_.add_indices(turned(mesh.indices, surface))}};
        const auto [at, fresh] = probed_material_.try_emplace(surface.material, 0);
        if (fresh) at->second = probed_material(material);
        primitive["material"] = at->second;
        if (!mesh.uv0.empty() && material.base_texture.image != none)
            primitive["attributes"]["TEXCOORD_0"] = out_.add_floats(mesh.uv0);
        return primitive;
    }

    std::size_t probed_material(const Material& material) {
        Json pbr = Json::object();
        if (material.base_texture.image != none) {
            const Image& image = level_.images[material.base_texture.image];
            std::vector<std::uint8_t> rgb;
            for (std::size_t i = 0; i < image.rgba.size(); i += 4)
                rgb.insert(rgb.end(), {image.rgba[i], image.rgba[i + 1], image.rgba[i + 2]});
            const bool cut = material.alpha_mode == AlphaMode::mask;
            pbr["baseColorTexture"] = {
                {"index", add_texture(cut ? encode_png_rgba(image.width, image.height, image.rgba)
                                          : encode_png(image.width, image.height, rgb),
                                      "image/png")}};
            const std::size_t index = add_material(std::move(pbr), material.double_sided);
            if (cut) {
                out_.json["materials"][index]["alphaMode"] = "MASK";
                out_.json["materials"][index]["alphaCutoff"] = material.alpha_cutoff;
            }
            return index;
        }
        return add_material(std::move(pbr), material.double_sided);
    }

    const Level& level_;
    const Atlas& atlas_;
    const Baked& baked_;
    const BakedSet& set_;
    const std::vector<float>& gains_;
    GlbBuilder out_;
    float ev_ = 0;
    std::vector<std::size_t> page_material_;
    std::map<std::uint32_t, std::size_t> probed_material_;
};

}  // namespace

void write_preview_glb(const std::filesystem::path& to, const Level& level, const Atlas& atlas,
                       const Baked& baked, std::size_t set) {
    write_file(to, PreviewWriter(level, atlas, baked, set).run());
}

}  // namespace stasigraph
