#include "stasigraph/parts.hpp"

#include <algorithm>
#include <map>
#include <memory>

#include "base/random.hpp"
#include "parts/cutter.hpp"
#include "parts/kept_parts.hpp"
#include "trace/even_points.hpp"

namespace stasigraph {

namespace {

/// What is there so often and is so small is left whole: as copies of one mesh it shares charts. Metres.
constexpr std::size_t often = 8;
constexpr float small = 1.5f;

class Parting {
public:
    Parting(Level& level, Job& job) : level_(level), job_(job), obstacles_(level) {}

    PartFigures run() {
        for (const Surface& s : level_.surfaces) ++uses_[s.mesh];
        cut_surfaces();
        mark_covered();
        split_sides();
        add_seals();
        measure_covered();
        return figures_;
    }

    const std::vector<std::uint32_t>& copied_materials() const { return copied_; }

private:
    bool receives(const Surface& s) const {
        return s.part == Part::still && s.lit_by == LitBy::lightmap && !s.animated && s.part_of == none;
    }
    bool may_cut(const Surface& s) const {
        const Mesh& m = level_.meshes[s.mesh];
        if (!receives(s) || level_.lightmap.cut == Cut::off || s.cut == Cut::off) return false;
        if (is_foliage(level_.materials[s.material])) return false;
        if (!m.uv1.empty() && s.unwrap != UnwrapMode::make) return false;
        if (uses_.at(s.mesh) < often) return true;
        Bounds box;
        for (const Vec3 p : m.positions) box.add(transform_point(s.to_world, p));
        return length(box.high - box.low) > small;
    }

    const RayCaster& caster() {
        if (!caster_) {
            textures_ = std::make_unique<TextureSet>(level_);
            caster_ = std::make_unique<RayCaster>(
                level_, *textures_, [](const Surface& s) { return s.part != Part::moving; }, job_.threads());
        }
        return *caster_;
    }

    void cut_surfaces() {
        const auto count = static_cast<std::uint32_t>(level_.surfaces.size());
        std::vector<std::unique_ptr<Cutter>> cutters(count);
        job_.parallel(count, 1, [&](std::size_t s, std::size_t) {
            if (!may_cut(level_.surfaces[s])) return;
            auto cutter = std::make_unique<Cutter>(level_, obstacles_, static_cast<std::uint32_t>(s));
            if (cutter->find_lines()) cutters[s] = std::move(cutter);
        });
        if (std::none_of(cutters.begin(), cutters.end(), [](const auto& c) { return c != nullptr; })) return;
        const RayCaster& rays = caster();
        std::vector<std::uint8_t> good(count, 0), many(count, 0);
        job_.parallel(count, 1, [&](std::size_t s, std::size_t) {
            bool too_many = false;
            if (cutters[s]) good[s] = cutters[s]->cut(rays, too_many) ? 1 : 0;
            many[s] = too_many ? 1 : 0;
        });
        struct Made {
            std::uint32_t surface;
            std::vector<Mesh> meshes;
        };
        std::vector<Made> made;
        for (std::uint32_t s = 0; s < count; ++s) {
            if (many[s]) {
                ++figures_.whole;
                level_.notes.push_back("surface " + level_.surfaces[s].name + " would fall into over " +
                                       std::to_string(Cutter::most_pieces) +
                                       " pieces where others stand on it, and stays whole");
            }
            if (!good[s]) continue;
            for (const auto& quad : cutters[s]->seals()) seals_.push_back(quad);
            Made m{s, {}};
            for (std::uint32_t k = 0; k < cutters[s]->parts(); ++k) m.meshes.push_back(cutters[s]->part(k));
            made.push_back(std::move(m));
        }
        cutters.clear();
        // Rays know the surfaces as they were.
        caster_.reset();
        textures_.reset();
        for (Made& m : made) take(m.surface, std::move(m.meshes));
        obstacles_ = Obstacles(level_);
    }

    void take(std::uint32_t number, std::vector<Mesh> meshes) {
        ++figures_.cut;
        const std::size_t before = level_.meshes[level_.surfaces[number].mesh]->triangle_count();
        std::size_t after = 0;
        for (const Mesh& m : meshes) after += m.triangle_count();
        figures_.triangles += after - std::min(before, after);
        std::uint32_t shown = 1;
        for (std::size_t k = 0; k < meshes.size(); ++k) {
            if (meshes[k].triangle_count() == 0) continue;
            const auto mesh = static_cast<std::uint32_t>(level_.meshes.size());
            level_.meshes.push_back(std::move(meshes[k]));
            if (k == 0) {
                level_.surfaces[number].mesh = mesh;
                continue;
            }
            add_part(number, mesh, "/part " + std::to_string(++shown));
        }
    }

