// charts-<tier>.bin: the atlas of a bake, so that what does not change keeps its place. See docs/files.md.

#include <algorithm>
#include <cmath>
#include <map>

#include "codec/binary.hpp"
#include "codec/files.hpp"
#include "results/result_parts.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

namespace {

constexpr char atlas_magic[8] = {'S', 'G', 'C', 'H', 'A', 'R', 'T', 'S'};
constexpr std::uint32_t atlas_version = 1;
constexpr int most_atlas_side = 16384;
constexpr std::size_t most_cells = std::size_t{1} << 31;

void write_layout(BinaryWriter& w, const Layout& l) {
    for (const int v : {l.width, l.height, l.given ? 1 : 0}) w.word(static_cast<std::uint32_t>(v));
    w.word(static_cast<std::uint32_t>(l.uv.size()));
    w.word(static_cast<std::uint32_t>(l.chart.size()));
    w.word(static_cast<std::uint32_t>(l.charts.size()));
    w.array(l.source);
    w.array(l.uv);
    w.array(l.indices);
    w.array(l.chart);
    for (const Chart& c : l.charts) {
        for (const int v : {c.x, c.y, c.width, c.height}) w.word(static_cast<std::uint32_t>(v));
        for (const float v : {c.worst_stretch, c.mean_stretch, c.share}) w.raw(&v, 4);
    }
}

int side(BinaryReader& r, int low, int high) {
    const std::uint32_t v = r.word();
    if (v < static_cast<std::uint32_t>(low) || v > static_cast<std::uint32_t>(high)) r.fail();
    return static_cast<int>(v);
}

float number(BinaryReader& r, float low, float high) {
    float v = 0;
    r.raw(&v, 4);
    if (!(v >= low && v <= high)) r.fail();
    return v;
}

Layout read_layout(BinaryReader& r) {
    Layout l;
    // Layouts of patches are rows of charts and may be longer than any page.
    l.width = side(r, 1, 1 << 30);
    l.height = side(r, 1, 1 << 30);
    l.given = r.word() != 0;
    const std::uint32_t vertices = r.word(), triangles = r.word(), charts = r.word();
    if (charts > triangles) r.fail();
    r.array(l.source, vertices);
    r.array(l.uv, vertices);
    r.array(l.indices, std::size_t{3} * triangles);
    r.array(l.chart, triangles);
    std::size_t cells = 0;
    for (std::uint32_t i = 0; i < charts; ++i) {
        Chart& c = l.charts.emplace_back();
        c.x = side(r, 0, l.width);
        c.y = side(r, 0, l.height);
        c.width = side(r, 1, most_atlas_side);
        c.height = side(r, 1, most_atlas_side);
        if (c.x + c.width > l.width || c.y + c.height > l.height) r.fail();
        cells += static_cast<std::size_t>(c.width) * c.height;
        c.worst_stretch = number(r, 1, 1e30f);
        c.mean_stretch = number(r, 1, 1e30f);
        c.share = number(r, 1e-6f, 1e6f);
    }
    const auto inside = [&](Vec2 p) {
        return p.x >= 0 && p.y >= 0 && p.x <= static_cast<float>(l.width) &&
               p.y <= static_cast<float>(l.height);
    };
    if (cells > most_cells || !std::all_of(l.uv.begin(), l.uv.end(), inside) ||
        std::any_of(l.indices.begin(), l.indices.end(), [&](std::uint32_t i) { return i >= vertices; }) ||
        std::any_of(l.chart.begin(), l.chart.end(),
                    [&](std::uint32_t c) { return c != none && c >= charts; }))
        r.fail();
    return l;
}

}  // namespace

void save_atlas(const std::filesystem::path& to, const Atlas& atlas) {
    BinaryWriter w;
    w.raw(atlas_magic, 8);
    w.word(atlas_version);
    for (const int v : {atlas.margin, atlas.block}) w.word(static_cast<std::uint32_t>(v));
    w.raw(&atlas.density_scale, 4);
    w.raw(&atlas.applied_density_scale, 4);
    for (const std::size_t n : {atlas.pages.size(), atlas.layouts.size(), atlas.surfaces.size()})
        w.word(static_cast<std::uint32_t>(n));
    for (const int p : atlas.pages) w.word(static_cast<std::uint32_t>(p));
    for (const Layout& l : atlas.layouts) write_layout(w, l);
    for (const SurfaceUv& s : atlas.surfaces) {
        w.raw(&s.key, 8);
        for (const std::uint32_t v : {s.layout, s.page, static_cast<std::uint32_t>(s.x),
                                      static_cast<std::uint32_t>(s.y), s.back_layout})
            w.word(v);
        w.raw(&s.density, 4);
        w.text(s.name);
    }
    // A flipped bit would move light to another wall: the whole file is summed up at its end.
    w.text(hash_text(w.bytes));
    write_file(to, w.bytes);
}

