#include <OpenImageIO/filesystem.h>
#include <OpenImageIO/imageio.h>

#include "io/bake_files.hpp"

#include <algorithm>
#include "io/gltf_scene.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace stasigraph {

Image decode_image(const Bytes& bytes, const std::string& where) {
    const auto fail = [&](const std::string& why) {
        throw Error{.what = "an image cannot be read",
                    .where = where,
                    .value = why,
                    .remedy = "Use an undamaged PNG or JPEG."};
    };
    const bool png = bytes.size() > 8 && bytes[0] == 0x89 && bytes[1] == 'P';
    const bool jpeg = bytes.size() > 8 && bytes[0] == 0xff && bytes[1] == 0xd8;
    if (!png && !jpeg) fail("neither PNG nor JPEG");
    OIIO::Filesystem::IOMemReader reader(const_cast<std::uint8_t*>(bytes.data()), bytes.size());
    // Colour as stored: alpha must not be multiplied into it.
    OIIO::ImageSpec config;
    config.attribute("oiio:UnassociatedAlpha", 1);
    OIIO::Filesystem::IOProxy* proxy = &reader;
    config.attribute("oiio:ioproxy", OIIO::TypeDesc::PTR, &proxy);
    const auto input = OIIO::ImageInput::open(png ? "image.png" : "image.jpg", &config);
    if (!input) fail(OIIO::geterror());
    const OIIO::ImageSpec spec = input->spec();
    if (spec.width < 1 || spec.height < 1 || spec.width > 16384 || spec.height > 16384)
        fail("wider or taller than 16384 pixels");
    const int channels = std::min(spec.nchannels, 4);
    Bytes pixels(static_cast<std::size_t>(spec.width) * spec.height * channels);
    if (!input->read_image(0, 0, 0, channels, OIIO::TypeDesc::UINT8, pixels.data())) fail(input->geterror());
    Image image{.name = {},
                .width = spec.width,
                .height = spec.height,
                .rgba = Bytes(static_cast<std::size_t>(spec.width) * spec.height * 4, 255)};
    for (std::size_t i = 0; i < image.rgba.size() / 4; ++i) {
        const std::uint8_t* p = &pixels[i * channels];
        for (int c = 0; c < 3; ++c) image.rgba[4 * i + c] = channels >= 3 ? p[c] : p[0];
        if (channels == 2 || channels == 4) image.rgba[4 * i + 3] = p[channels - 1];
    }
    return image;
}

SkyPixels read_sky_image(const std::filesystem::path& path, const std::string& where) {
    const auto fail = [&](const std::string& why, const std::string& remedy) {
        throw Error{.what = "a sky image cannot be used", .where = where, .value = why, .remedy = remedy};
    };
    const std::string ending = path.extension().string();
    if (ending != ".exr" && ending != ".hdr")
        fail(ending + " is no format for skies", "Use EXR or Radiance HDR.");
    const auto input = OIIO::ImageInput::open(path.string());
    if (!input) fail(OIIO::geterror(), "Use an undamaged EXR or Radiance HDR.");
    const OIIO::ImageSpec spec = input->spec();
    SkyPixels image{.width = spec.width, .height = spec.height, .pixels = {}, .note = {}};
    if (spec.width < 2 || spec.width > 16384 || spec.height < 1 || spec.width != 2 * spec.height)
        fail(std::to_string(spec.width) + " by " + std::to_string(spec.height) + " pixels",
             "A latitude-longitude image is twice as wide as high, at most 16384 wide.");
    const int channels = std::min(spec.nchannels, 3);
    std::vector<float> values(static_cast<std::size_t>(spec.width) * spec.height * channels);
    if (!input->read_image(0, 0, 0, channels, OIIO::TypeDesc::FLOAT, values.data()))
        fail(input->geterror(), "The file is cut short or damaged.");
    image.pixels.resize(static_cast<std::size_t>(spec.width) * spec.height);
    std::size_t below = 0, broken = 0, first = 0;
    for (std::size_t i = 0; i < image.pixels.size(); ++i) {
        float c[3];
        bool bad = false;
        for (int k = 0; k < 3; ++k) {
            c[k] = values[i * channels + (channels == 3 ? k : 0)];
            bad = bad || !std::isfinite(c[k]);
            if (c[k] < 0) {
                ++below;
                c[k] = 0;
            }
        }
        if (bad && broken++ == 0) first = i;
        image.pixels[i] = {c[0], c[1], c[2]};
    }
    if (broken > 0)
        fail(std::to_string(broken) + " pixels are not finite, the first at column " +
                 std::to_string(first % spec.width) + ", row " + std::to_string(first / spec.width),
             "Give them finite values; a sun that is too bright for the format can be a [[light]] instead.");
    if (below > 0) image.note = where + ": " + std::to_string(below) + " values below 0 are taken as 0";
    return image;
}

namespace {

void write_image(const std::filesystem::path& file, const OIIO::ImageSpec& spec, OIIO::TypeDesc type,
                 const void* data, const std::filesystem::path& shown) {
    const auto output = OIIO::ImageOutput::create(file.string());
    if (!output || !output->open(file.string(), spec) || !output->write_image(type, data) || !output->close())
        throw Error{.what = "cannot be written",
                    .where = shown.string(),
                    .value = output ? output->geterror() : OIIO::geterror(),
                    .remedy = "Check the folder, its permissions and the space left."};
}

}  // namespace

