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
#ifdef __GNUC__
    void add(const float* c, float weight) {
        const Four w = {weight, weight, weight, weight};
        a_ += load(c) * w;
        b_ += load(c + 4) * w;
        c_ += load(c + 8) * w;
        d_ += load(c + 12) * w;
        e_ += load(c + 16) * w;
        f_ += load(c + 20) * w;
        // The last four, of which the first was there before.
        g_ += load(c + 23) * w;
    }
    void get(float out[27]) const {
        store(out + 23, g_);
        store(out, a_);
        store(out + 4, b_);
        store(out + 8, c_);
        store(out + 12, d_);
        store(out + 16, e_);
        store(out + 20, f_);
    }

private:
    typedef float Four __attribute__((vector_size(16)));
    static Four load(const float* from) {
        Four v;
        std::memcpy(&v, from, sizeof v);
        return v;
    }
    static void store(float* to, Four v) {
        std::memcpy(to, &v, sizeof v);
    }
    Four a_ = {}, b_ = {}, c_ = {}, d_ = {}, e_ = {}, f_ = {}, g_ = {};
#else
    void add(const float* c, float weight) {
        for (int i = 0; i < 27; ++i) sum_[i] += c[i] * weight;
    }
    void get(float out[27]) const {
        std::memcpy(out, sum_, sizeof sum_);
    }

private:
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
