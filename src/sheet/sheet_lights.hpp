#pragma once
#include "sheet/sheet_entry.hpp"

namespace stasigraph {

/// [sky]: constant, an image or a standard sky. With `sun = "from image"` the disc becomes the level's sun.
void apply_sky(const Entry& e, SheetFiles& files, Level& level);
/// Once the sun stands: turns a standard sky after it, and says how far an image's brightest place is from
/// it.
void follow_sun(const Entry& e, Level& level);

/// [[light]]: changes every light that matches, or adds one (with `node`: one at every node that matches).
void apply_light_entry(const Entry& e, SheetFiles& files, Level& level);

/// [[rig]]: lamps, and copies of a model, at every node that matches.
void apply_rig(const Entry& e, SheetFiles& files, Level& level);

/// Leaves the `count` strongest suns that are baked; the others are left out, with a note.
void keep_suns(Level& level, int count);

}  // namespace stasigraph