    Surface& add_part(std::uint32_t number, std::uint32_t mesh, const std::string& ending) {
        Surface part = level_.surfaces[number];
        part.mesh = mesh;
        part.part_of = level_.surfaces[number].part_of == none ? number : level_.surfaces[number].part_of;
        part.name += ending;
        const auto added = static_cast<std::uint32_t>(level_.surfaces.size());
        for (Zone& z : level_.zones)
            for (auto* list : {&z.listed, &z.left_out})
                if (std::find(list->begin(), list->end(), number) != list->end()) list->push_back(added);
        ++figures_.parts;
        return level_.surfaces.emplace_back(std::move(part));
    }

    /// Triangles that lie whole under something, on facets against which another face lies.
    void mark_covered() {
        const auto count = static_cast<std::uint32_t>(level_.surfaces.size());
        std::vector<std::vector<std::uint8_t>> covered(count);
        // What touches what, before any ray.
        std::vector<std::vector<std::uint32_t>> touched(count);
        job_.parallel(count, 1, [&](std::size_t s, std::size_t) {
            const Surface& surface = level_.surfaces[s];
            if (!receives(surface) || is_foliage(level_.materials[surface.material]) ||
                level_.materials[surface.material].double_sided)
                return;
            const Mesh& mesh = level_.meshes[surface.mesh];
            for (std::uint32_t t = 0; t < mesh.triangle_count(); ++t)
                if (!mesh.is_covered(t) && touches(static_cast<std::uint32_t>(s), t)) touched[s].push_back(t);
        });
        if (std::all_of(touched.begin(), touched.end(), [](const auto& t) { return t.empty(); })) return;
        const RayCaster& rays = caster();
        job_.parallel(count, 1, [&](std::size_t s, std::size_t) {
            const Mesh& mesh = level_.meshes[level_.surfaces[s].mesh];
            std::vector<std::uint8_t> marks = mesh.covered;
            if (marks.empty()) marks.assign(mesh.triangle_count(), 0);
            bool any = false;
            for (const std::uint32_t t : touched[s]) {
                if (!lies_covered(rays, level_.surfaces[s], t)) continue;
                marks[t] = 1;
                any = true;
            }
            if (any) covered[s] = std::move(marks);
        });
        share_marked(covered);
    }

    /// Whether all of a triangle does, as far as places spread evenly over it tell, and such right beside its
    /// corners, since what shows there at all has to have light.
    bool lies_covered(const RayCaster& rays, const Surface& surface, std::uint32_t t) const {
        const Mesh& mesh = level_.meshes[surface.mesh];
        const float side = determinant(surface.to_world) < 0 ? -1.0f : 1.0f;
        const auto at = [&](std::uint32_t k) {
            return transform_point(surface.to_world, mesh.positions[mesh.indices[3 * t + k]]);
        };
        RayCaster::Corners c{at(0), at(1), at(2), {}};
        c.normal = normalize(cross(c.b - c.a, c.c - c.a)) * side;
        const Vec3 middle = (c.a + c.b + c.c) * (1.0f / 3);
        for (const Vec3 p : {c.a, c.b, c.c}) {
            const float share = std::min(0.5f, 0.01f / length(middle - p));
            if (!is_covered(level_, rays, p + (middle - p) * share, c.normal)) return false;
        }
        return !for_even_points(
            1, Cutter::places_a_triangle, [&](std::size_t) { return c; },
            [&](Vec3 place, const RayCaster::Corners&, std::size_t) {
                // Places may lie on an edge; a little inside is meant.
                return !is_covered(level_, rays, place + (middle - place) * 0.02f, c.normal);
            });
    }

