#include "trace/ray_caster.hpp"

#include <embree3/rtcore.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>
#include <tuple>
#include <utility>

#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

// One instruction set, whatever the machine: the same rays meet the same triangles everywhere.
constexpr const char* kernel_settings = "isa=avx2,set_affinity=0";

/// A gather ray that meets a triangle within this weight of an edge is sent again, this much further inside.
/// Smaller: where faces meet without sharing corners, as a wall on a ground does, rounding lets a ray that
/// runs into the line of the wall's foot pass under it. Larger: more rays are sent twice (six in ten thousand
/// of those that end on a mesh), and further beside their direction.
constexpr float edge_weight = 1e-4f, edge_step = 1e-3f;
/// Metres of that step at most, and this much more for each metre of the ray: half of what an edit allows a
/// ray to pass beside a box that changed (bake/edit.cpp), so that it still knows which rays to trace again.
constexpr float most_step = 5e-5f, far_step = 5e-7f;

/// Embree reads 16 bytes at the last vertex, so each array ends with a spare one.
struct SurfaceGeometry {
    std::vector<Vec3> positions;
    bool mirrored = false;
    std::uint32_t name = 0;  ///< Hash of the surface's: its number changes where others come and go.
    bool is_transmissive = false;
    bool glass = false;      ///< BLEND or transmission.
    bool free_exit = false;  ///< Its backs take nothing from light that leaves through them.
};

/// How a ray treats glass.
enum class Crossing : std::uint8_t {
    stop,     ///< Glass is a face like any other.
    chance,   ///< It is passed or met, by the ray's number.
    measure,  ///< It is always passed, and its tint multiplied up.
    tint,     ///< As measure, of the glass that `chance` passed; its likelihood is no longer counted.
    count,    ///< Everything is passed, and the faces of solids are counted.
};

/// What one query carries through the kernel's callbacks.
struct Query : RTCIntersectContext {
    Crossing crossing = Crossing::stop;
    bool tinted = false;  ///< Some coloured glass was passed, perhaps behind the hit.
    // A triangle may be offered more than once (the tree holds parts of it in several leaves), and a ray
    // through an edge meets the triangles on both of its sides: a surface counts once at one distance.
    static constexpr std::size_t most_panes = 48;
    struct Pane {
        std::uint32_t surface, triangle;
        float distance;
        Rgb through;
    };
    std::size_t panes = 0;
    bool opaque = false;  ///< Nothing is left of the light.
    Pane pane[most_panes];
    /// The nearest face met so far, of each ray of a packet.
    struct Nearest {
        float distance = std::numeric_limits<float>::infinity();
        std::uint32_t surface = none, triangle = none;
        bool back = true;
    };
    Nearest nearest[8];

    int left = 0;  ///< Faces of solids left from behind, less those met from the front.

    explicit Query(Crossing c) : crossing(c) { rtcInitIntersectContext(this); }
    /// Of faces at one distance one that is met from the front comes before the others (the two sides of a
    /// sheet are two surfaces), then the first surface's first triangle, in whichever order the tree offers
    /// them.
    bool comes_first(unsigned lane, const RTCHit& hit, float distance, bool back) {
        Nearest& n = nearest[lane];
        if (distance > n.distance ||
            (distance == n.distance &&
             std::tuple(back, hit.geomID, hit.primID) > std::tuple(n.back, n.surface, n.triangle)))
            return false;
        n = {distance, hit.geomID, hit.primID, back};
        return true;
    }
    /// A face of a solid, once, however many parts of it the tree holds.
    void count_side(const RTCHit& hit, bool back) {
        for (std::size_t i = 0; i < panes; ++i)
            if (pane[i].surface == hit.geomID && pane[i].triangle == hit.primID) return;
        if (panes == most_panes) return;
        pane[panes++] = {hit.geomID, hit.primID, 0, {}};
        left += back ? 1 : -1;
    }
    /// What a pane leaves of the light.
    void count(const RTCHit& hit, float distance, Rgb through) {
        constexpr float same = 2e-6f;  // of the distance: sixteen steps of a float
        for (std::size_t i = 0; i < panes; ++i) {
            if (pane[i].surface != hit.geomID || std::abs(pane[i].distance - distance) > same * distance)
                continue;
            if (hit.primID < pane[i].triangle) pane[i] = {hit.geomID, hit.primID, distance, through};
            return;
        }
        // Behind this many panes nothing is left that matters.
        opaque = opaque || panes == most_panes || !(max_channel(through) > 0);
        if (panes < most_panes) pane[panes++] = {hit.geomID, hit.primID, distance, through};
    }
    /// What all of them leave, multiplied in an order that does not depend on the tree's.
    Rgb through() {
        Rgb rest{1, 1, 1};
        if (opaque) return {};
        std::sort(pane, pane + panes, [](const Pane& a, const Pane& b) {
            return std::tuple(a.surface, a.triangle, a.distance) <
                   std::tuple(b.surface, b.triangle, b.distance);
        });
        for (std::size_t i = 0; i < panes; ++i) rest = rest * pane[i].through;
        return rest;
    }
};

