#pragma once
// Light of probes at a normal. Standard library only, C++17.

#include <cstring>

namespace stasigraph::runtime {

/// The nine basis functions at a unit vector, as docs/files.md has them.
inline void sh_basis_at(float x, float y, float z, float basis[9]) {
    basis[0] = 0.28209479f;
    basis[1] = 0.48860251f * y;
    basis[2] = 0.48860251f * z;
    basis[3] = 0.48860251f * x;
    basis[4] = 1.09254843f * x * y;
    basis[5] = 1.09254843f * y * z;
    basis[6] = 0.31539157f * (3 * z * z - 1);
    basis[7] = 1.09254843f * x * z;
    basis[8] = 0.54627422f * (x * x - y * y);
}

/// A weighted sum of probes' 27 coefficients. In registers where the compiler has vectors: through memory it
/// takes three times as long.
class LightSum {
public:
    void add(const float* coefficients, float weight) {
#ifdef __GNUC__
        // Six times four, and the last four, of which the first was there before.
        const Four w = {weight, weight, weight, weight};
        for (int k = 0; k < 7; ++k) {
            Four c;
            std::memcpy(&c, coefficients + (k < 6 ? 4 * k : 23), sizeof c);
            sum_[k] += c * w;
        }
#else
        for (int i = 0; i < 27; ++i) sum_[i] += coefficients[i] * weight;
#endif
    }
    void get(float out[27]) const {
#ifdef __GNUC__
        std::memcpy(out + 23, &sum_[6], 16);
        std::memcpy(out, sum_, 96);
#else
        std::memcpy(out, sum_, sizeof sum_);
#endif
    }

private:
#ifdef __GNUC__
    typedef float Four __attribute__((vector_size(16)));
    Four sum_[7] = {};
#else
    float sum_[27] = {};
#endif
};

/// Light of 27 coefficients at a unit normal.
inline void light_of(const float coefficients[27], float x, float y, float z, float rgb[3]) {
    float basis[9];
    sh_basis_at(x, y, z, basis);
    rgb[0] = rgb[1] = rgb[2] = 0;
    for (int i = 0; i < 9; ++i)
        for (int c = 0; c < 3; ++c) rgb[c] += basis[i] * coefficients[3 * i + c];
}

}  // namespace stasigraph::runtime
