#pragma once
// Pictures of findings.

#include "stasigraph/check.hpp"
#include "stasigraph/picture.hpp"

namespace stasigraph {

/// The camera from which the place of a finding is seen best: in the open, near, from the side it can be
/// looked at. One answer for each finding; those without a place get a camera that shows nothing.
std::vector<Camera> finding_cameras(const Level& level, const std::vector<Finding>& findings, Job& job);

/// Draws each finding that has a place from its camera, in plain colours, the place ringed; the others get an
/// empty picture. Moving things are drawn. Cost: a ray a pixel, four at edges.
std::vector<Picture> finding_pictures(const Level& level, const std::vector<Finding>& findings, int width,
                                      int height, Job& job);

/// Rings the places of findings in a picture from a camera, those that are hidden more faintly, and answers
/// where each ring is, pixels; none for those out of the picture.
struct FindingMark {
    std::size_t finding = 0;
    float x = 0, y = 0, radius = 0;
    bool hidden = false;
};
std::vector<FindingMark> mark_findings(const Level& level, const std::vector<Finding>& findings,
                                       const Camera& camera, Picture& picture, Job& job);

/// The colour of a severity; linear.
Rgb severity_color(Severity severity);

}  // namespace stasigraph
