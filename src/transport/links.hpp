#pragma once
// Transport links: which texel or sky each gather ray of each row meets.

#include <algorithm>
#include <array>
#include <cstdint>
#include <functional>
#include <span>
#include <vector>

#include "base/flags.hpp"
#include "chart/texels.hpp"
#include "light/receiver.hpp"
#include "trace/ray_caster.hpp"
#include "transport/guide.hpp"

namespace stasigraph {

/// A link is one 32-bit word: the number of the texel met, or one of these.
inline constexpr std::uint32_t absorbed_word = 0xffffffffu;  ///< A back face, or a place without a texel.
inline constexpr std::uint32_t sky_word = 0xfffffffeu;
inline constexpr std::uint32_t lost_word = 0xfffffffdu;  ///< An invalid texel with no open one in sight.
/// Whether a word names a texel.
constexpr bool meets_texel(std::uint32_t word) {
    return word < lost_word;
}

/// Texels are invalid or not by this many of their first links, or by all of a tier that has fewer.
inline constexpr int links_that_judge = 64;

/// A gather ray that passed coloured glass on its way.
struct TintedLink {
    std::uint32_t row = 0, link = 0;  ///< In its piece; its place in the row.
    Rgb tint;
};

/// What rows start from: texels, or probes in the air.
struct RowSource {
    std::vector<Receiver> receivers;
    std::vector<std::uint32_t> seeds;  ///< One for each row; its directions are a function of it alone,
    std::vector<std::uint32_t> guide;  ///< and of one of these where rows are guided; else empty.
    GuideSet guides;
    std::size_t size() const { return receivers.size(); }
};

/// Some of these.
using RowFlags = Flags<struct OfRows>;

/// Words of links: our own, or borrowed from a blob, which may lie in a file rather than in memory.
class LinkWords {
public:
    LinkWords() = default;
    explicit LinkWords(std::vector<std::uint32_t> own) : own_(std::move(own)) {}
    LinkWords(std::span<const std::uint32_t> there, std::function<void()> keep,
              std::function<void()> rest = {})
        : there_(there), keep_(std::move(keep)), rest_(std::move(rest)) {}
    std::span<const std::uint32_t> all() const {
        return keep_ ? there_ : std::span<const std::uint32_t>(own_);
    }
    /// To write into; borrowed ones are copied first.
    std::vector<std::uint32_t>& own() {
        if (keep_) own_.assign(there_.begin(), there_.end());
        keep_ = rest_ = nullptr;
        return own_;
    }
    /// They are not read for a while: borrowed ones may leave memory.
    void rest() const {
        if (rest_) rest_();
    }

private:
    std::vector<std::uint32_t> own_;
    std::span<const std::uint32_t> there_;
    std::function<void()> keep_, rest_;
};

/// Links are kept in pieces of this many rows: traced, saved and brought back one by one.
inline constexpr std::size_t rows_per_piece = std::size_t{1} << 15;

/// Rules: (1) row i is words[start[i] .. start[i + 1]). (2) word k of a row belongs to direction k of its
/// seed, so a shorter row is a prefix of a longer one. (3) tinted links are ordered by row, then by
/// direction; first_tint has one entry for each row and one more, or none where nothing is tinted.
struct LinkPiece {
    std::vector<std::uint32_t> start;
    LinkWords words;
    std::vector<std::uint64_t> back;  ///< Bit k of a row: its ray k met the back of a face; the first 64.
    std::vector<float> far;  ///< Of each row the longest ray so far, metres; infinite where one met the sky.
    std::vector<TintedLink> tints;
    std::vector<std::uint32_t> first_tint;

    explicit LinkPiece(std::size_t rows = 0) : start(rows + 1, 0), back(rows, 0), far(rows, 0.0f) {}
    std::size_t rows() const { return back.size(); }
    std::uint32_t length(std::size_t row) const { return start[row + 1] - start[row]; }
    /// Puts tints in order and counts them.
    void set_tints(std::vector<TintedLink> unordered);
};

/// The links of a level.
class Links {
public:
    Links() = default;
    /// Rows without links.
    explicit Links(std::size_t rows);
    /// Rows of known words, for tests.
    explicit Links(const std::vector<std::vector<std::uint32_t>>& rows);

    std::size_t rows() const { return rows_; }
    std::uint32_t length(std::size_t row) const { return piece(row).length(row % rows_per_piece); }
    const std::uint32_t* row(std::size_t row) const {
        const LinkPiece& p = piece(row);
        return p.words.all().data() + p.start[row % rows_per_piece];
    }
    std::uint64_t back(std::size_t row) const { return piece(row).back[row % rows_per_piece]; }
    float far(std::size_t row) const { return piece(row).far[row % rows_per_piece]; }
    /// The tinted ones among a row's links.
    std::span<const TintedLink> tints_of(std::size_t row) const {
        const LinkPiece& p = piece(row);
        if (p.first_tint.empty()) return {};
        const std::size_t i = row % rows_per_piece;
        return {p.tints.data() + p.first_tint[i], p.tints.data() + p.first_tint[i + 1]};
    }
    std::size_t count() const;

