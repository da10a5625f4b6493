#include "bake/chart_source.hpp"

#define XXH_INLINE_ALL
#include <xxhash.h>

#include <algorithm>
#include <cmath>

#include "chart/given_uv.hpp"
#include "chart/shares.hpp"

namespace stasigraph {

namespace {

/// Patches (what bounces light but has no lightmap) have this share of the level's density.
constexpr float patch_density = 0.5f;

double world_area(const Mesh& mesh, const Affine& to_world) {
    double area = 0;
    for (std::size_t t = 0; t < mesh.triangle_count(); ++t) {
        if (mesh.is_covered(t)) continue;
        const Vec3 a = mesh.positions[mesh.indices[3 * t]];
        const Vec3 e1 = transform_vector(to_world, mesh.positions[mesh.indices[3 * t + 1]] - a),
                   e2 = transform_vector(to_world, mesh.positions[mesh.indices[3 * t + 2]] - a);
        area += 0.5 * static_cast<double>(length(cross(e1, e2)));
    }
    return area;
}

class KeyMaker {
public:
    template <class T>
    KeyMaker& add(const std::vector<T>& values) {
        add(values.size());
        hash_ = XXH3_64bits_withSeed(values.data(), values.size() * sizeof(T), hash_);
        return *this;
    }
    template <class T>
    KeyMaker& add(T value) {
        hash_ = XXH3_64bits_withSeed(&value, sizeof value, hash_);
        return *this;
    }
    std::uint64_t key() const { return hash_; }

private:
    std::uint64_t hash_ = 0x73746173;
};

}  // namespace

ChartSource::ChartSource(const Level& level, float density_scale, Job& job)
    : level_(level), map_(level.lightmap), scale_(density_scale), job_(job) {
    make_wishes();
    look_around();
}

Wish ChartSource::wish(std::uint32_t s, double area, float density) const {
    const Surface& surface = level_.surfaces[s];
    Wish w{.area = area, .share = {}};
    // No page could hold more: what is larger is cut to size before it is cut to charts.
    const double most = 0.98 * map_.page / std::sqrt(area);
    w.shape = shape_of(surface.to_world, std::min(static_cast<double>(density), most));
    if (w.shape.xx <= 0) return {};
    KeyMaker key;
    key.add(mesh_keys_[surface.mesh]).add(w.shape).add(map_.page).add(map_.margin).add(map_.block);
    key.add(map_.stretch_limit).add(map_.pages).add(surface.unwrap);
    w.key = key.key();
    return w;
}

void ChartSource::make_wishes() {
    for (const Mesh& mesh : level_.meshes)
        mesh_keys_.push_back(KeyMaker()
                                 .add(mesh.positions)
                                 .add(mesh.normals)
                                 .add(mesh.indices)
                                 .add(mesh.uv1)
                                 .add(mesh.covered)
                                 .key());
    front.resize(level_.surfaces.size());
    back.resize(level_.surfaces.size());
    for (std::uint32_t s = 0; s < front.size(); ++s) {
        const Surface& surface = level_.surfaces[s];
        if (surface.part == Part::moving) continue;
        const double area = world_area(level_.meshes[surface.mesh], surface.to_world);
        const float density = map_.density * scale_ * surface.density;
        if (area > 0 && std::isfinite(area) && std::isfinite(density))
            front[s] = wish(s, area, mapped(s) ? density : density * patch_density);
        if (area == 0 && !level_.meshes[surface.mesh]->covered.empty()) continue;  // all of it
        if (!(front[s].area > 0)) {
            job_.note("surface " + surface.name +
                      (std::isfinite(area) ? " has no area" : " has no finite area") +
                      " and gets no lightmap");
            continue;
        }
        if (level_.materials[surface.material].double_sided) back[s] = wish(s, area, density * patch_density);
    }
}

void ChartSource::look_around() {
    if (!map_.shrink_unseen) return;
    tree_ = tree_of(level_, stands_still, job_.threads());
    sight_ = std::make_unique<Sight>(level_, tree_->rays(), job_);
    if (!sight_->knows())
        job_.note("unseen = \"shrink\" needs a volume or a camera to look from: nothing is shrunk");
}

std::vector<float> ChartSource::shares(std::uint32_t s, const Unfolded& unfolded) {
    std::vector<float> share(std::max(1u, unfolded.charts.count()), 1.0f);
    if (!sight_ || !sight_->knows() || unfolded.given() || !mapped(s)) return share;
    std::vector<std::vector<std::uint32_t>> triangles(share.size());
    std::vector<double> area(share.size(), 0.0);
    for (std::uint32_t t = 0; t < unfolded.charts.chart.size(); ++t)
        if (const std::uint32_t c = unfolded.charts.chart[t]; c != none) {
            triangles[c].push_back(t);
            area[c] += static_cast<double>(unfolded.graph.area[t]);
        }
    job_.parallel(share.size(), 1, [&](std::size_t c, std::size_t) {
        if (area[c] >= least_shrunk_area && !sight_->sees(s, triangles[c])) share[c] = unseen_share;
    });
    return share;
}

std::shared_ptr<Unfolded> ChartSource::unfold(std::uint32_t s, const Wish& w) {
    const auto [at, fresh] = unfolded_.try_emplace(w.key);
    if (!fresh) return at->second;
    const Surface& surface = level_.surfaces[s];
    const Mesh& mesh = level_.meshes[surface.mesh];
    const auto made = std::make_shared<Unfolded>();
    made->mesh = surface.mesh;
    made->graph = make_graph(mesh, w.shape);
    const int limit = map_.page - 2 * map_.margin;
    if (!mesh.uv1.empty() && surface.unwrap != UnwrapMode::make) {
        GivenUv given = judge_given_uv(mesh, made->graph, map_.margin, limit);
        const bool keep =
            given.fault.empty() && (given.warning.empty() || surface.unwrap == UnwrapMode::keep);
        if (keep) {
            if (!given.warning.empty())
                job_.note("surface " + surface.name + " keeps its TEXCOORD_1 as asked, though " +
                          given.warning);
            made->charts = std::move(given.charts);
            made->given_width = given.width;
            made->given_height = given.height;
        } else {
            job_.note("surface " + surface.name + ": its TEXCOORD_1 is not usable (" +
                      (given.fault.empty() ? given.warning : given.fault) + "); a new unwrap is made");
        }
    } else if (mesh.uv1.empty() && surface.unwrap == UnwrapMode::keep) {
        job_.note("surface " + surface.name + " brings no TEXCOORD_1 to keep; a new unwrap is made");
    }
    if (!made->given())
        made->charts = cut_charts(made->graph,
                                  // A little is left for moves to whole texels.
                                  {.stretch_limit = 1 + (map_.stretch_limit - 1) * 0.95f,
                                   .margin = map_.margin,
                                   .longest = static_cast<float>(limit)},
                                  job_);
    for (const float a : made->graph.area) made->area += static_cast<double>(a);
    return at->second = made;
}

/// The key with what can be seen of the surface.
std::uint64_t ChartSource::full_key(std::uint32_t s) {
    if (!sight_ || !sight_->knows()) return front[s].key;
    if (front[s].share.empty()) front[s].share = shares(s, *unfold(s, front[s]));
    return KeyMaker().add(front[s].key).add(front[s].share).key();
}

}  // namespace stasigraph