/// Meshes without an open edge, by place: what has an inside.
bool is_closed(const Mesh& mesh) {
    std::map<std::array<float, 3>, std::uint32_t> number;
    std::vector<std::uint32_t> place;
    for (Vec3 p : mesh.positions)
        place.push_back(
            number.try_emplace({p.x, p.y, p.z}, static_cast<std::uint32_t>(number.size())).first->second);
    std::map<std::pair<std::uint32_t, std::uint32_t>, int> edges;
    for (std::size_t i = 0; i < mesh.indices.size(); ++i) {
        const std::uint32_t a = place[mesh.indices[i]], b = place[mesh.indices[i % 3 == 2 ? i - 2 : i + 1]];
        if (a != b) edges[{std::min(a, b), std::max(a, b)}] += a < b ? 1 : -1;
    }
    return std::all_of(edges.begin(), edges.end(), [](const auto& e) { return e.second == 0; });
}

}  // namespace

struct RayCaster::Tree {
    const Scene& scene;
    const TextureSet& textures;
    RTCDevice device = nullptr;
    RTCScene faces = nullptr, glass = nullptr;  ///< Everything; what lets a part of the light through.
    bool has_glass = false;
    std::vector<SurfaceGeometry> geometry;  ///< One for each surface; empty where it takes no part.

    Tree(const Scene& s, const TextureSet& t) : scene(s), textures(t), geometry(s.surfaces.size()) {}
    Tree(const Tree&) = delete;
    Tree& operator=(const Tree&) = delete;
    ~Tree() {
        if (faces) rtcReleaseScene(faces);
        if (glass) rtcReleaseScene(glass);
        if (device) rtcReleaseDevice(device);
    }

    /// Whether a ray goes on past a face.
    bool passes(Query& query, const RTCHit& hit, Vec3 direction, float distance,
                std::uint32_t ray_seed) const {
        const Surface& s = scene.surfaces[hit.geomID];
        const SurfaceGeometry& g = geometry[hit.geomID];
        if (!g.glass)
            return textures.alpha(scene, s, hit.primID, hit.u, hit.v) <
                   scene.materials[s.material].alpha_cutoff;
        const TextureSet::Transmission p = textures.transmission(scene, s, hit.primID, hit.u, hit.v);
        if (query.crossing == Crossing::stop)
            return scene.materials[s.material].alpha_mode == AlphaMode::mask && p.share >= 1;
        if (g.free_exit) {
            const bool away = hit.Ng_x * direction.x + hit.Ng_y * direction.y + hit.Ng_z * direction.z > 0;
            if (away != g.mirrored) return true;
        }
        if (query.crossing == Crossing::measure) {
            if (!(p.share > 0)) return false;
            query.count(hit, distance, p.tint * p.share);
            return !query.opaque;
        }
        if (!(unit_float(combine_bits(combine_bits(ray_seed, g.name), hit.primID)) < p.share)) return false;
        if (query.crossing == Crossing::tint) query.count(hit, distance, p.tint);
        query.tinted = query.tinted || tints(scene.materials[s.material]);
        return true;
    }