    const LinkPiece& piece(std::size_t row) const { return pieces[row / rows_per_piece]; }
    std::vector<LinkPiece> pieces;
    /// For each grid, metres: a ray that led to one of its texels met something within that of the distance
    /// to the texel.
    std::vector<float> hit_error;
    void raise_hit_error(const std::vector<float>& other);
    /// Bytes of words that a pass over all rows may hold at once, where the others can rest; 0: any number.
    std::uint64_t in_memory = 0;
    /// Calls body(begin, end) for all rows, in parallel, as Job::parallel does.
    void for_rows(std::size_t grain, Job& job,
                  const std::function<void(std::size_t, std::size_t)>& body) const;

private:
    std::size_t rows_ = 0;
};

/// Rows and what their rays met. Borrowed.
struct RecordedRows {
    const RowSource& rows;
    const Links& links;
};
/// Links begin .. end of a row.
struct LinkRange {
    std::size_t row = 0;
    std::uint32_t begin = 0, end = 0;
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

/// Calls f(k, direction) for those of some links that met the sky, in order.
template <class F>
void for_sky_links(const RecordedRows& recorded, const LinkRange& range, F f);

/// What rays of rows meet. Borrowed.
struct TracedLevel {
    const Level& level;
    const RayCaster& caster;
    const TexelSet& texels;
};

/// What is asked of rows. Borrowed.
struct LinksWanted {
    const RowSource& rows;
    const std::vector<std::uint32_t>& lengths;  ///< Links of each, at least; rows already longer stay.
    const RowFlags* open = nullptr;             ///< The others get absorbed words and no ray.
    /// Receives the length of every new ray (infinite for the sky; negative where a back was met), one row
    /// after the other.
    std::vector<float>* distances = nullptr;
};

/// Traces what a piece of `links` lacks. Same words for any number of threads. Cost: the rays.
void extend_piece(const TracedLevel& traced, const LinksWanted& wanted, std::size_t piece, Links& links,
                  Job& job);
/// The same for all rows of all pieces.
void extend_links(const TracedLevel& traced, const LinksWanted& wanted, Links& links, Job& job);

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
void trace_again(const TracedLevel& traced, const RowSource& source, const LinkMarks& marks, Links& links,
                 Job& job);

/// Rows of all texels of a level.
RowSource texel_rows(const Level& level, const TexelSet& texels, std::uint32_t seed);

/// Texels that lie inside geometry: more than this share of the rays that judge them meet back faces.
/// Lower: texels beside badly closed meshes are lost. Higher: invalid ones darken their neighbours.
inline constexpr float invalid_share = 0.3f;
bool open_by_links(const Links& links, std::size_t row);
TexelStates find_valid(const Links& links);

/// Where links lead that are not to end at the texel they met. Borrowed.
struct Redirection {
    const TracedLevel& traced;
    const RowSource& rows;
    const TexelStates& texels;
    bool texel_rows = false;  ///< Rows are those of the texels: links of invalid ones all become absorbed.
};
/// Links that meet an invalid texel meet its visible rim, or lie inside geometry themselves; those that meet
/// a parted one may meet it beyond the wall. Each such link is traced again and, where the met place does not
/// see the texel, led to the nearest valid texel (within two steps in the same grid) that the met place sees;
/// where there is none, the link is lost.
void redirect_invalid_links(const Redirection& redirection, std::size_t piece, Links& links, Job& job);
/// extend_links(), and redirect_invalid_links() of what it traced, for rows that are not those of texels.
void record_links(const TracedLevel& traced, const LinksWanted& wanted, const TexelStates& texels,
                  Links& links, Job& job);

/// Directions are made in batches of this many, as plain arrays that the compiler vectorises.
inline constexpr std::uint32_t direction_batch = 64;
void row_directions(const RowSource& source, std::size_t row, std::uint32_t first, std::uint32_t count,
                    std::array<Vec3, direction_batch>& out);

template <class F>
void for_sky_links(const RecordedRows& recorded, const LinkRange& range, F f) {
    const std::uint32_t* words = recorded.links.row(range.row);
    std::array<Vec3, direction_batch> directions;
    for (std::uint32_t from = range.begin; from < range.end; from += direction_batch) {
        const std::uint32_t n = std::min(direction_batch, range.end - from);
        bool made = false;
        for (std::uint32_t i = 0; i < n; ++i) {
            if (words[from + i] != sky_word) continue;
            if (!made) row_directions(recorded.rows, range.row, from, n, directions);
            made = true;
            f(from + i, directions[i]);
        }
    }
}

}  // namespace stasigraph
