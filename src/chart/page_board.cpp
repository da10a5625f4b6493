#include "chart/page_board.hpp"

#include <algorithm>
#include <bit>

namespace stasigraph {

namespace {

/// Words a search looks past the end of a row.
constexpr int slack = 1;

/// Places of each turn that the snug rule compares, and what the whole height of a page counts against
/// contact.
constexpr int snug_places = 8;
constexpr double height_weight = 0.5;

/// What a shape claims: itself and its margin, in whole blocks where blocks are asked for.
Mask claim_of(const Mask& mask, int margin, int block, int claim) {
    Mask grown = mask.grown(margin);
    if (block <= 1) return grown;
    Mask out(claim + mask.width + margin + 2 * block, claim + mask.height + margin + 2 * block);
    const auto add = [&](int x, int y) { out.set(x, y); };
    for (int y = 0; y < grown.height; ++y)
        for (int x = 0; x < grown.width; ++x)
            if (grown.at(x, y)) add(x - margin + claim, y - margin + claim);
    // Shapes begin at whole blocks, and `claim` is a whole number of them.
    for (int y = 0; y < mask.height; ++y)
        for (int x = 0; x < mask.width; ++x)
            if (mask.at(x, y))
                for (int by = y / block * block; by < y / block * block + block; ++by)
                    for (int bx = x / block * block; bx < x / block * block + block; ++bx)
                        add(bx + claim, by + claim);
    return out;
}

}  // namespace

TurnedShape::TurnedShape(const PackShape& shape, const PackOptions& settings) {
    claim = settings.block > 1 ? (settings.margin + settings.block - 1) / settings.block * settings.block
                               : settings.margin;
    Mask mask = shape.mask;
    texels = mask.count();
    for (int t = 0; t < (shape.may_turn ? 4 : 1); ++t) {
        if (t > 0) mask = mask.turned();
        // A rectangle looks the same after two turns.
        if (t >= 2 && std::all_of(turns.begin(), turns.end(), [&](const Turn& o) {
                return o.mask.count() == static_cast<std::size_t>(o.mask.width) * o.mask.height;
            }))
            break;
        Turn& turn = turns.emplace_back();
        turn.mask = mask;
        turn.taken = claim_of(mask, settings.margin, settings.block, claim);
        turn.ring = turn.taken.grown(1);
        for (int y = 0; y < turn.taken.height; ++y)
            for (int x = 0; x < turn.taken.width; ++x)
                if (turn.taken.at(x, y)) turn.ring.row(y + 1)[(x + 1) / 64] &= ~(1ull << ((x + 1) % 64));
        turn.ring_count = static_cast<int>(turn.ring.count());
        std::vector<int>& longest = turn.longest;
        longest.assign(mask.height, 0);
        for (int y = 0; y < mask.height; ++y) {
            turn.first_run.push_back(static_cast<std::uint32_t>(turn.runs.size()));
            for (int x = 0; x < mask.width;) {
                if (!mask.at(x, y)) {
                    ++x;
                    continue;
                }
                const int begin = x;
                while (x < mask.width && mask.at(x, y)) ++x;
                turn.runs.push_back({begin, x - begin});
                longest[y] = std::max(longest[y], x - begin);
            }
        }
        turn.first_run.push_back(static_cast<std::uint32_t>(turn.runs.size()));
        // The longest row, then rows far from those before: first and last, then halving what lies between.
        std::vector<std::uint8_t> listed(mask.height, 0);
        const auto list = [&](int y) {
            if (!listed[y]) turn.order.push_back(y);
            listed[y] = 1;
        };
        list(static_cast<int>(std::max_element(longest.begin(), longest.end()) - longest.begin()));
        list(0);
        list(mask.height - 1);
        for (int step = std::bit_ceil(static_cast<unsigned>(mask.height)); step > 0; step /= 2)
            for (int y = 0; y < mask.height; y += step) list(y);
    }
    const std::size_t half = shape.mask.grown((settings.margin + 1) / 2).count();
    cost = settings.margin % 2 == 0 ? static_cast<double>(half)
                                    : (static_cast<double>(half) + static_cast<double>(texels)) / 2;
}

PageBoard::PageBoard(int width, int height, const PackOptions& settings)
    : width_(width),
      height_(height),
      margin_(settings.margin),
      block_(std::max(1, settings.block)),
      words_((width + 63) / 64 + slack),
      taken_(static_cast<std::size_t>(words_) * height),
      starts_(words_, 0),
      gap_(height) {
    for (int x = 0; x < width_; x += block_)
        if (x >= margin_) starts_[x / 64] |= 1ull << (x % 64);
    clear();
}

void PageBoard::clear() {
    std::fill(taken_.begin(), taken_.end(), 0);
    std::fill(gap_.begin(), gap_.end(), width_);
}

template <class F>
void PageBoard::find(const TurnedShape::Turn& turn, int before, F&& f) const {
    const int w = turn.mask.width, h = turn.mask.height;
    const int last_x = width_ - margin_ - w, last_y = std::min(height_ - margin_ - h, before - h);
    if (last_x < margin_) return;
    const int words = words_ - slack;
    std::vector<std::uint64_t> free(words), run(words_ + 1), other(words_ + 1);
    const int first_y = (margin_ + block_ - 1) / block_ * block_;
    const int probe[3] = {turn.order[0], h / 4, h - 1 - h / 4};
    for (int y = first_y; y <= last_y; y += block_) {
        bool any = false;
        if (gap_[y + probe[0]] < turn.longest[probe[0]] || gap_[y + probe[1]] < turn.longest[probe[1]] ||
            gap_[y + probe[2]] < turn.longest[probe[2]])
            continue;
        for (int i = 0; i < words; ++i) {
            free[i] = starts_[i];
            const int left = last_x + 1 - 64 * i;  // columns of this word that may begin a shape
            if (left < 64) free[i] &= left <= 0 ? 0 : (1ull << left) - 1;
            any = any || free[i];
        }
        for (std::size_t k = 0; any && k < turn.order.size(); ++k) {
            const int r = turn.order[k];
            const std::uint64_t* row = &taken_[static_cast<std::size_t>(y + r) * words_];
            for (std::uint32_t n = turn.first_run[r]; n < turn.first_run[r + 1]; ++n) {
                const auto [begin, length] = turn.runs[n];
                // run[x] = any of row[x .. x + length): doubling, then one overlapping step.
                std::copy(row, row + words_, run.begin());
                run[words_] = 0;
                const auto shift_or = [&](int by) {
                    const int whole = by / 64, part = by % 64;
                    for (int i = 0; i < words_; ++i) {
                        const std::uint64_t low = i + whole < words_ ? run[i + whole] : 0,
                                            high = i + whole + 1 < words_ ? run[i + whole + 1] : 0;
                        run[i] |= part ? (low >> part) | (high << (64 - part)) : low;
                    }
                };
                int covered = 1;
                while (2 * covered <= length) {
                    shift_or(covered);
                    covered *= 2;
                }
                if (covered < length) shift_or(length - covered);
                const int whole = begin / 64, part = begin % 64;
                any = false;
                for (int i = 0; i < words; ++i) {
                    const std::uint64_t low = i + whole < words_ ? run[i + whole] : 0,
                                        high = i + whole + 1 < words_ ? run[i + whole + 1] : 0;
                    free[i] &= ~(part ? (low >> part) | (high << (64 - part)) : low);
                    any = any || free[i];
                }
                if (!any) break;
            }
        }
        if (!any) continue;
        int left = 0, right = words - 1;
        while (!free[left]) ++left;
        while (!free[right]) --right;
        const int first = 64 * left + std::countr_zero(free[left]),
                  last = 64 * right + 63 - std::countl_zero(free[right]);
        if (f(first, y) || (last != first && f(last, y))) return;
    }
}

double PageBoard::contact(const TurnedShape::Turn& turn, int claim, int x, int y) const {
    const int left = x - claim - 1, top = y - claim - 1;
    std::size_t touched = 0;
    for (int r = 0; r < turn.ring.height; ++r) {
        const int py = top + r;
        for (int i = 0; i < turn.ring.words; ++i) {
            const std::uint64_t bits = turn.ring.row(r)[i];
            if (!bits) continue;
            const int at = left + 64 * i;
            // Outside of the page counts as taken.
            std::uint64_t there = ~0ull;
            if (py >= 0 && py < height_) {
                there = 0;
                const auto word = [&](int w) -> std::uint64_t {
                    if (w < 0) return ~0ull;
                    std::uint64_t v = w < words_ ? taken_[static_cast<std::size_t>(py) * words_ + w] : ~0ull;
                    if (64 * w >= width_)
                        v = ~0ull;
                    else if (64 * w + 64 > width_)
                        v |= ~0ull << (width_ - 64 * w);
                    return v;
                };
                const int w = at >= 0 ? at / 64 : -((63 - at) / 64), part = at - 64 * w;
                there = part ? (word(w) >> part) | (word(w + 1) << (64 - part)) : word(w);
            }
            touched += static_cast<std::size_t>(std::popcount(bits & there));
        }
    }
    return static_cast<double>(touched) / std::max(1, turn.ring_count);
}

int PageBoard::longest_gap(int y) const {
    const std::uint64_t* row = &taken_[static_cast<std::size_t>(y) * words_];
    int longest = 0, run = 0;
    for (int x = 0; x < width_;) {
        const int bit = x % 64, left = std::min(64 - bit, width_ - x);
        const std::uint64_t word = row[x / 64] >> bit;
        const int clear = std::min(left, word ? std::countr_zero(word) : 64);
        run += clear;
        longest = std::max(longest, run);
        x += clear;
        if (clear == left) continue;
        run = 0;
        x += std::min(left - clear, std::countr_one(word >> clear));
    }
    return longest;
}

void PageBoard::take(const TurnedShape::Turn& turn, int claim, int x, int y) {
    const Mask& m = turn.taken;
    for (int r = 0; r < m.height; ++r) {
        const int py = y - claim + r;
        if (py < 0 || py >= height_) continue;
        std::uint64_t* row = &taken_[static_cast<std::size_t>(py) * words_];
        const int left = x - claim;  // may be negative by less than the claim
        for (int i = 0; i < m.words; ++i) {
            const std::uint64_t bits = m.row(r)[i];
            if (!bits) continue;
            const int at = left + 64 * i, word = at >= 0 ? at / 64 : -((63 - at) / 64), part = at - 64 * word;
            if (word >= 0 && word < words_) row[word] |= bits << part;
            if (part && word + 1 >= 0 && word + 1 < words_) row[word + 1] |= bits >> (64 - part);
        }
        gap_[py] = longest_gap(py);
    }
}

std::optional<Placed> PageBoard::place(const TurnedShape& shape, Rule rule) {
    std::optional<Placed> best;
    int before = height_ - margin_;  // bottoms have to stay above this
    double best_contact = -2;
    for (std::size_t t = 0; t < shape.turns.size(); ++t) {
        const TurnedShape::Turn& turn = shape.turns[t];
        int looked = 0;
        find(turn, before, [&](int x, int y) {
            if (rule == Rule::highest) {
                best = Placed{.page = 0, .x = x, .y = y, .turns = static_cast<int>(t)};
                before = y + turn.mask.height - 1;
                return true;
            }
            const double c =
                contact(turn, shape.claim, x, y) - height_weight * (y + turn.mask.height) / height_;
            if (c > best_contact) {
                best_contact = c;
                best = Placed{.page = 0, .x = x, .y = y, .turns = static_cast<int>(t)};
            }
            return ++looked >= snug_places;
        });
    }
    if (best) take(shape.turns[best->turns], shape.claim, best->x, best->y);
    return best;
}

bool PageBoard::put(const TurnedShape& shape, const Placed& at) {
    if (static_cast<std::size_t>(at.turns) >= shape.turns.size()) return false;
    const TurnedShape::Turn& turn = shape.turns[at.turns];
    if (at.x < margin_ || at.y < margin_ || at.x + turn.mask.width > width_ - margin_ ||
        at.y + turn.mask.height > height_ - margin_ || at.x % block_ || at.y % block_)
        return false;
    for (int y = 0; y < turn.mask.height; ++y)
        for (std::uint32_t n = turn.first_run[y]; n < turn.first_run[y + 1]; ++n)
            for (int x = at.x + turn.runs[n].begin; x < at.x + turn.runs[n].begin + turn.runs[n].length; ++x)
                if (taken_[static_cast<std::size_t>(at.y + y) * words_ + x / 64] >> (x % 64) & 1)
                    return false;
    take(turn, shape.claim, at.x, at.y);
    return true;
}

}  // namespace stasigraph
