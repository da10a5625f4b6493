#include "chart/pack.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "base/random.hpp"
#include "chart/page_board.hpp"

namespace stasigraph {

namespace {

/// A page whose texels are used less than this is tried as several smaller ones.
constexpr double poor_use = 0.8;
constexpr int least_side = 16;

/// What orders the shapes of a page, largest first.
using Key = double (*)(const TurnedShape&);
double by_cost(const TurnedShape& s) {
    return s.cost;
}
double by_longer_side(const TurnedShape& s) {
    return std::max(s.turns[0].mask.width, s.turns[0].mask.height);
}
double by_shorter_side(const TurnedShape& s) {
    return std::min(s.turns[0].mask.width, s.turns[0].mask.height) + 1e-3 * s.cost;
}
double by_rectangle(const TurnedShape& s) {
    return static_cast<double>(s.turns[0].mask.width) * s.turns[0].mask.height;
}
double by_perimeter_and_area(const TurnedShape& s) {
    return by_longer_side(s) * std::sqrt(s.cost);
}
constexpr std::array<Key, 5> orders = {by_rectangle, by_cost, by_longer_side, by_shorter_side,
                                       by_perimeter_and_area};

/// One way to go about it.
struct Try {
    std::vector<double> keys;  ///< Order of the shapes, largest first.
    /// How full a page is hoped to become, counting half of every margin. What is over that goes to a page of
    /// its own from the start: cheaper than finding out which large surface did not fit.
    double hope = 1;
    PageBoard::Rule rule = PageBoard::Rule::highest;
    bool leave_small = false;  ///< What is left out is many small items instead of few large ones.
};

constexpr std::array<double, 5> hopes = {1.0, 0.975, 0.955, 0.94, 0.925};

/// Rounds of tries, each from the best so far, and tries in one round; fewer rounds where a try is dear.
constexpr std::size_t pack_rounds = 12, most_idle = 2, round_size = 16, tried_shapes = 80000;

double shaken(std::uint32_t a, std::uint32_t b, double by) {
    return 1 + by * (2 * static_cast<double>(unit_float(combine_bits(a, b))) - 1);
}

/// The plain orders, each at every hope; and once by the plainer rule, which suits some odd shapes.
std::vector<Try> first_tries(const std::vector<TurnedShape>& shapes, PackEffort effort) {
    std::vector<Try> tries;
    for (const Key key : orders) {
        Try t;
        for (const TurnedShape& s : shapes) t.keys.push_back(key(s));
        if (effort == PackEffort::full) tries.push_back(t);
        t.rule = PageBoard::Rule::snug;
        for (std::size_t h = 0; h < (effort == PackEffort::full ? hopes.size() : 1); ++h) {
            t.hope = hopes[h];
            t.leave_small = h % 2 == 1;
            tries.push_back(t);
        }
    }
    return tries;
}

/// Disturbs the best order a little, or much, and changes what is hoped for now and then.
std::vector<Try> next_tries(const Try& best, std::uint32_t round) {
    std::vector<Try> tries(round_size, best);
    for (std::uint32_t i = 0; i < tries.size(); ++i) {
        const std::uint32_t seed = combine_bits(round + 1, i + 1);
        const double by = i % 4 == 0 ? 0.3 : i % 4 == 1 ? 0.1 : 0.03;
        for (std::uint32_t s = 0; s < tries[i].keys.size(); ++s) tries[i].keys[s] *= shaken(s, seed, by);
        if (i % 3 == 0) tries[i].hope = 1 - 0.08 * static_cast<double>(unit_float(combine_bits(seed, 7)));
        if (i % 5 == 0) tries[i].leave_small = !tries[i].leave_small;
    }
    return tries;
}

class Packer {
public:
    Packer(const std::vector<TurnedShape>& shapes, const std::vector<PackItem>& items,
           const PackOptions& settings, const Try& attempt)
        : shapes_(shapes), items_(items), settings_(settings), try_(attempt), cost_(items.size(), 0.0) {
        result_.placed.resize(shapes.size());
        for (std::size_t i = 0; i < items.size(); ++i)
            for (const std::uint32_t s : items[i].shapes) cost_[i] += shapes[s].cost;
    }

