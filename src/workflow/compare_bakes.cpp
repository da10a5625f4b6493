#include "stasigraph/compare_bakes.hpp"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "stasigraph/error.hpp"
#include "stasigraph/kept.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

constexpr int reference_part = 3;  ///< Of a picture's width and height, where the reference draws it.

/// A result by its name, under a set.
ComparedResult load_result(const CompareRequest& request, const fs::path& folder, const std::string& name,
                           const std::string& set) {
    ComparedResult r;
    fs::path from = folder;
    r.now = name == result_now;
    if (r.now) {
        r.level = load_level(request.level_file);
        const std::optional<Tier> tier = request.tier ? request.tier : baked_tier(folder);
        if (tier) r.level.quality.tier = *tier;
    } else {
        const KeptBake kept = kept_bake(folder, name);
        r.level = load_level(kept.level);
        from = kept.folder;
    }
    r.bake = load_bake(from, r.level, r.level.sets[set_index(r.level, set)].name);
    r.name = name + ", " + r.set().name + " (" + r.bake.tier + ")";
    return r;
}

/// Which result stands before.
std::string before_of(const CompareRequest& request, const fs::path& folder) {
    if (!request.before.empty()) return request.before;
    if (!request.set_before.empty()) return request.after;
    const std::vector<KeptBake> kept = kept_bakes(folder);
    if (kept.empty())
        throw Error{
            .what = "there is nothing to compare with",
            .where = folder.string(),
            .value = "",
            .remedy = "Keep a result with `stasigraph bake --keep NAME`, or use --sets A,B or --reference."};
    return kept[0].name;
}

Picture picture_of(const ComparedResult& r, const Camera& camera, const ViewOptions& settings, Job& job) {
    const Level shown = as_in_set(r.level, set_index(r.level, r.set().name));
    const ViewLight light{&r.set(), &r.bake.probes, &r.bake.visibility, &r.bake.occlusion,
                          &r.bake.reflections};
    return view({shown, r.bake.atlas}, light, camera, settings, job);
}

/// A page as a picture, nit of white, in another size: the mean of the texels under each pixel.
Picture picture_of(const PageImage& page, int side) {
    Picture p{side, side, {}};
    const auto first = [&](int at) {
        return static_cast<int>(static_cast<std::int64_t>(at) * page.side / side);
    };
    for (int y = 0; y < side; ++y)
        for (int x = 0; x < side; ++x) {
            Rgb sum;
            int count = 0;
            for (int v = first(y); v < std::max(first(y) + 1, first(y + 1)); ++v)
                for (int u = first(x); u < std::max(first(x) + 1, first(x + 1)); ++u, ++count)
                    sum += page.texels[static_cast<std::size_t>(v) * static_cast<std::size_t>(page.side) +
                                       static_cast<std::size_t>(u)];
            p.pixels.push_back(sum * (1 / (pi * static_cast<float>(count))));
        }
    return p;
}

Picture enlarged(const Picture& small, int times) {
    Picture p{small.width * times, small.height * times, {}};
    for (int y = 0; y < p.height; ++y)
        for (int x = 0; x < p.width; ++x)
            p.pixels.push_back(
                small.pixels[static_cast<std::size_t>(y / times) * static_cast<std::size_t>(small.width) +
                             static_cast<std::size_t>(x / times)]);
    return p;
}

const PageImage& page_of(const ComparedResult& r, int page) {
    if (page < 0 || page >= static_cast<int>(r.set().pages.size()))
        throw Error{.what = "there is no such page",
                    .where = "--page",
                    .value = std::to_string(page),
                    .remedy = "The bake has pages 0 to " + std::to_string(r.set().pages.size() - 1) + "."};
    return r.set().pages[static_cast<std::size_t>(page)];
}

/// The left half of one picture and the right half of the other, a white line between; eight-bit.
std::vector<std::uint8_t> split(int width, int height, const std::vector<std::uint8_t>& before,
                                const std::vector<std::uint8_t>& after) {
    std::vector<std::uint8_t> out = after;
    const auto row = 3 * static_cast<std::ptrdiff_t>(width), half = row / 6 * 3;
    for (int y = 0; y < height; ++y) {
        std::copy_n(before.begin() + y * row, half, out.begin() + y * row);
        std::fill_n(out.begin() + y * row + half, 3, std::uint8_t{255});
    }
    return out;
}

std::string stops_text(double stops) {
    char text[32];
    std::snprintf(text, sizeof text, "%s%.2g", stops < 0 ? "-" : "+", std::abs(stops));
    return text;
}

