#pragma once
// Pages of the mixer's own, written tile by tile. Standard library only, C++17.

#include <cstdint>
#include <memory>
#include <vector>

#include "runtime/game_data.hpp"
#include "runtime/mix_pixels.hpp"
#include "stasigraph/mixer.hpp"

namespace stasigraph::runtime {

/// A share of a set's pages, by channel.
struct PageTerm {
    std::uint32_t set;
    float r, g, b;
};

/// Threads: one. Owner: borrows the game's data. Memory: allocates while it is made.
class Composer {
public:
    /// `copies`: how many times all pages are kept; 0: not at all, and nothing is mixed.
    Composer(const Game::Data& game, std::uint32_t copies);

    /// Why pages cannot be mixed; null where they can.
    const char* wrong() const { return wrong_; }

    /// Zones are numbered as in the game; the last one is what is in none.
    std::uint32_t tile_count(std::uint32_t zone) const { return first_[zone + 1] - first_[zone]; }
    Tile tile(std::uint32_t zone, std::uint32_t number) const;
    /// Bytes that mixing it writes.
    std::size_t tile_bytes(std::uint32_t zone, std::uint32_t number) const;
    /// Writes what of a tile belongs to a zone into a copy.
    void mix(std::uint32_t zone, std::uint32_t number, std::uint32_t copy, const PageTerm* terms,
             std::size_t count);
    bool zone_is_on(std::uint32_t zone, std::uint32_t page) const {
        return on_page_[std::size_t{zone} * game_.pages.count + page] != 0;
    }
    Pixels page(std::uint32_t copy, std::uint32_t page, std::uint32_t part) const;

private:
    struct TileOnPage {
        std::uint32_t page, x, y, code;
    };
    struct Kept {
        std::size_t offset = 0, size = 0;  ///< Size 0: there is no such part.
        int exponent = 0;
        PixelFormat format = PixelFormat::half4;
    };
    const char* plan();
    void list_tiles();
    const TileOnPage& listed(std::uint32_t zone, std::uint32_t number) const {
        return listed_[order_[first_[zone] + number]];
    }

    const Game::Data& game_;
    const char* wrong_ = nullptr;
    std::vector<TileOnPage> listed_;
    std::vector<std::uint32_t> order_, first_;  ///< Numbers of those, by zone.
    std::vector<unsigned char> on_page_;
    std::vector<Kept> kept_;  ///< page * 4 + part.
    std::vector<PixelSource> sources_;
    std::size_t copy_bytes_ = 0;
    std::unique_ptr<unsigned char[]> bytes_;
};

}  // namespace stasigraph::runtime
