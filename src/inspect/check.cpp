#include "stasigraph/check.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <tuple>

#include "base/text.hpp"
#include "inspect/check_scene.hpp"

namespace stasigraph {

namespace {

constexpr std::array kinds = {
    FindingKind{"lamp-buried", "a lamp inside of something solid"},
    FindingKind{"lamp-close", "a lamp so near to a surface that its spot is smaller than texels"},
    FindingKind{"lamp-reaches-nothing", "a lamp whose light meets no static surface"},
    FindingKind{"many-suns", "more than one sun at a time"},
    FindingKind{"no-light", "a level or a set without any light"},
    FindingKind{"no-static", "no static surface: nothing to bake, and probes stay black"},
    FindingKind{"all-realtime", "every light is realtime: nothing of it is baked"},
    FindingKind{"thin-wall", "a wall too thin for texels that parts bright from dark"},
    FindingKind{"sheet-wall", "a wall without thickness that parts bright from dark"},
    FindingKind{"gap", "a joint that is open by less than a hand"},
    FindingKind{"open-room", "a nearly closed room with a hole through which rays get out"},
    FindingKind{"flipped-faces", "faces that look the wrong way"},
    FindingKind{"uv-overlap", "lightmap UVs that came along and overlap"},
    FindingKind{"uv-range", "lightmap UVs that came along and leave the unit square or have no area"},
    FindingKind{"uv-margin", "lightmap UVs that came along with charts too close together"},
    FindingKind{"density-jump", "surfaces that continue each other with texels of very different size"},
    FindingKind{"page-size", "a page size that is no power of two"},
    FindingKind{"page-margin", "pages too small for their margin"},
    FindingKind{"costly-surface", "a surface with more texels than all others together"},
    FindingKind{"unseen-surface", "texels for what nobody can see"},
    FindingKind{"albedo-bright", "a material that reflects nearly all light"},
    FindingKind{"albedo-dark", "a material that reflects nearly none"},
    FindingKind{"tinted-light", "a sun or sky of a colour that no sun or sky has"},
    FindingKind{"odd-unit", "light of an amount that suggests another unit"},
    FindingKind{"small-emitter", "something that glows and is smaller than a texel"},
    FindingKind{"animated-but-static", "an animated or skinned node that is baked as static"},
    FindingKind{"moving-without-animation", "a moving part that nothing in the scene moves"},
    FindingKind{"coplanar-faces", "surfaces in one place"},
    FindingKind{"bad-vertices", "positions, normals or UVs that are not finite"},
    FindingKind{"bad-normals", "normals that are not of unit length"},
    FindingKind{"bad-transform", "a node that is pressed flat or not finite"},
    FindingKind{"no-area", "triangles without area"},
    FindingKind{"mirrored", "a transform that mirrors"},
    FindingKind{"volume-coarse", "a volume whose probes cannot tell the floor from what stands on it"},
    FindingKind{"volume-outside", "a volume that sticks out of the level"},
    FindingKind{"reflection-crosses-wall", "a reflection probe that reaches into another room"},
    FindingKind{"zones-overlap", "zones that share space"},
    FindingKind{"zone-leaves-out", "surfaces among zones that belong to none"},
    FindingKind{"sheet-no-match", "an entry of the sheet that names nothing"},
    FindingKind{"too-dark", "a place where people walk that is darker than [check] least_lux"},
};

void accept(const Level& level, Findings& findings) {
    for (const Acceptance& a : level.accepted) {
        bool any = false;
        for (Finding& f : findings) {
            const bool named = a.match == "*" || std::any_of(f.names.begin(), f.names.end(), [&](auto& name) {
                                   return glob_match(a.match, name);
                               });
            if (!named || !glob_match(a.finding, f.id)) continue;
            f.accepted = a.reason;
            any = true;
        }
        if (!any)
            findings.push_back({.id = "sheet-no-match",
                                .severity = Severity::hint,
                                .names = {a.finding + " " + a.match},
                                .what = "[[accept]] \"" + a.finding + "\" for \"" + a.match +
                                        "\" accepts nothing that is found now",
                                .remedy = "Take it out of the sheet, or mend its globs."});
    }
}

/// From this many of one kind on they most likely have one cause, and are told as one: the worst of them,
/// with the names and the number of all.
constexpr std::size_t alike = 8;

void join_alike(std::vector<Finding>& findings) {
    std::vector<Finding> out;
    std::vector<std::uint8_t> done(findings.size(), 0);
    for (std::size_t i = 0; i < findings.size(); ++i) {
        if (done[i]) continue;
        std::vector<std::size_t> same;
        for (std::size_t k = i; k < findings.size(); ++k)
            if (findings[k].id == findings[i].id && findings[k].severity == findings[i].severity &&
                findings[k].accepted == findings[i].accepted)
                same.push_back(k);
        if (same.size() < alike) {
            out.push_back(findings[i]);
            continue;
        }
        const auto off = [&](std::size_t k) {
            const Finding& f = findings[k];
            if (f.limit != 0 && f.measure / f.limit > 0) return std::abs(std::log2(f.measure / f.limit));
            return f.measure != 0 ? std::abs(f.measure) : static_cast<double>(f.places);
        };
        std::stable_sort(same.begin(), same.end(),
                         [&](std::size_t a, std::size_t b) { return off(a) > off(b); });
        Finding joined = findings[same[0]];
        joined.names.clear();
        joined.places = 0;
        for (const std::size_t k : same) {
            done[k] = 1;
            joined.places += findings[k].places;
            for (const std::string& name : findings[k].names)
                if (std::find(joined.names.begin(), joined.names.end(), name) == joined.names.end())
                    joined.names.push_back(name);
        }
        joined.what = std::to_string(same.size()) + " times; the worst: " + joined.what;
        out.push_back(std::move(joined));
    }
    findings = std::move(out);
}

}  // namespace

const char* to_text(Severity severity) {
    constexpr const char* names[] = {"hint", "warning", "error"};
    return names[static_cast<int>(severity)];
}

std::span<const FindingKind> finding_kinds() {
    return kinds;
}

Checked check(const Level& level, Job& job) {
    const auto subjects = {check_lights, check_materials, check_remarks,   check_moving,
                           check_faces,  check_texels,    check_given_uvs, check_walls,
                           check_gaps,   check_probes,    check_zones,     check_dark};
    job.begin(Stage::check, subjects.size() + 2);
    const CheckScene scene(level, job);
    job.advance(2);
    Checked c;
    for (const auto subject : subjects) {
        subject(scene, c.findings);
        job.advance(1);
    }
    accept(level, c.findings);
    join_alike(c.findings);
    const auto order = [](const Finding& f) {
        const auto kind =
            std::find_if(kinds.begin(), kinds.end(), [&](const FindingKind& k) { return f.id == k.id; });
        return std::tuple(!f.accepted.empty(), -static_cast<int>(f.severity), kind - kinds.begin());
    };
    std::stable_sort(c.findings.begin(), c.findings.end(),
                     [&](const Finding& a, const Finding& b) { return order(a) < order(b); });
    for (const Finding& f : c.findings)
        ++(!f.accepted.empty()               ? c.accepted
           : f.severity == Severity::error   ? c.errors
           : f.severity == Severity::warning ? c.warnings
                                             : c.hints);
    job.finish();
    return c;
}

}  // namespace stasigraph