    /// Surfaces of one mesh with the same marks share a mesh again; what is there often and lies in another
    /// way each time is left whole, since copies of one mesh share charts.
    void share_marked(const std::vector<std::vector<std::uint8_t>>& covered) {
        std::map<std::pair<std::uint32_t, std::vector<std::uint8_t>>, std::size_t> alike;
        std::map<std::uint32_t, std::size_t> uses;
        for (std::uint32_t s = 0; s < covered.size(); ++s) {
            ++uses[level_.surfaces[s].mesh];
            if (!covered[s].empty()) ++alike[{level_.surfaces[s].mesh, covered[s]}];
        }
        std::map<std::pair<std::uint32_t, std::vector<std::uint8_t>>, std::uint32_t> made;
        for (std::uint32_t s = 0; s < covered.size(); ++s) {
            if (covered[s].empty()) continue;
            const std::uint32_t mesh = level_.surfaces[s].mesh;
            if (uses[mesh] >= often && 4 * alike[{mesh, covered[s]}] < uses[mesh]) continue;
            const auto [at, fresh] =
                made.try_emplace({mesh, covered[s]}, static_cast<std::uint32_t>(level_.meshes.size()));
            if (fresh) {
                Mesh marked = level_.meshes[mesh];
                marked.covered = covered[s];
                level_.meshes.push_back(std::move(marked));
            }
            level_.surfaces[s].mesh = at->second;
        }
    }
    bool touches(std::uint32_t number, std::uint32_t triangle) const {
        const Surface& surface = level_.surfaces[number];
        const Mesh& mesh = level_.meshes[surface.mesh];
        const auto at = [&](std::uint32_t k) {
            return transform_point(surface.to_world, mesh.positions[mesh.indices[3 * triangle + k]]);
        };
        const Vec3 a = at(0), b = at(1), c = at(2), n = cross(b - a, c - a);
        if (!(length(n) > 1e-12f)) return false;
        const Vec3 normal = normalize(n) * (determinant(surface.to_world) < 0 ? -1.0f : 1.0f);
        Bounds box;
        const Vec3 reach{contact_reach, contact_reach, contact_reach};
        for (const Vec3 p : {a, b, c}) box.add(p);
        box.low = box.low - reach;
        box.high = box.high + reach;
        bool found = false;
        obstacles_.tree->for_each(obstacles_.bounds, box, [&](std::uint32_t f) {
            const WorldTriangle& face = obstacles_.faces[f];
            if (dot(face.normal, normal) > -0.99f) return;
            found = found || std::abs(dot(face.a - a, normal)) < contact_reach ||
                    std::abs(dot((face.a + face.b + face.c) * (1.0f / 3) - a, normal)) < contact_reach;
        });
        return found;
    }

    /// Double-sided surfaces whose sides lie in different light.
    void split_sides() {
        const auto count = static_cast<std::uint32_t>(level_.surfaces.size());
        std::vector<std::uint8_t> both(count, 0);
        std::vector<std::uint32_t> asked;
        for (std::uint32_t s = 0; s < count; ++s) {
            const Surface& surface = level_.surfaces[s];
            const Material& m = level_.materials[surface.material];
            const Sides sides = surface.sides == Sides::automatic ? level_.lightmap.sides : surface.sides;
            if (surface.part != Part::still || surface.lit_by != LitBy::lightmap || surface.animated ||
                !m.double_sided || is_foliage(m) || sides == Sides::one || surface.copy_of != none ||
                (!level_.meshes[surface.mesh]->uv1.empty() && surface.unwrap != UnwrapMode::make))
                continue;
            if (sides == Sides::both)
                both[s] = 1;
            else
                asked.push_back(s);
        }
        if (!asked.empty()) {
            const RayCaster& rays = caster();
            job_.parallel(asked.size(), 1, [&](std::size_t i, std::size_t) {
                both[asked[i]] = parts_places(asked[i], rays) ? 1 : 0;
            });
        }
        std::map<std::uint32_t, std::uint32_t> single, turned;
        for (std::uint32_t s = 0; s < count; ++s) {
            if (!both[s]) continue;
            ++figures_.two_sided;
            const auto [material, new_material] = single.try_emplace(
                level_.surfaces[s].material, static_cast<std::uint32_t>(level_.materials.size()));
            if (new_material) {
                Material m = level_.materials[level_.surfaces[s].material];
                m.double_sided = false;
                copied_.push_back(level_.surfaces[s].material);
                level_.materials.push_back(std::move(m));
            }
            const auto [mesh, new_mesh] =
                turned.try_emplace(level_.surfaces[s].mesh, static_cast<std::uint32_t>(level_.meshes.size()));
            if (new_mesh) level_.meshes.push_back(turn(level_.meshes[level_.surfaces[s].mesh]));
            level_.surfaces[s].material = material->second;
            level_.surfaces[s].one_side = true;
            add_part(s, mesh->second, "/back");
        }
    }

    void measure_covered() {
        figures_.covered = 0;
        for (const Surface& s : level_.surfaces) {
            const Mesh& m = level_.meshes[s.mesh];
            for (std::size_t t = 0; t < m.covered.size(); ++t) {
                if (!m.covered[t]) continue;
                const auto at = [&](std::size_t k) {
                    return transform_point(s.to_world, m.positions[m.indices[3 * t + k]]);
                };
                ++figures_.covered;
                figures_.covered_area +=
                    0.5 * static_cast<double>(length(cross(at(1) - at(0), at(2) - at(0))));
            }
        }
    }

