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

/// Gathers all that texels send, for `copies` rows of new links, as long as rows begin and with the guides of
/// their texels, of each of `looks`; `from`: number of the first, which decides where they go. Adds what each
/// says to `said`, as many a texel as there are groups; of groups that did not ask nothing. `sent`: what the
/// light of `solved` becomes by reflect(). Traces for 65,536 rows at a time.
void gather_again(const Making& m, const Solved& solved, const HalfField& sent, const TexelsAgain& looks,
                  std::uint32_t from, std::uint32_t copies, std::vector<Said>& said, Job& job);

}  // namespace stasigraph