    template <int occluded>
    static void filter(const RTCFilterFunctionNArguments* args) {
        const auto* tree = static_cast<const Tree*>(args->geometryUserPtr);
        auto& query = *static_cast<Query*>(args->context);
        for (unsigned i = 0; i < args->N; ++i) {
            if (args->valid[i] != -1) continue;
            const RTCHit hit = rtcGetHitFromHitN(args->hit, args->N, i);
            const Vec3 direction{RTCRayN_dir_x(args->ray, args->N, i), RTCRayN_dir_y(args->ray, args->N, i),
                                 RTCRayN_dir_z(args->ray, args->N, i)};
            const float distance = RTCRayN_tfar(args->ray, args->N, i);
            const SurfaceGeometry& g = tree->geometry[hit.geomID];
            const float along = hit.Ng_x * direction.x + hit.Ng_y * direction.y + hit.Ng_z * direction.z;
            const bool back = (along > 0) != g.mirrored;
            if (query.crossing == Crossing::count) {
                const Surface& s = tree->scene.surfaces[hit.geomID];
                if (!g.glass && !tree->scene.materials[s.material].double_sided) query.count_side(hit, back);
                args->valid[i] = 0;
                continue;
            }
            // The side of a sheet that is met from behind is not there: the other one lies in the same place,
            // but for the last bit of its distance.
            if (occluded == 0 && back && tree->scene.surfaces[hit.geomID].one_side) {
                args->valid[i] = 0;
                continue;
            }
            if ((g.is_transmissive &&
                 tree->passes(query, hit, direction, distance, RTCRayN_id(args->ray, args->N, i))) ||
                (occluded == 0 && !query.comes_first(i, hit, distance, back)))
                args->valid[i] = 0;
        }
    }

    void add(std::uint32_t index) {
        const Surface& surface = scene.surfaces[index];
        const Mesh& mesh = scene.meshes[surface.mesh];
        const Material& material = scene.materials[surface.material];
        SurfaceGeometry& g = geometry[index];
        for (const char c : surface.name) g.name = combine_bits(g.name, static_cast<unsigned char>(c));
        g.mirrored = determinant(surface.to_world) < 0;
        g.glass = material.alpha_mode == AlphaMode::blend || tints(material);
        g.free_exit = g.glass && !material.double_sided && is_closed(mesh);
        g.positions.reserve(mesh.positions.size() + 2);
        for (Vec3 p : mesh.positions) g.positions.push_back(transform_point(surface.to_world, p));
        RTCGeometry triangles = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
        g.positions.resize(mesh.positions.size() + 2);
        rtcSetSharedGeometryBuffer(triangles, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3,
                                   g.positions.data(), 0, sizeof(Vec3), mesh.positions.size());
        rtcSetSharedGeometryBuffer(triangles, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, mesh.indices.data(),
                                   0, 12, mesh.triangle_count());
        g.is_transmissive = stasigraph::is_transmissive(material);
        rtcSetGeometryUserData(triangles, this);
        rtcSetGeometryIntersectFilterFunction(triangles, &Tree::filter<0>);
        if (g.is_transmissive) rtcSetGeometryOccludedFilterFunction(triangles, &Tree::filter<1>);
        rtcCommitGeometry(triangles);
        rtcAttachGeometryByID(faces, triangles, index);
        if (g.glass) rtcAttachGeometryByID(glass, triangles, index);
        has_glass = has_glass || g.glass;
        rtcReleaseGeometry(triangles);
    }

    Hit hit_of(const RTCHit& hit, float distance, Vec3 direction) const {
        if (hit.geomID == RTC_INVALID_GEOMETRY_ID) return {};
        const bool away = hit.Ng_x * direction.x + hit.Ng_y * direction.y + hit.Ng_z * direction.z > 0;
        return {.surface = hit.geomID,
                .triangle = hit.primID,
                .u = hit.u,
                .v = hit.v,
                .distance = distance,
                .back = away != geometry[hit.geomID].mirrored};
    }

    /// The colour of the glass that a gathered ray passed on its way to what it met.
    Rgb tint_before(Vec3 origin, Vec3 direction, float distance, std::uint32_t seed) const;
};

