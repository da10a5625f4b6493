#pragma once
// Gathers for some texels once more, with other rays than those of their rows.

#include "bake/solve_layers.hpp"

namespace stasigraph {

/// Texels to be looked at, and of each whether a group asked for it.
struct TexelsAgain {
    std::vector<std::uint32_t> texel;
    std::vector<std::uint8_t> asked;  ///< As many a texel as there are groups.
};

/// What new rows say of a texel and group: sums over its copies.
struct Said {
    float count = 0;
    Rgb sum;
    float squares = 0, luminances = 0;
    void add(Rgb e) {
        const float l = luminance(e);
        count += 1;
        sum += e;
        luminances += l;
        squares += l * l;
    }
    Rgb mean() const { return sum * (1 / count); }
    /// Variance of the mean's luminance.
    float variance() const {
        return count > 1 ? std::max(0.0f, squares - luminances * luminances / count) / (count * (count - 1))
                         : 0;
    }
};

/// What is gathered. Borrowed.
struct GatheringAgain {
    const Making& making;
    const Solved& solved;
    const HalfField& sent;  ///< What the light of `solved` becomes by reflect().
};
/// This many rows of new links for each texel; the number of the first decides where they go.
struct CopiesOfRow {
    std::uint32_t from = 0, count = 1;
};
/// Gathers all that texels send, by rows as long as rows begin and with the guides of their texels. Returns
/// what they say, as many a texel as there are groups; of groups that did not ask nothing. Traces for 65,536
/// rows at a time.
std::vector<Said> gather_again(const GatheringAgain& what, const TexelsAgain& looks,
                               const CopiesOfRow& copies, Job& job);

}  // namespace stasigraph
