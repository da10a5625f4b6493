// Cube maps as KTX 2.0 (Khronos, KTX File Format Specification 2.0, 2021; data format descriptor 1.3).

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>

#include "codec/binary.hpp"
#include "codec/files.hpp"
#include "codec/images.hpp"
#include "runtime/half.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

namespace {

constexpr std::array<std::uint8_t, 12> identifier = {0xab, 'K',  'T',  'X',  ' ',  '2',
                                                     '0',  0xbb, '\r', '\n', 0x1a, '\n'};
constexpr std::uint32_t rgba_half = 97;  ///< VK_FORMAT_R16G16B16A16_SFLOAT.
constexpr std::size_t header_size = 80, level_size = 24, texel_size = 8;
constexpr std::uint32_t most_levels = 16, most_cube_side = 16384;
constexpr const char* exponent_key = "stasigraph:exponent";

/// Four signed half floats, linear, Rec. 709 primaries.
Bytes data_format() {
    BinaryWriter w;
    constexpr std::uint32_t samples = 4, block = 24 + 16 * samples;
    w.word(4 + block);
    w.word(0);                     // Khronos, basic
    w.word(2 | block << 16);       // version 1.3
    w.word(1 | 1 << 8 | 1 << 16);  // RGBSDA, BT709, linear
    w.word(0);                     // blocks of one texel
    w.word(texel_size);
    w.word(0);
    for (std::uint32_t i = 0; i < samples; ++i) {
        const std::uint32_t channel = i == 3 ? 15 : i;
        w.word(16 * i | 15 << 16 | (0xc0u | channel) << 24);
        w.word(0);
        w.word(0xbf800000u);  // -1 to 1, as for all floats
        w.word(0x3f800000u);
    }
    return w.bytes;
}

void add_pair(BinaryWriter& w, const std::string& key, const std::string& value) {
    w.word(static_cast<std::uint32_t>(key.size() + value.size() + 2));
    w.raw(key.c_str(), key.size() + 1);
    w.raw(value.c_str(), value.size() + 1);
    while (w.bytes.size() % 4) w.bytes.push_back(0);
}

/// In the order of their keys, as the format wants them.
Bytes key_values(int exponent) {
    BinaryWriter w;
    add_pair(w, "KTXorientation", "rd");
    add_pair(w, "KTXwriter", "stasigraph");
    add_pair(w, exponent_key, std::to_string(exponent));
    add_pair(w, "stasigraph:roughness", "level / (levels - 1)");
    return w.bytes;
}

std::size_t bytes_of(std::size_t side) {
    return 6 * side * side * texel_size;
}
std::size_t aligned(std::size_t at) {
    return (at + 7) / 8 * 8;
}

void put_texels(const CubeMap& map, float scale, Bytes& to) {
    std::vector<std::uint16_t> halves;
    halves.reserve(4 * map.texels.size());
    for (const Rgb c : map.texels)
        for (const float v : {c.r * scale, c.g * scale, c.b * scale, 1.0f})
            halves.push_back(runtime::to_half(v));
    const auto* p = reinterpret_cast<const std::uint8_t*>(halves.data());
    to.insert(to.end(), p, p + 2 * halves.size());
}

/// A file that is checked bit by bit.
class KtxReader {
public:
    KtxReader(const Bytes& bytes, std::string where) : bytes_(bytes), where_(std::move(where)) {}

    ReflectionMap map() const {
        if (bytes_.size() < header_size || !std::equal(identifier.begin(), identifier.end(), bytes_.begin()))
            fail("is no KTX 2.0 file");
        const std::uint32_t side = word(20), levels = word(40);
        if (word(12) != rgba_half || word(44) != 0) fail("is not of plain half floats, four to a texel");
        if (word(36) != 6 || word(32) != 0 || word(28) != 0 || word(24) != side) fail("is no cube map");
        if (side == 0 || side > most_cube_side || levels == 0 || levels > most_levels ||
            side >> (levels - 1) == 0)
            fail("has a size that no cube map of ours has");
        if (bytes_.size() < header_size + level_size * levels) fail("is truncated");
        const float scale = std::ldexp(1.0f, exponent());
        ReflectionMap out;
        for (std::uint32_t l = 0; l < levels; ++l) out.levels.push_back(level(l, side >> l, scale));
        return out;
    }

private:
    [[noreturn]] void fail(const std::string& what) const {
        throw Error{.what = what, .where = where_, .value = "", .remedy = "Bake again."};
    }
    std::uint32_t word(std::size_t at) const {
        std::uint32_t v;
        std::memcpy(&v, bytes_.data() + at, 4);
        return v;
    }
    std::uint64_t long_word(std::size_t at) const { return word(at) | std::uint64_t{word(at + 4)} << 32; }