RayCaster::RayCaster(const Scene& scene, const TextureSet& textures,
                     const std::function<bool(const Surface&)>& takes_part, unsigned threads)
    : tree_(std::make_unique<Tree>(scene, textures)) {
    tree_->device = rtcNewDevice(kernel_settings);
    if (!tree_->device)
        throw Error{.what = "the ray kernel did not start",
                    .where = "this machine",
                    .value = kernel_settings,
                    .remedy = "A processor with AVX2 is needed."};
    tree_->faces = rtcNewScene(tree_->device);
    rtcSetSceneFlags(tree_->faces, RTC_SCENE_FLAG_ROBUST);
    rtcSetSceneBuildQuality(tree_->faces, RTC_BUILD_QUALITY_HIGH);
    tree_->glass = rtcNewScene(tree_->device);
    rtcSetSceneFlags(tree_->glass, RTC_SCENE_FLAG_ROBUST);
    for (std::uint32_t s = 0; s < scene.surfaces.size(); ++s)
        if (takes_part(scene.surfaces[s]) && !scene.meshes[scene.surfaces[s].mesh]->indices.empty())
            tree_->add(s);
    tbb::task_arena(static_cast<int>(threads)).execute([&] {
        rtcCommitScene(tree_->faces);
        rtcCommitScene(tree_->glass);
    });
    if (rtcGetDeviceError(tree_->device) != RTC_ERROR_NONE)
        throw Error{.what = "the ray kernel could not build the scene",
                    .where = scene.name,
                    .value = "",
                    .remedy = "The scene may need more memory than there is."};
}

RayCaster::~RayCaster() = default;

static RTCRay kernel_ray(const Ray& ray) {
    RTCRay r;
    r.org_x = ray.origin.x;
    r.org_y = ray.origin.y;
    r.org_z = ray.origin.z;
    r.tnear = 0;
    r.dir_x = ray.direction.x;
    r.dir_y = ray.direction.y;
    r.dir_z = ray.direction.z;
    r.time = 0;
    r.tfar = ray.far;
    r.mask = ~0u;
    r.id = 0;
    r.flags = 0;
    return r;
}

static RTCRayHit kernel_ray_hit(const Ray& ray) {
    RTCRayHit r;
    r.ray = kernel_ray(ray);
    r.hit.geomID = RTC_INVALID_GEOMETRY_ID;
    r.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    return r;
}

bool RayCaster::is_glass(std::uint32_t surface) const noexcept {
    return tree_->geometry[surface].glass;
}

Hit RayCaster::closest(const Ray& ray) const noexcept {
    Query query(Crossing::stop);
    RTCRayHit r = kernel_ray_hit(ray);
    rtcIntersect1(tree_->faces, &query, &r);
    return tree_->hit_of(r.hit, r.ray.tfar, ray.direction);
}

Rgb RayCaster::Tree::tint_before(Vec3 origin, Vec3 direction, float distance, std::uint32_t seed) const {
    Query query(Crossing::tint);
    RTCRay r = kernel_ray({origin, direction, distance * (1 - 1e-6f)});
    r.id = seed;
    rtcOccluded1(glass, &query, &r);
    return query.through();
}

static bool is_on_edge(const Hit& hit) {
    return hit.surface != none && std::min({hit.u, hit.v, 1 - hit.u - hit.v}) < edge_weight;
}

Hit RayCaster::gathered_once(const Ray& ray, std::uint32_t seed, Rgb& tint) const noexcept {
    Query query(Crossing::chance);
    RTCRayHit r = kernel_ray_hit(ray);
    r.ray.id = seed;
    rtcIntersect1(tree_->faces, &query, &r);
    tint = {1, 1, 1};
    if (query.tinted) tint = tree_->tint_before(ray.origin, ray.direction, r.ray.tfar, seed);
    return tree_->hit_of(r.hit, r.ray.tfar, ray.direction);
}

