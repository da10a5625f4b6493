#include "trace/ray_caster.hpp"

#include <embree3/rtcore.h>
#include <tbb/task_arena.h>

#include <algorithm>

#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

// One instruction set, whatever the machine: the same rays meet the same triangles everywhere.
constexpr const char* kernel_settings = "isa=avx2,set_affinity=0";

/// Embree reads 16 bytes at the last vertex, so each array ends with a spare one.
struct SurfaceGeometry {
    std::vector<Vec3> positions;
    bool mirrored = false;
    bool masked = false;
    std::uint32_t surface = none;
};

}  // namespace

struct RayCaster::Scene {
    const Level& level;
    const TextureSet& textures;
    RTCDevice device = nullptr;
    RTCScene scene = nullptr;
    std::vector<SurfaceGeometry> geometry;  ///< One for each surface; empty where it takes no part.

    Scene(const Level& l, const TextureSet& t) : level(l), textures(t), geometry(l.surfaces.size()) {}
    Scene(const Scene&) = delete;
    Scene& operator=(const Scene&) = delete;
    ~Scene() {
        if (scene) rtcReleaseScene(scene);
        if (device) rtcReleaseDevice(device);
    }

    /// Whether a MASK surface is open where a ray meets it.
    bool open_at(std::uint32_t surface, std::uint32_t triangle, float u, float v) const {
        const Surface& s = level.surfaces[surface];
        return textures.alpha(level, s, triangle, u, v) < level.materials[s.material].alpha_cutoff;
    }

    static void filter(const RTCFilterFunctionNArguments* args) {
        const auto* scene = static_cast<const Scene*>(args->geometryUserPtr);
        for (unsigned i = 0; i < args->N; ++i) {
            if (args->valid[i] != -1) continue;
            const RTCHit hit = rtcGetHitFromHitN(args->hit, args->N, i);
            if (scene->open_at(hit.geomID, hit.primID, hit.u, hit.v)) args->valid[i] = 0;
        }
    }

    void add(std::uint32_t index) {
        const Surface& surface = level.surfaces[index];
        const Mesh& mesh = level.meshes[surface.mesh];
        SurfaceGeometry& g = geometry[index];
        g.surface = index;
        g.mirrored = determinant(surface.to_world) < 0;
        g.positions.reserve(mesh.positions.size() + 2);
        for (Vec3 p : mesh.positions) g.positions.push_back(transform_point(surface.to_world, p));
        RTCGeometry triangles = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
        g.positions.resize(mesh.positions.size() + 2);
        rtcSetSharedGeometryBuffer(triangles, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3,
                                   g.positions.data(), 0, sizeof(Vec3), mesh.positions.size());
        rtcSetSharedGeometryBuffer(triangles, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, mesh.indices.data(),
                                   0, 12, mesh.triangle_count());
        if (level.materials[surface.material].alpha_mode == AlphaMode::mask) {
            g.masked = true;
            rtcSetGeometryUserData(triangles, this);
            rtcSetGeometryIntersectFilterFunction(triangles, &Scene::filter);
            rtcSetGeometryOccludedFilterFunction(triangles, &Scene::filter);
        }
        rtcCommitGeometry(triangles);
        rtcAttachGeometryByID(scene, triangles, index);
        rtcReleaseGeometry(triangles);
    }
};

RayCaster::RayCaster(const Level& level, const TextureSet& textures,
                     const std::function<bool(const Surface&)>& takes_part)
    : scene_(std::make_unique<Scene>(level, textures)) {
    scene_->device = rtcNewDevice(kernel_settings);
    if (!scene_->device)
        throw Error{.what = "the ray kernel did not start",
                    .where = "this machine",
                    .value = kernel_settings,
                    .remedy = "A processor with AVX2 is needed."};
    scene_->scene = rtcNewScene(scene_->device);
    rtcSetSceneFlags(scene_->scene, RTC_SCENE_FLAG_ROBUST);
    rtcSetSceneBuildQuality(scene_->scene, RTC_BUILD_QUALITY_HIGH);
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s)
        if (takes_part(level.surfaces[s]) && !level.meshes[level.surfaces[s].mesh].indices.empty())
            scene_->add(s);
    // Built by one thread: a parallel build orders coincident triangles by the number of threads.
    tbb::task_arena(1).execute([&] { rtcCommitScene(scene_->scene); });
    if (rtcGetDeviceError(scene_->device) != RTC_ERROR_NONE)
        throw Error{.what = "the ray kernel could not build the scene",
                    .where = level.name,
                    .value = "",
                    .remedy = "The level may need more memory than there is."};
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

