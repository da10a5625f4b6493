#pragma once
// Transport links: which texel or sky each gather ray of each row meets.

#include <algorithm>
#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "chart/texels.hpp"
#include "light/receiver.hpp"
#include "trace/ray_caster.hpp"

namespace stasigraph {

/// A link is one 32-bit word: the number of the texel met, or one of these.
inline constexpr std::uint32_t absorbed_word = 0xffffffffu;  ///< A back face, or a place without a texel.
inline constexpr std::uint32_t sky_word = 0xfffffffeu;
inline constexpr std::uint32_t lost_word = 0xfffffffdu;  ///< A buried texel with no open one in sight.
/// Whether a word names a texel.
constexpr bool meets_texel(std::uint32_t word) {
    return word < lost_word;
}

/// Texels are buried or not by so many of their first links, or by all of a tier that has fewer.
inline constexpr int links_that_judge = 64;

/// A gather ray that passed coloured glass on its way.
struct TintedLink {
    std::uint32_t row = 0, link = 0;  ///< link: its place in the row.
    Rgb tint;
};

/// What rows start from: texels, or probes in the air.
struct RowSource {
    std::vector<Receiver> receivers;
    std::vector<std::uint32_t> seeds;  ///< One for each row; its directions are a function of it alone.
    std::size_t size() const { return receivers.size(); }
};

/// Rules: (1) row i is words[first[i] .. first[i + 1]). (2) word k of a row belongs to direction k of its
/// seed, so a shorter row is a prefix of a longer one. (3) tinted links are ordered by row, then by
/// direction; first_tint has one entry for each row and one more, or none where nothing is tinted. (4) a ray
/// that led to a texel of grid g met something within stray[g] of the distance to that texel.
struct Links {
    std::vector<std::uint64_t> first;
    std::vector<std::uint32_t> words;
    std::vector<std::uint64_t> back;  ///< Bit k of a row: its ray k met the back of a face; the first 64.
    std::vector<float> far;  ///< Of each row the longest ray so far, metres; infinite where one met the sky.
    std::vector<float> stray;  ///< Metres, for each grid.
    std::vector<TintedLink> tints;
    std::vector<std::uint32_t> first_tint;
    std::size_t rows() const { return first.empty() ? 0 : first.size() - 1; }
    std::uint32_t length(std::size_t row) const {
        return static_cast<std::uint32_t>(first[row + 1] - first[row]);
    }
    /// The tinted ones among a row's links.
    std::span<const TintedLink> tints_of(std::size_t row) const {
        if (first_tint.empty()) return {};
        return {tints.data() + first_tint[row], tints.data() + first_tint[row + 1]};
    }
};

/// The tint of link after link of a row, in order.
class TintReader {
public:
    TintReader(const Links& links, std::size_t row) : rest_(links.tints_of(row)) {}
    Rgb at(std::uint32_t link) {
        while (!rest_.empty() && rest_.front().link < link) rest_ = rest_.subspan(1);
        return !rest_.empty() && rest_.front().link == link ? rest_.front().tint : Rgb{1, 1, 1};
    }

private:
    std::span<const TintedLink> rest_;
};

/// Direction k of a row.
Vec3 row_direction(const RowSource& source, std::size_t row, std::uint32_t k);

/// Calls f(k, direction) for those of the first `count` links of a row that met the sky, in order.
template <class F>
void for_sky_links(const Links& links, const RowSource& source, std::size_t row, std::uint32_t count, F f);

/// Traces what `links` lacks to give every row at least `lengths[row]` words; rows already longer stay.
/// `distances`, where given, receives the length of every new ray (infinite for the sky), in row order;
/// negative where a back was met. Same words for any number of threads. Cost: the rays.
void extend_links(const Level& level, const RayCaster& caster, const TexelSet& texels,
                  const RowSource& source, const std::vector<std::uint32_t>& lengths, Links& links, Job& job,
                  std::vector<float>* distances = nullptr);

/// Some links of every row, by their numbers, ascending: those of row i are link[first[i] .. first[i + 1]).
struct LinkMarks {
    std::vector<std::uint64_t> first;
    std::vector<std::uint32_t> link;
    std::span<const std::uint32_t> of(std::size_t row) const {
        return {link.data() + first[row], link.data() + first[row + 1]};
    }
    bool has(std::size_t row, std::uint32_t number) const {
        return std::binary_search(of(row).begin(), of(row).end(), number);
    }
};

/// Traces links that rows have once more, in a level that may have changed, and replaces their words.
void trace_again(const Level& level, const RayCaster& caster, const TexelSet& texels, const RowSource& source,
                 const LinkMarks& marks, Links& links, Job& job);

/// Rows of all texels of a level.
RowSource texel_rows(const Level& level, const TexelSet& texels, std::uint32_t seed);

/// Texels that lie inside geometry: more than this share of the rays that judge them meet back faces.
/// Lower: texels beside badly closed meshes are lost. Higher: buried ones darken their neighbours.
inline constexpr float buried_share = 0.3f;
std::vector<std::uint8_t> find_valid(const Links& links);

/// Links that meet a buried texel meet its visible rim, or lie inside geometry themselves. Each such link is
/// traced again and led to the nearest valid texel (within two steps in the same grid) that the met place
/// sees; where there is none, the link is lost. Links of buried rows all become absorbed. `done`:
/// for each row so many links went through this before; null: none.
void lead_past_buried(const RayCaster& caster, const TexelSet& texels, const RowSource& source,
                      const std::vector<std::uint8_t>& row_valid,
                      const std::vector<std::uint8_t>& texel_valid, Links& links, Job& job,
                      const std::vector<std::uint32_t>* done = nullptr);

/// Directions are made in batches of so many, as plain arrays that the compiler vectorises.
inline constexpr std::uint32_t direction_batch = 64;
void row_directions(const RowSource& source, std::size_t row, std::uint32_t first, std::uint32_t count,
                    std::array<Vec3, direction_batch>& out);

template <class F>
void for_sky_links(const Links& links, const RowSource& source, std::size_t row, std::uint32_t count, F f) {
    const std::uint32_t* words = &links.words[links.first[row]];
    std::array<Vec3, direction_batch> directions;
    for (std::uint32_t from = 0; from < count; from += direction_batch) {
        const std::uint32_t n = std::min(direction_batch, count - from);
        bool made = false;
        for (std::uint32_t i = 0; i < n; ++i) {
            if (words[from + i] != sky_word) continue;
            if (!made) row_directions(source, row, from, n, directions);
            made = true;
            f(from + i, directions[i]);
        }
    }
}

}  // namespace stasigraph
