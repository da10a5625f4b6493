#pragma once
// What ships in a game: a whole baked level in one file, game.sgl. C++17, standard library only, throws
// nothing.

#include <cstddef>
#include <cstdint>

#include "stasigraph/runtime.hpp"

namespace stasigraph::runtime {

/// "No such thing", wherever a number may name none.
inline constexpr std::uint32_t nothing = 0xffffffffu;

/// How pixels lie in memory, by Vulkan's numbers.
enum class PixelFormat : std::uint32_t {
    half4 = 97,    ///< R16G16B16A16_SFLOAT, 8 bytes; the fourth is 1.
    rgb9e5 = 123,  ///< E5B9G9R9_UFLOAT_PACK32, 4 bytes.
};

/// Pixels where they lie in the file; rows from the top. Light is value times 2^exponent.
struct Pixels {
    const void* data = nullptr;  ///< Null: there are none.
    std::size_t size = 0;        ///< Bytes.
    std::uint32_t side = 0;
    int exponent = 0;
    PixelFormat format = PixelFormat::half4;
};

/// A surface's place on a page: page uv = TEXCOORD_1 * scale + offset.
struct SurfaceInfo {
    const char* name = "";
    const char* node = "";
    std::uint32_t page = nothing;
    std::uint32_t zone = nothing;
    float scale[2] = {1, 1}, offset[2] = {0, 0};
    /// Numbers of its node in the written `.glb`, and of its primitive in that node's mesh: nodes may share a
    /// name. `nothing` where it is not in there (bake-only copies), and in levels packed before.
    std::uint32_t glb_node = nothing, glb_primitive = nothing;
};

/// A light group that the game may dim, tint and flicker by itself.
struct Layer {
    std::uint32_t group = nothing;
    std::uint32_t set = nothing;  ///< The set whose pages and probes hold its light alone, at gain 1.
};

/// A set of a series, and its hour of the day, [0, 24).
struct SeriesStep {
    std::uint32_t set = nothing;
    float hour = 0;
};

/// Which reflection probes answer at a point.
struct Reflections {
    int count = 0;
    std::uint32_t probe[4] = {};
    float weight[4] = {};  ///< What is missing to 1 reflections nothing.
};

/// A chunk of the file, for those who want to know where its bytes go.
struct ChunkInfo {
    const char* tag = "";
    std::size_t size = 0;
};

/// A packed level. Files are mapped where the system can, and read where it cannot. Any number may be asked
/// for, `nothing` too and also while nothing is open: what is not there has the name "", the number
/// `nothing`, no pixels, and is dark.
///
/// Threads: const members are safe from any number of threads. Owner: owns the mapping; everything it points
/// to is valid until close() or the end of it. Memory: allocates while opening only.
class Game {
public:
    Game() noexcept = default;
    ~Game();
    Game(Game&& other) noexcept;
    Game& operator=(Game&& other) noexcept;
    Game(const Game&) = delete;
    Game& operator=(const Game&) = delete;

    /// On failure nothing is open, and message() says why. Every number in the file that leads somewhere is
    /// checked here; pixels and light are not read. Cost: by the number of surfaces, images and tetrahedra.
    Status open(const char* path) noexcept;
    /// Bytes that the caller keeps, unchanged, while this is open; aligned to 8.
    Status open(const void* data, std::size_t size) noexcept;
    void close() noexcept;
    const char* message() const noexcept { return message_; }
    /// Reads everything and compares checksums; false where a byte is not what was written.
    bool verify() const noexcept;

    std::uint32_t chunk_count() const noexcept;
    ChunkInfo chunk(std::uint32_t number) const noexcept;

    std::uint32_t set_count() const noexcept;
    const char* set_name(std::uint32_t set) const noexcept;
    /// `nothing` where there is none of this name; so with everything that is found by name.
    std::uint32_t find_set(const char* name) const noexcept;

    std::uint32_t group_count() const noexcept;
    const char* group_name(std::uint32_t group) const noexcept;
    /// What a set multiplies a light group by.
    Color gain(std::uint32_t set, std::uint32_t group) const noexcept;

