#include "runtime/composer.hpp"

#include <algorithm>
#include <cstring>

#include "runtime/pixel_codes.hpp"

namespace stasigraph::runtime {

namespace {

constexpr std::uint32_t side = format::tile_side;

std::size_t texel_bytes(PixelFormat f) {
    return f == PixelFormat::half4 ? 8 : 4;
}

}  // namespace

Composer::Composer(const Game::Data& game, std::uint32_t copies) : game_(game) {
    list_tiles();
    sources_.resize(game.sets.count + std::size_t{game.layers.count} + 1);
    if (copies == 0) return;
    wrong_ = plan();
    if (wrong_) return;
    bytes_.reset(new unsigned char[copies * copy_bytes_ + 1]());
}

void Composer::list_tiles() {
    const std::uint32_t zones = game_.zones.count + 1;
    on_page_.assign(std::size_t{zones} * game_.pages.count, 0);
    std::vector<std::vector<std::uint32_t>> by_zone(zones);
    std::uint32_t number = 0;
    for (std::uint32_t page = 0; page < game_.pages.count; ++page) {
        const std::uint32_t along = tiles_along(game_.pages[page]);
        for (std::uint32_t i = 0; i < along * along; ++i, ++number) {
            const std::uint32_t code = game_.tiles.count > 0 ? game_.tiles[number] : nothing;
            const auto here = static_cast<std::uint32_t>(listed_.size());
            listed_.push_back({page, i % along * side, i / along * side, code});
            const auto add = [&](std::uint32_t zone) {
                by_zone[zone].push_back(here);
                on_page_[std::size_t{zone} * game_.pages.count + page] = 1;
            };
            if (code == nothing) {
                add(zones - 1);
            } else if (!(code & format::block_tile)) {
                add(code);
            } else {
                const unsigned char* block =
                    game_.blocks.data + std::size_t{code & ~format::block_tile} * format::tile_texels;
                bool in[256] = {};
                for (std::uint32_t t = 0; t < format::tile_texels; ++t) in[block[t]] = true;
                for (std::uint32_t z = 0; z + 1 < zones; ++z)
                    if (in[z]) add(z);
                if (in[format::no_zone]) add(zones - 1);
            }
        }
    }
    first_.push_back(0);
    for (const auto& list : by_zone) {
        order_.insert(order_.end(), list.begin(), list.end());
        first_.push_back(static_cast<std::uint32_t>(order_.size()));
    }
}

const char* Composer::plan() {
    kept_.resize(std::size_t{game_.pages.count} * 4);
    for (std::uint32_t page = 0; page < game_.pages.count; ++page)
        for (std::uint32_t part = 0; part < 4; ++part) {
            Kept& k = kept_[std::size_t{page} * 4 + part];
            bool first = true;
            for (std::uint32_t set = 0; set < game_.sets.count; ++set) {
                const Pixels p = game_.page(set, page, part);
                if (!p.data) continue;
                if (!first && p.format != k.format)
                    return "holds a page in several formats, which cannot be mixed";
                k.exponent = first ? p.exponent : std::max(k.exponent, p.exponent);
                k.format = p.format;
                k.size = p.size;
                first = false;
            }
            k.offset = copy_bytes_;
            copy_bytes_ += (k.size + 63) / 64 * 64;
        }
    return nullptr;
}

Tile Composer::tile(std::uint32_t zone, std::uint32_t number) const {
    const TileOnPage& p = listed(zone, number);
    const std::uint32_t all = game_.pages[p.page];
    return {p.page, 0, p.x, p.y, std::min(side, all - p.x), std::min(side, all - p.y)};
}

std::size_t Composer::tile_bytes(std::uint32_t zone, std::uint32_t number) const {
    const Tile t = tile(zone, number);
    std::size_t bytes = 0;
    for (std::uint32_t part = 0; part < 4; ++part) {
        const Kept& k = kept_[std::size_t{t.page} * 4 + part];
        if (k.size > 0) bytes += texel_bytes(k.format) * t.width * t.height;
    }
    return bytes;
}

void Composer::mix(std::uint32_t zone, std::uint32_t number, std::uint32_t copy, const PageTerm* terms,
                   std::size_t count) {
    const TileOnPage& at = listed(zone, number);
    const Tile t = tile(zone, number);
    const std::uint32_t all = game_.pages[t.page];
    for (std::uint32_t part = 0; part < 4; ++part) {
        const Kept& k = kept_[std::size_t{t.page} * 4 + part];
        if (k.size == 0) continue;
        const std::size_t texel = texel_bytes(k.format), from = (std::size_t{t.y} * all + t.x) * texel;
        std::size_t n = 0;
        for (std::size_t i = 0; i < count && n < sources_.size(); ++i) {
            const Pixels p = game_.page(terms[i].set, t.page, part);
            if (!p.data) continue;
            const float scale = power_of_two(std::max(p.exponent - k.exponent, -126));
            sources_[n++] = {static_cast<const unsigned char*>(p.data) + from, terms[i].r * scale,
                             terms[i].g * scale, terms[i].b * scale};
        }
        Rectangle r{t.width, t.height, all * texel, k.format, part > 0};
        if (at.code != nothing && (at.code & format::block_tile)) {
            r.zones = game_.blocks.data + std::size_t{at.code & ~format::block_tile} * format::tile_texels;
            r.zone_stride = side;
            r.own = zone == game_.zones.count ? format::no_zone : static_cast<unsigned char>(zone);
        }
        mix_pixels(r, sources_.data(), n, bytes_.get() + copy * copy_bytes_ + k.offset + from);
    }
}

Pixels Composer::page(std::uint32_t copy, std::uint32_t page, std::uint32_t part) const {
    const Kept& k = kept_[std::size_t{page} * 4 + part];
    if (k.size == 0) return {};
    return {bytes_.get() + copy * copy_bytes_ + k.offset, k.size, game_.pages[page], k.exponent, k.format};
}

}  // namespace stasigraph::runtime
