#pragma once
// What lookups need of a net beside what files hold.

#include <vector>

#include "runtime/net_border.hpp"
#include "runtime/net_locate.hpp"
#include "runtime/net_lookup.hpp"

namespace stasigraph::runtime {

/// Worked out once when a net is opened; the net borrows it.
class OpenedNet {
public:
    /// `net` has its points and cells, and the inverses of those. May throw std::bad_alloc.
    void open(NetView& net) {
        neighbours_.resize(std::size_t{net.count} + 1 + 16 * std::size_t{net.cells});
        list_neighbours(net, neighbours_.data(), neighbours_.data() + net.count + 1);
        border_.resize(border_words(net.cells));
        find_border(net, border_.data());
        border_box_.resize(border_floats(net.borders));
        lay_border(net, border_.data(), border_box_.data());
        starts_.resize(most_starts);
        lay_grid(net, starts_.data());
    }

private:
    std::vector<std::uint32_t> neighbours_, border_, starts_;  ///< The last: a grid of them.
    std::vector<float> border_box_;
};

}  // namespace stasigraph::runtime
