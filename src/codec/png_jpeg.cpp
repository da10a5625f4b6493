// Images of eight bits: textures and pages in PNG and JPEG.

#include <cstddef>
#include <cstdio>
#include <cstdlib>

#include <jpeglib.h>
#include <png.h>

#include <algorithm>
#include <csetjmp>
#include <memory>

#include "codec/files.hpp"
#include "codec/images.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

namespace {

constexpr std::uint32_t most_side = 16384;
/// Of zlib: a third of the time of its usual level for a twentieth more bytes.
constexpr int quick_level = 3;
const char* const too_large = "wider or taller than 16384 pixels";

/// What goes wrong inside the two libraries leaves them by a jump, over plain data only, and is told here.
struct Trouble {
    std::jmp_buf out;
    char text[JMSG_LENGTH_MAX] = "";
    void note(const char* what) { std::snprintf(text, sizeof text, "%s", what); }
};

struct PngSource {
    const Bytes& bytes;
    std::size_t at = 0;
};

[[noreturn]] void png_failed(png_structp png, png_const_charp what) {
    auto* trouble = static_cast<Trouble*>(png_get_error_ptr(png));
    trouble->note(what);
    std::longjmp(trouble->out, 1);
}

void png_take(png_structp png, png_bytep to, std::size_t count) {
    auto* from = static_cast<PngSource*>(png_get_io_ptr(png));
    if (from->bytes.size() - from->at < count) png_error(png, "the file is cut short");
    std::copy_n(&from->bytes[from->at], count, to);
    from->at += count;
}

void png_put(png_structp png, png_bytep from, std::size_t count) {
    auto* to = static_cast<Bytes*>(png_get_io_ptr(png));
    to->insert(to->end(), from, from + count);
}

/// Whatever is stored becomes eight bits of red, green, blue and alpha, without any change of colour.
bool read_png(const Bytes& bytes, Image& image, std::vector<png_bytep>& rows, Trouble& trouble) {
    PngSource source{bytes};
    png_structp png = png_create_read_struct(PNG_LIBPNG_VER_STRING, &trouble, png_failed,
                                             [](png_structp, png_const_charp) {});
    png_infop info = png ? png_create_info_struct(png) : nullptr;
    if (!info || setjmp(trouble.out)) {
        png_destroy_read_struct(&png, &info, nullptr);
        return false;
    }
    png_set_read_fn(png, &source, png_take);
    png_set_user_limits(png, most_side, most_side);
    png_read_info(png, info);
    png_set_expand(png);
    png_set_scale_16(png);
    png_set_gray_to_rgb(png);
    png_set_add_alpha(png, 255, PNG_FILLER_AFTER);
    png_set_interlace_handling(png);
    png_read_update_info(png, info);
    image.width = static_cast<int>(png_get_image_width(png, info));
    image.height = static_cast<int>(png_get_image_height(png, info));
    const std::size_t stride = 4 * static_cast<std::size_t>(image.width);
    if (png_get_rowbytes(png, info) != stride) png_error(png, "its pixels are of an unknown kind");
    image.rgba.resize(stride * static_cast<std::size_t>(image.height));
    rows.resize(static_cast<std::size_t>(image.height));
    for (std::size_t y = 0; y < rows.size(); ++y) rows[y] = &image.rgba[y * stride];
    png_read_image(png, rows.data());
    png_read_end(png, nullptr);
    png_destroy_read_struct(&png, &info, nullptr);
    return true;
}

struct JpegErrors {
    jpeg_error_mgr manager;
    Trouble* trouble;
};

[[noreturn]] void jpeg_failed(j_common_ptr jpeg) {
    Trouble* trouble = reinterpret_cast<JpegErrors*>(jpeg->err)->trouble;
    jpeg->err->format_message(jpeg, trouble->text);
    std::longjmp(trouble->out, 1);
}

bool read_jpeg(const Bytes& bytes, Image& image, Bytes& row, Trouble& trouble) {
    jpeg_decompress_struct jpeg{};
    JpegErrors errors{.manager = {}, .trouble = &trouble};
    jpeg.err = jpeg_std_error(&errors.manager);
    errors.manager.error_exit = jpeg_failed;
    errors.manager.output_message = [](j_common_ptr) {};
    if (setjmp(trouble.out)) {
        jpeg_destroy_decompress(&jpeg);
        return false;
    }
    jpeg_create_decompress(&jpeg);
    jpeg_mem_src(&jpeg, bytes.data(), bytes.size());
    jpeg_read_header(&jpeg, TRUE);
    const bool fits = jpeg.image_width <= most_side && jpeg.image_height <= most_side;
    if (fits) {
        jpeg.out_color_space = JCS_RGB;
        jpeg_start_decompress(&jpeg);
        image.width = static_cast<int>(jpeg.output_width);
        image.height = static_cast<int>(jpeg.output_height);
        const std::size_t width = jpeg.output_width;
        image.rgba.assign(4 * width * jpeg.output_height, 255);
        row.resize(3 * width);
        while (jpeg.output_scanline < jpeg.output_height) {
            std::uint8_t* to = &image.rgba[4 * width * jpeg.output_scanline];
            JSAMPROW from = row.data();
            jpeg_read_scanlines(&jpeg, &from, 1);
            for (std::size_t x = 0; x < width; ++x) std::copy_n(&row[3 * x], 3, to + 4 * x);
        }
        jpeg_finish_decompress(&jpeg);
        // A file that is cut short is filled up with grey, and only warned about.
        if (errors.manager.num_warnings > 0) trouble.note("damaged or cut short");
    } else {
        trouble.note(too_large);
    }
    jpeg_destroy_decompress(&jpeg);
    return trouble.text[0] == 0;
}

struct EncodedImage {
    int width = 0, height = 0, channels = 0, type = 0;
    const std::uint8_t* pixels = nullptr;
};

bool put_png(const EncodedImage& image, Bytes& bytes, Trouble& trouble) {
    png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, &trouble, png_failed,
                                              [](png_structp, png_const_charp) {});
    png_infop info = png ? png_create_info_struct(png) : nullptr;
    if (!info || setjmp(trouble.out)) {
        png_destroy_write_struct(&png, &info);
        return false;
    }
    png_set_write_fn(png, &bytes, png_put, [](png_structp) {});
    png_set_IHDR(png, info, static_cast<png_uint_32>(image.width), static_cast<png_uint_32>(image.height), 8,
                 image.type, PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
    png_set_compression_level(png, quick_level);
    if (image.type != PNG_COLOR_TYPE_GRAY) png_set_sRGB(png, info, PNG_sRGB_INTENT_PERCEPTUAL);
    png_write_info(png, info);
    for (int y = 0; y < image.height; ++y)
        png_write_row(png, image.pixels + static_cast<std::size_t>(y) *
                                              static_cast<std::size_t>(image.width * image.channels));
    png_write_end(png, info);
    png_destroy_write_struct(&png, &info);
    return true;
}

Bytes encode(int width, int height, int channels, const std::vector<std::uint8_t>& pixels) {
    const int type = channels == 1   ? PNG_COLOR_TYPE_GRAY
                     : channels == 3 ? PNG_COLOR_TYPE_RGB
                                     : PNG_COLOR_TYPE_RGB_ALPHA;
    Bytes bytes;
    Trouble trouble;
    if (!put_png({width, height, channels, type, pixels.data()}, bytes, trouble))
        throw Error{
            .what = "an image could not be encoded", .where = "PNG", .value = trouble.text, .remedy = ""};
    return bytes;
}

}  // namespace