void write_png(const std::filesystem::path& to, int width, int height, const std::vector<std::uint8_t>& rgb) {
    OIIO::ImageSpec spec(width, height, 3, OIIO::TypeDesc::UINT8);
    spec.attribute("oiio:ColorSpace", "sRGB");
    write_beside(to, [&](const std::filesystem::path& file) {
        write_image(file, spec, OIIO::TypeDesc::UINT8, rgb.data(), to);
    });
}

static Bytes encode(int width, int height, int channels, const std::vector<std::uint8_t>& pixels) {
    OIIO::ImageSpec spec(width, height, channels, OIIO::TypeDesc::UINT8);
    spec.attribute("oiio:ColorSpace", channels == 1 ? "Linear" : "sRGB");
    spec.attribute("oiio:UnassociatedAlpha", 1);
    OIIO::Filesystem::IOVecOutput bytes;
    const auto output = OIIO::ImageOutput::create("page.png", &bytes);
    if (!output || !output->open("page.png", spec) ||
        !output->write_image(OIIO::TypeDesc::UINT8, pixels.data()) || !output->close())
        throw Error{.what = "an image could not be encoded",
                    .where = "PNG",
                    .value = output ? output->geterror() : OIIO::geterror(),
                    .remedy = ""};
    return bytes.buffer();
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

void write_exr(const std::filesystem::path& to, int width, int height, const std::vector<Rgb>& pixels) {
    write_scaled_exr(to, width, height, pixels, 0, "");
}

int image_exponent(std::span<const Rgb> pixels) {
    float most = 0;
    for (Rgb c : pixels) most = std::max({most, std::abs(c.r), std::abs(c.g), std::abs(c.b)});
    int exponent = 0;
    while (std::ldexp(most, -exponent) >= 16384.0f) ++exponent;
    return exponent;
}

void write_scaled_exr(const std::filesystem::path& to, int width, int height, const std::vector<Rgb>& pixels,
                      int exponent, const std::string& made_from) {
    write_layered_exr(to, {width, height, {""}, pixels}, exponent, made_from);
}

void write_layered_exr(const std::filesystem::path& to, const LayeredImage& image, int exponent,
                       const std::string& made_from) {
    OIIO::ImageSpec spec(image.width, image.height, static_cast<int>(3 * image.layers.size()),
                         OIIO::TypeDesc::HALF);
    for (std::size_t l = 0; l < image.layers.size(); ++l)
        for (std::size_t c = 0; c < 3; ++c)
            spec.channelnames[3 * l + c] =
                (image.layers[l].empty() ? "" : image.layers[l] + ".") + std::string(1, "RGB"[c]);
    spec.attribute("compression", "zip");
    spec.attribute("stasigraph:exponent", exponent);
    spec.attribute("stasigraph:made_from", made_from);
    // Else the clock is written, and no two files are the same.
    spec.attribute("DateTime", "2000:01:01 00:00:00");
    spec.attribute("oiio:ColorSpace", "Linear");
    std::vector<Rgb> scaled(image.values);
    const float scale = std::ldexp(1.0f, -exponent);
    for (Rgb& c : scaled) c = c * scale;
    write_beside(to, [&](const std::filesystem::path& file) {
        write_image(file, spec, OIIO::TypeDesc::FLOAT, scaled.data(), to);
    });
}

std::vector<Rgb> read_scaled_exr(const std::filesystem::path& path, int side) {
    return read_layered_exr(path, side, {""}).values;
}

LayeredImage read_layered_exr(const std::filesystem::path& path, int side, std::vector<std::string> layers) {
    const auto fail = [&](const std::string& why) {
        throw Error{.what = "a baked page cannot be read",
                    .where = path.string(),
                    .value = why,
                    .remedy = "Bake again."};
    };
    const auto input = OIIO::ImageInput::open(path.string());
    if (!input) fail(OIIO::geterror());
    const OIIO::ImageSpec spec = input->spec();
    const std::size_t channels = 3 * layers.size();
    if (spec.width != side || spec.height != side || spec.nchannels != static_cast<int>(channels))
        fail("its size is not that of the page");
    std::vector<std::size_t> from;
    for (const std::string& layer : layers)
        for (const char c : {'R', 'G', 'B'}) {
            const std::string name = (layer.empty() ? "" : layer + ".") + std::string(1, c);
            const auto at = std::find(spec.channelnames.begin(), spec.channelnames.end(), name);
            if (at == spec.channelnames.end()) fail("it has no channel " + name);
            from.push_back(static_cast<std::size_t>(at - spec.channelnames.begin()));
        }
    const std::size_t pixels = static_cast<std::size_t>(side) * static_cast<std::size_t>(side);
    std::vector<float> read(pixels * channels);
    if (!input->read_image(0, 0, 0, static_cast<int>(channels), OIIO::TypeDesc::FLOAT, read.data()))
        fail(input->geterror());
    LayeredImage image{side, side, std::move(layers), std::vector<Rgb>(pixels * channels / 3)};
    const float scale = std::ldexp(1.0f, spec.get_int_attribute("stasigraph:exponent", 0));
    for (std::size_t i = 0; i < image.values.size(); ++i) {
        const float* p = &read[i / (channels / 3) * channels];
        const std::size_t* c = &from[3 * (i % (channels / 3))];
        image.values[i] = Rgb{p[c[0]], p[c[1]], p[c[2]]} * scale;
    }
    return image;
}

}  // namespace stasigraph
