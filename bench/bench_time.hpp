#pragma once
#include <chrono>
#include <functional>

/// Seconds that some work takes.
inline double time_of(const std::function<void()>& work) {
    const auto start = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}