float range_for(const ComparedPictures& p) {
    std::vector<float> stops;
    for (std::size_t i = 0; i < p.after.pixels.size(); i += 7)
        stops.push_back(std::abs(std::log2(std::max(luminance(p.after.pixels[i]), p.floor) /
                                           std::max(luminance(p.before.pixels[i]), p.floor))));
    const auto at = stops.begin() + static_cast<std::ptrdiff_t>(stops.size() * 98 / 100);
    std::nth_element(stops.begin(), at, stops.end());
    // Steps that read well; less than a twentieth of a stop nobody sees.
    for (const float step : {0.05f, 0.1f, 0.25f, 0.5f, 1.0f, 2.0f, 4.0f})
        if (*at <= step) return step;
    return 8;
}

}  // namespace

BakeComparison::BakeComparison(const CompareRequest& request) : paths_(request.paths) {
    const fs::path folder = request.folder.empty() ? default_output(request.level_file) : request.folder;
    after_ = load_result(request, folder, request.after, request.set);
    if (!request.reference)
        before_ = load_result(request, folder, before_of(request, folder),
                              request.set_before.empty() ? request.set : request.set_before);
}

std::array<std::string, 2> BakeComparison::names() const {
    return {before_ ? before_->name : "reference, " + after_.set().name, after_.name};
}

ReferenceDifference BakeComparison::measure(Job& job) const {
    const LitLevel after{after_.level, after_.bake.atlas, after_.set()};
    if (!before_) return compare_with_reference(after, {}, job);
    return {.light = compare_light({before_->level, before_->bake.atlas, before_->set()}, after, job)};
}

ComparedPictures BakeComparison::draw(const DrawRequest& request, Job& job) const {
    ComparedPictures p;
    const int side = std::min(request.width, request.height);
    if (!request.camera) {
        if (!before_ || before_->bake.atlas.pages != after_.bake.atlas.pages)
            throw Error{.what = "the two results have other pages",
                        .where = "--page",
                        .value = std::to_string(request.page),
                        .remedy = "Compare from a camera; figures are given all the same."};
        p.before = picture_of(page_of(*before_, request.page), side);
        p.after = picture_of(page_of(after_, request.page), side);
    } else {
        // The reference's noise goes down with paths alone: few pixels with many say more.
        const int part = before_ ? 1 : reference_part;
        ViewOptions settings{.width = request.width / part,
                             .height = request.height / part,
                             .show = request.on_white ? Show::light : Show::lit};
        if (before_) {
            p.before = picture_of(*before_, *request.camera, settings, job);
        } else {
            const std::uint32_t set = set_index(after_.level, after_.set().name);
            p.before = reference_view(as_in_set(after_.level, set), set, *request.camera,
                                      {settings.width, settings.height, paths_}, job);
            settings.moving = settings.mirror = false;
        }
        p.after = picture_of(after_, *request.camera, settings, job);
        if (part > 1) {
            p.before = enlarged(p.before, part);
            p.after = enlarged(p.after, part);
        }
    }
    const auto ev_of = [&](const ComparedResult& r, const Picture& picture) {
        const std::optional<float> own = r.level.sets[set_index(r.level, r.set().name)].exposure;
        return request.exposure ? *request.exposure : own && request.camera ? *own : auto_exposure(picture);
    };
    p.ev[1] = ev_of(after_, p.after);
    // Two moods are each looked at with eyes that are used to them.
    p.ev[0] = before_ && before_->set().name != after_.set().name ? ev_of(*before_, p.before) : p.ev[1];
    p.floor = std::exp2(std::min(p.ev[0], p.ev[1])) / 8 / 64;
    p.range = request.range > 0 ? request.range : range_for(p);
    return p;
}

std::vector<LegendLine> difference_legend(float range) {
    const auto line = [&](double share, const char* end) {
        const double stops = share * static_cast<double>(range);
        return LegendLine{share == 0 ? "the same" : stops_text(stops) + " stops" + end,
                          difference_color(static_cast<float>(stops), range)};
    };
    return {line(1, " or more"), line(0.5, ""), line(0, ""), line(-0.5, ""), line(-1, " or more")};
}

std::vector<std::uint8_t> difference_pixels(const ComparedPictures& p) {
    constexpr int least_for_legend = 160;
    std::vector<std::uint8_t> pixels = tone_map(difference_picture(p.before, p.after, p.range, p.floor), {});
    if (p.after.height >= least_for_legend)
        draw_legend(p.after.width, p.after.height, difference_legend(p.range), pixels);
    return pixels;
}

std::vector<std::uint8_t> halves_pixels(const ComparedPictures& p) {
    return split(p.after.width, p.after.height, tone_map(p.before, p.ev[0]), tone_map(p.after, p.ev[1]));
}

}  // namespace stasigraph
