#include "bake/edit.hpp"

#include <algorithm>
#include <unordered_map>

#include "bake/keys.hpp"
#include "level/field_keys.hpp"

namespace stasigraph {

namespace {

/// More boxes than that are put together: every link is held against all of them.
constexpr std::size_t most_boxes = 24, most_changed = 1024;
/// Boxes are enlarged by this much, in metres and as a share of the distance from the origin, because the
/// kernel's arithmetic and ours differ in the last bits.
constexpr float slack = 1e-4f, far_slack = 1e-6f;

Box bounds_of(const Level& level, const Surface& s) {
    Box box;
    for (const Vec3 p : level.meshes[s.mesh]->positions) box.add(transform_point(s.to_world, p));
    if (box.empty()) return box;
    const float far = std::max(length(box.low), length(box.high));
    return box.grown(slack + far_slack * far);
}

std::string key_to_rays(const Level& level, const Surface& s) {
    Hasher h("to rays");
    add_shared(h, level.meshes[s.mesh]);
    for (const Vec3 v : {s.to_world.x, s.to_world.y, s.to_world.z, s.to_world.origin}) h.vector(v);
    add_passage(h, level, level.materials[s.material]);
    return h.key();
}

template <class T>
void add_range(Hasher& h, const std::vector<T>& all, const TexelGrid& g) {
    h.number(g.texel_count);
    h.raw(all.data() + g.first_texel, g.texel_count * sizeof(T));
}

std::string key_of_texels(const TexelSet& texels, const TexelGrid& g) {
    Hasher h("texels");
    add_range(h, texels.position, g);
    add_range(h, texels.normal, g);
    add_range(h, texels.face_normal, g);
    add_range(h, texels.area, g);
    add_range(h, texels.cell, g);
    add_range(h, texels.triangle, g);
    add_range(h, texels.barycentric, g);
    std::vector<std::uint32_t> cells(
        texels.cells.begin() + static_cast<std::ptrdiff_t>(g.first_cell),
        texels.cells.begin() + static_cast<std::ptrdiff_t>(g.first_cell + g.cell_count));
    for (std::uint32_t& c : cells) c -= c == none ? 0 : g.first_texel;
    h.array(cells);
    for (const UvTriangle& t : texels.uv[g.layout]) {
        for (const Vec2 v : {t.a, t.ab, t.ac}) {
            h.number(v.x);
            h.number(v.y);
        }
        for (const std::uint32_t v : {t.first_cell, std::uint32_t{t.width}, std::uint32_t{t.height}})
            h.number(v);
    }
    return h.key();
}

bool same(const SurfaceMark& a, const SurfaceMark& b) {
    return a.to_rays == b.to_rays && a.texels[0] == b.texels[0] && a.texels[1] == b.texels[1];
}

float surface_of(const Box& b) {
    const Vec3 d = b.high - b.low;
    return d.x * d.y + d.y * d.z + d.z * d.x;
}

/// Puts those together first that grow least by it.
void merge_boxes(std::vector<Box>& boxes) {
    while (boxes.size() > most_boxes) {
        std::size_t first = 0, second = 1;
        float least = std::numeric_limits<float>::infinity();
        for (std::size_t i = 0; i < boxes.size(); ++i)
            for (std::size_t k = i + 1; k < boxes.size(); ++k) {
                Box both = boxes[i];
                both.add(boxes[k]);
                const float more = surface_of(both) - surface_of(boxes[i]) - surface_of(boxes[k]);
                if (!(more < least)) continue;
                least = more;
                first = i;
                second = k;
            }
        boxes[first].add(boxes[second]);
        boxes.erase(boxes.begin() + static_cast<std::ptrdiff_t>(second));
    }
}

void put(std::vector<std::uint8_t>& out, const void* p, std::size_t size) {
    const auto* bytes = static_cast<const std::uint8_t*>(p);
    out.insert(out.end(), bytes, bytes + size);
}

void put_text(std::vector<std::uint8_t>& out, const std::string& s) {
    const std::uint64_t size = s.size();
    put(out, &size, sizeof size);
    put(out, s.data(), s.size());
}

std::string get_text(BlobReader& in) {
    std::vector<char> text;
    in.array(text);
    return {text.begin(), text.end()};
}

}  // namespace

std::vector<SurfaceMark> mark_surfaces(const Level& level, const TexelSet& texels) {
    std::vector<SurfaceMark> marks;
    for (std::uint32_t i = 0; i < level.surfaces.size(); ++i) {
        const Surface& s = level.surfaces[i];
        SurfaceMark& mark = marks.emplace_back();
        mark.name = s.name;
        if (s.part != Part::moving) {
            mark.to_rays = key_to_rays(level, s);
            mark.bounds = bounds_of(level, s);
        }
        for (std::size_t side = 0; side < 2; ++side) {
            const TexelGrid& g = texels.grids[2 * i + side];
            if (g.layout == none) continue;
            mark.texels[side] = key_of_texels(texels, g);
            mark.first[side] = g.first_texel;
            mark.count[side] = g.texel_count;
        }
    }
    return marks;
}

void save_marks(const BakeStore& store, const std::string& name, const LevelMarks& marks) {
    if (!store.save) return;
    std::vector<std::uint8_t> bytes;
    put_text(bytes, marks.key);
    const std::uint64_t count = marks.surfaces.size();
    put(bytes, &count, sizeof count);
    for (const SurfaceMark& m : marks.surfaces) {
        for (const std::string* s : {&m.name, &m.to_rays, &m.texels[0], &m.texels[1]}) put_text(bytes, *s);
        for (const std::uint64_t v : {std::uint64_t{m.first[0]}, std::uint64_t{m.count[0]},
                                      std::uint64_t{m.first[1]}, std::uint64_t{m.count[1]}})
            put(bytes, &v, sizeof v);
        const std::uint64_t one = 1;
        put(bytes, &one, sizeof one);
        put(bytes, &m.bounds, sizeof m.bounds);
    }
    store.save(name, {{bytes.data(), bytes.size()}});
}

std::optional<LevelMarks> load_marks(const BakeStore& store, const std::string& name) {
    Blob blob;
    if (!store.load || !store.load(name, blob)) return {};
    BlobReader in(blob);
    LevelMarks marks;
    marks.key = get_text(in);
    const std::uint64_t count = in.number();
    for (std::uint64_t i = 0; i < count && in.good(); ++i) {
        SurfaceMark& m = marks.surfaces.emplace_back();
        for (std::string* s : {&m.name, &m.to_rays, &m.texels[0], &m.texels[1]}) *s = get_text(in);
        for (std::size_t side = 0; side < 2; ++side) {
            m.first[side] = static_cast<std::uint32_t>(in.number());
            m.count[side] = static_cast<std::uint32_t>(in.number());
        }
        std::vector<Box> bounds;
        in.array(bounds, 1);
        if (in.good()) m.bounds = bounds[0];
    }
    if (!in.done()) return {};
    return marks;
}

std::optional<Edit> find_edit(const LevelMarks& before, const std::vector<SurfaceMark>& now,
                              std::size_t texels) {
    std::unordered_map<std::string, std::uint32_t> then;
    for (std::uint32_t i = 0; i < before.surfaces.size(); ++i)
        if (!then.try_emplace(before.surfaces[i].name, i).second) return {};
    Edit edit{.before = before.key,
              .was = std::vector<std::uint32_t>(texels, none),
              .now = {},
              .grid = std::vector<std::uint32_t>(2 * now.size(), none),
              .boxes = {},
              .changed = Flags<struct OfSurfaces>(now.size(), true)};
    for (const SurfaceMark& m : before.surfaces)
        for (std::size_t side = 0; side < 2; ++side)
            edit.texels_before = std::max<std::size_t>(edit.texels_before, m.first[side] + m.count[side]);
    edit.now.assign(edit.texels_before, none);
    std::vector<std::uint8_t> found(before.surfaces.size(), 0);
    std::uint32_t last = 0;
    bool any = false;
    for (std::uint32_t i = 0; i < now.size(); ++i) {
        const auto at = then.find(now[i].name);
        if (at == then.end() || !same(before.surfaces[at->second], now[i])) continue;
        // Of coincident faces the one of the first surface counts, so the order must be the same, too.
        if (any && at->second < last) return {};
        any = true;
        last = at->second;
        found[last] = 1;
        edit.changed.set(i, false);
        for (std::size_t side = 0; side < 2; ++side) {
            const SurfaceMark& m = before.surfaces[last];
            if (m.count[side] != now[i].count[side]) return {};
            edit.grid[2 * i + side] = 2 * last + static_cast<std::uint32_t>(side);
            for (std::uint32_t t = 0; t < m.count[side]; ++t) {
                edit.was[now[i].first[side] + t] = m.first[side] + t;
                edit.now[m.first[side] + t] = now[i].first[side] + t;
            }
        }
    }
    for (std::size_t i = 0; i < before.surfaces.size(); ++i)
        if (!found[i] && !before.surfaces[i].bounds.empty()) edit.boxes.push_back(before.surfaces[i].bounds);
    for (std::size_t i = 0; i < now.size(); ++i)
        if (edit.changed[i] && !now[i].bounds.empty()) edit.boxes.push_back(now[i].bounds);
    if (!any || edit.boxes.size() > most_changed) return {};
    merge_boxes(edit.boxes);
    return edit;
}

}  // namespace stasigraph