Atlas load_atlas(const std::filesystem::path& from) {
    return atlas_of(read_file(from), from.string());
}

Atlas atlas_of(const Bytes& bytes, const std::string& where) {
    BinaryReader r(bytes, where);
    char head[8];
    r.raw(head, 8);
    if (std::memcmp(head, atlas_magic, 8) != 0) r.fail();
    if (const std::uint32_t v = r.word(); v != atlas_version)
        throw Error{.what = "has a atlas_version this program does not read",
                    .where = where,
                    .value = std::to_string(v),
                    .remedy = "Bake again."};
    Atlas atlas;
    atlas.margin = side(r, 1, 64);
    atlas.block = side(r, 1, 8);
    atlas.density_scale = number(r, 1e-6f, 1e6f);
    atlas.applied_density_scale = number(r, 1e-6f, 1);
    const std::uint32_t pages = r.word(), layouts = r.word(), surfaces = r.word();
    for (std::uint32_t i = 0; i < pages; ++i) {
        atlas.pages.push_back(side(r, 16, most_atlas_side));
        if (atlas.pages.back() & (atlas.pages.back() - 1)) r.fail();
    }
    for (std::uint32_t i = 0; i < layouts; ++i) atlas.layouts.push_back(read_layout(r));
    for (std::uint32_t i = 0; i < surfaces; ++i) {
        SurfaceUv& s = atlas.surfaces.emplace_back();
        r.raw(&s.key, 8);
        s.layout = r.word();
        s.page = r.word();
        s.x = static_cast<int>(r.word());
        s.y = static_cast<int>(r.word());
        s.back_layout = r.word();
        s.density = number(r, 0, 1e9f);
        s.name = r.text();
        const auto known = [&](std::uint32_t v, std::uint32_t count) { return v == none || v < count; };
        if (!known(s.layout, layouts) || !known(s.back_layout, layouts) || !known(s.page, pages)) r.fail();
        if (s.page == none) continue;
        if (s.layout == none || s.x < 0 || s.y < 0) r.fail();
        const Layout& l = atlas.layouts[s.layout];
        if (s.x > atlas.pages[s.page] - l.width || s.y > atlas.pages[s.page] - l.height) r.fail();
    }
    const std::size_t body = r.position();
    if (r.text() != hash_text(std::span(bytes).first(body)) || !r.done()) r.fail();
    return atlas;
}

std::filesystem::path atlas_file(const std::filesystem::path& folder, Tier tier) {
    return folder / (std::string("charts-") + tier_name(tier) + ".bin");
}

bool fit_atlas(const Level& level, Atlas& atlas) {
    const auto fits = [&](std::uint32_t s, std::uint32_t layout) {
        const Mesh& mesh = level.meshes[level.surfaces[s].mesh];
        const Layout& l = atlas.layouts[layout];
        return l.chart.size() == mesh.triangle_count() &&
               std::all_of(l.source.begin(), l.source.end(),
                           [&](std::uint32_t v) { return v < mesh.positions.size(); });
    };
    std::vector<SurfaceUv> surfaces(level.surfaces.size());
    bool all = true;
    std::map<std::string_view, std::size_t> by_name;
    for (std::size_t i = 0; i < atlas.surfaces.size(); ++i) by_name.emplace(atlas.surfaces[i].name, i);
    for (std::uint32_t s = 0; s < surfaces.size(); ++s) {
        surfaces[s].name = level.surfaces[s].name;
        if (level.surfaces[s].part == Part::moving) continue;
        const auto found = by_name.find(surfaces[s].name);
        const SurfaceUv* was = found == by_name.end() ? nullptr : &atlas.surfaces[found->second];
        if (!was || was->layout == none || !fits(s, was->layout) ||
            (was->back_layout != none && !fits(s, was->back_layout))) {
            all = false;
            continue;
        }
        surfaces[s] = *was;
        atlas.layouts[was->layout].mesh = level.surfaces[s].mesh;
    }
    atlas.surfaces = std::move(surfaces);
    return all;
}

std::string atlas_hash(const Atlas& atlas) {
    Bytes all;
    const auto put = [&](const void* p, std::size_t n) {
        all.insert(all.end(), static_cast<const std::uint8_t*>(p), static_cast<const std::uint8_t*>(p) + n);
    };
    for (const SurfaceUv& s : atlas.surfaces)
        for (std::uint32_t v :
             {s.layout, s.page, static_cast<std::uint32_t>(s.x), static_cast<std::uint32_t>(s.y)})
            put(&v, 4);
    for (const Layout& l : atlas.layouts) {
        put(&l.width, 4);
        put(&l.height, 4);
        put(l.uv.data(), l.uv.size() * sizeof(Vec2));
        put(l.indices.data(), l.indices.size() * 4);
    }
    put(atlas.pages.data(), atlas.pages.size() * sizeof(int));
    return hash_text(all);
}

}  // namespace stasigraph
