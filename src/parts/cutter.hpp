#pragma once
// One surface while it is cut: where something stands on it, and what pieces that makes.

#include <algorithm>
#include <map>
#include <memory>
#include <numeric>
#include <tuple>

#include "chart/mesh_graph.hpp"
#include "parts/covered.hpp"
#include "parts/cut_mesh.hpp"
#include "parts/obstacles.hpp"

namespace stasigraph {

/// One surface while it is cut.
class Cutter {
public:
    /// Faces at less than this angle to a surface lie along it and do not part it.
    static constexpr float along_cosine = 0.94f;
    /// Triangles are one facet where their normals differ by less, and where they leave its plane by less,
    /// metres.
    static constexpr double flat_cosine = 0.9998, flat_height = 0.002;
    /// Gaps under what stands on a surface that no light should pass, metres.
    static constexpr double least_gap = 2e-4, most_gap = 0.0025, gap_overlap = 5e-4;
    static constexpr std::size_t most_pieces = 10000;
    /// A piece with less area has no use for texels of its own, square metres.
    static constexpr double least_piece = 0.08;
    /// Places looked at on a triangle, and the share of them that says it is covered.
    static constexpr double places_a_triangle = 24;
    /// Those of a piece: one for this many metres of its rim, within bounds.
    static constexpr double rim_a_place = 0.3, fewest_places = 6, many_places = 20, most_places = 96;
    /// The share of a piece that makes all of it covered: nearly all of what is thin, since a doorway is a
    /// short part of a long strip; of the rest what hollows leave, into which nobody looks.
    static constexpr double covered_share = 0.9, covered_strip = 0.98, strip_width = 0.3;

    Cutter(const Level& level, const Obstacles& obstacles, std::uint32_t number)
        : level_(level),
          obstacles_(obstacles),
          number_(number),
          reach_(level.lightmap.cut_within),
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
        lines_ = wall_lines(facets_, met, static_cast<double>(reach_));
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
    Vec3 world(std::uint32_t triangle, std::uint32_t k) const {
        return transform_point(surface_.to_world, mesh_.positions[mesh_.indices[3 * triangle + k]]);
    }

