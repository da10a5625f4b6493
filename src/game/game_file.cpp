// game.sgl: a baked level as the game maps it.

#include "stasigraph/game_file.hpp"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <memory>
#include <stdexcept>

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
constexpr std::size_t chunk_count = 38;

/// The file as it is written, chunk by chunk; nothing of it stays in memory but the table.
class Packer {
public:
    Packer(const std::filesystem::path& file, std::size_t chunks)
        : where_(file.string()), file_(std::fopen(file.c_str(), "wb")), chunks_(chunks) {
        if (!file_) fail();
        pad_to(aligned(sizeof(format::Header) + chunks * sizeof(format::Chunk)));
    }

    template <class T>
    void add(const char* tag, const std::vector<T>& items, std::size_t stride = sizeof(T)) {
        begin(tag);
        put(items.data(), items.size() * sizeof(T));
        end(stride);
    }
    /// Raw bytes, up to a whole number of 64: fill() puts them.
    template <class F>
    void add_pixels(const char* tag, F fill) {
        begin(tag);
        fill();
        pad_to(aligned(at_));
        end(format::alignment);
    }

    void put(const void* data, std::size_t size) {
        if (size == 0) return;
        sum_.add(data, size);
        if (std::fwrite(data, 1, size, file_.get()) != size) fail();
        at_ += size;
    }
    template <class T>
    void put(const T& v) {
        put(&v, sizeof v);
    }
    /// Zeros up to a multiple of `step` from where the chunk begins.
    void pad(std::size_t step) {
        const std::size_t start = start_of_chunk();
        pad_to(start + (at_ - start + step - 1) / step * step);
    }
    /// Bytes of the chunk so far.
    std::uint64_t in_chunk() const { return at_ - start_of_chunk(); }

    /// Head and table, which were left free.
    void finish() {
        if (done_ != chunks_.size()) throw std::logic_error("another number of chunks than was said");
        format::Header h{};
        std::memcpy(h.magic, format::magic, 8);
        h.major = format::major;
        h.minor = format::minor;
        h.chunks = static_cast<std::uint32_t>(chunks_.size());
        h.size = at_;
        h.table_checksum = runtime::checksum(chunks_.data(), chunks_.size() * sizeof(format::Chunk));
        if (std::fseek(file_.get(), 0, SEEK_SET) != 0) fail();
        put(h);
        put(chunks_.data(), chunks_.size() * sizeof(format::Chunk));
        if (std::fflush(file_.get()) != 0) fail();
    }

private:
    static std::size_t aligned(std::size_t at) {
        return (at + format::alignment - 1) / format::alignment * format::alignment;
    }
    std::size_t start_of_chunk() const { return static_cast<std::size_t>(chunks_.at(done_).offset); }
    void pad_to(std::size_t end) {
        constexpr char zeros[format::alignment] = {};
        while (at_ < end) put(zeros, std::min(end - at_, sizeof zeros));
    }
    void begin(const char* tag) {
        format::Chunk& c = chunks_.at(done_);
        std::memset(c.tag, 0, sizeof c.tag);
        std::memcpy(c.tag, tag, std::min(std::strlen(tag), sizeof c.tag));
        c.offset = at_;
        sum_ = {};
    }
    void end(std::size_t stride) {
        format::Chunk& c = chunks_.at(done_++);
        c.size = at_ - c.offset;
        c.stride = static_cast<std::uint32_t>(stride);
        c.count = static_cast<std::uint32_t>(c.size / stride);
        c.checksum = sum_.value();
        pad_to(aligned(at_));
    }
    [[noreturn]] void fail() const {
        throw Error{.what = "cannot be written",
                    .where = where_,
                    .value = std::strerror(errno),
                    .remedy = "Check the folder, its permissions and the space left."};
    }

