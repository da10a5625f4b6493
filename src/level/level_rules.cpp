// What a level may hold: every number that is used as an index, a place or an amount is looked at here, once.

#include <algorithm>
#include <array>
#include <cmath>
#include <string>

#include "base/text.hpp"
#include "level/field_ranges.hpp"
#include "level/reflection_rules.hpp"
#include "level/volume_rules.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

namespace {

[[noreturn]] void fail(const char* what, const std::string& where, const std::string& value = "",
                       const char* remedy = "") {
    throw Error{.what = what, .where = where, .value = value, .remedy = remedy};
}

/// Nowhere negative and below 1e12.
bool is_light(Rgb c) {
    return std::min({c.r, c.g, c.b}) >= 0 && max_channel(c) < 1e12f;
}
bool is_unit(Vec3 v) {
    return std::abs(length(v) - 1) < 1e-3f;
}

void check_image(const Image& image) {
    const std::string where = "image " + image.name;
    if (image.width < 1 || image.height < 1 || image.width > 65536 || image.height > 65536)
        fail("an image has no size, or one over 65536", where,
             std::to_string(image.width) + " x " + std::to_string(image.height));
    if (image.rgba.size() !=
        4 * static_cast<std::size_t>(image.width) * static_cast<std::size_t>(image.height))
        fail("an image's size and pixels disagree", where, std::to_string(image.rgba.size()) + " bytes",
             "Give four bytes for each pixel.");
}

void check_material(const Level& level, const Material& m) {
    const std::string where = "material " + m.name;
    check_ranges(m, where);
    for (const TextureUse* use : {&m.base_texture, &m.emission_texture, &m.transmission_texture,
                                  &m.normal_texture, &m.roughness_texture}) {
        if (use->image == none) continue;
        if (use->image >= level.images.size())
            fail("a material names an image that does not exist", where, std::to_string(use->image));
        const float all = use->offset.x + use->offset.y + use->scale.x + use->scale.y + use->rotation;
        if (!std::isfinite(all)) fail("the place of a texture is not finite", where);
    }
}

/// Where the farthest corner of what a surface takes up lies.
void check_surface(const Level& level, const Surface& s, const std::vector<std::array<Vec3, 2>>& bounds) {
    if (s.mesh >= level.meshes.size() || s.material >= level.materials.size())
        fail("a surface names a mesh or material that does not exist", s.name);
    if (s.group != none && s.group >= level.groups.size())
        fail("a surface names a light group that does not exist", s.name, std::to_string(s.group));
    if (s.copy_of != none && s.copy_of >= level.surfaces.size())
        fail("a surface is a copy of one that does not exist", s.name, std::to_string(s.copy_of));
    check_ranges(s, s.name);
    const Affine& m = s.to_world;
    if (!is_finite(m.x) || !is_finite(m.y) || !is_finite(m.z) || !is_finite(m.origin))
        fail("a transform is not finite", s.name, "", "Export the node again.");
    if (level.meshes[s.mesh]->positions.empty()) return check_place(m.origin, s.name);
    const auto& [low, high] = bounds[s.mesh];
    for (int corner = 0; corner < 8; ++corner)
        check_place(transform_point(m, {corner & 1 ? high.x : low.x, corner & 2 ? high.y : low.y,
                                        corner & 4 ? high.z : low.z}),
                    s.name);
}

std::array<Vec3, 2> bounds_of(const Mesh& mesh) {
    std::array<Vec3, 2> b{};
    if (!mesh.positions.empty()) b = {mesh.positions[0], mesh.positions[0]};
    for (const Vec3 p : mesh.positions) b = {min(b[0], p), max(b[1], p)};
    return b;
}

/// A set's name is that of a folder among the files of a bake, on every system.
void check_set_name(const Level& level, const std::string& name) {
    const auto like = [&](const char* start, const char* end) {
        return name.starts_with(start) && name.ends_with(end);
    };
    const auto bad_letter = [](unsigned char c) {
        return c < 0x20 || c == 0x7f ||
               std::string_view("/\\:*?\"<>|").find(static_cast<char>(c)) != std::string_view::npos;
    };
    constexpr const char* remedy = "Use up to 100 letters, digits, spaces, - and _.";
    if (name.empty() || name.size() > 100 || name.front() == '.' || name.front() == ' ' ||
        name.back() == '.' || name.back() == ' ' || std::any_of(name.begin(), name.end(), bad_letter))
        fail("cannot be the name of a folder", "set", name, remedy);
    if (name == "kept" || name == "play" || name == "views" || name == "manifest.json" ||
        name == "game.sgl" || name == "places.json" || name == "probes.bin" || name == "probes.json" ||
        name == level.name + ".glb" || like("charts-", ".bin") || like("inputs-", ".json") ||
        like("visibility-", ".png") || like("occlusion-", ".png"))
        fail("is the name of a file or folder that a bake writes beside the sets", "set", name,
             "Choose another name.");
}

void check_set(const Level& level, const BakeSet& set) {
    check_set_name(level, set.name);
    if (std::count_if(level.sets.begin(), level.sets.end(),
                      [&](const BakeSet& s) { return s.name == set.name; }) > 1)
        fail("two sets have this name", "set", set.name, "Names of sets must differ.");
    check_ranges(set, "set " + set.name);
    if (set.step != none && set.step >= level.series.size())
        fail("a set is of a step that no series has", set.name, std::to_string(set.step),
             "Fill in Level::series.");
    if (set.layer != none && set.layer >= level.groups.size())
        fail("a layer is of a light group that is not there", set.name, std::to_string(set.layer),
             "Name one of Level::groups.");
}

void check_profile(const Profile& p) {
    const std::string where = "profile " + p.name;
    if (p.angle.empty() || p.plane.empty() || p.candela.size() != p.angle.size() * p.plane.size())
        fail("a profile's angles and values disagree", where, std::to_string(p.candela.size()));
    for (const float v : p.candela)
        if (!(v >= 0 && v < 1e12f)) fail("a profile's value is negative or not finite", where, to_text(v));
    for (const auto* list : {&p.plane, &p.angle})
        for (std::size_t i = 0; i < list->size(); ++i)
            if (!std::isfinite((*list)[i]) || (i > 0 && !((*list)[i] > (*list)[i - 1])))
                fail("a profile's angles do not ascend", where, to_text((*list)[i]));
    if (!std::isfinite(p.peak) || !std::isfinite(p.lumens)) fail("a profile's sums are not finite", where);
}

/// Numbers that choose one of an enumeration may come from anywhere.
void check_choices(const Level& level) {
    const auto within = [](auto value, auto last) {
        return static_cast<unsigned>(value) <= static_cast<unsigned>(last);
    };
    if (!within(level.quality.tier, Tier::final)) fail("there is no such tier", "quality.tier");
    for (const Light& l : level.lights)
        if (!within(l.kind, LightKind::tube) || !within(l.role, BakeRole::realtime))
            fail("there is no such kind of light", l.name);
    if (!within(level.sky.kind, SkyKind::standard)) fail("there is no such kind of sky", "the sky");
}

void check_mesh(const Mesh& mesh) {
    const auto fail = [&](const char* what, std::size_t at) {
        throw Error{.what = what,
                    .where = "mesh " + mesh.name,
                    .value = "vertex or index " + std::to_string(at),
                    .remedy = "Export the mesh again."};
    };
    if (mesh.indices.size() % 3 != 0) fail("indices are no whole number of triangles", mesh.indices.size());
    if (mesh.normals.size() != mesh.positions.size())
        fail("normals and positions differ in number", mesh.normals.size());
    if (!mesh.uv0.empty() && mesh.uv0.size() != mesh.positions.size())
        fail("TEXCOORD_0 has the wrong length", mesh.uv0.size());
    if (!mesh.uv1.empty() && mesh.uv1.size() != mesh.positions.size())
        fail("TEXCOORD_1 has the wrong length", mesh.uv1.size());
    if (!mesh.tangents.empty() && mesh.tangents.size() != mesh.positions.size())
        fail("TANGENT has the wrong length", mesh.tangents.size());
    for (std::size_t i = 0; i < mesh.positions.size(); ++i)
        if (!is_finite(mesh.positions[i]) || !is_finite(mesh.normals[i]))
            fail("a position or normal is not finite", i);
    for (const auto* uvs : {&mesh.uv0, &mesh.uv1})
        for (std::size_t i = 0; i < uvs->size(); ++i)
            if (!std::isfinite((*uvs)[i].x) || !std::isfinite((*uvs)[i].y)) fail("a UV is not finite", i);
    for (std::size_t i = 0; i < mesh.tangents.size(); ++i)
        if (!is_finite(mesh.tangents[i].along)) fail("a tangent is not finite", i);
    for (std::size_t i = 0; i < mesh.indices.size(); ++i)
        if (mesh.indices[i] >= mesh.positions.size()) fail("an index is out of range", i);
}

void check_lightmap(const LightmapOptions& s) {
    if (s.page < 16 || s.page > 16384 || (s.page & (s.page - 1)) != 0)
        throw Error{.what = "page size is no power of two between 16 and 16384",
                    .where = "lightmap.page",
                    .value = std::to_string(s.page),
                    .remedy = "Use 512, 1024, 2048 or 4096."};
    if (s.block != 1 && s.block != 4 && s.block != 8)
        throw Error{.what = "block size is not that of any block-compressed texture",
                    .where = "lightmap.block",
                    .value = std::to_string(s.block),
                    .remedy = "Use 4, or 8 to keep one mipmap level apart too; 1 is none."};
    check_ranges(s, "lightmap.");
    if (s.page < 4 * s.margin)
        throw Error{.what = "margin leaves no room on the page",
                    .where = "lightmap.margin",
                    .value = std::to_string(s.margin),
                    .remedy = "Use a larger page or a smaller margin."};
}

void check_light(const Level& level, const Light& light) {
    check_ranges(light, light.name);
    if (light.inner_cone > light.outer_cone)
        fail("a spot's inner cone is wider than its outer one", light.name, to_text(light.inner_cone),
             "Use 0 up to the outer cone.");
    check_place(light.position, light.name);
    const bool sized = light.kind == LightKind::rectangle ? light.width > 0 && light.height > 0
                       : light.kind == LightKind::disc    ? light.radius > 0
                       : light.kind == LightKind::tube    ? light.radius > 0 && light.width > 0
                                                          : true;
    if (!sized)
        throw Error{.what = "a light has no size",
                    .where = light.name,
                    .value = to_text(light.width) + " by " + to_text(light.height) + ", radius " +
                             to_text(light.radius),
                    .remedy = "Rectangles need width and height, discs a radius, tubes length and radius."};
    const bool crossed =
        light.kind == LightKind::rectangle || light.kind == LightKind::disc || light.profile != none;
    if (!is_unit(light.direction) || !is_unit(light.across) ||
        (crossed && !(std::abs(dot(light.across, light.direction)) < 1e-3f)))
        throw Error{.what = "a light's place or axes are broken",
                    .where = light.name,
                    .value = "",
                    .remedy =
                        "direction and across must be unit vectors; of rectangles, discs and profiles square "
                        "to each other."};
    if (light.profile != none && light.profile >= level.profiles.size())
        throw Error{.what = "a light names a profile that does not exist",
                    .where = light.name,
                    .value = "",
                    .remedy = ""};
    if (light.group >= level.groups.size())
        throw Error{.what = "a light has no group",
                    .where = light.name,
                    .value = "",
                    .remedy = "Call complete_level()."};
}

void check_sky(const Sky& sky) {
    const auto fail = [](const char* what, const std::string& value, const char* remedy) {
        throw Error{.what = what, .where = "the sky", .value = value, .remedy = remedy};
    };
    if (!std::isfinite(sky.turn)) fail("its turn is not finite", to_text(sky.turn), "Use degrees.");
    check_ranges(sky, "the sky");
    if (sky.kind == SkyKind::standard && (sky.type < 1 || sky.type > 15))
        fail("there is no such standard sky", std::to_string(sky.type), "Use 1 to 15.");
    if (sky.kind == SkyKind::standard && !is_unit(sky.sun))
        fail("the way to its sun is no unit vector", "", "");
    if (sky.kind != SkyKind::image) return;
    if (sky.width < 1 || sky.height < 1 ||
        sky.pixels->size() != static_cast<std::size_t>(sky.width) * static_cast<std::size_t>(sky.height))
        fail("the image's size and pixels disagree", std::to_string(sky.pixels->size()), "");
    for (std::size_t i = 0; i < sky.pixels->size(); ++i)
        if (!is_light((*sky.pixels)[i]))
            fail("a pixel is negative or not finite", "pixel " + std::to_string(i), "Repair the image.");
}

void check_zones(const Level& level) {
    const auto fail = [](const Zone& z, const char* what, const char* remedy) {
        throw Error{.what = what, .where = "zone " + z.name, .value = "", .remedy = remedy};
    };
    if (level.zones.size() > most_zones)
        throw Error{.what = "there are more than 254 zones",
                    .where = level.name,
                    .value = std::to_string(level.zones.size()),
                    .remedy = "Let some of them share a name: they then switch together."};
    for (std::size_t z = 0; z < level.zones.size(); ++z) {
        const Zone& zone = level.zones[z];
        if (zone.name.empty()) fail(zone, "a zone has no name", "Games switch it by its name.");
        for (std::size_t other = 0; other < z; ++other)
            if (level.zones[other].name == zone.name) fail(zone, "two zones have this name", "Join them.");
        for (const Volume& box : zone.boxes)
            if (box.shape != VolumeShape::box || !(box.half.x > 0 && box.half.y > 0 && box.half.z > 0) ||
                !is_finite(box.middle) || !is_finite(box.half))
                fail(zone, "holds what is no box with a volume", "");
        for (const auto* list : {&zone.listed, &zone.left_out})
            for (const std::uint32_t s : *list)
                if (s >= level.surfaces.size()) fail(zone, "lists a surface that is not there", "");
    }
}

}  // namespace

