#include "parts/kept_parts.hpp"

#include <algorithm>

#include "base/blob.hpp"
#include "base/hash.hpp"
#include "method.hpp"

namespace stasigraph {

namespace {

/// A surface as parting leaves it: what it takes from the one it came from, and what is its own.
struct KeptSurface {
    std::uint32_t from, mesh, material, part_of, one_side, is_seal;
};
struct KeptMesh {
    std::uint32_t source_mesh, source_primitive, source_primitives, turned;
};

}  // namespace

std::string parts_key(const Level& level) {
    Hasher h("parts");
    h.number(STASIGRAPH_METHOD);
    h.number(level.lightmap.cut);
    h.number(level.lightmap.sides);
    h.number(level.lightmap.cut_within);
    for (const Mesh& m : level.meshes) {
        h.array(m.positions);
        h.array(m.indices);
        h.array(m.normals);
        h.array(m.uv0);
        h.number(m.uv1.empty());
        for (const Tangent& t : m.tangents) {
            h.vector(t.along);
            h.number(t.side);
        }
    }
    for (const Material& m : level.materials) {
        h.number(m.double_sided);
        h.number(m.alpha_mode);
        h.number(m.transmission);
        h.number(m.alpha_cutoff);
        h.number(m.base_texture.image);  // cut-outs let rays through by it
    }
    for (const Surface& s : level.surfaces) {
        h.text(s.name);
        h.number(s.mesh);
        h.number(s.material);
        for (const Vec3 v : {s.to_world.x, s.to_world.y, s.to_world.z, s.to_world.origin}) h.vector(v);
        h.number(s.part);
        h.number(s.lit_by);
        h.number(s.unwrap);
        h.number(s.animated);
        h.number(s.cut);
        h.number(s.sides);
        h.number(s.copy_of);
    }
    h.text(level.scene_hash);
    return h.key();
}

void keep_parts(const BakeStore& store, const std::string& key, const PartedLevel& parted) {
    const auto& [before, level, copied, figures] = parted;
    if (!store.save) return;
    BlobWriter out;
    const std::vector<PartFigures> told{figures};  // the writer holds what it is given until all is saved
    out.array(told);
    std::vector<KeptMesh> meshes;
    for (std::size_t i = before.meshes; i < level.meshes.size(); ++i) {
        const Mesh& m = level.meshes[i];
        meshes.push_back({m.source_mesh, m.source_primitive, m.source_primitives, m.turned ? 1u : 0u});
    }
    // Names of parts say which surface they are of; numbers are enough.
    std::vector<KeptSurface> surfaces;
    std::vector<char> names;
    std::vector<std::uint32_t> lengths;
    for (std::size_t i = 0; i < level.surfaces.size(); ++i) {
        const Surface& s = level.surfaces[i];
        const bool added = i >= before.surfaces, seal = added && s.part_of == none;
        surfaces.push_back({added && !seal ? s.part_of : static_cast<std::uint32_t>(i), s.mesh, s.material,
                            s.part_of, s.one_side ? 1u : 0u, seal ? 1u : 0u});
        lengths.push_back(static_cast<std::uint32_t>(s.name.size()));
        names.insert(names.end(), s.name.begin(), s.name.end());
    }
    out.array(meshes);
    out.array(surfaces);
    out.array(lengths);
    out.array(names);
    out.array(copied);
    std::vector<std::vector<std::array<float, 4>>> tangents(meshes.size());
    for (std::size_t i = 0; i < meshes.size(); ++i) {
        const Mesh& m = level.meshes[before.meshes + i];
        for (const Tangent& t : m.tangents) tangents[i].push_back({t.along.x, t.along.y, t.along.z, t.side});
        out.array(m.positions);
        out.array(m.normals);
        out.array(m.uv0);
        out.array(tangents[i]);
        out.array(m.indices);
        out.array(m.between);
        out.array(m.covered);
    }
    store.save("parts-" + key, out.parts());
}

namespace {

struct KeptLevel {
    std::vector<PartFigures> told;
    std::vector<KeptSurface> surfaces;
    std::vector<std::uint32_t> lengths, copied;
    std::vector<char> names;
    std::vector<Mesh> meshes;