    Packing run(const std::vector<int>& pages) {
        std::vector<std::uint32_t> open;
        for (std::uint32_t i = 0; i < items_.size(); ++i)
            if (items_[i].at.empty()) open.push_back(i);
        for (std::size_t p = 0; p < pages.size(); ++p) {
            result_.pages.push_back(pages[p]);
            PageBoard board(pages[p], pages[p], settings_);
            for (const PackItem& item : items_)
                for (std::size_t k = 0; k < item.at.size(); ++k)
                    if (item.at[k].page == p && board.put(shapes_[item.shapes[k]], item.at[k]))
                        result_.placed[item.shapes[k]] = item.at[k];
            add_whole_items(board, static_cast<std::uint32_t>(p), open);
        }
        fill_new_pages(open, settings_.page);
        return std::move(result_);
    }

private:
    bool by_size(std::uint32_t a, std::uint32_t b) const {
        return cost_[a] != cost_[b] ? cost_[a] > cost_[b] : a < b;
    }
    /// Shapes of the items in the order of this packer.
    std::vector<std::uint32_t> in_order(const std::vector<std::uint32_t>& items) const {
        std::vector<std::uint32_t> list;
        for (const std::uint32_t i : items)
            list.insert(list.end(), items_[i].shapes.begin(), items_[i].shapes.end());
        std::sort(list.begin(), list.end(), [&](std::uint32_t a, std::uint32_t b) {
            return try_.keys[a] != try_.keys[b] ? try_.keys[a] > try_.keys[b] : a < b;
        });
        return list;
    }

    /// Adds those of the open items that fit whole, largest first, and takes them off the list.
    void add_whole_items(PageBoard& board, std::uint32_t page, std::vector<std::uint32_t>& open) {
        std::sort(open.begin(), open.end(), [&](auto a, auto b) { return by_size(a, b); });
        std::vector<std::uint32_t> left;
        for (const std::uint32_t i : open) {
            const PageBoard before = board;
            bool whole = true;
            for (const std::uint32_t s : in_order({i})) {
                const auto at = board.place(shapes_[s], try_.rule);
                if (!(whole = at.has_value())) break;
                result_.placed[s] = *at;
                result_.placed[s].page = page;
            }
            if (whole) continue;
            board = before;
            for (const std::uint32_t s : items_[i].shapes) result_.placed[s].page = none;
            left.push_back(i);
        }
        open = std::move(left);
    }

    /// Takes off the list, largest first, what a page of this side is not hoped to hold: one item that is
    /// just enough, or the largest and then some.
    std::vector<std::uint32_t> leave_out(std::vector<std::uint32_t>& items, int side) const {
        double over = -try_.hope * std::pow(static_cast<double>(side - settings_.margin), 2);
        for (const std::uint32_t i : items) over += cost_[i];
        const double small = 0.01 * side * side;
        std::vector<std::uint32_t> left;
        while (over > 0 && items.size() > 1) {
            const double want = try_.leave_small ? std::min(over, small) : over;
            std::size_t k = 0;
            while (k + 1 < items.size() && cost_[items[k + 1]] >= want) ++k;
            // With much to leave out the last and smallest go, so that large ones get the whole pages.
            if (over > small * 8) k = items.size() - 1;
            over -= cost_[items[k]];
            left.push_back(items[k]);
            items.erase(items.begin() + static_cast<std::ptrdiff_t>(k));
        }
        return left;
    }