Hit RayCaster::gathered_inside(const Hit& on_edge, const Ray& ray, std::uint32_t seed,
                               Rgb& tint) const noexcept {
    const Corners c = corners(on_edge.surface, on_edge.triangle);
    const Vec3 met = c.a * (1 - on_edge.u - on_edge.v) + c.b * on_edge.u + c.c * on_edge.v;
    const Vec3 inwards = ((c.a + c.b + c.c) * (1.0f / 3) - met) * edge_step;
    const float step = length(inwards), most = most_step + far_step * on_edge.distance;
    const Vec3 to = met + (step > most ? inwards * (most / step) : inwards);
    return gathered_once({ray.origin, normalize(to - ray.origin), ray.far}, seed, tint);
}

Hit RayCaster::gathered(const Ray& ray, std::uint32_t seed, Rgb& tint) const noexcept {
    const Hit hit = gathered_once(ray, seed, tint);
    return is_on_edge(hit) ? gathered_inside(hit, ray, seed, tint) : hit;
}

bool RayCaster::gathered_batch(const Batch& batch, Hit* hits, Rgb* tints) const noexcept {
    const auto [origin, directions, order, row_seed, numbers] = batch;
    const auto count = static_cast<std::uint32_t>(directions.size());
    bool tinted = false;
    for (std::uint32_t from = 0; from < count; from += 8) {
        const std::uint32_t n = std::min(8u, count - from);
        Query query(Crossing::chance);
        RTCRayHit8 r;
        alignas(32) int valid[8];
        for (std::uint32_t k = 0; k < 8; ++k) {
            const std::uint32_t i = order[from + std::min(k, n - 1)];
            const Vec3 d = directions[i];
            valid[k] = k < n ? -1 : 0;
            r.ray.org_x[k] = origin.x;
            r.ray.org_y[k] = origin.y;
            r.ray.org_z[k] = origin.z;
            r.ray.dir_x[k] = d.x;
            r.ray.dir_y[k] = d.y;
            r.ray.dir_z[k] = d.z;
            r.ray.tnear[k] = 0;
            r.ray.tfar[k] = 1e30f;
            r.ray.time[k] = 0;
            r.ray.mask[k] = ~0u;
            r.ray.id[k] = tree_->has_glass ? gather_seed(row_seed, numbers[i]) : 0;
            r.ray.flags[k] = 0;
            r.hit.geomID[k] = RTC_INVALID_GEOMETRY_ID;
            r.hit.instID[0][k] = RTC_INVALID_GEOMETRY_ID;
        }
        rtcIntersect8(valid, tree_->faces, &query, &r);
        for (std::uint32_t k = 0; k < n; ++k) {
            const std::uint32_t i = order[from + k];
            const RTCHit hit{.Ng_x = r.hit.Ng_x[k],
                             .Ng_y = r.hit.Ng_y[k],
                             .Ng_z = r.hit.Ng_z[k],
                             .u = r.hit.u[k],
                             .v = r.hit.v[k],
                             .primID = r.hit.primID[k],
                             .geomID = r.hit.geomID[k],
                             .instID = {}};
            hits[i] = tree_->hit_of(hit, r.ray.tfar[k], directions[i]);
            Rgb tint{1, 1, 1};
            if (is_on_edge(hits[i]))
                hits[i] = gathered_inside(hits[i], {origin, directions[i]}, r.ray.id[k], tint);
            else if (query.tinted)
                tint = tree_->tint_before(origin, directions[i], r.ray.tfar[k], r.ray.id[k]);
            if (!tinted && !(tint == Rgb{1, 1, 1})) {
                std::fill_n(tints, count, Rgb{1, 1, 1});
                tinted = true;
            }
            if (tinted) tints[i] = tint;
        }
    }
    return tinted;
}

int RayCaster::solids_around(Vec3 place, Vec3 direction, float far) const noexcept {
    Query query(Crossing::count);
    RTCRayHit r = kernel_ray_hit({place, direction, far});
    rtcIntersect1(tree_->faces, &query, &r);
    return query.left;
}