Image decode_image(const Bytes& bytes, const std::string& where) {
    const bool png = bytes.size() > 8 && bytes[0] == 0x89 && bytes[1] == 'P';
    const bool jpeg = bytes.size() > 8 && bytes[0] == 0xff && bytes[1] == 0xd8;
    Image image;
    Trouble trouble;
    std::vector<png_bytep> rows;
    Bytes row;
    if (!png && !jpeg) trouble.note("neither PNG nor JPEG");
    if (png ? read_png(bytes, image, rows, trouble) : jpeg && read_jpeg(bytes, image, row, trouble))
        return image;
    throw Error{.what = "an image cannot be read",
                .where = where,
                .value = trouble.text,
                .remedy = "Use an undamaged PNG or JPEG."};
}

Bytes encode_jpeg(int width, int height, const std::vector<std::uint8_t>& rgb, int quality) {
    jpeg_compress_struct jpeg{};
    jpeg_error_mgr errors;
    jpeg.err = jpeg_std_error(&errors);
    jpeg_create_compress(&jpeg);
    unsigned char* out = nullptr;
    unsigned long size = 0;
    jpeg_mem_dest(&jpeg, &out, &size);
    jpeg.image_width = static_cast<JDIMENSION>(width);
    jpeg.image_height = static_cast<JDIMENSION>(height);
    jpeg.input_components = 3;
    jpeg.in_color_space = JCS_RGB;
    jpeg_set_defaults(&jpeg);
    jpeg_set_quality(&jpeg, quality, TRUE);
    jpeg_start_compress(&jpeg, TRUE);
    while (jpeg.next_scanline < jpeg.image_height) {
        JSAMPROW row = const_cast<JSAMPROW>(&rgb[3 * static_cast<std::size_t>(width) * jpeg.next_scanline]);
        jpeg_write_scanlines(&jpeg, &row, 1);
    }
    jpeg_finish_compress(&jpeg);
    Bytes bytes(out, out + size);
    jpeg_destroy_compress(&jpeg);
    std::free(out);
    return bytes;
}

Bytes encode_png(int width, int height, const std::vector<std::uint8_t>& rgb) {
    return encode(width, height, 3, rgb);
}
Bytes encode_png_rgba(int width, int height, const std::vector<std::uint8_t>& rgba) {
    return encode(width, height, 4, rgba);
}
Bytes encode_png_grey(int width, int height, const std::vector<std::uint8_t>& grey) {
    return encode(width, height, 1, grey);
}

void write_png(const std::filesystem::path& to, int width, int height, const std::vector<std::uint8_t>& rgb) {
    write_file(to, encode_png(width, height, rgb));
}

}  // namespace stasigraph
