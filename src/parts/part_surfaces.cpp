#include "stasigraph/parts.hpp"

#include <algorithm>
#include <map>
#include <memory>
#include <numeric>
#include <tuple>

#include "base/random.hpp"
#include "chart/mesh_graph.hpp"
#include "parts/box_tree.hpp"
#include "parts/covered.hpp"
#include "parts/cut_mesh.hpp"
#include "parts/kept_parts.hpp"
#include "trace/even_points.hpp"

namespace stasigraph {

namespace {

/// Faces at less than this angle to a surface lie along it and do not part it.
constexpr float along_cosine = 0.94f;
/// Triangles are one facet where their normals differ by less, and where they leave its plane by less,
/// metres.
constexpr double flat_cosine = 0.9998, flat_height = 0.002;
/// Gaps under what stands on a surface that no light should pass, metres.
constexpr double least_gap = 2e-4, most_gap = 0.0025, gap_overlap = 5e-4;
constexpr std::size_t most_pieces = 10000;
/// What is there so often and is so small is left whole: as copies of one mesh it shares charts. Metres.
constexpr std::size_t often = 8;
constexpr float small = 1.5f;
/// A piece with less area has no use for texels of its own, square metres.
constexpr double least_piece = 0.06;
/// Places looked at on a triangle or piece, and the share of them that says it is covered.
constexpr double places_a_piece = 24;
constexpr double places_a_small_piece = 6, small_piece = 4;  ///< Square metres.
constexpr double covered_share = 0.95;

bool is_foliage(const Material& m) {
    return m.alpha_mode != AlphaMode::opaque || m.transmission > 0;
}

struct WorldTriangle {
    std::uint32_t surface, triangle;
    Vec3 a, b, c, normal;
};

/// All static faces that stand in the way of light.
struct Obstacles {
    std::vector<WorldTriangle> faces;
    std::vector<Bounds> bounds;
    std::unique_ptr<BoxTree> tree;

    explicit Obstacles(const Level& level) {
        for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
            const Surface& surface = level.surfaces[s];
            if (surface.part == Part::moving || is_foliage(level.materials[surface.material])) continue;
            const Mesh& mesh = level.meshes[surface.mesh];
            const float side = determinant(surface.to_world) < 0 ? -1.0f : 1.0f;
            for (std::uint32_t t = 0; t < mesh.triangle_count(); ++t) {
                const auto at = [&](std::uint32_t k) {
                    return transform_point(surface.to_world, mesh.positions[mesh.indices[3 * t + k]]);
                };
                WorldTriangle w{s, t, at(0), at(1), at(2), {}};
                const Vec3 n = cross(w.b - w.a, w.c - w.a);
                const float l = length(n);
                if (!(l > 1e-12f) || !std::isfinite(l)) continue;
                w.normal = n * (side / l);
                Bounds box;
                for (const Vec3 p : {w.a, w.b, w.c}) box.add(p);
                faces.push_back(w);
                bounds.push_back(box);
            }
        }
        tree = std::make_unique<BoxTree>(bounds);
    }
};

/// One surface while it is cut.
class Cutter {
public:
    Cutter(const Level& level, const Obstacles& obstacles, std::uint32_t number)
        : level_(level),
          obstacles_(obstacles),
          number_(number),
          surface_(level.surfaces[number]),
          mesh_(level.meshes[surface_.mesh]),
          graph_(make_graph(mesh_, shape_of(surface_.to_world, 1))) {}

    /// Whether anything stands on it along lines worth a cut.
    bool find_lines() {
        collect();
        if (touched_.empty()) return false;
        make_facets();
        std::vector<MetSegment> met;
        for (const auto& [triangle, face] : touched_) meet(triangle, obstacles_.faces[face], met);
        if (met.empty()) return false;
        lines_ = wall_lines(facets_, met, static_cast<double>(cut_reach));
        return !lines_.empty();
    }

