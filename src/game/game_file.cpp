// game.sgl: a baked level as the game maps it.

#include "stasigraph/game_file.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "codec/files.hpp"
#include "codec/images.hpp"
#include "game/packed_lamps.hpp"
#include "game/page_zones.hpp"
#include "results/level_glb.hpp"
#include "runtime/checksum.hpp"
#include "runtime/game_format.hpp"
#include "runtime/half.hpp"
#include "runtime/nearness.hpp"
#include "runtime/pixel_codes.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/reflect.hpp"

namespace stasigraph {

namespace {

namespace format = runtime::format;

constexpr std::uint32_t half4 = 97, rgb9e5 = 123;

/// The file as it grows, chunk by chunk.
class Packer {
public:
    explicit Packer(std::size_t chunks) : chunks_(chunks) {
        bytes_.resize(aligned(sizeof(format::Header) + chunks * sizeof(format::Chunk)));
    }

    template <class T>
    void add(const char* tag, const std::vector<T>& items, std::size_t stride = sizeof(T)) {
        begin(tag);
        const auto* p = reinterpret_cast<const std::uint8_t*>(items.data());
        if (!items.empty()) bytes_.insert(bytes_.end(), p, p + items.size() * sizeof(T));
        end(stride);
    }
    /// Raw bytes, up to a whole number of 64: `fill` adds to what is there already.
    template <class F>
    void add_pixels(const char* tag, F fill) {
        begin(tag);
        fill(bytes_, bytes_.size());
        bytes_.resize(aligned(bytes_.size()));
        end(format::alignment);
    }

    Bytes finish() {
        if (done_ != chunks_.size()) throw std::logic_error("another number of chunks than was said");
        format::Header h{};
        std::memcpy(h.magic, format::magic, 8);
        h.major = format::major;
        h.minor = format::minor;
        h.chunks = static_cast<std::uint32_t>(chunks_.size());
        h.size = bytes_.size();
        const std::size_t table = chunks_.size() * sizeof(format::Chunk);
        h.table_checksum = runtime::checksum(chunks_.data(), table);
        std::memcpy(bytes_.data(), &h, sizeof h);
        std::memcpy(bytes_.data() + sizeof h, chunks_.data(), table);
        return std::move(bytes_);
    }

private:
    static std::size_t aligned(std::size_t at) {
        return (at + format::alignment - 1) / format::alignment * format::alignment;
    }
    void begin(const char* tag) {
        format::Chunk& c = chunks_.at(done_);
        std::memset(c.tag, 0, sizeof c.tag);
        std::memcpy(c.tag, tag, std::min(std::strlen(tag), sizeof c.tag));
        c.offset = bytes_.size();
    }
    void end(std::size_t stride) {
        format::Chunk& c = chunks_.at(done_++);
        c.size = bytes_.size() - c.offset;
        c.stride = static_cast<std::uint32_t>(stride);
        c.count = static_cast<std::uint32_t>(c.size / stride);
        c.checksum = runtime::checksum(bytes_.data() + c.offset, static_cast<std::size_t>(c.size));
        bytes_.resize(aligned(bytes_.size()));
    }

    std::vector<format::Chunk> chunks_;
    std::size_t done_ = 0;
    Bytes bytes_;
};

/// Texts one after the other, each once.
class GameNames {
public:
    std::uint32_t place(const std::string& text) {
        for (const auto& [known, at] : known_)
            if (known == text) return at;
        const auto at = static_cast<std::uint32_t>(all_.size());
        all_.insert(all_.end(), text.c_str(), text.c_str() + text.size() + 1);
        known_.push_back({text, at});
        return at;
    }
    const std::vector<char>& all() const { return all_; }

private:
    std::vector<char> all_ = {0};
    std::vector<std::pair<std::string, std::uint32_t>> known_;
};

template <class T>
void put(Bytes& to, T v) {
    const auto* p = reinterpret_cast<const std::uint8_t*>(&v);
    to.insert(to.end(), p, p + sizeof v);
}

void put_texel(Bytes& to, Rgb c, std::uint32_t pixels) {
    if (pixels == rgb9e5) return put(to, runtime::to_rgb9e5(c.r, c.g, c.b));
    for (const float v : {c.r, c.g, c.b, 1.0f}) put(to, runtime::to_signed_half(v));
}

struct Packing {
    const Level& level;
    const Atlas& atlas;
    const Baked& baked;
    const GameOptions& settings;
    const ZoneLinks& links;
    GameNames names;
    std::vector<format::Image> images;
    std::vector<format::Map> maps;

