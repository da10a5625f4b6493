#pragma once
// What the observatory is made of.

#include "scene.hpp"

namespace demo {

/// Numbers of materials in a scene.
struct Materials {
    int tiles, plaster, vermilion, concrete, dome, brass, dark_steel, wood, rock, stone, water, bark, needles,
        red_glass, screen, console, panel, cloth, skin, paint, canvas;
};

/// Adds all of them, with their textures.
Materials make_materials(Scene& s);

}  // namespace demo
