#pragma once
#include <string>

namespace stasigraph {

/// The one exception type of the public API: what was attempted or found, on what, the offending value and
/// what to do about it. Empty parts are left out of the text.
struct Error {
    std::string what;    ///< What is wrong, as a short sentence without a full stop.
    std::string where;   ///< File and line, node, surface or key.
    std::string value;   ///< The offending value, as text.
    std::string remedy;  ///< What the user can do.

    /// One line: "where: what (value). remedy."
    std::string text() const;
};

/// Thrown out of long calls once Job::cancel() was called. Results of that call are dropped; inputs are
/// intact.
struct Cancelled {};

}  // namespace stasigraph