    /// Parts of the level that switch together. Surfaces, probes and reflection probes each belong to one, or
    /// to none: `nothing`.
    std::uint32_t zone_count() const noexcept;
    const char* zone_name(std::uint32_t zone) const noexcept;
    std::uint32_t find_zone(const char* name) const noexcept;
    std::uint32_t probe_zone(std::uint32_t probe) const noexcept;
    std::uint32_t reflection_zone(std::uint32_t reflection) const noexcept;

    std::uint32_t layer_count() const noexcept;
    Layer layer(std::uint32_t number) const noexcept;
    /// By the name of its light group.
    std::uint32_t find_layer(const char* group) const noexcept;

    /// Rings of sets through a day; steps in the order of their hours.
    std::uint32_t series_count() const noexcept;
    const char* series_name(std::uint32_t series) const noexcept;
    std::uint32_t find_series(const char* name) const noexcept;
    std::uint32_t series_length(std::uint32_t series) const noexcept;
    SeriesStep series_step(std::uint32_t series, std::uint32_t step) const noexcept;

    std::uint32_t surface_count() const noexcept;
    SurfaceInfo surface(std::uint32_t number) const noexcept;
    /// By the name of the surface.
    std::uint32_t find_surface(const char* name) const noexcept;

    std::uint32_t page_count() const noexcept;
    std::uint32_t page_side(std::uint32_t page) const noexcept;
    /// `part` 0: irradiance in lux; 1, 2, 3: how it changes with the normal, for directional lightmaps.
    Pixels page(std::uint32_t set, std::uint32_t page, std::uint32_t part = 0) const noexcept;
    /// Irradiance of a page at a place of it in texels from its upper left corner, filtered as a sampler
    /// does.
    Color page_light(std::uint32_t set, std::uint32_t page, float x, float y) const noexcept;

    std::uint32_t probe_count() const noexcept;
    /// As of Probes: which answer at a point, and their light. `hint`: keep it with what moves.
    Weights weights(Vector point, std::uint32_t& hint) const noexcept;
    /// 27 floats, as of Probes: all light, lamps included.
    const float* coefficients(std::uint32_t set, std::uint32_t probe) const noexcept;
    /// As of Probes: lamps that probes tell by themselves are worked out at the point.
    Color irradiance(std::uint32_t set, const Weights& weights, Vector normal) const noexcept;
    /// The same for a shader: the strongest lamps, and all other light.
    PlaceLight light(std::uint32_t set, const Weights& weights) const noexcept;
    /// All light as nine coefficients, for who wants no lamps apart: 27 floats.
    void coefficients(std::uint32_t set, const Weights& weights, float out[27]) const noexcept;

    /// Lamps that probes tell by themselves; none in levels packed before. Their names are those of the
    /// level's lights. Colours as of Probes; black in sets that do not show a lamp.
    std::uint32_t lamp_count() const noexcept;
    Lamp lamp(std::uint32_t number) const noexcept;
    const char* lamp_name(std::uint32_t number) const noexcept;
    Color lamp_color(std::uint32_t set, std::uint32_t number) const noexcept;

    std::uint32_t reflection_count() const noexcept;
    const char* reflection_name(std::uint32_t reflection) const noexcept;
    /// Levels of a reflection probe's map; level l is for roughness l / (levels - 1).
    std::uint32_t reflection_levels(std::uint32_t reflection) const noexcept;
    /// One level, six faces as in KTX one after the other.
    Pixels reflection_map(std::uint32_t set, std::uint32_t reflection, std::uint32_t level) const noexcept;
    /// Those that answer for a surface. `normal`: of its face, unit length, not bent by a normal map.
    Reflections reflections(Vector point, Vector normal) const noexcept;
    /// Where to look in a map for what is seen from a point along a direction.
    Vector reflection_direction(std::uint32_t reflection, Vector point, Vector direction) const noexcept;

private:
    friend class Mixer;
    friend class Composer;
    struct Data;
    bool sum(std::uint32_t set, const Weights& weights, float out[27], LampSum& seen) const noexcept;
    Status fail(Status status, const char* text) noexcept;
    Status read(const void* data, std::size_t size);
    Data* data_ = nullptr;
    const char* message_ = "";
};

}  // namespace stasigraph::runtime