namespace {

/// The place of a triangle nearest to a point. Ericson, Real-Time Collision Detection, 2005, section 5.1.5.
Vec3 nearest_on(const RayCaster::Corners& t, Vec3 p) {
    const Vec3 ab = t.b - t.a, ac = t.c - t.a, ap = p - t.a, bp = p - t.b, cp = p - t.c;
    const float d1 = dot(ab, ap), d2 = dot(ac, ap), d3 = dot(ab, bp), d4 = dot(ac, bp), d5 = dot(ab, cp),
                d6 = dot(ac, cp);
    if (d1 <= 0 && d2 <= 0) return t.a;
    if (d3 >= 0 && d4 <= d3) return t.b;
    if (d6 >= 0 && d5 <= d6) return t.c;
    const float vc = d1 * d4 - d3 * d2, vb = d5 * d2 - d1 * d6, va = d3 * d6 - d5 * d4;
    if (vc <= 0 && d1 >= 0 && d3 <= 0) return t.a + ab * (d1 / (d1 - d3));
    if (vb <= 0 && d2 >= 0 && d6 <= 0) return t.a + ac * (d2 / (d2 - d6));
    if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0)
        return t.b + (t.c - t.b) * ((d4 - d3) / ((d4 - d3) + (d5 - d6)));
    const float sum = va + vb + vc;
    return sum > 0 ? t.a + ab * (vb / sum) + ac * (vc / sum) : t.a;
}

struct NearestQuery {
    const RayCaster& caster;
    Vec3 place, where{};
    float distance;
    std::pair<std::uint32_t, std::uint32_t> triangle{none, none};
};

bool look_at_triangle(RTCPointQueryFunctionArguments* args) {
    auto& query = *static_cast<NearestQuery*>(args->userPtr);
    const Vec3 where = nearest_on(query.caster.corners(args->geomID, args->primID), query.place);
    const float d = length(where - query.place);
    // Of those equally near the first, in whichever order the tree offers them.
    const std::pair triangle(args->geomID, args->primID);
    if (d > query.distance || (d == query.distance && triangle >= query.triangle)) return false;
    query.where = where;
    query.distance = d;
    query.triangle = triangle;
    args->query->radius = d;
    return true;
}

}  // namespace

bool RayCaster::nearest(Vec3 place, float within, Vec3& where) const noexcept {
    RTCPointQueryContext context;
    rtcInitPointQueryContext(&context);
    RTCPointQuery q{.x = place.x, .y = place.y, .z = place.z, .time = 0, .radius = within};
    NearestQuery query{.caster = *this, .place = place, .distance = within};
    rtcPointQuery(tree_->faces, &q, &context, look_at_triangle, &query);
    where = query.where;
    return query.triangle.first != none;
}

bool RayCaster::closest_raw(const Ray& ray) const noexcept {
    Query query(Crossing::stop);
    RTCRayHit r = kernel_ray_hit(ray);
    rtcIntersect1(tree_->faces, &query, &r);
    return r.hit.geomID != RTC_INVALID_GEOMETRY_ID;
}

Rgb RayCaster::transmitted(const Ray& ray) const noexcept {
    Query query(Crossing::measure);
    RTCRay r = kernel_ray(ray);
    rtcOccluded1(tree_->faces, &query, &r);
    return r.tfar < 0 ? Rgb{} : query.through();
}

RayCaster::Corners RayCaster::corners(std::uint32_t surface, std::uint32_t triangle) const {
    const SurfaceGeometry& g = tree_->geometry[surface];
    const Mesh& mesh = tree_->scene.meshes[tree_->scene.surfaces[surface].mesh];
    const std::uint32_t* i = &mesh.indices[3 * static_cast<std::size_t>(triangle)];
    Corners c{g.positions[i[0]], g.positions[i[1]], g.positions[i[2]], {}};
    c.normal = normalize(cross(c.b - c.a, c.c - c.a)) * (g.mirrored ? -1.0f : 1.0f);
    return c;
}

RayCaster::SurfacePoint RayCaster::place(const Hit& hit) const {
    const Surface& surface = tree_->scene.surfaces[hit.surface];
    const Mesh& mesh = tree_->scene.meshes[surface.mesh];
    const Corners c = corners(hit.surface, hit.triangle);
    const float side = hit.back ? -1.0f : 1.0f, w = 1 - hit.u - hit.v;
    return {c.a * w + c.b * hit.u + c.c * hit.v,
            shading_normal(mesh, hit.triangle, {hit.u, hit.v}, surface.to_world, c.normal) * side,
            c.normal * side};
}

}  // namespace stasigraph