    bool read(BlobReader& in) {
        std::vector<KeptMesh> kept;
        in.array(told, 1);
        in.array(kept);
        in.array(surfaces);
        in.array(lengths, surfaces.size());
        in.array(names);
        in.array(copied);
        meshes.resize(kept.size());
        for (std::size_t i = 0; i < meshes.size(); ++i) {
            Mesh& m = meshes[i];
            m.source_mesh = kept[i].source_mesh;
            m.source_primitive = kept[i].source_primitive;
            m.source_primitives = kept[i].source_primitives;
            m.turned = kept[i].turned != 0;
            std::vector<std::array<float, 4>> tangents;
            in.array(m.positions);
            in.array(m.normals);
            in.array(m.uv0);
            in.array(tangents);
            in.array(m.indices);
            in.array(m.between);
            in.array(m.covered);
            for (const auto& t : tangents) m.tangents.push_back({{t[0], t[1], t[2]}, t[3]});
        }
        return in.done();
    }

    bool fits(const Level& level) const {
        const std::size_t before = level.surfaces.size(), all_meshes = level.meshes.size() + meshes.size(),
                          all_materials = level.materials.size() + copied.size();
        std::size_t letters = 0;
        for (const std::uint32_t l : lengths) letters += l;
        return surfaces.size() >= before && letters == names.size() &&
               std::all_of(surfaces.begin(), surfaces.end(), [&](const KeptSurface& k) {
                   return k.mesh < all_meshes && k.material < all_materials &&
                          (k.is_seal != 0 || k.from < before);
               });
    }
};

constexpr const char* seal_name = "gaps under walls";

/// `of`: the material it is a single-sided copy of; none: black.
Material kept_material(const Level& level, std::uint32_t of) {
    Material m;
    if (of < level.materials.size()) {
        m = level.materials[of];
        m.double_sided = false;
    } else {
        m.name = seal_name;
        m.base_color = {0, 0, 0};
        m.double_sided = true;
    }
    return m;
}

void add_surface(const KeptSurface& k, std::string name, Level& level) {
    const auto number = static_cast<std::uint32_t>(level.surfaces.size());
    Surface s;
    if (k.is_seal) {
        s.part = Part::bake_only;
        s.lit_by = LitBy::nothing;
        s.node = seal_name;
    } else {
        s = level.surfaces[k.from];
        for (Zone& z : level.zones)
            for (auto* list : {&z.listed, &z.left_out})
                if (std::find(list->begin(), list->end(), k.from) != list->end()) list->push_back(number);
    }
    s.name = std::move(name);
    level.surfaces.push_back(std::move(s));
}

}  // namespace

bool load_parts(const BakeStore& store, const std::string& key, Level& level, PartFigures& figures) {
    Blob blob;
    if (!store.load || !store.load("parts-" + key, blob)) return false;
    BlobReader in(blob);
    KeptLevel kept;
    if (!kept.read(in) || !kept.fits(level)) return false;
    figures = kept.told[0];
    const std::size_t before = level.surfaces.size(), own_meshes = level.meshes.size(),
                      own_materials = level.materials.size();
    for (const std::uint32_t c : kept.copied)
        level.materials.push_back(kept_material(level, c < own_materials ? c : none));
    std::vector<std::string> mesh_names;
    for (const Surface& s : level.surfaces) mesh_names.push_back(level.meshes[s.mesh]->name);
    auto letter = kept.names.begin();
    for (std::size_t i = 0; i < kept.surfaces.size(); ++i) {
        const KeptSurface& k = kept.surfaces[i];
        const auto end = letter + static_cast<std::ptrdiff_t>(kept.lengths[i]);
        if (i >= before) add_surface(k, std::string(letter, end), level);
        letter = end;
        Surface& s = level.surfaces[i];
        if (k.mesh >= own_meshes)
            kept.meshes[k.mesh - own_meshes].name = k.is_seal ? seal_name : mesh_names[k.from];
        s.mesh = k.mesh;
        s.material = k.material;
        s.part_of = k.part_of;
        s.one_side = k.one_side != 0;
    }
    for (Mesh& m : kept.meshes) level.meshes.push_back(std::move(m));
    return true;
}

}  // namespace stasigraph