    /// Fills one page of this side with as many of the items as fit; the others are left.
    std::vector<std::uint32_t> fill_page(int side, std::uint32_t page, std::vector<std::uint32_t> open) {
        std::sort(open.begin(), open.end(), [&](auto a, auto b) { return by_size(a, b); });
        for (const std::uint32_t i : open)  // an earlier attempt may have placed them
            for (const std::uint32_t s : items_[i].shapes) result_.placed[s].page = none;
        std::vector<std::uint32_t> chosen = std::move(open), left = leave_out(chosen, side);
        std::vector<std::uint32_t> owner(shapes_.size(), none);
        for (const std::uint32_t i : chosen)
            for (const std::uint32_t s : items_[i].shapes) owner[s] = i;
        std::vector<std::uint8_t> out(items_.size(), 0);
        PageBoard board(side, side, settings_);
        for (const std::uint32_t s : in_order(chosen)) {
            if (out[owner[s]]) continue;
            if (const auto at = board.place(shapes_[s], try_.rule)) {
                result_.placed[s] = *at;
                result_.placed[s].page = page;
                continue;
            }
            // No room for one shape of an item: all of it leaves, and what it took is free again.
            out[owner[s]] = 1;
            left.push_back(owner[s]);
            for (const std::uint32_t gone : items_[owner[s]].shapes) result_.placed[gone].page = none;
            board.clear();
            for (const std::uint32_t i : chosen)
                for (const std::uint32_t kept : items_[i].shapes)
                    if (result_.placed[kept].page == page) board.put(shapes_[kept], result_.placed[kept]);
        }
        add_whole_items(board, page, left);
        return left;
    }

    void fill_new_pages(std::vector<std::uint32_t> open, int side) {
        while (!open.empty()) {
            if (settings_.pages > 0 && static_cast<int>(result_.pages.size()) >= settings_.pages) break;
            const auto page = static_cast<std::uint32_t>(result_.pages.size());
            std::vector<std::uint32_t> before = open;
            open = fill_page(side, page, std::move(open));
            if (open.size() == before.size()) break;  // not one of them fits on an empty page
            result_.pages.push_back(side);
            if (!open.empty()) continue;
            shrink_last_page(before, side);
            return;
        }
        result_.unplaced_items.insert(result_.unplaced_items.end(), open.begin(), open.end());
    }

    /// The last page need not be as large as the others: half the side if that holds everything, or several
    /// pages of half the side if they need fewer texels.
    void shrink_last_page(const std::vector<std::uint32_t>& items, int side) {
        double used = 0;
        for (const std::uint32_t i : items) used += cost_[i];
        if (side / 2 < least_side || used > poor_use * side * side) return;
        Packing kept = result_;
        result_.pages.pop_back();
        std::vector<std::uint32_t> open = items;
        fill_new_pages(std::move(open), side / 2);
        const auto texels = [](const std::vector<int>& pages) {
            double sum = 0;
            for (int p : pages) sum += static_cast<double>(p) * p;
            return sum;
        };
        if (!result_.unplaced_items.empty() || texels(result_.pages) >= texels(kept.pages) ||
            (settings_.pages > 0 && static_cast<int>(result_.pages.size()) > settings_.pages))
            result_ = std::move(kept);
    }

