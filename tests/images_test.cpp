// Images as they come in: what is stored is what is read, and damage is told of.

#include <gtest/gtest.h>

#include <cstdio>

#include <jpeglib.h>
#include <png.h>

#include "codec/images.hpp"
#include "codec/files.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"
#include "support.hpp"

namespace test::images_tests {
namespace {

using namespace stasigraph;

Bytes png_of(png_uint_32 format, int width, int height, const void* pixels, const void* colors = nullptr,
             png_uint_32 entries = 0) {
    png_image png{};
    png.version = PNG_IMAGE_VERSION;
    png.width = static_cast<png_uint_32>(width);
    png.height = static_cast<png_uint_32>(height);
    png.format = format;
    png.colormap_entries = entries;
    png_alloc_size_t size = 1 << 16;
    Bytes bytes(size);
    EXPECT_NE(png_image_write_to_memory(&png, bytes.data(), &size, 0, pixels, 0, colors), 0) << png.message;
    bytes.resize(size);
    return bytes;
}

Bytes jpeg_of(int width, int height, int channels, std::uint8_t value) {
    jpeg_compress_struct jpeg{};
    jpeg_error_mgr errors{};
    jpeg.err = jpeg_std_error(&errors);
    jpeg_create_compress(&jpeg);
    unsigned char* out = nullptr;
    unsigned long size = 0;
    jpeg_mem_dest(&jpeg, &out, &size);
    jpeg.image_width = static_cast<JDIMENSION>(width);
    jpeg.image_height = static_cast<JDIMENSION>(height);
    jpeg.input_components = channels;
    jpeg.in_color_space = channels == 1 ? JCS_GRAYSCALE : JCS_RGB;
    jpeg_set_defaults(&jpeg);
    jpeg_start_compress(&jpeg, TRUE);
    Bytes row(static_cast<std::size_t>(width * channels), value);
    JSAMPROW line = row.data();
    for (int y = 0; y < height; ++y) jpeg_write_scanlines(&jpeg, &line, 1);
    jpeg_finish_compress(&jpeg);
    jpeg_destroy_compress(&jpeg);
    const Bytes bytes(out, out + size);
    std::free(out);
    return bytes;
}

std::string refused(const Bytes& bytes) {
    try {
        decode_image(bytes, "here");
    } catch (const Error& e) {
        EXPECT_EQ(e.where, "here");
        return e.value;
    }
    ADD_FAILURE() << "was taken";
    return {};
}

TEST(Images, of_every_kind_become_eight_bits_of_four_channels_without_a_change_of_colour) {
    const std::uint8_t rgba[] = {1, 2, 3, 4, 250, 128, 0, 255};
    EXPECT_EQ(decode_image(png_of(PNG_FORMAT_RGBA, 2, 1, rgba), "").rgba, Bytes(rgba, rgba + 8));
    EXPECT_EQ(decode_image(png_of(PNG_FORMAT_RGB, 1, 1, rgba), "").rgba, (Bytes{1, 2, 3, 255}));
    EXPECT_EQ(decode_image(png_of(PNG_FORMAT_GRAY, 2, 1, rgba), "").rgba,
              (Bytes{1, 1, 1, 255, 2, 2, 2, 255}));
    EXPECT_EQ(decode_image(png_of(PNG_FORMAT_GA, 1, 1, rgba), "").rgba, (Bytes{1, 1, 1, 2}));
    const std::uint8_t places[] = {1, 0};
    EXPECT_EQ(decode_image(png_of(PNG_FORMAT_RGBA_COLORMAP, 2, 1, places, rgba, 2), "").rgba,
              (Bytes{250, 128, 0, 255, 1, 2, 3, 4}));
    // Sixteen bits that call themselves linear: a texture's colour space is the material's business.
    const std::uint16_t deep[] = {0x8000, 0xffff, 0};
    EXPECT_EQ(decode_image(png_of(PNG_FORMAT_LINEAR_RGB, 1, 1, deep), "").rgba, (Bytes{128, 255, 0, 255}));
    for (const int channels : {1, 3}) {
        const Image image = decode_image(jpeg_of(17, 9, channels, 200), "");
        EXPECT_EQ(image.width, 17);
        EXPECT_EQ(image.height, 9);
        for (std::size_t i = 0; i < image.rgba.size(); ++i)
            ASSERT_NEAR(image.rgba[i], i % 4 == 3 ? 255 : 200, 1) << channels;
    }
}

TEST(Images, that_are_cut_short_anywhere_are_refused) {
    Bytes pixels(64 * 64 * 3);
    for (std::size_t i = 0; i < pixels.size(); ++i) pixels[i] = static_cast<std::uint8_t>(i * i);
    for (const Bytes& whole : {png_of(PNG_FORMAT_RGB, 64, 64, pixels.data()), jpeg_of(64, 64, 3, 90)})
        for (const std::size_t share : {1, 3, 6, 9}) {
            const Bytes part(whole.begin(),
                             whole.begin() + static_cast<std::ptrdiff_t>(whole.size() * share / 10));
            EXPECT_FALSE(refused(part).empty()) << share;
        }
    EXPECT_EQ(refused({'G', 'I', 'F', '8', '9', 'a', 0, 0, 0, 0}), "neither PNG nor JPEG");
    Bytes damaged = png_of(PNG_FORMAT_RGB, 64, 64, pixels.data());
    damaged[damaged.size() / 2] ^= 0x10;
    EXPECT_FALSE(refused(damaged).empty());
}

TEST(Images, written_are_read_back) {
    Bytes pixels(50 * 20 * 4);
    for (std::size_t i = 0; i < pixels.size(); ++i) pixels[i] = static_cast<std::uint8_t>(i * 7);
    EXPECT_EQ(decode_image(encode_png_rgba(50, 20, pixels), "").rgba, pixels);
    // The other reader agrees.
    const Folder folder;
    pixels.resize(50 * 20 * 3);
    write_png(folder / "a.png", 50, 20, pixels);
    const Pixels other = read_image(folder / "a.png");
    ASSERT_EQ(other.values.size(), pixels.size());
    for (std::size_t i = 0; i < pixels.size(); ++i)
        ASSERT_NEAR(other.values[i] * 255, static_cast<float>(pixels[i]), 0.01f);
}

TEST(Images, of_skies_in_radiance_hdr_have_their_values) {
    const Folder folder;
    const std::string head = "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 2 +X 4\n";
    std::string pixels;
    for (int i = 0; i < 8; ++i)
        for (const int v : {128, 64, 32, 129 + i % 2}) pixels += static_cast<char>(v);
    write_bytes(folder / "sky.hdr", head + pixels);
    const SkyPixels sky = read_sky_image(folder / "sky.hdr", "sky");
    ASSERT_EQ(sky.pixels.size(), 8u);
    EXPECT_EQ(sky.pixels[0], (Rgb{1, 0.5f, 0.25f}));
    EXPECT_EQ(sky.pixels[1], (Rgb{2, 1, 0.5f}));
    const auto refused_sky = [&](const std::string& bytes) {
        write_bytes(folder / "bad.hdr", bytes);
        try {
            read_sky_image(folder / "bad.hdr", "sky");
        } catch (const Error& e) {
            return e.text();
        }
        return std::string();
    };
    EXPECT_NE(
        refused_sky("#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 4 +X 4\n" + pixels + pixels).find("4 by 4"),
        std::string::npos);
    EXPECT_NE(refused_sky("no sky").find("undamaged"), std::string::npos);
}

}  // namespace
}  // namespace test::images_tests
