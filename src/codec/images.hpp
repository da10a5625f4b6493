#pragma once
// Images as files: PNG, JPEG, EXR, Radiance HDR, and cube maps as KTX 2.

#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "codec/files.hpp"
#include "stasigraph/reflect.hpp"
#include "stasigraph/scene.hpp"

namespace stasigraph {

/// Pixels of an encoded image (PNG, JPEG) held in memory. Throws Error naming `where`.
Image decode_image(const Bytes& bytes, const std::string& where);

/// A latitude-longitude image, linear, finite and not below 0; `note` says what was repaired.
struct SkyPixels {
    int width = 0, height = 0;
    std::vector<Rgb> pixels;
    std::string note;
};
/// Reads EXR or Radiance HDR. Throws Error naming `where`.
SkyPixels read_sky_image(const std::filesystem::path& path, const std::string& where);

struct ScaledSize {
    int width = 0, height = 0;  ///< Pixels.
    int exponent = 0;
};
/// Texel values times 2^-exponent as 16-bit floats, the exponent in the header attribute
/// "stasigraph:exponent", and in "stasigraph:made_from" the key of what they were made from.
void write_scaled_exr(const std::filesystem::path& to, const ScaledSize& size, const std::vector<Rgb>& pixels,
                      const std::string& made_from);
/// The values as they were, by the exponent in the header; `where` for messages.
std::vector<Rgb> read_scaled_exr(const Bytes& bytes, const std::string& where, int side);

/// Layers of one size in one file, their channels named "<layer>.R" and so on; `values` holds one colour of
/// each layer for each pixel. Scaled as above.
struct LayeredImage {
    int width = 0, height = 0;
    std::vector<std::string> layers;
    std::vector<Rgb> values;
};
void write_layered_exr(const std::filesystem::path& to, const LayeredImage& image, int exponent,
                       const std::string& made_from);
/// Throws Error where the size is another or a layer is missing.
LayeredImage read_layered_exr(const Bytes& bytes, const std::string& where, int side,
                              std::vector<std::string> layers);

/// The smallest exponent, 0 or more, that brings every channel under 16384.
int image_exponent(std::span<const Rgb> pixels);
Bytes encode_png(int width, int height, const std::vector<std::uint8_t>& rgb);
/// Eight-bit RGB; `quality` 1 to 100.
Bytes encode_jpeg(int width, int height, const std::vector<std::uint8_t>& rgb, int quality);
Bytes encode_png_rgba(int width, int height, const std::vector<std::uint8_t>& rgba);
/// One channel that is no colour.
Bytes encode_png_grey(int width, int height, const std::vector<std::uint8_t>& grey);

/// As load_reflection(), of bytes that were read.
ReflectionMap reflection_of(const Bytes& bytes, const std::string& where);

}  // namespace stasigraph
