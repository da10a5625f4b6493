#pragma once
// Light of probes at a normal. Standard library only, C++17.

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

/// Adds a probe's light at a basis, times a weight, to rgb.
inline void add_probe_light(const float* coefficients, const float basis[9], float weight, float rgb[3]) {
    for (int i = 0; i < 9; ++i)
        for (int c = 0; c < 3; ++c) rgb[c] += basis[i] * weight * coefficients[3 * i + c];
}

}  // namespace stasigraph::runtime
