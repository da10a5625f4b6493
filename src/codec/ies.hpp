#pragma once
#include "codec/files.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// A photometric file as read: candela with ballast factors in, and what the lamp gives when it is tilted.
struct IesFile {
    Profile profile;
    std::vector<float> tilt,
        factor;  ///< Degrees from upright, ascending, and the share of the light; or empty.

    /// Share of the light at an aim this many degrees off straight down.
    float tilt_factor(float degrees) const;
};

/// IES LM-63 of 1986 to 2019: type C, and type B. Throws Error naming `where` and the line.
IesFile read_ies(const Bytes& bytes, const std::string& where);

}  // namespace stasigraph