    /// Pairs of an own triangle and a face that may stand on it.
    void collect() {
        const Vec3 reach{reach_, reach_, reach_};
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
                if (std::min({h[0], h[1], h[2]}) > reach_ || std::max({h[0], h[1], h[2]}) < -reach_) return;
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
            const Point3 a = in_double(world(seed, 0)), b = in_double(world(seed, 1)),
                         c = in_double(world(seed, 2));
            seed_.push_back(seed);
            facets_.push_back({FlatFrame::of(a, unit(cross(b - a, c - a))), {}});
            const FlatFrame frame = facets_.back().frame;
            const auto in_plane = [&](std::uint32_t t) {
                const Point3 p = in_double(world(t, 0)), q = in_double(world(t, 1)),
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
        const Point3 p[3] = {in_double(face.a), in_double(face.b), in_double(face.c)};
        double h[3];
        for (int k = 0; k < 3; ++k) {
            h[k] = frame.height(p[k]);
            if (std::abs(h[k]) <= static_cast<double>(reach_)) h[k] = 0;
        }
        Point2 ends[3];
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
        clip(triangle, frame, ends[0], ends[1], [&](Point2 a, Point2 b) {
            if (!on_border(facets_[facet], a, b)) met.push_back({facet, a, b});
        });
    }
    /// An edge that hovers a hair over the surface gets a strip down to it.
    void seal(const WorldTriangle& face, const FlatFrame& frame) {
        const Point3 p[3] = {in_double(face.a), in_double(face.b), in_double(face.c)};
        for (int k = 0; k < 3; ++k) {
            const Point3 a = p[k], b = p[(k + 1) % 3];
            const double ha = frame.height(a), hb = frame.height(b);
            if (ha < least_gap || hb < least_gap || ha > most_gap || hb > most_gap) continue;
            const Point3 up = frame.normal * gap_overlap;
            seals_.push_back({in_float(a + up), in_float(b + up), in_float(b - frame.normal * hb - up),
                              in_float(a - frame.normal * ha - up)});
        }
    }
    template <class F>
    void clip(std::uint32_t triangle, const FlatFrame& frame, Point2 a, Point2 b, F f) const {
        double low = 0, high = 1;
        for (std::uint32_t k = 0; k < 3; ++k) {
            const Point2 p = frame.flat(in_double(world(triangle, k))),
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
    bool on_border(const FacetOutline& facet, Point2 a, Point2 b) const {
        const double reach = 1.5 * static_cast<double>(reach_);
        return std::any_of(facet.border.begin(), facet.border.end(), [&](const auto& e) {
            const Point2 way = e[1] - e[0];
            const double l = length(way);
            if (!(l > 0)) return false;
            const auto near = [&](Point2 p) {
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
        for (const WallLine& l : lines_) region_cut[region[seed_[l.facet]]] = 1;
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
        std::vector<std::uint8_t> under = covered_pieces({piece, whole, area, region, region_cut}, caster);
        const std::vector<std::uint32_t> apart = piece;
        join_small(region, under, piece);
        std::vector<std::uint8_t> joined(count, 1);
        area.assign(count, 0.0);
        for (std::uint32_t p = 0; p < count; ++p) {
            area[piece[p]] += whole[p];
            joined[piece[p]] = std::min(joined[piece[p]], under[apart[p]]);
        }
        under = std::move(joined);
        number_parts(region, region_cut, piece, area, under);
    }

    /// Of each cut region the largest open piece stays; the others become parts, in the order of their
    /// places.
    void number_parts(const std::vector<std::uint32_t>& region, const std::vector<std::uint8_t>& region_cut,
                      const std::vector<std::uint32_t>& piece, const std::vector<double>& area,
                      const std::vector<std::uint8_t>& under) {
        const auto& polygons = cut_->polygons();
        const auto count = static_cast<std::uint32_t>(polygons.size());
        part_of_.assign(count, 0);
        std::map<std::uint32_t, std::uint32_t> largest;  // region, piece
        const auto open = [&](std::uint32_t root) { return under[root] == 0; };
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
    void join_small(const std::vector<std::uint32_t>& region, const std::vector<std::uint8_t>& under,
                    std::vector<std::uint32_t>& piece) const {
        const auto& polygons = cut_->polygons();
        const auto count = static_cast<std::uint32_t>(polygons.size());
        const std::vector<std::uint32_t> apart = piece;
        const auto open = [&](std::uint32_t p) { return under[apart[p]] == 0; };
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
        Point3 sum;
        for (std::size_t i = 2; i < c.size(); ++i)
            sum = sum + cross(cut_->world(c[i - 1].place) - cut_->world(c[0].place),
                              cut_->world(c[i].place) - cut_->world(c[0].place));
        return length(sum) / 2;
    }

    /// Pieces as polygons make them, and the regions of their triangles.
    struct Pieces {
        const std::vector<std::uint32_t>& piece;  ///< Of each polygon the lowest one of its piece.
        const std::vector<double>&whole, &area;   ///< Of polygons, and of pieces.
        const std::vector<std::uint32_t>& region;
        const std::vector<std::uint8_t>& region_cut;
    };
    /// Which pieces of regions that are cut are covered, by places spread evenly over them.
    std::vector<std::uint8_t> covered_pieces(const Pieces& pieces, const RayCaster& caster) const {
        const std::vector<std::uint32_t>&piece = pieces.piece, &region = pieces.region;
        const std::vector<double>&whole = pieces.whole, &area = pieces.area;
        const auto& polygons = cut_->polygons();
        std::vector<double> passed(piece.size(), 0.0), rim(piece.size(), 0.0);
        std::vector<std::uint8_t> under(piece.size(), 0);
        // By its rim, since what is long and thin may be covered for most of the way.
        for (std::uint32_t p = 0; p < piece.size(); ++p) {
            const auto& c = polygons[p].corners;
            for (std::size_t i = 0; i < c.size(); ++i) {
                bool inner = false;
                cut_->for_across(p, i, [&](std::uint32_t o) { inner |= piece[o] == piece[p]; });
                if (!inner)
                    rim[piece[p]] +=
                        length(cut_->world(c[(i + 1) % c.size()].place) - cut_->world(c[i].place));
            }
        }
        std::vector<int> looked(piece.size(), 0), covered(piece.size(), 0);
        for (std::uint32_t p = 0; p < piece.size(); ++p) {
            const std::uint32_t root = piece[p];
            if (!pieces.region_cut[region[polygons[p].triangle]]) continue;
            passed[root] += whole[p];
            const double places = std::clamp(rim[root] / rim_a_place, fewest_places, most_places);
            while (looked[root] < places && passed[root] >= area[root] * (looked[root] + 0.5) / places) {
                covered[root] += is_covered_at(p, static_cast<std::size_t>(looked[root]), caster) ? 1 : 0;
                ++looked[root];
            }
        }
        for (std::uint32_t p = 0; p < piece.size(); ++p) {
            const bool strip = 2 * area[p] < strip_width * rim[p];
            // One place of many may lie a hair from the rim, where slopes look out past it.
            const double open = looked[p] < many_places || !strip
                                    ? (1 - (strip ? covered_strip : covered_share)) * looked[p]
                                    : std::max(1.0, (1 - covered_strip) * looked[p]);
            under[p] = looked[p] > 0 && looked[p] - covered[p] <= open ? 1 : 0;
        }
        return under;
    }
    /// At the n-th of many places spread evenly over a polygon.
    bool is_covered_at(std::uint32_t p, std::size_t n, const RayCaster& caster) const {
        const auto& polygon = cut_->polygons()[p];
        const Point3 a = in_double(world(polygon.triangle, 0)), b = in_double(world(polygon.triangle, 1)),
                     c = in_double(world(polygon.triangle, 2));
        const double side = determinant(surface_.to_world) < 0 ? -1.0 : 1.0;
        const Vec3 normal = in_float(unit(cross(b - a, c - a)) * side);
        // Multiples of three numbers that no fraction comes near: which triangle of the fan, and where in it.
        const auto share = [n](double step) {
            const double at = 0.5 + step * static_cast<double>(n);
            return at - std::floor(at);
        };
        const auto corner = [&](std::size_t i) { return cut_->world(polygon.corners[i].place); };
        const double wanted = share(0.8191725134) * area_of(p);
        double passed = 0;
        std::size_t i = 2;
        for (; i + 1 < polygon.corners.size(); ++i) {
            passed += length(cross(corner(i - 1) - corner(0), corner(i) - corner(0))) / 2;
            if (passed >= wanted) break;
        }
        const double root = std::sqrt(share(0.6710436067)), v = share(0.5497004779);
        // A little inside, where nothing lies on an edge.
        const double inside = 0.96, u = inside * root * (1 - v) + 0.02, w = inside * root * v + 0.02;
        return is_covered(level_, caster,
                          in_float(corner(0) + (corner(i - 1) - corner(0)) * u + (corner(i) - corner(0)) * w),
                          normal);
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
    float reach_;  ///< What stands so near rests on the surface, metres.
    const Surface& surface_;
    const Mesh& mesh_;
    MeshGraph graph_;
    std::vector<std::pair<std::uint32_t, std::uint32_t>> touched_;
    std::vector<std::uint32_t> facet_of_, seed_;  ///< Of each triangle; a triangle of each facet.
    std::vector<FacetOutline> facets_;
    std::vector<WallLine> lines_;
    std::vector<std::array<Vec3, 4>> seals_;
    std::unique_ptr<CutMesh> cut_;
    std::vector<std::uint32_t> part_of_;  ///< For each polygon.
    std::vector<std::uint8_t> covered_;
    std::uint32_t parts_ = 1;
};

}  // namespace stasigraph
