// Images of floating point numbers: baked pages in EXR, skies in EXR and Radiance HDR.

#include <ImfChannelList.h>
#include <ImfFrameBuffer.h>
#include <ImfHeader.h>
#include <ImfIO.h>
#include <ImfInputFile.h>
#include <ImfIntAttribute.h>
#include <ImfOutputFile.h>
#include <ImfStringAttribute.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <stdexcept>

#include "codec/files.hpp"
#include "codec/images.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wall"
#pragma GCC diagnostic ignored "-Wextra"
#pragma GCC diagnostic ignored "-Wconversion"
#pragma GCC diagnostic ignored "-Wsign-conversion"
#pragma GCC diagnostic ignored "-Wold-style-cast"
#pragma GCC diagnostic ignored "-Wunused-function"
#define STB_IMAGE_IMPLEMENTATION
#define STB_IMAGE_STATIC
#define STBI_ONLY_HDR
#define STBI_NO_STDIO
#include <stb/stb_image.h>
#pragma GCC diagnostic pop

namespace stasigraph {

namespace {

/// Pixels with their channels side by side.
struct FloatImage {
    int width = 0, height = 0;
    std::size_t channels = 0;
    std::vector<float> values;
};

Imf::FrameBuffer buffer_of(float* values, const Imath::Box2i& window, const std::vector<std::string>& names) {
    Imf::FrameBuffer buffer;
    for (std::size_t c = 0; c < names.size(); ++c) {
        const std::size_t pixel = sizeof(float) * names.size();
        buffer.insert(names[c], Imf::Slice::Make(Imf::FLOAT, values + c, window, pixel, 0));
    }
    return buffer;
}

/// The named channels of a file, whose size was checked. Throws what OpenEXR throws.
FloatImage read_channels(Imf::InputFile& file, const std::vector<std::string>& names) {
    const Imath::Box2i window = file.header().dataWindow();
    FloatImage image{window.max.x - window.min.x + 1, window.max.y - window.min.y + 1, names.size(), {}};
    image.values.resize(static_cast<std::size_t>(image.width) * static_cast<std::size_t>(image.height) *
                        names.size());
    file.setFrameBuffer(buffer_of(image.values.data(), window, names));
    file.readPixels(window.min.y, window.max.y);
    return image;
}

bool has_size_of_sky(long long width, long long height) {
    return width >= 2 && width <= 16384 && width == 2 * height;
}

/// Throws what OpenEXR throws, or std::runtime_error; of a file that is no sky by its size, the size alone.
FloatImage read_sky_exr(const std::filesystem::path& path) {
    Imf::InputFile file(path.c_str());
    const Imath::Box2i window = file.header().dataWindow();
    const long long width = 1LL + window.max.x - window.min.x, height = 1LL + window.max.y - window.min.y;
    if (!has_size_of_sky(width, height)) return {static_cast<int>(width), static_cast<int>(height), 0, {}};
    const Imf::ChannelList& channels = file.header().channels();
    if (channels.findChannel("R") && channels.findChannel("G") && channels.findChannel("B"))
        return read_channels(file, {"R", "G", "B"});
    if (channels.begin() == channels.end()) throw std::runtime_error("it has no channels");
    return read_channels(file, {channels.findChannel("Y") ? "Y" : channels.begin().name()});
}

FloatImage read_sky_hdr(const std::filesystem::path& path) {
    const Bytes bytes = read_file(path);
    const int count = static_cast<int>(std::min<std::size_t>(bytes.size(), 1u << 30));
    int width = 0, height = 0, channels = 0;
    const auto check = [](bool good) {
        if (!good) throw std::runtime_error(stbi_failure_reason());
    };
    check(stbi_info_from_memory(bytes.data(), count, &width, &height, &channels) != 0);
    if (!has_size_of_sky(width, height)) return {width, height, 0, {}};
    float* values = stbi_loadf_from_memory(bytes.data(), count, &width, &height, &channels, 3);
    check(values != nullptr);
    FloatImage image{width, height, 3, {}};
    image.values.assign(values,
                        values + 3 * static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
    stbi_image_free(values);
    return image;
}

}  // namespace

SkyPixels read_sky_image(const std::filesystem::path& path, const std::string& where) {
    const auto fail = [&](const std::string& why, const std::string& remedy) {
        throw Error{.what = "a sky image cannot be used", .where = where, .value = why, .remedy = remedy};
    };
    const std::string ending = path.extension().string();
    if (ending != ".exr" && ending != ".hdr")
        fail(ending + " is no format for skies", "Use EXR or Radiance HDR.");
    FloatImage read;
    try {
        read = ending == ".exr" ? read_sky_exr(path) : read_sky_hdr(path);
    } catch (const std::exception& e) {
        fail(e.what(), "Use an undamaged EXR or Radiance HDR.");
    }
    if (read.values.empty())
        fail(std::to_string(read.width) + " by " + std::to_string(read.height) + " pixels",
             "A latitude-longitude image is twice as wide as high, at most 16384 wide.");
    SkyPixels image{.width = read.width, .height = read.height, .pixels = {}, .note = {}};
    image.pixels.resize(read.values.size() / read.channels);
    std::size_t below = 0, broken = 0, first = 0;
    for (std::size_t i = 0; i < image.pixels.size(); ++i) {
        float c[3];
        bool bad = false;
        for (std::size_t k = 0; k < 3; ++k) {
            c[k] = read.values[i * read.channels + (read.channels == 3 ? k : 0)];
            bad = bad || !std::isfinite(c[k]);
            if (c[k] < 0) {
                ++below;
                c[k] = 0;
            }
        }
        if (bad && broken++ == 0) first = i;
        image.pixels[i] = {c[0], c[1], c[2]};
    }
    const auto width = static_cast<std::size_t>(read.width);
    if (broken > 0)
        fail(std::to_string(broken) + " pixels are not finite, the first at column " +
                 std::to_string(first % width) + ", row " + std::to_string(first / width),
             "Give them finite values; a sun that is too bright for the format can be a [[light]] instead.");
    if (below > 0) image.note = where + ": " + std::to_string(below) + " values below 0 are taken as 0";
    return image;
}

void write_exr(const std::filesystem::path& to, int width, int height, const std::vector<Rgb>& pixels) {
    write_scaled_exr(to, {width, height, 0}, pixels, "");
}

int image_exponent(std::span<const Rgb> pixels) {
    float most = 0;
    for (Rgb c : pixels) most = std::max({most, std::abs(c.r), std::abs(c.g), std::abs(c.b)});
    int exponent = 0;
    while (std::ldexp(most, -exponent) >= 16384.0f) ++exponent;
    return exponent;
}

void write_scaled_exr(const std::filesystem::path& to, const ScaledSize& size, const std::vector<Rgb>& pixels,
                      const std::string& made_from) {
    write_layered_exr(to, {size.width, size.height, {""}, pixels}, size.exponent, made_from);
}

void write_layered_exr(const std::filesystem::path& to, const LayeredImage& image, int exponent,
                       const std::string& made_from) {
    Imf::Header header(image.width, image.height);
    header.compression() = Imf::ZIP_COMPRESSION;
    header.insert("stasigraph:exponent", Imf::IntAttribute(exponent));
    header.insert("stasigraph:made_from", Imf::StringAttribute(made_from));
    const std::size_t channels = 3 * image.layers.size();
    std::vector<half> scaled(3 * image.values.size());
    const float scale = std::ldexp(1.0f, -exponent);
    for (std::size_t i = 0; i < image.values.size(); ++i) {
        const Rgb c = image.values[i] * scale;
        scaled[3 * i] = c.r;
        scaled[3 * i + 1] = c.g;
        scaled[3 * i + 2] = c.b;
    }
    Imf::FrameBuffer buffer;
    for (std::size_t c = 0; c < channels; ++c) {
        const std::string& layer = image.layers[c / 3];
        const std::string name = (layer.empty() ? "" : layer + ".") + "RGB"[c % 3];
        header.channels().insert(name, Imf::Channel(Imf::HALF));
        buffer.insert(name, Imf::Slice::Make(Imf::HALF, scaled.data() + c, header.dataWindow(),
                                             sizeof(half) * channels, 0));
    }
    write_beside(to, [&](const std::filesystem::path& file) {
        try {
            Imf::OutputFile out(file.c_str(), header);
            out.setFrameBuffer(buffer);
            out.writePixels(image.height);
        } catch (const std::exception& e) {
            throw Error{.what = "cannot be written",
                        .where = to.string(),
                        .value = e.what(),
                        .remedy = "Check the folder, its permissions and the space left."};
        }
    });
}

namespace {

/// Bytes that were read as a file of OpenEXR's.
class BytesStream : public Imf::IStream {
public:
    BytesStream(const Bytes& bytes, const std::string& where) : Imf::IStream(where.c_str()), bytes_(bytes) {}
    bool read(char to[], int count) override {
        if (count < 0 || at_ > bytes_.size() || static_cast<std::uint64_t>(count) > bytes_.size() - at_)
            throw std::runtime_error("it ends early");
        std::memcpy(to, bytes_.data() + at_, static_cast<std::size_t>(count));
        at_ += static_cast<std::uint64_t>(count);
        return at_ < bytes_.size();
    }
    std::uint64_t tellg() override { return at_; }
    void seekg(std::uint64_t to) override { at_ = to; }

private:
    const Bytes& bytes_;
    std::uint64_t at_ = 0;
};

}  // namespace

std::vector<Rgb> read_scaled_exr(const Bytes& bytes, const std::string& where, int side) {
    return read_layered_exr(bytes, where, side, {""}).values;
}

LayeredImage read_layered_exr(const Bytes& bytes, const std::string& where, int side,
                              std::vector<std::string> layers) {
    const auto fail = [&](const std::string& why) {
        throw Error{
            .what = "a baked page cannot be read", .where = where, .value = why, .remedy = "Bake again."};
    };
    FloatImage read;
    int exponent = 0;
    try {
        BytesStream stream(bytes, where);
        Imf::InputFile file(stream);
        const Imath::Box2i window = file.header().dataWindow();
        if (window.min != Imath::V2i(0, 0) || window.max != Imath::V2i(side - 1, side - 1))
            fail("its size is not that of the page");
        std::vector<std::string> names;
        for (const std::string& layer : layers)
            for (const char c : {'R', 'G', 'B'}) {
                names.push_back((layer.empty() ? "" : layer + ".") + std::string(1, c));
                if (!file.header().channels().findChannel(names.back()))
                    fail("it has no channel " + names.back());
            }
        if (const auto* e = file.header().findTypedAttribute<Imf::IntAttribute>("stasigraph:exponent"))
            exponent = e->value();
        read = read_channels(file, names);
    } catch (const std::exception& e) {
        fail(e.what());
    }
    LayeredImage image{side, side, std::move(layers), std::vector<Rgb>(read.values.size() / 3)};
    const float scale = std::ldexp(1.0f, exponent);
    for (std::size_t i = 0; i < image.values.size(); ++i) {
        const float* p = &read.values[3 * i];
        image.values[i] = Rgb{p[0], p[1], p[2]} * scale;
    }
    return image;
}

}  // namespace stasigraph