    std::vector<format::Surface> surfaces();
    std::vector<format::Set> sets();
    std::vector<Rgb> gains() const;
    std::vector<format::Reflection> reflections();
    std::vector<format::Layer> layers() const;
    void add_series(Packer& packer);
    void put_pages(Bytes& to, std::size_t start);
    void put_image(Bytes& to, std::size_t start, format::Image image, std::span<const Rgb> texels);
    void put_maps(Bytes& to, std::size_t start);
};

std::vector<format::Surface> Packing::surfaces() {
    std::vector<format::Surface> out;
    for (std::uint32_t s = 0; s < level.surfaces.size(); ++s) {
        format::Surface& f = out.emplace_back();
        f = {names.place(level.surfaces[s].name),
             names.place(level.surfaces[s].node),
             atlas.surfaces[s].page,
             links.surface[s],
             {1, 1},
             {0, 0}};
        if (f.page == none) continue;
        const Vec2 scale = atlas.scale(s), offset = atlas.offset(s);
        f.scale[0] = scale.x;
        f.scale[1] = scale.y;
        f.offset[0] = offset.x;
        f.offset[1] = offset.y;
    }
    return out;
}

std::vector<format::Set> Packing::sets() {
    std::vector<format::Set> out;
    for (const BakedSet& set : baked.sets) out.push_back({names.place(set.name), 0});
    return out;
}

std::vector<Rgb> Packing::gains() const {
    std::vector<Rgb> out;
    for (const BakedSet& set : baked.sets) {
        const BakeSet& recipe = level.sets[set_index(level, set.name)];
        for (std::size_t g = 0; g < level.groups.size(); ++g) out.push_back(recipe.gain(g));
    }
    return out;
}

std::vector<format::Reflection> Packing::reflections() {
    std::vector<format::Reflection> out;
    for (const ReflectionProbe& p : baked.reflections) {
        format::Reflection& m = out.emplace_back();
        m = {};
        m.zone = links.reflection[out.size() - 1];
        m.name = names.place(p.name);
        m.shape = static_cast<std::uint32_t>(p.shape);
        m.parallax = p.parallax;
        m.side = static_cast<std::uint32_t>(p.resolution);
        m.levels = static_cast<std::uint32_t>(reflection_levels(p.resolution));
        m.radius = p.radius;
        m.blend = p.blend;
        const auto copy = [](Vec3 from, float* to) {
            to[0] = from.x;
            to[1] = from.y;
            to[2] = from.z;
        };
        copy(p.middle, m.middle);
        copy(p.half, m.half);
        for (std::size_t a = 0; a < 3; ++a) copy(p.axes[a], m.axis[a]);
        copy(p.capture, m.capture);
        copy(p.room_middle, m.room_middle);
        copy(p.room_half, m.room_half);
    }
    return out;
}

/// Those of the level that are baked; a set's number here is its place among them.
std::vector<format::Layer> Packing::layers() const {
    std::vector<format::Layer> out;
    for (std::uint32_t s = 0; s < baked.sets.size(); ++s) {
        const std::uint32_t group = level.sets[set_index(level, baked.sets[s].name)].layer;
        if (group != none) out.push_back({group, s});
    }
    return out;
}

void Packing::add_series(Packer& packer) {
    std::vector<format::Series> series;
    std::vector<format::Step> steps;
    std::vector<std::string> known;
    for (const SeriesStep& step : level.series)
        if (std::find(known.begin(), known.end(), step.series) == known.end()) known.push_back(step.series);
    for (const std::string& name : known) {
        format::Series ring{names.place(name), static_cast<std::uint32_t>(steps.size()), 0, 0};
        for (std::uint32_t s = 0; s < baked.sets.size(); ++s) {
            const std::uint32_t step = level.sets[set_index(level, baked.sets[s].name)].step;
            if (step != none && level.series[step].series == name)
                steps.push_back({s, level.series[step].hour});
        }
        const auto first = steps.begin() + ring.first;
        std::sort(first, steps.end(),
                  [](const format::Step& a, const format::Step& b) { return a.hour < b.hour; });
        // One of each hour: 0 and 24 are the same.
        steps.erase(
            std::unique(first, steps.end(),
                        [](const format::Step& a, const format::Step& b) { return a.hour == b.hour; }),
            steps.end());
        ring.count = static_cast<std::uint32_t>(steps.size()) - ring.first;
        if (ring.count > 0) series.push_back(ring);
    }
    packer.add("SERIES", series);
    packer.add("STEPS", steps);
}

void Packing::put_image(Bytes& to, std::size_t start, format::Image image, std::span<const Rgb> texels) {
    to.resize(start + (to.size() - start + 7) / 8 * 8);
    image.offset = to.size() - start;
    image.exponent = image_exponent(texels);
    image.format = settings.pixels == GamePixels::rgb9e5 && image.part == 0 ? rgb9e5 : half4;
    const float scale = std::ldexp(1.0f, -image.exponent);
    for (const Rgb c : texels) put_texel(to, c * scale, image.format);
    image.size = to.size() - start - image.offset;
    images.push_back(image);
}

void Packing::put_pages(Bytes& to, std::size_t start) {
    for (std::uint32_t s = 0; s < baked.sets.size(); ++s)
        for (std::uint32_t p = 0; p < baked.sets[s].pages.size(); ++p) {
            const PageImage& page = baked.sets[s].pages[p];
            format::Image image{};
            image.set = s;
            image.page = p;
            image.side = static_cast<std::uint32_t>(page.side);
            put_image(to, start, image, page.texels);
            if (p >= baked.sets[s].directional.size()) continue;
            for (std::uint32_t k = 0; k < 3; ++k) {
                std::vector<Rgb> part;
                for (const auto& t : baked.sets[s].directional[p].texels) part.push_back(t[k]);
                image.part = k + 1;
                put_image(to, start, image, part);
            }
        }
}

void Packing::put_maps(Bytes& to, std::size_t start) {
    for (std::uint32_t s = 0; s < baked.sets.size(); ++s)
        for (std::uint32_t m = 0; m < baked.reflections.size() && m < baked.sets[s].reflections.size(); ++m) {
            const ReflectionMap& map = baked.sets[s].reflections[m];
            format::Map entry{};
            entry.set = s;
            entry.reflection = m;
            entry.offset = to.size() - start;
            for (const CubeMap& l : map.levels)
                entry.exponent = std::max(entry.exponent, image_exponent(l.texels));
            const float scale = std::ldexp(1.0f, -entry.exponent);
            for (const CubeMap& l : map.levels)
                for (const Rgb c : l.texels) put_texel(to, c * scale, half4);
            entry.size = to.size() - start - entry.offset;
            maps.push_back(entry);
        }
}

/// What readers of minor versions before 4 look up: mean and mean square distances on a map of half the side.
constexpr std::uint32_t old_side = probe_map_side / 2;
std::vector<Vec2> coarse_distances(const ProbeNet& net) {
    std::vector<Vec2> out;
    for (std::size_t p = 0; p < net.size(); ++p)
        for (std::size_t y = 0; y < old_side; ++y)
            for (std::size_t x = 0; x < old_side; ++x) {
                float mean = 0, square = 0;
                for (const std::size_t k : {0, 1, probe_map_side, probe_map_side + 1}) {
                    const auto& code =
                        net.nearness[(p * probe_map_side + 2 * y) * probe_map_side + 2 * x + k];
                    const runtime::Nearness n = runtime::nearness_of({code[0], code[1]});
                    const float d = 1 / n.mean, spread = n.spread * d * d;
                    mean += d / 4;
                    square += (d * d + spread * spread) / 4;
                }
                out.push_back({mean, square});
            }
    return out;
}

void add_probes(const Baked& baked, Packer& packer) {
    const ProbeNet& net = baked.probes;
    format::Net head{
        static_cast<std::uint32_t>(net.size()),
        static_cast<std::uint32_t>(net.stand_in.size()),
        static_cast<std::uint32_t>(net.vertex.size()),
        old_side,
        static_cast<std::uint32_t>(net.dimension),
        {net.base.x, net.base.y, net.base.z},
        {{net.axis[0].x, net.axis[0].y, net.axis[0].z}, {net.axis[1].x, net.axis[1].y, net.axis[1].z}}};
    std::vector<format::Net> heads;
    if (net.size() > 0) heads.push_back(head);
    std::vector<Vec3> position = net.position;
    position.insert(position.end(), net.stand_in.begin(), net.stand_in.end());
    std::vector<ShRgb> light;
    for (const BakedSet& set : baked.sets)
        if (set.probes.size() != net.size() && net.size() > 0)
            throw Error{.what = "holds no light for the probes there are now",
                        .where = "set " + set.name,
                        .value = "",
                        .remedy = "Bake every set."};
    for (const BakedSet& set : baked.sets)
        if (net.size() > 0) light.insert(light.end(), set.probes.begin(), set.probes.end());
    packer.add("NET", heads);
    packer.add("POSITION", position);
    packer.add("VALIDITY", net.front_share);
    packer.add("CLEARANC", net.clearance);
    packer.add("REACH", net.reach);
    packer.add("DISTANCE", coarse_distances(net), 8 * old_side * old_side);
    packer.add("NEARNESS", net.nearness, 2 * probe_map_side * probe_map_side);
    packer.add("VERTEX", net.vertex);
    packer.add("BESIDE", net.adjacent);
    packer.add("INVERSE", net.inverse);
    packer.add("PROBELIT", light);
}

}  // namespace

void save_game(const std::filesystem::path& to, const Level& level, const Atlas& atlas, const Baked& baked,
               const GameOptions& settings, const ZoneLinks* known) {
    Job job;
    const ZoneLinks links = known ? *known : link_zones(level, baked.probes.position, baked.reflections, job);
    Packing p{level, atlas, baked, settings, links, {}, {}, {}};
    const std::vector<format::Surface> surfaces = p.surfaces();
    const std::vector<format::Set> sets = p.sets();
    std::vector<std::uint32_t> pages, groups;
    for (const int side : atlas.pages) pages.push_back(static_cast<std::uint32_t>(side));
    for (const std::string& group : level.groups) groups.push_back(p.names.place(group));
    const std::vector<format::Reflection> reflections = p.reflections();
    std::vector<std::uint32_t> zones;
    for (const Zone& zone : level.zones) zones.push_back(p.names.place(zone.name));
    for (const SeriesStep& step : level.series) p.names.place(step.series);
    const PageZones page_zones = zones_of_pages(atlas, links.surface);
    const PackedLamps lamps = pack_lamps(baked.sets, baked.probes.size());
    std::vector<std::uint32_t> lamp_names;
    for (const std::string& name : lamps.name) lamp_names.push_back(p.names.place(name));
    Packer packer(38);
    packer.add("NAMES", p.names.all());
    packer.add("SURFACES", surfaces);
    std::vector<format::GlbPlace> places;
    for (const GlbPlace at : glb_places(level)) places.push_back({at.node, at.primitive});
    packer.add("GLBPLACE", places);
    packer.add("PAGES", pages);
    packer.add("GROUPS", groups);
    packer.add("SETS", sets);
    packer.add("GAINS", p.gains());
    add_probes(baked, packer);
    // Readers before minor version 5 know no openings, and would refuse the file: they find no lamps then and
    // take all light as PROBELIT has it.
    const bool openings = std::any_of(lamps.lamp.begin(), lamps.lamp.end(), [](const runtime::Lamp& lamp) {
        return lamp.kind == runtime::LampKind::opening;
    });
    packer.add(openings ? "LAMPS2" : "LAMPS", lamps.lamp);
    packer.add("LAMPNAME", lamp_names);
    packer.add("LAMPCOLR", lamps.color);
    packer.add("LAMPPROF", lamps.profile);
    packer.add("LAMPVALS", lamps.values);
    packer.add("LAMPFRST", lamps.first);
    packer.add("LAMPSEEN", lamps.entry);
    packer.add(openings ? "PROBRES2" : "PROBREST", lamps.rest);
    packer.add("ZONES", zones);
    packer.add("PROBEZON", links.probe);
    packer.add("TILES", page_zones.tiles);
    packer.add("TEXZONES", page_zones.blocks, format::tile_texels);
    packer.add("LAYERS", p.layers());
    p.add_series(packer);
    packer.add("REFLECTN", reflections);
    packer.add_pixels("PIXELS", [&](Bytes& bytes, std::size_t start) { p.put_pages(bytes, start); });
    packer.add("IMAGES", p.images);
    packer.add_pixels("MAPPIXEL", [&](Bytes& bytes, std::size_t start) { p.put_maps(bytes, start); });
    packer.add("MAPS", p.maps);
    write_file(to, packer.finish());
}

}  // namespace stasigraph