Hit RayCaster::closest(const Ray& ray) const noexcept {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit r;
    r.ray = kernel_ray(ray);
    r.hit.geomID = RTC_INVALID_GEOMETRY_ID;
    r.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    rtcIntersect1(scene_->scene, &context, &r);
    if (r.hit.geomID == RTC_INVALID_GEOMETRY_ID) return {};
    const bool away =
        r.hit.Ng_x * ray.direction.x + r.hit.Ng_y * ray.direction.y + r.hit.Ng_z * ray.direction.z > 0;
    return {.surface = r.hit.geomID,
            .triangle = r.hit.primID,
            .u = r.hit.u,
            .v = r.hit.v,
            .distance = r.ray.tfar,
            .back = away != scene_->geometry[r.hit.geomID].mirrored};
}

void RayCaster::closest_batch(Vec3 origin, const Vec3* directions, const std::uint8_t* order,
                              std::uint32_t count, Hit* hits) const noexcept {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    for (std::uint32_t first = 0; first < count; first += 8) {
        const std::uint32_t n = std::min(8u, count - first);
        RTCRayHit8 r;
        alignas(32) int valid[8];
        for (std::uint32_t k = 0; k < 8; ++k) {
            const Vec3 d = directions[order[first + std::min(k, n - 1)]];
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
            r.ray.id[k] = k;
            r.ray.flags[k] = 0;
            r.hit.geomID[k] = RTC_INVALID_GEOMETRY_ID;
            r.hit.instID[0][k] = RTC_INVALID_GEOMETRY_ID;
        }
        rtcIntersect8(valid, scene_->scene, &context, &r);
        for (std::uint32_t k = 0; k < n; ++k) {
            Hit& hit = hits[order[first + k]];
            hit = {};
            if (r.hit.geomID[k] == RTC_INVALID_GEOMETRY_ID) continue;
            const bool away = r.hit.Ng_x[k] * r.ray.dir_x[k] + r.hit.Ng_y[k] * r.ray.dir_y[k] +
                                  r.hit.Ng_z[k] * r.ray.dir_z[k] >
                              0;
            hit = {.surface = r.hit.geomID[k],
                   .triangle = r.hit.primID[k],
                   .u = r.hit.u[k],
                   .v = r.hit.v[k],
                   .distance = r.ray.tfar[k],
                   .back = away != scene_->geometry[r.hit.geomID[k]].mirrored};
        }
    }
}

bool RayCaster::closest_raw(const Ray& ray) const noexcept {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit r;
    r.ray = kernel_ray(ray);
    r.hit.geomID = RTC_INVALID_GEOMETRY_ID;
    r.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    rtcIntersect1(scene_->scene, &context, &r);
    return r.hit.geomID != RTC_INVALID_GEOMETRY_ID;
}

bool RayCaster::blocked(const Ray& ray) const noexcept {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRay r = kernel_ray(ray);
    rtcOccluded1(scene_->scene, &context, &r);
    return r.tfar < 0;
}

RayCaster::Corners RayCaster::corners(std::uint32_t surface, std::uint32_t triangle) const {
    const SurfaceGeometry& g = scene_->geometry[surface];
    const Mesh& mesh = scene_->level.meshes[scene_->level.surfaces[surface].mesh];
    const std::uint32_t* i = &mesh.indices[3 * static_cast<std::size_t>(triangle)];
    Corners c{g.positions[i[0]], g.positions[i[1]], g.positions[i[2]], {}};
    c.normal = normalize(cross(c.b - c.a, c.c - c.a)) * (g.mirrored ? -1.0f : 1.0f);
    return c;
}

RayCaster::Place RayCaster::place(const Hit& hit) const {
    const Surface& surface = scene_->level.surfaces[hit.surface];
    const Mesh& mesh = scene_->level.meshes[surface.mesh];
    const Corners c = corners(hit.surface, hit.triangle);
    const float side = hit.back ? -1.0f : 1.0f, w = 1 - hit.u - hit.v;
    return {c.a * w + c.b * hit.u + c.c * hit.v,
            shading_normal(mesh, hit.triangle, hit.u, hit.v, surface.to_world, c.normal) * side,
            c.normal * side};
}

}  // namespace stasigraph