    const std::vector<TurnedShape>& shapes_;
    const std::vector<PackItem>& items_;
    const PackOptions& settings_;
    const Try& try_;
    std::vector<double> cost_;
    Packing result_;
};

}  // namespace

Packing pack(const std::vector<PackShape>& shapes, const std::vector<PackItem>& items,
             const std::vector<int>& pages, const PackOptions& settings, Job& job) {
    std::vector<TurnedShape> turned;
    turned.reserve(shapes.size());
    for (const PackShape& s : shapes) turned.emplace_back(s, settings);
    // Fewest items left over, then fewest texels, then fewest pages, then the fullest first pages.
    const auto price = [&](const Packing& p) {
        double texels = 0, late = 0;
        for (int side : p.pages) texels += static_cast<double>(side) * side;
        for (std::size_t s = 0; s < p.placed.size(); ++s)
            if (p.placed[s].page != none)
                late += turned[s].cost * p.placed[s].page +
                        (p.pages.size() == 1 ? 1e-4 * turned[s].cost * p.placed[s].y : 0);
        return std::make_tuple(p.unplaced_items.size(), texels, p.pages.size(), late);
    };
    Packing best;
    Try best_try;
    bool any = false;
    std::size_t idle = 0;  // rounds in a row that saved no texels
    const std::size_t rounds =
        settings.effort == PackEffort::quick
            ? 0
            : std::min(pack_rounds, tried_shapes / round_size / std::max<std::size_t>(shapes.size(), 1));
    for (std::size_t round = 0; round <= rounds; ++round) {
        const std::vector<Try> tries = round == 0 ? first_tries(turned, settings.effort)
                                                  : next_tries(best_try, static_cast<std::uint32_t>(round));
        std::vector<Packing> results(tries.size());
        job.parallel(results.size(), 1, [&](std::size_t i, std::size_t) {
            results[i] = Packer(turned, items, settings, tries[i]).run(pages);
        });
        const auto before = any ? std::get<1>(price(best)) : 0;
        for (std::size_t i = 0; i < results.size(); ++i)
            if (!any || price(results[i]) < price(best)) {
                any = true;
                best = std::move(results[i]);
                best_try = tries[i];
            }
        idle = round > 0 && std::get<1>(price(best)) >= before ? idle + 1 : 0;
        if (idle == most_idle) break;
        // One page that holds everything: a smaller one was tried.
        if (best.unplaced_items.empty() &&
            (best.pages.size() <= 1 || static_cast<int>(best.pages.size()) == settings.pages))
            break;
    }
    return best;
}

bool pack_tight(const std::vector<Mask>& shapes, const PackOptions& settings, std::vector<Placed>& placed,
                int& width, int& height) {
    std::vector<TurnedShape> turned;
    std::vector<std::uint32_t> order(shapes.size());
    std::iota(order.begin(), order.end(), 0u);
    double cost = 0;
    int widest = 1;
    for (const Mask& m : shapes) {
        turned.emplace_back(PackShape{m, true}, settings);
        cost += turned.back().cost;
        widest = std::max(widest, std::min(m.width, m.height));
    }
    std::stable_sort(order.begin(), order.end(),
                     [&](std::uint32_t a, std::uint32_t b) { return turned[a].cost > turned[b].cost; });
    const int limit = settings.page, around = 2 * settings.margin;
    double best = 1e300;
    for (const double stretch : {0.8, 1.0, 1.2, 1.5, 2.0}) {
        const int w =
            std::clamp(static_cast<int>(std::sqrt(cost) * stretch) + settings.margin, widest + around, limit);
        PageBoard board(w, limit, settings);
        std::vector<Placed> at(shapes.size());
        int right = 0, bottom = 0;
        bool all = true;
        for (const std::uint32_t s : order) {
            const auto found = board.place(turned[s], PageBoard::Rule::highest);
            if (!(all = found.has_value())) break;
            at[s] = *found;
            const Mask& m = turned[s].turns[found->turns].mask;
            right = std::max(right, found->x + m.width);
            bottom = std::max(bottom, found->y + m.height);
        }
        // Square-like rectangles are easier to place than their area says.
        const double price = static_cast<double>(right) * bottom *
                             (1 + 0.05 * std::abs(std::log(1.0 * right / std::max(bottom, 1))));
        if (!all || price >= best) continue;
        best = price;
        placed = std::move(at);
        width = right;
        height = bottom;
    }
    if (best == 1e300) return false;
    // The first column and row a shape may begin at.
    const int block = std::max(1, settings.block), origin = (settings.margin + block - 1) / block * block;
    for (Placed& p : placed) {
        p.x -= origin;
        p.y -= origin;
    }
    width -= origin;
    height -= origin;
    return true;
}

}  // namespace stasigraph