    CubeMap level(std::uint32_t number, std::size_t side, float scale) const {
        const std::size_t at = header_size + level_size * number;
        const std::uint64_t offset = long_word(at), size = long_word(at + 8);
        if (size != bytes_of(side) || offset > bytes_.size() || size > bytes_.size() - offset)
            fail("is truncated, or a level has not the size it should have");
        CubeMap map{static_cast<int>(side), std::vector<Rgb>(6 * side * side)};
        for (std::size_t i = 0; i < map.texels.size(); ++i) {
            std::uint16_t h[4];
            std::memcpy(h, bytes_.data() + offset + texel_size * i, texel_size);
            for (const std::uint16_t v : h)
                if (v > 0x7bff) fail("has texels below 0 or without a value");
            map.texels[i] =
                Rgb{runtime::from_half(h[0]), runtime::from_half(h[1]), runtime::from_half(h[2])} * scale;
        }
        return map;
    }

    /// Of the pairs of keys and values; 0 where it is not said.
    int exponent() const {
        const std::size_t begin = word(56), size = word(60);
        if (begin > bytes_.size() || size > bytes_.size() - begin) fail("is truncated");
        for (std::size_t at = begin; at + 4 <= begin + size;) {
            const std::size_t length = word(at);
            if (length > begin + size - at - 4) fail("has keys that do not fit");
            const std::string pair(reinterpret_cast<const char*>(bytes_.data()) + at + 4, length);
            const std::size_t end = pair.find('\0');
            if (end != std::string::npos && pair.substr(0, end) == exponent_key) {
                const int v = std::atoi(pair.c_str() + end + 1);
                if (v < 0 || v > 100) fail("has an exponent out of range");
                return v;
            }
            at += 4 + (length + 3) / 4 * 4;
        }
        return 0;
    }

    const Bytes& bytes_;
    std::string where_;
};

}  // namespace

void save_reflection(const std::filesystem::path& to, const ReflectionMap& map) {
    int exponent = 0;
    for (const CubeMap& l : map.levels) exponent = std::max(exponent, image_exponent(l.texels));
    const std::size_t levels = map.levels.size();
    const Bytes format = data_format(), keys = key_values(exponent);
    const std::size_t format_at = header_size + level_size * levels, keys_at = format_at + format.size();
    // The smallest level lies first, so that what is read first can be shown first.
    std::vector<std::size_t> at(levels);
    std::size_t end = aligned(keys_at + keys.size());
    for (std::size_t l = levels; l-- > 0;) {
        at[l] = end;
        end = aligned(end + bytes_of(static_cast<std::size_t>(map.levels[l].side)));
    }
    BinaryWriter w;
    w.raw(identifier.data(), identifier.size());
    const auto side = static_cast<std::uint32_t>(map.levels[0].side);
    for (const std::uint32_t v :
         {rgba_half, 2u, side, side, 0u, 0u, 6u, static_cast<std::uint32_t>(levels), 0u})
        w.word(v);
    for (const std::size_t v : {format_at, format.size(), keys_at, keys.size()})
        w.word(static_cast<std::uint32_t>(v));
    for (int i = 0; i < 4; ++i) w.word(0);  // no global data
    for (std::size_t l = 0; l < levels; ++l)
        for (const std::uint64_t v :
             {std::uint64_t{at[l]}, std::uint64_t{bytes_of(static_cast<std::size_t>(map.levels[l].side))},
              std::uint64_t{bytes_of(static_cast<std::size_t>(map.levels[l].side))}})
            w.raw(&v, 8);
    w.array(format);
    w.array(keys);
    const float scale = std::ldexp(1.0f, -exponent);
    for (std::size_t l = levels; l-- > 0;) {
        w.bytes.resize(at[l], 0);
        put_texels(map.levels[l], scale, w.bytes);
    }
    write_file(to, w.bytes);
}

ReflectionMap reflection_of(const Bytes& bytes, const std::string& where) {
    return KtxReader(bytes, where).map();
}

ReflectionMap load_reflection(const std::filesystem::path& from) {
    return reflection_of(read_file(from), from.string());
}

}  // namespace stasigraph