    /// What closes gaps under walls: in the bake alone, and black.
    void add_seals() {
        if (seals_.empty()) return;
        Mesh mesh;
        mesh.name = "gaps under walls";
        for (const auto& quad : seals_) {
            const auto first = static_cast<std::uint32_t>(mesh.positions.size());
            const Vec3 n = cross(quad[1] - quad[0], quad[2] - quad[0]);
            if (!(length(n) > 0)) continue;
            for (const Vec3 p : quad) {
                mesh.positions.push_back(p);
                mesh.normals.push_back(normalize(n));
            }
            for (const std::uint32_t k : {0u, 1u, 2u, 0u, 2u, 3u}) mesh.indices.push_back(first + k);
        }
        if (mesh.indices.empty()) return;
        Material black;
        black.name = mesh.name;
        black.base_color = {0, 0, 0};
        black.double_sided = true;
        Surface s;
        s.name = s.node = mesh.name;
        while (std::any_of(level_.surfaces.begin(), level_.surfaces.end(),
                           [&](const Surface& o) { return o.name == s.name; }))
            s.name += " ";
        s.mesh = static_cast<std::uint32_t>(level_.meshes.size());
        s.material = static_cast<std::uint32_t>(level_.materials.size());
        s.part = Part::bake_only;
        s.lit_by = LitBy::nothing;
        level_.meshes.push_back(std::move(mesh));
        copied_.push_back(none);
        level_.materials.push_back(std::move(black));
        level_.surfaces.push_back(std::move(s));
    }

    static Mesh turn(Mesh m) {
        for (std::size_t i = 0; i + 2 < m.indices.size(); i += 3)
            std::swap(m.indices[i + 1], m.indices[i + 2]);
        for (Vec3& n : m.normals) n = -n;
        for (Tangent& t : m.tangents) t.side = -t.side;
        m.turned = !m.turned;
        return m;
    }

    /// Whether from one side of a sheet hardly any place that the other sees is seen: it parts two places.
    bool parts_places(std::uint32_t s, const RayCaster& rays) const {
        constexpr double places = 24;
        constexpr std::uint32_t tries = 12;
        constexpr float most_seen = 0.25f;
        const Surface& surface = level_.surfaces[s];
        const Mesh& mesh = level_.meshes[surface.mesh];
        Bounds box;
        for (const std::uint32_t i : mesh.indices)
            box.add(transform_point(surface.to_world, mesh.positions[i]));
        const float size = 2 * length(box.high - box.low);
        const float side = determinant(surface.to_world) < 0 ? -1.0f : 1.0f;
        const auto corners = [&](std::size_t t) {
            const auto at = [&](std::size_t k) {
                return transform_point(surface.to_world, mesh.positions[mesh.indices[3 * t + k]]);
            };
            RayCaster::Corners c{at(0), at(1), at(2), {}};
            const Vec3 n = cross(c.b - c.a, c.c - c.a);
            c.normal = length(n) > 0 ? normalize(n) * side : Vec3{0, 1, 0};
            return c;
        };
        std::uint32_t seen = 0, looked = 0, point = 0;
        for_even_points(
            mesh.triangle_count(), places, corners, [&](Vec3 at, const RayCaster::Corners& c, std::size_t) {
                const Frame front(c.normal), back(-c.normal);
                for (std::uint32_t k = 0; k < tries; ++k) {
                    const auto end = [&](const Frame& frame, std::uint32_t seed) {
                        const Vec3 way =
                            frame.to_world(cosine_direction(sobol_point(combine_bits(point, seed), k)));
                        const Vec3 from = at + frame.normal * contact_reach;
                        const Hit hit = rays.closest({from, way, size});
                        return from + way * (0.9f * (hit.surface == none ? size : hit.distance));
                    };
                    const Vec3 a = end(front, 0x66726f6eu), b = end(back, 0x6261636bu);
                    const Vec3 way = b - a;
                    const float l = length(way);
                    ++looked;
                    if (l > 0 && !rays.blocked({a, way * (1 / l), l})) ++seen;
                }
                ++point;
                return false;
            });
        return looked > 0 && static_cast<float>(seen) < most_seen * static_cast<float>(looked);
    }

    Level& level_;
    Job& job_;
    Obstacles obstacles_;
    PartFigures figures_;
    std::vector<std::array<Vec3, 4>> seals_;
    std::vector<std::uint32_t> copied_;
    std::map<std::uint32_t, std::size_t> uses_;
    std::unique_ptr<TextureSet> textures_;
    std::unique_ptr<RayCaster> caster_;
};

}  // namespace

PartFigures part_surfaces(Level& level, Job& job, const BakeStore& store) {
    if (std::any_of(level.surfaces.begin(), level.surfaces.end(),
                    [](const Surface& s) { return s.part_of != none; }))
        return {};  // it is in parts already
    const std::string key = store.load || store.save ? parts_key(level) : "";
    PartFigures figures;
    if (load_parts(store, key, level, figures)) return level.parts = figures;
    const LevelCounts before(level);
    const std::size_t notes = level.notes.size();
    Parting parting(level, job);
    figures = parting.run();
    // What is said is said each time.
    if (level.notes.size() == notes)
        keep_parts(store, key, {before, level, parting.copied_materials(), figures});
    return level.parts = figures;
}

}  // namespace stasigraph
