#pragma once
// Values and shapes that several tables of a bake sheet say in the same way.

#include "sheet/sheet_entry.hpp"

namespace stasigraph {

inline constexpr double far = 1e6;  ///< Metres from the origin, at most.
inline constexpr float degree = pi / 180;
inline constexpr double exact_degree = 3.14159265358979323846 / 180;

float number_or(const Entry& e, const char* key, double low, double high, float usual);
/// A list of points.
std::vector<Vec3> vectors(const Entry& e, const char* key);
/// A list of texts, or one of them alone.
std::vector<std::string> texts(const Entry& e, const char* key);
void need_keys(const Entry& e, std::initializer_list<const char*> keys, const char* remedy);
/// Fails where one of these is said of a shape that has no use for it.
void refuse_keys(const Entry& e, std::initializer_list<const char*> keys, const std::string& shape);

/// A box by two corners, turned by `turn` degrees and lying in a `node`, where the entry says so.
void read_corners(const Entry& e, const Level& level, const char* low_key, const char* high_key, Volume& v);
/// A place, in the `node` where the entry names one.
Vec3 place_of(const Entry& e, const Level& level, const char* key);
/// A box, a sphere or a capsule.
void read_shape(const Entry& e, const Level& level, Volume& v);

}  // namespace stasigraph