    /// Cuts; afterwards pieces() says what belongs together. False where that makes no two pieces, or too
    /// many.
    bool cut(const RayCaster& caster, bool& too_many) {
        cut_ = std::make_unique<CutMesh>(mesh_, surface_.to_world, graph_.corner, graph_.place.size(),
                                         facet_of_);
        std::vector<std::uint32_t> order(lines_.size());
        std::iota(order.begin(), order.end(), 0u);
        std::stable_sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
            return lines_[a].length() > lines_[b].length();
        });
        for (const std::uint32_t l : order) {
            cut_->split(facets_[lines_[l].facet], lines_, l);
            if (cut_->polygons().size() > mesh_.triangle_count() + 4 * most_pieces) break;
        }
        make_pieces(caster);
        too_many = parts_ > most_pieces || cut_->polygons().size() > mesh_.triangle_count() + 4 * most_pieces;
        return !too_many && parts_ > 1;
    }

    std::uint32_t parts() const { return parts_; }
    const std::vector<std::array<Vec3, 4>>& seals() const { return seals_; }
    std::size_t polygons() const { return cut_->polygons().size(); }

    /// The mesh of one part. Covered triangles stay with the first.
    Mesh part(std::uint32_t which) const {
        Mesh out;
        out.name = mesh_.name;
        out.source_mesh = mesh_.source_mesh;
        out.source_primitive = mesh_.source_primitive;
        out.source_primitives = mesh_.source_primitives;
        std::map<std::tuple<std::array<std::uint32_t, 3>, std::array<float, 3>, std::uint32_t>, std::uint32_t>
            made;
        const auto& polygons = cut_->polygons();
        bool any = false;
        std::vector<std::uint8_t> covered;
        for (std::uint32_t p = 0; p < polygons.size(); ++p) {
            if (part_of_[p] != which || polygons[p].corners.empty()) continue;
            std::vector<std::uint32_t> numbers;
            for (const CutMesh::Corner& c : polygons[p].corners) {
                const BetweenVertices between = between_of(polygons[p].triangle, c);
                const auto [at, fresh] = made.try_emplace({between.of, between.share, c.place},
                                                          static_cast<std::uint32_t>(out.positions.size()));
                if (fresh) add_vertex(between, c.place, out);
                numbers.push_back(at->second);
            }
            for (const auto& t : cut_->triangles(p)) {
                for (const std::uint32_t k : t) out.indices.push_back(numbers[k]);
                covered.push_back(covered_[p]);
                any |= covered_[p] != 0;
            }
        }
        if (any) out.covered = std::move(covered);
        return out;
    }

