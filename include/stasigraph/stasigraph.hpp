#pragma once
// Everything the core offers. Files are in stasigraph/io.hpp, the game's side in stasigraph/runtime.hpp.

#include "stasigraph/atlas.hpp"
#include "stasigraph/bake.hpp"
#include "stasigraph/changes.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/job.hpp"
#include "stasigraph/level.hpp"
#include "stasigraph/math.hpp"
#include "stasigraph/parts.hpp"
#include "stasigraph/picture.hpp"
#include "stasigraph/place.hpp"
#include "stasigraph/probes.hpp"
#include "stasigraph/reference.hpp"
#include "stasigraph/reflect.hpp"
#include "stasigraph/session.hpp"
#include "stasigraph/survey.hpp"