    struct Close {
        void operator()(std::FILE* f) const { std::fclose(f); }
    };
    std::string where_;
    std::unique_ptr<std::FILE, Close> file_;
    std::vector<format::Chunk> chunks_;
    std::size_t done_ = 0, at_ = 0;
    runtime::Checksum sum_;
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

void put_texel(Packer& to, Rgb c, std::uint32_t pixels) {
    if (pixels == rgb9e5) return to.put(runtime::to_rgb9e5(c.r, c.g, c.b));
    const auto half = [](float v) { return runtime::to_signed_half(v); };
    to.put(std::array{half(c.r), half(c.g), half(c.b), half(1.0f)});
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
    void put_pages(Packer& to);
    void put_image(Packer& to, format::Image image, std::span<const Rgb> texels);
    void put_maps(Packer& to);
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

void Packing::put_image(Packer& to, format::Image image, std::span<const Rgb> texels) {
    to.pad(8);
    image.offset = to.in_chunk();
    image.exponent = image_exponent(texels);
    image.format = settings.pixels == GamePixels::rgb9e5 && image.part == 0 ? rgb9e5 : half4;
    const float scale = std::ldexp(1.0f, -image.exponent);
    for (const Rgb c : texels) put_texel(to, c * scale, image.format);
    image.size = to.in_chunk() - image.offset;
    images.push_back(image);
}

void Packing::put_pages(Packer& to) {
    for (std::uint32_t s = 0; s < baked.sets.size(); ++s)
        for (std::uint32_t p = 0; p < baked.sets[s].pages.size(); ++p) {
            const PageImage& page = baked.sets[s].pages[p];
            format::Image image{};
            image.set = s;
            image.page = p;
            image.side = static_cast<std::uint32_t>(page.side);
            put_image(to, image, page.texels);
            if (p >= baked.sets[s].directional.size()) continue;
            for (std::uint32_t k = 0; k < 3; ++k) {
                std::vector<Rgb> part;
                for (const auto& t : baked.sets[s].directional[p].texels) part.push_back(t[k]);
                image.part = k + 1;
                put_image(to, image, part);
            }
        }
}

void Packing::put_maps(Packer& to) {
    for (std::uint32_t s = 0; s < baked.sets.size(); ++s)
        for (std::uint32_t m = 0; m < baked.reflections.size() && m < baked.sets[s].reflections.size(); ++m) {
            const ReflectionMap& map = baked.sets[s].reflections[m];
            format::Map entry{};
            entry.set = s;
            entry.reflection = m;
            entry.offset = to.in_chunk();
            for (const CubeMap& l : map.levels)
                entry.exponent = std::max(entry.exponent, image_exponent(l.texels));
            const float scale = std::ldexp(1.0f, -entry.exponent);
            for (const CubeMap& l : map.levels)
                for (const Rgb c : l.texels) put_texel(to, c * scale, half4);
            entry.size = to.in_chunk() - entry.offset;
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
        static_cast<std::uint32_t>(net.auxiliary.size()),
        static_cast<std::uint32_t>(net.vertex.size()),
        old_side,
        static_cast<std::uint32_t>(net.dimension),
        {net.base.x, net.base.y, net.base.z},
        {{net.axis[0].x, net.axis[0].y, net.axis[0].z}, {net.axis[1].x, net.axis[1].y, net.axis[1].z}}};
    std::vector<format::Net> heads;
    if (net.size() > 0) heads.push_back(head);
    std::vector<Vec3> position = net.position;
    position.insert(position.end(), net.auxiliary.begin(), net.auxiliary.end());
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

void add_lamps(const PackedLamps& lamps, const std::vector<std::uint32_t>& names, Packer& packer) {
    // Readers before minor version 5 know no openings, and would refuse the file: they find no lamps then and
    // take all light as PROBELIT has it.
    const bool openings = std::any_of(lamps.lamp.begin(), lamps.lamp.end(), [](const runtime::Lamp& lamp) {
        return lamp.kind == runtime::LampKind::opening;
    });
    packer.add(openings ? "LAMPS2" : "LAMPS", lamps.lamp);
    packer.add("LAMPNAME", names);
    packer.add("LAMPCOLR", lamps.color);
    packer.add("LAMPPROF", lamps.profile);
    packer.add("LAMPVALS", lamps.values);
    packer.add("LAMPFRST", lamps.first);
    packer.add("LAMPSEEN", lamps.entry);
    packer.add(openings ? "PROBRES2" : "PROBREST", lamps.rest);
}

}  // namespace

void save_game(const std::filesystem::path& to, const ChartedLevel& charted, const Baked& baked,
               const GameOptions& settings, const ZoneLinks* known) {
    const Level& level = charted.level;
    const Atlas& atlas = charted.atlas;
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
    write_beside(to, [&](const std::filesystem::path& temporary) {
        Packer packer(temporary, chunk_count);
        packer.add("NAMES", p.names.all());
        packer.add("SURFACES", surfaces);
        std::vector<format::GlbPrimitive> places;
        for (const GlbPrimitive at : glb_primitives(level)) places.push_back({at.node, at.primitive});
        packer.add("GLBPLACE", places);
        packer.add("PAGES", pages);
        packer.add("GROUPS", groups);
        packer.add("SETS", sets);
        packer.add("GAINS", p.gains());
        add_probes(baked, packer);
        add_lamps(lamps, lamp_names, packer);
        packer.add("ZONES", zones);
        packer.add("PROBEZON", links.probe);
        packer.add("TILES", page_zones.tiles);
        packer.add("TEXZONES", page_zones.blocks, format::tile_texels);
        packer.add("LAYERS", p.layers());
        p.add_series(packer);
        packer.add("REFLECTN", reflections);
        packer.add_pixels("PIXELS", [&] { p.put_pages(packer); });
        packer.add("IMAGES", p.images);
        packer.add_pixels("MAPPIXEL", [&] { p.put_maps(packer); });
        packer.add("MAPS", p.maps);
        packer.finish();
    });
}

}  // namespace stasigraph
