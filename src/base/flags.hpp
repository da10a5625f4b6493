#pragma once
// Flags by number.

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <utility>
#include <vector>

namespace stasigraph {

/// A yes or no for each of many things. `Of` says of what, so that flags of one kind are never taken for
/// those of another. They are bytes, not bits: threads may set different ones at once.
template <class Of>
class Flags {
public:
    Flags() = default;
    explicit Flags(std::size_t count, bool all = false) : set_(count, all ? 1 : 0) {}

    std::size_t size() const { return set_.size(); }
    bool empty() const { return set_.empty(); }
    void clear() { set_.clear(); }
    void assign(std::size_t count, bool all) { set_.assign(count, all ? 1 : 0); }
    void push_back(bool flag) { set_.push_back(flag ? 1 : 0); }
    bool operator[](std::size_t i) const { return set_[i] != 0; }
    void set(std::size_t i, bool flag = true) { set_[i] = flag ? 1 : 0; }
    std::size_t count() const { return static_cast<std::size_t>(std::count(set_.begin(), set_.end(), 1)); }

    /// As stores hold them.
    const std::vector<std::uint8_t>& bytes() const { return set_; }
    std::vector<std::uint8_t>& bytes() { return set_; }

    friend bool operator==(const Flags&, const Flags&) = default;

private:
    std::vector<std::uint8_t> set_;
};

}  // namespace stasigraph