void check_place(Vec3 place, const std::string& where) {
    for (const float v : {place.x, place.y, place.z})
        if (!(std::abs(v) <= farthest_place))
            throw Error{.what = "lies farther than 1000 km from the origin, or nowhere",
                        .where = where,
                        .value = to_text(place.x) + ", " + to_text(place.y) + ", " + to_text(place.z),
                        .remedy = "Use metres, and move the level to the origin."};
}

void check_level(const Level& level) {
    check_choices(level);
    check_lightmap(level.lightmap);
    for (const Image& image : level.images) check_image(image);
    std::vector<std::array<Vec3, 2>> bounds;
    for (const Mesh& mesh : level.meshes) {
        check_mesh(mesh);
        bounds.push_back(bounds_of(mesh));
    }
    for (const Surface& s : level.surfaces) check_surface(level, s, bounds);
    for (const Material& m : level.materials) check_material(level, m);
    for (const Profile& p : level.profiles) check_profile(p);
    for (const Camera& c : level.cameras) {
        check_place(c.eye, "camera " + c.name);
        check_place(c.toward, "camera " + c.name);
        check_ranges(c, "camera " + c.name);
    }
    for (const Vec3 p : level.hand_probes) check_place(p, "a probe");
    if (level.placed)
        for (const ProbePlace& p : *level.placed) check_place(p.position, "a probe");
    check_ranges(level.occlusion, "occlusion.");
    if (level.occlusion.reach != 0 && level.occlusion.reach < 0.01f)
        fail("reach is too short", "occlusion.reach", to_text(level.occlusion.reach), "Use 0.01 to 1000 m.");
    check_ranges(level.prelit, "prelit.");
    check_ranges(level.check, "check.");
    for (const Light& light : level.lights) check_light(level, light);
    check_sky(level.sky);
    if (level.sky.group != none && level.sky.group >= level.groups.size())
        fail("names a light group that does not exist", "the sky", std::to_string(level.sky.group));
    for (const SeriesStep& step : level.series) {
        check_sky(step.sky);
        if (step.light != none) check_light(level, step.sun);
        if (step.light != none && step.light >= level.lights.size())
            throw Error{.what = "a series moves a light that is not there",
                        .where = level.name,
                        .value = std::to_string(step.light),
                        .remedy = "Name the series' sun anew."};
    }
    for (const BakeSet& set : level.sets) check_set(level, set);
    check_zones(level);
    if (level.quality.links != 0 && (level.quality.links < 8 || level.quality.links > 4096))
        throw Error{.what = "number of links is out of range",
                    .where = "quality.links",
                    .value = std::to_string(level.quality.links),
                    .remedy = "Use 8 to 4096, or 0 for the tier's own."};
    check_ranges(level.quality, "quality.");
    check_volumes(level);
    check_reflections(level);
}

}  // namespace stasigraph
