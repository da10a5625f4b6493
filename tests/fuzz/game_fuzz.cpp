// libFuzzer target: a packed level of any bytes is an error or a level, and never read outside of.
// Run by hand for ten minutes:  build/tests/game_fuzz -max_total_time=600 build/tests/fuzz_corpus tests/data

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <memory>

#include "runtime/checksum.hpp"
#include "runtime/game_format.hpp"
#include "stasigraph/mixer.hpp"

namespace {

using namespace stasigraph::runtime;

volatile float sink;

float last_byte(const Pixels& p) {
    return p.data ? static_cast<const unsigned char*>(p.data)[p.size - 1] : 0.0f;
}

float look(const Game& g) {
    float s = 0;
    const auto text = [&](const char* t) { s += static_cast<float>(std::strlen(t)); };
    for (std::uint32_t i = 0; i < g.chunk_count(); ++i) text(g.chunk(i).tag);
    for (std::uint32_t i = 0; i < g.surface_count(); ++i) {
        text(g.surface(i).name);
        text(g.surface(i).node);
    }
    for (std::uint32_t i = 0; i < g.group_count(); ++i) text(g.group_name(i));
    for (std::uint32_t i = 0; i < g.zone_count(); ++i) text(g.zone_name(i));
    for (std::uint32_t i = 0; i < g.layer_count(); ++i) text(g.group_name(g.layer(i).group));
    for (std::uint32_t i = 0; i < g.series_count(); ++i) {
        text(g.series_name(i));
        for (std::uint32_t k = 0; k < g.series_length(i); ++k) text(g.set_name(g.series_step(i, k).set));
    }
    for (std::uint32_t i = 0; i < g.reflection_count(); ++i) text(g.reflection_name(i));
    for (std::uint32_t t = 0; t < std::min(g.set_count(), 8u); ++t) {
        for (std::uint32_t k = 0; k < g.group_count(); ++k) s += g.gain(t, k).r;
        for (std::uint32_t p = 0; p < g.page_count(); ++p) {
            s += g.page_light(t, p, 3.1f, 1e9f).r + g.page_light(t, p, NAN, -2).b;
            for (std::uint32_t part = 0; part < 4; ++part) s += last_byte(g.page(t, p, part));
        }
        for (std::uint32_t m = 0; m < g.reflection_count(); ++m)
            for (std::uint32_t l = 0; l < g.reflection_levels(m); ++l)
                s += last_byte(g.reflection_map(t, m, l));
    }
    for (const float x : {-5.0f, 0.0f, 1e30f}) {
        const Reflections r = g.reflections({x, 1, 0}, {0, 1, 0});
        for (int k = 0; k < r.count; ++k) s += g.reflection_direction(r.probe[k], {x, 1, 0}, {0, 0, 1}).x;
    }
    return s + g.verify();
}

float play(const Game& g, Paging paging) {
    Mixer m;
    float s = 0;
    // What is kept of every page must not take more memory than a test may.
    std::uint64_t texels = 0;
    for (std::uint32_t p = 0; p < g.page_count(); ++p)
        texels += std::uint64_t{g.page_side(p)} * g.page_side(p);
    if (texels > 1u << 22 || std::uint64_t{g.set_count()} * g.zone_count() > 1u << 20) return 0;
    if (m.start(g, {paging, 0, 100000, 0}) != Status::ok) return 0;
    std::uint32_t hint = 0xffffffffu;
    for (std::uint32_t i = 0; i < 6; ++i) {
        m.request(i % std::max(1u, g.set_count()), i % 2 ? everywhere : 0, 0.2f);
        m.follow(0, nothing, 0.1f);
        m.set_layer(0, {2, 0.5f, 0});
        m.set_clock(5.0 * i, 3);
        m.advance(0.07);
        for (const float x : {-50.0f, 0.0f, 3.0f, 1e30f}) s += m.sample({x, 1, 2}, {0, 1, 0}, hint).g;
        for (std::uint32_t k = 0; k < g.surface_count(); ++k)
            s += m.surface_light(k, 0.3f, 2).g + last_byte(m.surface_pages(k).from);
        for (std::uint32_t k = 0; k < m.changed_count(); ++k) s += static_cast<float>(m.changed(k).width);
    }
    return s;
}

}  // namespace

extern "C" std::size_t LLVMFuzzerMutate(std::uint8_t* data, std::size_t size, std::size_t most);

/// Mutates, and then makes the table's size and checksum right, so that what they guard is reached.
extern "C" std::size_t LLVMFuzzerCustomMutator(std::uint8_t* data, std::size_t size, std::size_t most,
                                               unsigned seed) {
    size = LLVMFuzzerMutate(data, size, most);
    if (seed % 16 == 0 || size < sizeof(format::Header)) return size;
    format::Header h;
    std::memcpy(&h, data, sizeof h);
    h.size = size;
    const std::uint64_t table = std::uint64_t{h.chunks} * sizeof(format::Chunk);
    if (h.chunks <= 4096 && sizeof h + table <= size)
        h.table_checksum = checksum(data + sizeof h, static_cast<std::size_t>(table));
    std::memcpy(data, &h, sizeof h);
    return size;
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    // Of its very size, so that a byte read beyond it is seen.
    struct Free {
        void operator()(unsigned char* p) const { std::free(p); }
    };
    const std::unique_ptr<unsigned char, Free> own(
        static_cast<unsigned char*>(std::aligned_alloc(8, (size + 7) / 8 * 8 + 8)));
    unsigned char* at = own.get();
    std::memcpy(at, data, size);
    Game g;
    if (g.open(at, size) != Status::ok) return 0;
    sink = look(g) + play(g, Paging::pair) + play(g, Paging::composite);
    return 0;
}
