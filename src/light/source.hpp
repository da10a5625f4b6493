#pragma once
// Single sources of light and how they are sampled: lamps as balls, discs and tubes, and glowing triangles.

#include <algorithm>
#include <vector>

#include "light/receiver.hpp"

namespace stasigraph {

/// Points and spots (balls), discs and tubes. Rectangles are two triangles.
struct Lamp {
    Light light;
    const Profile* profile = nullptr;
    float cos_inner = 1, cos_outer = -1;
};

/// A part of a triangle of an emissive surface, or half of a rectangle.
struct EmissiveTriangle {
    Vec3 a, ab, ac, normal;
    float radius = 0;  ///< Of a ball around its middle that holds it.
    float area = 0;
    Rgb emission;  ///< Nit; where textured, the mean.
    float range = 0;
    bool two_sided = false, textured = false;
    std::uint32_t surface = none, triangle = 0;  ///< For the texture.
    Vec2 corner, u, v;                           ///< Barycentrics of the mesh's triangle.
};

Lamp make_lamp(const Light& light, const std::vector<Profile>& profiles);
/// The two halves of a rectangle.
std::array<EmissiveTriangle, 2> rectangle_halves(const Light& light);

/// Share of the intensity, or for profiles candela over the peak, in a direction away from a lamp.
float lamp_share(const Lamp& lamp, Vec3 away);

/// KHR_lights_punctual, "Range Property": 1 at the lamp, 0 from the range on.
inline float range_share(float range, float distance) {
    if (!(range > 0)) return 1;
    const float q = distance / range;
    return std::clamp(1 - q * q * q * q, 0.0f, 1.0f);
}

/// A place on a source as one sample sees it.
struct SourceSample {
    Vec3 direction;      ///< Toward it, unit length.
    float distance = 0;  ///< Metres to where it begins; 0 with no light when the sample found nothing.
    Rgb light;           ///< Illuminance on a plane across the direction that this sample stands for.
    Vec2 barycentric;    ///< Of a triangle's surface.
};

/// Shadow rays that a source of this radius at this distance is worth, of `samples` for one that fills the
/// view. Far ones still cast soft shadows, where something stands close to them.
inline int size_samples(int samples, float radius, float distance) {
    return std::clamp(static_cast<int>(std::ceil(static_cast<float>(samples) * 10 * radius / distance)),
                      std::max(1, samples / 4), samples);
}

/// Samples of one source from one receiver: prepared once, drawn n times. The mean of `light` over draws is
/// the source's illuminance without anything in the way.
class BallView {
public:
    BallView(const Lamp& lamp, const Receiver& r);
    SourceSample draw(Vec2 random) const;
    bool empty() const { return !(max_channel(intensity_) > 0); }
    float distance() const { return distance_; }
    float intensity() const { return max_channel(intensity_); }
    /// Lux over 1 candela on the receiver with nothing in the way; 0 where only sampling tells: a ball that
    /// the horizon cuts, a receiver in the air.
    float whole(const Receiver& r) const;

private:
    Vec3 axis_;
    Rgb intensity_;
    float distance_ = 0, radius_ = 0, gap_ = 0;
    Frame frame_{{0, 0, 1}};
};

class DiscView {
public:
    DiscView(const Lamp& lamp, const Receiver& r);
    SourceSample draw(Vec2 random) const;

private:
    const Light& light_;
    Vec3 from_, down_;
};

class TubeView {
public:
    TubeView(const Lamp& lamp, const Receiver& r);
    SourceSample draw(Vec2 random) const;

private:
    const Light& light_;
    Vec3 from_;
    float along_ = 0, away_ = 0;    ///< Where the receiver stands beside the axis, and how far from it.
    Vec3 out_, third_;              ///< From the axis to the receiver, and across both.
    float angle_ = 0, spread_ = 0;  ///< Of the tube's ends as seen from there, radians.
};

class TriangleView {
public:
    TriangleView(const EmissiveTriangle& triangle, const Receiver& r);
    /// Light for an emission of 1; the caller multiplies by what the triangle sends at the barycentrics.
    SourceSample draw(Vec2 random) const;
    /// Lux on the receiver for an emission of 1 and nothing in the way; 0 where only sampling tells: far
    /// ones, such with a range, a receiver in the air.
    float whole(const Receiver& r) const;

private:
    const EmissiveTriangle& triangle_;
    Vec3 from_;
    // By solid angle, where it is large enough to be worth it.
    float solid_ = 0;
    Vec3 a_, b_, c_;
    float alpha_ = 0, cos_c_ = 0;
    float corner_[3] = {1, 1, 1};  ///< Cosine at the receiver of each corner's direction.
};

}  // namespace stasigraph
