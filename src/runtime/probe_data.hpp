#pragma once
// probes.bin as it lies in the file: the one reader of it. See docs/files.md.

#include <cstdint>
#include <string>
#include <vector>

#include "runtime/lamp_light.hpp"
#include "runtime/nearness.hpp"
#include "stasigraph/runtime.hpp"

namespace stasigraph::runtime {

/// The lamps of a set, and the rest of its probes' light.
struct SetLamps {
    std::vector<Lamp> lamp;
    std::vector<float> color;  ///< Three a lamp.
    std::vector<std::string> name;
    std::vector<LampProfile> profile;
    std::vector<float> values, rest;
    std::vector<std::uint32_t> first, entry;
    LampView view() const {
        return {lamp.data(), static_cast<std::uint32_t>(lamp.size()), profile.data(), values.data()};
    }
};

struct ProbeData {
    std::uint32_t count = 0, auxiliary = 0, cells = 0;
    int side = 0;  ///< Of a map of nearness.
    int dimension = 0;
    float base[3]{}, axis[2][3]{};
    std::vector<float> position;  ///< Three a probe, then those of auxiliary points.
    std::vector<float> front_share, clearance, reach;
    std::vector<std::uint32_t> origin;            ///< Rule above, volume in the lower 24 bits.
    std::vector<std::uint32_t> vertex, adjacent;  ///< Four a cell.
    std::vector<NearnessCode> nearness;           ///< side * side a probe.
    std::vector<std::string> volumes, sets;
    std::vector<float> light;     ///< 27 a probe, set by set.
    std::vector<SetLamps> lamps;  ///< By set.

    const float* light_of(std::size_t set) const { return light.data() + 27 * set * count; }
};

/// What is wrong with a file, in words; ok and empty where nothing is.
struct ReadProbes {
    Status status = Status::ok;
    const char* message = "";
};
/// Checks all that lookups rely on: no number leads out of its array. May throw std::bad_alloc.
ReadProbes read_probe_data(const void* bytes, std::size_t size, ProbeData& out);

}  // namespace stasigraph::runtime
