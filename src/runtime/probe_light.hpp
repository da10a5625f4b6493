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

/// Adds a probe's 27 coefficients, times a weight.
inline void add_coefficients(const float* coefficients, float weight, float to[27]) {
    for (int i = 0; i < 27; ++i) to[i] += coefficients[i] * weight;
}

/// Light of 27 coefficients at a unit normal.
inline void light_of(const float coefficients[27], float x, float y, float z, float rgb[3]) {
    float basis[9];
    sh_basis_at(x, y, z, basis);
    rgb[0] = rgb[1] = rgb[2] = 0;
    for (int i = 0; i < 9; ++i)
        for (int c = 0; c < 3; ++c) rgb[c] += basis[i] * coefficients[3 * i + c];
}

}  // namespace stasigraph::runtime