private:
    static constexpr float cut_reach = 0.01f;

    Vec3 world(std::uint32_t triangle, std::uint32_t k) const {
        return transform_point(surface_.to_world, mesh_.positions[mesh_.indices[3 * triangle + k]]);
    }

    /// Pairs of an own triangle and a face that may stand on it.
    void collect() {
        const Vec3 reach{cut_reach, cut_reach, cut_reach};
        for (std::uint32_t t = 0; t < mesh_.triangle_count(); ++t) {
            if (!(graph_.area[t] > 0)) continue;
            Bounds box;
            for (std::uint32_t k = 0; k < 3; ++k) box.add(world(t, k));
            const Vec3 normal = normalize(cross(world(t, 1) - world(t, 0), world(t, 2) - world(t, 0)));
            box.low = box.low - reach;
            box.high = box.high + reach;
            obstacles_.tree->for_each(obstacles_.bounds, box, [&](std::uint32_t f) {
                const WorldTriangle& face = obstacles_.faces[f];
                if (std::abs(dot(face.normal, normal)) > along_cosine) return;
                if (face.surface == number_ && shares_edge(t, face.triangle)) return;
                // All on one side by more than the reach: does not stand on it.
                const float h[3] = {dot(face.a - world(t, 0), normal), dot(face.b - world(t, 0), normal),
                                    dot(face.c - world(t, 0), normal)};
                if (std::min({h[0], h[1], h[2]}) > cut_reach || std::max({h[0], h[1], h[2]}) < -cut_reach)
                    return;
                touched_.push_back({t, f});
            });
        }
    }
    bool shares_edge(std::uint32_t a, std::uint32_t b) const {
        int same = 0;
        for (std::uint32_t i = 0; i < 3; ++i)
            for (std::uint32_t k = 0; k < 3; ++k)
                same += graph_.corner[3 * a + i] == graph_.corner[3 * b + k] ? 1 : 0;
        return same >= 2;
    }

    bool smooth_across(std::uint32_t c) const { return graph_.across[c] != none && !graph_.crease[c]; }

    /// Facets of the triangles that something stands on, and all that lie in one plane with them.
    void make_facets() {
        facet_of_.assign(mesh_.triangle_count(), none);
        std::vector<std::uint32_t> todo;
        for (const auto& [seed, face] : touched_) {
            if (facet_of_[seed] != none) continue;
            const auto number = static_cast<std::uint32_t>(facets_.size());
            const Place3 a = in_double(world(seed, 0)), b = in_double(world(seed, 1)),
                         c = in_double(world(seed, 2));
            facets_.push_back({FlatFrame::of(a, unit(cross(b - a, c - a))), {}});
            const FlatFrame frame = facets_.back().frame;
            const auto in_plane = [&](std::uint32_t t) {
                const Place3 p = in_double(world(t, 0)), q = in_double(world(t, 1)),
                             r = in_double(world(t, 2));
                return graph_.area[t] > 0 && dot(unit(cross(q - p, r - p)), frame.normal) > flat_cosine &&
                       std::abs(frame.height(p)) < flat_height && std::abs(frame.height(q)) < flat_height &&
                       std::abs(frame.height(r)) < flat_height;
            };
            todo = {seed};
            facet_of_[seed] = number;
            while (!todo.empty()) {
                const std::uint32_t t = todo.back();
                todo.pop_back();
                for (std::uint32_t k = 3 * t; k < 3 * t + 3; ++k) {
                    if (!smooth_across(k)) {
                        facets_[number].border.push_back({frame.flat(in_double(world(t, k % 3))),
                                                          frame.flat(in_double(world(t, (k + 1) % 3)))});
                        continue;
                    }
                    const std::uint32_t n = graph_.across[k] / 3;
                    if (facet_of_[n] != none || !in_plane(n)) continue;
                    facet_of_[n] = number;
                    todo.push_back(n);
                }
            }
        }
    }

    /// Where a face crosses a triangle's plane or rests on it with an edge, within the triangle.
    void meet(std::uint32_t triangle, const WorldTriangle& face, std::vector<MetSegment>& met) {
        const std::uint32_t facet = facet_of_[triangle];
        const FlatFrame& frame = facets_[facet].frame;
        const Place3 p[3] = {in_double(face.a), in_double(face.b), in_double(face.c)};
        double h[3];
        for (int k = 0; k < 3; ++k) {
            h[k] = frame.height(p[k]);
            if (std::abs(h[k]) <= static_cast<double>(cut_reach)) h[k] = 0;
        }
        Place2 ends[3];
        int count = 0;
        for (int k = 0; k < 3 && count < 3; ++k) {
            const int n = (k + 1) % 3;
            if (h[k] == 0)
                ends[count++] = frame.flat(p[k]);
            else if (h[k] * h[n] < 0)
                ends[count++] = frame.flat(p[k] + (p[n] - p[k]) * (h[k] / (h[k] - h[n])));
        }
        if (count != 2) return;  // a corner alone, or all of it
        seal(face, frame);
        clip(triangle, frame, ends[0], ends[1], [&](Place2 a, Place2 b) {
            if (!on_border(facets_[facet], a, b)) met.push_back({facet, a, b});
        });
    }
    /// An edge that hovers a hair over the surface gets a strip down to it.
    void seal(const WorldTriangle& face, const FlatFrame& frame) {
        const Place3 p[3] = {in_double(face.a), in_double(face.b), in_double(face.c)};
        for (int k = 0; k < 3; ++k) {
            const Place3 a = p[k], b = p[(k + 1) % 3];
            const double ha = frame.height(a), hb = frame.height(b);
            if (ha < least_gap || hb < least_gap || ha > most_gap || hb > most_gap) continue;
            const Place3 up = frame.normal * gap_overlap;
            seals_.push_back({in_float(a + up), in_float(b + up), in_float(b - frame.normal * hb - up),
                              in_float(a - frame.normal * ha - up)});
        }
    }
    template <class F>
    void clip(std::uint32_t triangle, const FlatFrame& frame, Place2 a, Place2 b, F f) const {
        double low = 0, high = 1;
        for (std::uint32_t k = 0; k < 3; ++k) {
            const Place2 p = frame.flat(in_double(world(triangle, k))),
                         q = frame.flat(in_double(world(triangle, (k + 1) % 3)));
            const double l = length(q - p);
            if (!(l > 0)) return;
            const double from = cross(q - p, a - p) / l + 1e-4, to = cross(q - p, b - p) / l + 1e-4;
            if (from < 0 && to < 0) return;
            const double at = from / (from - to);
            if (from < 0) low = std::max(low, at);
            if (to < 0) high = std::min(high, at);
        }
        if (low < high) f(a + (b - a) * low, a + (b - a) * high);
    }
    /// Where the surface ends anyway there is nothing to cut.
    static bool on_border(const FacetOutline& facet, Place2 a, Place2 b) {
        constexpr double reach = 1.5 * static_cast<double>(cut_reach);
        return std::any_of(facet.border.begin(), facet.border.end(), [&](const auto& e) {
            const Place2 way = e[1] - e[0];
            const double l = length(way);
            if (!(l > 0)) return false;
            const auto near = [&](Place2 p) {
                const double s = dot(way, p - e[0]) / l;
                return std::abs(cross(way, p - e[0])) < reach * l && s > -reach && s < l + reach;
            };
            return near(a) && near(b);
        });
    }

    /// Polygons that hang together without a cut or a fold between them; what of it is covered; what makes a
    /// part.
    void make_pieces(const RayCaster& caster) {
        const auto& polygons = cut_->polygons();
        const auto count = static_cast<std::uint32_t>(polygons.size());
        // Regions: what would hang together without cuts.
        std::vector<std::uint32_t> region = roots(mesh_.triangle_count(), [&](auto join) {
            for (std::uint32_t c = 0; c < graph_.corner.size(); ++c)
                if (smooth_across(c)) join(c / 3, graph_.across[c] / 3);
        });
        std::vector<std::uint8_t> region_cut(mesh_.triangle_count(), 0);
        for (const WallLine& l : lines_)
            for (std::uint32_t t = 0; t < facet_of_.size(); ++t)
                if (facet_of_[t] == l.facet) {
                    region_cut[region[t]] = 1;
                    break;
                }
        std::vector<std::uint32_t> piece = roots(count, [&](auto join) {
            for (std::uint32_t p = 0; p < count; ++p)
                for (std::size_t i = 0; i < polygons[p].corners.size(); ++i) {
                    const bool cut = cut_->is_cut(facets_, lines_, p, i);
                    cut_->for_across(p, i, [&](std::uint32_t o) {
                        if (!cut && region[polygons[o].triangle] == region[polygons[p].triangle]) join(p, o);
                    });
                }
        });
        std::vector<double> area(count, 0.0), whole(count, 0.0);
        for (std::uint32_t p = 0; p < count; ++p) {
            whole[p] = area_of(p);
            area[piece[p]] += whole[p];
        }
        covered_.assign(count, 0);
        std::vector<double> under = shares_covered(piece, whole, area, region, region_cut, caster);
        const std::vector<std::uint32_t> apart = piece;
        join_small(region, under, piece);
        std::vector<double> joined(count, 1.0);
        area.assign(count, 0.0);
        for (std::uint32_t p = 0; p < count; ++p) {
            area[piece[p]] += whole[p];
            joined[piece[p]] = std::min(joined[piece[p]], under[apart[p]]);
        }
        under = std::move(joined);
        part_of_.assign(count, 0);
        // Of each cut region the largest open piece stays; the others become parts, in the order of their
        // places.
        std::map<std::uint32_t, std::uint32_t> largest;  // region, piece
        const auto open = [&](std::uint32_t root) { return under[root] < covered_share; };
        for (std::uint32_t p = 0; p < count; ++p) {
            const std::uint32_t r = region[polygons[p].triangle];
            if (piece[p] != p || !region_cut[r] || !open(p)) continue;
            const auto [at, fresh] = largest.try_emplace(r, p);
            if (!fresh && area[p] > area[at->second]) at->second = p;
        }
        // Where all that is open is one piece there is nothing to part: what is covered there is told texel
        // by texel.
        std::map<std::uint32_t, std::uint32_t> open_pieces;
        for (std::uint32_t p = 0; p < count; ++p)
            if (piece[p] == p && open(p)) ++open_pieces[region[polygons[p].triangle]];
        std::map<std::uint32_t, std::uint32_t> number;
        for (std::uint32_t p = 0; p < count; ++p) {
            const std::uint32_t r = region[polygons[p].triangle], root = piece[p];
            if (!region_cut[r]) continue;
            const auto pieces = open_pieces.find(r);
            if (pieces != open_pieces.end() && pieces->second == 1) continue;
            if (!open(root)) {
                covered_[p] = 1;
            } else if (largest[r] != root) {
                part_of_[p] =
                    number.try_emplace(root, static_cast<std::uint32_t>(number.size() + 1)).first->second;
            }
        }
        parts_ = static_cast<std::uint32_t>(number.size()) + 1;
        std::vector<std::uint64_t> kind(count);
        for (std::uint32_t p = 0; p < count; ++p) kind[p] = std::uint64_t{part_of_[p]} << 1 | covered_[p];
        cut_->merge(kind);
    }

    /// Pieces too small for texels of their own go to the neighbour that they share most of their rim with.
    /// What is covered takes no part in it.
    void join_small(const std::vector<std::uint32_t>& region, const std::vector<double>& under,
                    std::vector<std::uint32_t>& piece) const {
        const auto& polygons = cut_->polygons();
        const auto count = static_cast<std::uint32_t>(polygons.size());
        const std::vector<std::uint32_t> apart = piece;
        const auto open = [&](std::uint32_t p) { return under[apart[p]] < covered_share; };
        for (int round = 0; round < 4; ++round) {
            std::vector<double> area(count, 0.0);
            for (std::uint32_t p = 0; p < count; ++p) area[piece[p]] += area_of(p);
            std::map<std::uint32_t, std::map<std::uint32_t, double>> rim;
            for (std::uint32_t p = 0; p < count; ++p) {
                if (area[piece[p]] >= least_piece || !open(p)) continue;
                const auto& c = polygons[p].corners;
                for (std::size_t i = 0; i < c.size(); ++i)
                    cut_->for_across(p, i, [&](std::uint32_t o) {
                        if (piece[o] != piece[p] && open(o) &&
                            region[polygons[o].triangle] == region[polygons[p].triangle])
                            rim[piece[p]][piece[o]] +=
                                length(cut_->world(c[(i + 1) % c.size()].place) - cut_->world(c[i].place));
                    });
            }
            if (rim.empty()) return;
            std::vector<std::uint32_t> to(count);
            std::iota(to.begin(), to.end(), 0u);
            for (const auto& [small_one, beside] : rim) {
                const auto best =
                    std::max_element(beside.begin(), beside.end(),
                                     [](const auto& a, const auto& b) { return a.second < b.second; });
                // Of two small ones that want each other one stays.
                if (to[best->first] == best->first) to[small_one] = best->first;
            }
            const auto end = [&](std::uint32_t i) {
                for (int steps = 0; to[i] != i && steps < 64; ++steps) i = to[i];
                return i;
            };
            // A piece is known by its lowest number.
            std::map<std::uint32_t, std::uint32_t> lowest;
            for (std::uint32_t p = 0; p < count; ++p) lowest.try_emplace(end(piece[p]), p);
            for (std::uint32_t p = 0; p < count; ++p) piece[p] = lowest[end(piece[p])];
        }
    }

    template <class F>
    static std::vector<std::uint32_t> roots(std::size_t count, F joins) {
        std::vector<std::uint32_t> root(count);
        std::iota(root.begin(), root.end(), 0u);
        const auto find = [&](std::uint32_t i) {
            while (root[i] != i) i = root[i] = root[root[i]];
            return i;
        };
        joins([&](std::uint32_t a, std::uint32_t b) {
            const std::uint32_t p = find(a), q = find(b);
            root[std::max(p, q)] = std::min(p, q);
        });
        for (std::uint32_t i = 0; i < count; ++i) root[i] = find(i);
        return root;
    }

    double area_of(std::uint32_t p) const {
        const auto& c = cut_->polygons()[p].corners;
        Place3 sum;
        for (std::size_t i = 2; i < c.size(); ++i)
            sum = sum + cross(cut_->world(c[i - 1].place) - cut_->world(c[0].place),
                              cut_->world(c[i].place) - cut_->world(c[0].place));
        return length(sum) / 2;
    }

    /// For each piece (by its lowest polygon) of a region that is cut, the share of places spread evenly over
    /// it that are covered.
    std::vector<double> shares_covered(const std::vector<std::uint32_t>& piece,
                                       const std::vector<double>& whole, const std::vector<double>& area,
                                       const std::vector<std::uint32_t>& region,
                                       const std::vector<std::uint8_t>& region_cut,
                                       const RayCaster& caster) const {
        const auto& polygons = cut_->polygons();
        std::vector<double> passed(piece.size(), 0.0), share(piece.size(), 0.0);
        std::vector<int> looked(piece.size(), 0), covered(piece.size(), 0);
        for (std::uint32_t p = 0; p < piece.size(); ++p) {
            const std::uint32_t root = piece[p];
            if (!region_cut[region[polygons[p].triangle]]) continue;
            passed[root] += whole[p];
            const double places = area[root] < small_piece ? places_a_small_piece : places_a_piece;
            while (looked[root] < places && passed[root] >= area[root] * (looked[root] + 0.5) / places) {
                covered[root] += is_covered_at(p, static_cast<std::size_t>(looked[root]), caster) ? 1 : 0;
                ++looked[root];
            }
        }
        for (std::uint32_t p = 0; p < piece.size(); ++p)
            if (looked[p] > 0) share[p] = static_cast<double>(covered[p]) / looked[p];
        return share;
    }
    /// At the n-th place of a polygon: between its middle and one of its corners.
    bool is_covered_at(std::uint32_t p, std::size_t n, const RayCaster& caster) const {
        const auto& polygon = cut_->polygons()[p];
        const Place3 a = in_double(world(polygon.triangle, 0)), b = in_double(world(polygon.triangle, 1)),
                     c = in_double(world(polygon.triangle, 2));
        const double side = determinant(surface_.to_world) < 0 ? -1.0 : 1.0;
        const Vec3 normal = in_float(unit(cross(b - a, c - a)) * side);
        Place3 middle;
        for (const auto& corner : polygon.corners) middle = middle + cut_->world(corner.place);
        middle = middle * (1.0 / static_cast<double>(polygon.corners.size()));
        const Place3 corner = cut_->world(polygon.corners[n % polygon.corners.size()].place);
        return is_covered(level_, caster,
                          in_float(middle + (corner - middle) * (0.25 * static_cast<double>(n % 4))), normal);
    }

    /// A corner by the vertices of the source primitive, in an order that all polygons there agree on.
    BetweenVertices between_of(std::uint32_t triangle, const CutMesh::Corner& corner) const {
        std::array<std::pair<std::uint32_t, float>, 3> by;
        for (std::uint32_t k = 0; k < 3; ++k)
            by[k] = {mesh_.indices[3 * triangle + k], static_cast<float>(corner.share[k])};
        std::sort(by.begin(), by.end(), [](const auto& p, const auto& q) {
            return (p.second > 0) != (q.second > 0) ? p.second > 0 : p.first < q.first;
        });
        BetweenVertices out;
        for (std::size_t k = 0; k < 3; ++k) {
            out.of[k] = by[k].second > 0 ? by[k].first : by[0].first;
            out.share[k] = by[k].second > 0 ? by[k].second : 0;
        }
        return out;
    }
    void add_vertex(const BetweenVertices& b, std::uint32_t place, Mesh& out) const {
        out.positions.push_back(cut_->local(place));
        const auto mix = [&](const auto& of, auto sum) {
            for (std::size_t k = 0; k < 3; ++k)
                if (b.share[k] > 0) sum = sum + of[b.of[k]] * b.share[k];
            return sum;
        };
        const bool itself = b.share[0] == 1;
        if (!mesh_.normals.empty())
            out.normals.push_back(itself ? mesh_.normals[b.of[0]] : normalize(mix(mesh_.normals, Vec3{})));
        if (!mesh_.uv0.empty()) out.uv0.push_back(itself ? mesh_.uv0[b.of[0]] : mix(mesh_.uv0, Vec2{}));
        if (!mesh_.tangents.empty()) {
            Tangent t = mesh_.tangents[b.of[0]];
            if (!itself) {
                Vec3 along{};
                for (std::size_t k = 0; k < 3; ++k)
                    if (b.share[k] > 0) along = along + mesh_.tangents[b.of[k]].along * b.share[k];
                if (length(along) > 1e-6f) t.along = normalize(along);
            }
            out.tangents.push_back(t);
        }
        if (mesh_.between.empty()) {
            out.between.push_back(b);
        } else {
            out.between.push_back(mesh_.between[b.of[0]]);  // a part is not cut again
        }
    }

    const Level& level_;
    const Obstacles& obstacles_;
    std::uint32_t number_;
    const Surface& surface_;
    const Mesh& mesh_;
    MeshGraph graph_;
    std::vector<std::pair<std::uint32_t, std::uint32_t>> touched_;
    std::vector<std::uint32_t> facet_of_;
    std::vector<FacetOutline> facets_;
    std::vector<WallLine> lines_;
    std::vector<std::array<Vec3, 4>> seals_;
    std::unique_ptr<CutMesh> cut_;
    std::vector<std::uint32_t> part_of_;  ///< For each polygon.
    std::vector<std::uint8_t> covered_;
    std::uint32_t parts_ = 1;
};

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
            caster_ = std::make_unique<RayCaster>(level_, *textures_,
                                                  [](const Surface& s) { return s.part != Part::moving; });
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
                                       std::to_string(most_pieces) +
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
        const std::size_t before = level_.meshes[level_.surfaces[number].mesh].triangle_count();
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
            if (touched[s].empty()) return;
            const Surface& surface = level_.surfaces[s];
            const Mesh& mesh = level_.meshes[surface.mesh];
            const float side = determinant(surface.to_world) < 0 ? -1.0f : 1.0f;
            std::vector<std::uint8_t> marks = mesh.covered;
            if (marks.empty()) marks.assign(mesh.triangle_count(), 0);
            bool any = false;
            for (const std::uint32_t t : touched[s]) {
                const auto corners = [&](std::size_t) {
                    const auto at = [&](std::uint32_t k) {
                        return transform_point(surface.to_world, mesh.positions[mesh.indices[3 * t + k]]);
                    };
                    RayCaster::Corners c{at(0), at(1), at(2), {}};
                    c.normal = normalize(cross(c.b - c.a, c.c - c.a)) * side;
                    return c;
                };
                // And right beside its corners, since what shows there at all has to have light.
                const RayCaster::Corners c = corners(0);
                const Vec3 middle = (c.a + c.b + c.c) * (1.0f / 3);
                bool open = false;
                for (const Vec3 p : {c.a, c.b, c.c}) {
                    const float l = length(middle - p);
                    open = open ||
                           !is_covered(level_, rays, p + (middle - p) * std::min(0.5f, 0.01f / l), c.normal);
                }
                open = open ||
                       for_even_points(
                           1, places_a_piece, corners, [&](Vec3 at, const RayCaster::Corners&, std::size_t) {
                               // Places may lie on an edge; a little inside is meant.
                               return !is_covered(level_, rays, at + (middle - at) * 0.02f, c.normal);
                           });
                if (open) continue;
                marks[t] = 1;
                any = true;
            }
            if (any) covered[s] = std::move(marks);
        });
        // Surfaces of one mesh with the same marks share a mesh again; what is there often and lies in
        // another way each time is left whole, since copies of one mesh share charts.
        std::map<std::pair<std::uint32_t, std::vector<std::uint8_t>>, std::size_t> alike;
        std::map<std::uint32_t, std::size_t> uses;
        for (std::uint32_t s = 0; s < count; ++s) {
            ++uses[level_.surfaces[s].mesh];
            if (!covered[s].empty()) ++alike[{level_.surfaces[s].mesh, covered[s]}];
        }
        std::map<std::pair<std::uint32_t, std::vector<std::uint8_t>>, std::uint32_t> made;
        for (std::uint32_t s = 0; s < count; ++s) {
            if (covered[s].empty()) continue;
            const std::size_t all = uses[level_.surfaces[s].mesh];
            if (all >= often && 4 * alike[{level_.surfaces[s].mesh, covered[s]}] < all) continue;
            const std::uint32_t mesh = level_.surfaces[s].mesh;
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
                (!level_.meshes[surface.mesh].uv1.empty() && surface.unwrap != UnwrapMode::make))
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
        keep_parts(store, key, before, level, parting.copied_materials(), figures);
    return level.parts = figures;
}

}  // namespace stasigraph
