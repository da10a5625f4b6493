#include "stasigraph/finding_view.hpp"

#include <algorithm>
#include <cmath>

#include "picture/draw.hpp"
#include "probe/free_space.hpp"

namespace stasigraph {

namespace {

constexpr std::uint32_t ways = 96;  ///< Directions from which a place may be looked at.
constexpr float fov = 50 * pi / 180;
constexpr float nearest = 0.45f, farthest = 60;  ///< Metres from eye to place.
constexpr Rgb accepted_color{0.45f, 0.45f, 0.45f};
constexpr float least_ring = 11;  ///< Pixels.

std::shared_ptr<const SeenLevel> seen_of(const Level& level) {
    return std::make_shared<const SeenLevel>(level,
                                             [](const Surface& s) { return s.part != Part::bake_only; });
}

/// A level without pages, for pictures that need none.
Atlas bare_atlas(const Level& level) {
    Atlas atlas;
    atlas.surfaces.resize(level.surfaces.size());
    return atlas;
}

/// The way out of what is around a place, along a direction: past faces that are met from behind.
Vec3 out_of(const RayCaster& caster, Vec3 place, Vec3 way) {
    for (int step = 0; step < 4; ++step) {
        const Hit hit = caster.closest({place, way, farthest});
        if (hit.surface == none || !hit.back) break;
        place = place + way * (hit.distance + 2 * ray_start_offset);
    }
    return place;
}

Camera camera_for(const SeenLevel& seen, const Finding& f) {
    Camera best{.name = f.id, .eye = {0, 0, 1}, .toward = {0, 0, 0}, .vertical_fov = fov};
    if (!f.at) return best;
    const float wanted = std::clamp(3 * f.size, 1.8f, farthest);
    const bool sided = length(f.facing) > 0.5f;
    float most = -1;
    for (std::uint32_t i = 0; i < ways; ++i) {
        const Vec3 way = sphere_direction(sobol_point(0x63616dU, i));
        const float front = sided ? dot(way, f.facing) : 1;
        if (front < 0.15f) continue;
        const Vec3 start = out_of(seen.caster, *f.at + (sided ? f.facing * 0.02f : Vec3{}), way);
        const Hit hit = seen.caster.closest({start, way, wanted});
        const float free = hit.surface == none ? wanted : hit.distance * 0.9f;
        const float away = length(start - *f.at) + free;
        // Rather from somewhat above, and aslant rather than straight on.
        const float slant = sided ? 1 - std::abs(front - 0.7f) : 1,
                    above = 1 - 0.6f * std::abs(way.y - 0.35f);
        // What is close before the eye hides much.
        Vec3 near;
        const bool cramped = seen.caster.nearest(start + way * free, 0.5f, near) && free > nearest;
        const float worth = (cramped ? 0.5f : 1.0f) * std::min(free / wanted, 1.0f) * slant * above *
                            (free < nearest ? 0.3f : 1.0f);
        if (worth <= most) continue;
        most = worth;
        best.eye = *f.at + way * away;
        best.toward = *f.at;
    }
    return best;
}

void blend(Picture& p, int x, int y, Rgb c, float share) {
    if (x < 0 || y < 0 || x >= p.width || y >= p.height) return;
    Rgb& to = p.pixels[static_cast<std::size_t>(y) * static_cast<std::size_t>(p.width) +
                       static_cast<std::size_t>(x)];
    to = to * (1 - share) + c * share;
}

/// A ring with a dark rim, so that it shows on anything; dashed where what it means is hidden.
void ring(Picture& picture, const FindingMark& at, Rgb color) {
    const auto [x, y, radius] = std::tuple(at.x, at.y, at.radius);
    constexpr float half = 1.6f, rim = 1.4f;
    const float reach = radius + half + rim + 1;
    for (int py = static_cast<int>(y - reach); py <= static_cast<int>(y + reach) + 1; ++py)
        for (int px = static_cast<int>(x - reach); px <= static_cast<int>(x + reach) + 1; ++px) {
            const float dx = static_cast<float>(px) + 0.5f - x, dy = static_cast<float>(py) + 0.5f - y;
            const float off = std::abs(std::sqrt(dx * dx + dy * dy) - radius);
            if (at.hidden && std::fmod(std::atan2(dy, dx) + 2 * pi, pi / 4) > pi / 8) continue;
            blend(picture, px, py, {0, 0, 0}, 0.75f * std::clamp(half + rim - off, 0.0f, 1.0f));
            blend(picture, px, py, color, std::clamp(half - off, 0.0f, 1.0f));
        }
}

FindingMark mark(const Viewer& viewer, const Shot& shot, const Finding& f, std::size_t number,
                 Picture& picture) {
    FindingMark m{.finding = number};
    const Projected p = shot.project(*f.at);
    if (!(p.depth > 0.05f) || p.x < 0 || p.y < 0 || p.x >= static_cast<float>(picture.width) ||
        p.y >= static_cast<float>(picture.height))
        return m;
    const Vec3 d = *f.at - shot.eye();
    const float far = length(d);
    m.hidden = viewer.depth(shot.eye(), d * (1 / far)) < far - std::max(0.1f, 0.6f * f.size);
    m.x = p.x;
    m.y = p.y;
    m.radius =
        std::clamp(p.pixels_per_metre * f.size * 0.5f, least_ring, 0.3f * static_cast<float>(picture.height));
    ring(picture, m, f.accepted.empty() ? severity_color(f.severity) : accepted_color);
    return m;
}

}  // namespace

Rgb severity_color(Severity severity) {
    // Told apart by lightness as well as by hue.
    constexpr Rgb colors[] = {{0.3f, 0.62f, 0.85f}, {1, 0.62f, 0.05f}, {0.95f, 0.08f, 0.08f}};
    return colors[static_cast<int>(severity)];
}

std::vector<Camera> finding_cameras(const Level& level, const std::vector<Finding>& findings, Job& job) {
    const auto seen = seen_of(level);
    std::vector<Camera> cameras(findings.size());
    job.parallel(findings.size(), 1,
                 [&](std::size_t i, std::size_t) { cameras[i] = camera_for(*seen, findings[i]); });
    return cameras;
}

std::vector<Picture> finding_pictures(const Level& level, const std::vector<Finding>& findings, int width,
                                      int height, Job& job) {
    const auto seen = seen_of(level);
    const Atlas atlas = bare_atlas(level);
    const ViewOptions settings{.width = width, .height = height, .samples = 4, .show = Show::plain};
    std::vector<Picture> pictures(findings.size());
    job.begin(Stage::pictures, findings.size() * draw_units(settings));
    for (std::size_t i = 0; i < findings.size(); ++i) {
        if (!findings[i].at) continue;
        const Camera camera = camera_for(*seen, findings[i]);
        const Viewer viewer({level, atlas}, {}, settings, camera.vertical_fov, {.meets = seen});
        const Shot shot(viewer, camera, settings);
        pictures[i] = draw(shot, settings, job);
        mark(viewer, shot, findings[i], i, pictures[i]);
    }
    job.finish();
    return pictures;
}

std::vector<FindingMark> mark_findings(const Level& level, const std::vector<Finding>& findings,
                                       const Camera& camera, Picture& picture, Job&) {
    const Atlas atlas = bare_atlas(level);
    const ViewOptions settings{.width = picture.width, .height = picture.height, .show = Show::plain};
    const Viewer viewer({level, atlas}, {}, settings, camera.vertical_fov, {});
    const Shot shot(viewer, camera, settings);
    std::vector<FindingMark> marks;
    for (std::size_t i = findings.size(); i-- > 0;)  // the worst on top
        if (findings[i].at)
            if (const FindingMark m = mark(viewer, shot, findings[i], i, picture); m.radius > 0)
                marks.push_back(m);
    return marks;
}

}  // namespace stasigraph
