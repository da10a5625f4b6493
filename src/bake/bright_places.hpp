#pragma once
// Things that are bright and that few links meet: where they lie, so that every row knows the direction.

#include <array>
#include <span>
#include <vector>

#include "light/receiver.hpp"
#include "transport/guide.hpp"

namespace stasigraph {

/// A link that brought much of the light of the texel that it belongs to.
struct BrightLink {
    Vec3 from, to;  ///< From where to where it went, metres; `to` is a direction where it met the sky.
    bool sky = false;
    bool far = false;        ///< A sky that is not seen through any opening.
    float cosine = 1;        ///< At the texel.
    float light = 0;         ///< Lux that it brought.
    float relative = 0;      ///< Times the light of that texel.
    float chance = 0;        ///< A random number in (0, 1), by which few links are chosen among many.
    std::uint32_t tile = 0;  ///< In which it was met.
};

/// What some bright links met.
struct BrightPlace {
    Vec3 at;    ///< A direction where it is `far`.
    Vec3 from;  ///< Where a texel met it,
    std::uint32_t tile = 0;
    bool far = false;
    bool sky = false;  ///< Or the sky, seen through an opening there.
    float light = 0;   ///< Lux that a link brings from it.
    float square = 0;  ///< Lux squared, summed over all links that it represents.
    float spread = 1;  ///< Proportional to one over the solid angle that it filled for that texel.

    /// How many times more evenly spread links of another place would meet it; 0 from behind.
    float larger(const Receiver& r, Vec3& direction) const;
    /// Whether two receivers see it in directions more than a part apart.
    bool turns(const Receiver& a, const Receiver& b) const;
};

/// Keeps a few of many bright links, chosen by what they bring.
class BrightPlaces {
public:
    /// `most`: links that are kept.
    explicit BrightPlaces(std::size_t most = 128) : most_(most) {}
    void add(const BrightLink& link);
    /// Once all have been added: chooses, and looks for the openings that those to the sky go through.
    void settle();
    const std::vector<BrightPlace>& all() const { return places_; }

private:
    std::size_t most_;
    std::vector<BrightLink> links_;
    std::size_t added_ = 0;
    float sum_ = 0;  ///< Of the squares of all that were added.
    std::vector<BrightPlace> places_;
};

/// A bright place as it counts for the texels of a block.
struct NearBright {
    const BrightPlace* place = nullptr;
    float weight = 0;
};

/// Texels whose links were looked at around some place.
struct LookedAt {
    Vec3 middle;
    std::array<float, 2> links{};  ///< To each part, by half.
};

/// All that is known around the blocks of one tile, of one half of its texels. Borrows everything.
struct BrightAround {
    const RayCaster& caster;
    const std::vector<Receiver>& receivers;  ///< Of all texels.
    float block = 0;                         ///< Metres.
    std::uint32_t tile = 0;                  ///< Its number in the region.
    int half = 0;                            ///< The one that things were met by.
    std::span<const LookedAt> blocks, tiles;
    const std::vector<BrightPlace>&in_tile, &in_region;

    /// The places that matter most to some rows (at least one) of a block and that some of them can see: as
    /// many of the tile as of the region. What was met far away counts less.
    std::vector<NearBright> near(std::span<const std::uint32_t> rows) const;
    /// Whether some rows see much of them in other parts than the row in the middle does.
    bool turn(std::span<const NearBright> near, std::span<const std::uint32_t> rows) const;

private:
    const Receiver& middle_of(std::span<const std::uint32_t> rows) const {
        return receivers[rows[rows.size() / 2]];
    }
    float looked_around(Vec3 place) const;
    float share_that_sees(const BrightPlace& p, std::span<const std::uint32_t> rows) const;
};

/// What bright places bring a row, relative to its light, for each part of the unit square that directions
/// are made from: mean and mean square over the links of a part. Only cells that were touched are kept.
class BrightParts {
public:
    BrightParts();
    /// `light`: lux of the row.
    void project(std::span<const NearBright> places, const Receiver& at, float light);
    std::span<const std::uint16_t> cells() const { return cells_; }
    std::span<const float> mean() const { return mean_; }
    std::span<const float> square() const { return square_; }

private:
    void clear();
    std::vector<float> mean_, square_;
    std::vector<std::uint16_t> cells_;
    std::vector<std::uint8_t> touched_;
};

}  // namespace stasigraph
