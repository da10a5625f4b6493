// What of an unlit level's links still holds after an edit.

#include <bit>
#include <cmath>
#include <cstring>

#include "bake/edit.hpp"

namespace stasigraph {

namespace {

constexpr std::size_t edited_rows_per_task = 256;
/// A link that met an invalid texel was redirected by up to this many steps, and ways around that texel were
/// searched this many steps farther.
constexpr int led = 4;
/// What stands within this many spacings of a texel may have been in that way.
constexpr float near_spacings = 8;

bool same_receiver(const Receiver& a, const Receiver& b) {
    return a.position == b.position && a.normal == b.normal && a.face_normal == b.face_normal;
}

/// The boxes that a row's rays could meet at all.
struct BoxesAhead {
    struct Ahead {
        const Box* box;
        Vec3 to;      ///< Their middle.
        float least;  ///< Along it a direction reaches at least as far as this; below 0 inside its ball.
    };
    std::vector<Ahead> ahead;

    void find(const std::vector<Box>& boxes, const Receiver& r) {
        ahead.clear();
        for (const Box& b : boxes) {
            if (!b.reaches_over(r.position, r.normal)) continue;
            const Vec3 to = b.middle() - r.position;
            const float far = dot(to, to), radius = 1.001f * length(b.half());
            // Within the ball around a box any direction may meet it; else those within a cone.
            const float tangent = far - radius * radius;
            ahead.push_back({&b, to, tangent > 0 ? 0.999f * std::sqrt(tangent) : -1e30f});
        }
    }
    bool meet(Vec3 origin, Vec3 direction, float distance) const {
        for (const Ahead& a : ahead)
            if (dot(direction, a.to) >= a.least && a.box->meets(origin, direction, distance)) return true;
        return false;
    }
    bool in_cone(Vec3 direction) const {
        for (const Ahead& a : ahead)
            if (dot(direction, a.to) >= a.least) return true;
        return false;
    }
};

/// Marks by pieces of rows, put together in the end.
struct MarkPieces {
    std::vector<std::vector<std::uint32_t>> link, count;
    explicit MarkPieces(std::size_t rows)
        : link((rows + edited_rows_per_task - 1) / edited_rows_per_task), count(link.size()) {}
    LinkMarks join(std::size_t rows) const {
        LinkMarks marks;
        marks.first.reserve(rows + 1);
        marks.first.push_back(0);
        for (const auto& piece : count)
            for (const std::uint32_t n : piece) marks.first.push_back(marks.first.back() + n);
        for (const auto& piece : link) marks.link.insert(marks.link.end(), piece.begin(), piece.end());
        return marks;
    }
};

/// For each grid the largest distance from a texel to one beside it, metres.
std::vector<float> spacings(const TexelSet& texels) {
    std::vector<float> out(texels.grids.size(), 0.0f);
    for (std::uint32_t i = 0; i < texels.size(); ++i)
        for (const auto& step : {std::pair(1, 0), std::pair(0, 1), std::pair(1, 1), std::pair(1, -1)})
            if (const std::uint32_t n = texels.neighbour(i, step.first, step.second); n != none)
                out[texels.grid[i]] =
                    std::max(out[texels.grid[i]], length(texels.position[n] - texels.position[i]));
    return out;
}

}  // namespace

AdoptedLinks adopt_links(const Edit& edit, const UnlitBefore& known, const RowSource& rows,
                         std::uint32_t judging, Job& job) {
    const Links& before = known.links;
    const std::size_t count = rows.size();
    AdoptedLinks adopted{Links(count), RowFlags(count), {}};
    RowFlags& kept = adopted.kept;
    job.parallel(count, edited_rows_per_task, [&](std::size_t begin, std::size_t end) {
        BoxesAhead boxes;
        std::array<Vec3, direction_batch> directions;
        for (std::size_t i = begin; i < end; ++i) {
            const std::uint32_t old = edit.was[i];
            if (old == none || !same_receiver(known.judged.rows.receivers[old], rows.receivers[i])) continue;
            kept.set(i);
            if (known.judged.is_valid(old)) continue;
            // The words of an invalid row say nothing; it stays as it is where none of its rays has changed.
            // One that is covered was told so by other rays.
            if (open_by_links(before, old)) {
                kept.set(i, false);
                continue;
            }
            boxes.find(edit.boxes, rows.receivers[i]);
            if (boxes.ahead.empty()) continue;
            row_directions(rows, i, 0, judging, directions);
            for (std::uint32_t k = 0; k < judging && kept[i]; ++k)
                if (boxes.meet(rows.receivers[i].position, directions[k], 1.0001f * before.far(old)))
                    kept.set(i, false);
        }
    });
    Links& links = adopted.links;
    links.hit_error.assign(edit.grid.size(), 0.0f);
    for (std::size_t g = 0; g < edit.grid.size(); ++g)
        if (edit.grid[g] < before.hit_error.size()) links.hit_error[g] = before.hit_error[edit.grid[g]];
    job.parallel(links.pieces.size(), 1, [&](std::size_t p, std::size_t) {
        LinkPiece& piece = links.pieces[p];
        std::vector<TintedLink> tints;
        std::vector<std::uint32_t> words;
        for (std::size_t i = 0; i < piece.rows(); ++i) {
            const std::size_t row = p * rows_per_piece + i;
            if (kept[row]) {
                const std::uint32_t old = edit.was[row];
                piece.back[i] = before.back(old);
                piece.far[i] = before.far(old);
                const std::uint32_t* from = before.row(old);
                for (std::uint32_t k = 0; k < before.length(old); ++k) {
                    const std::uint32_t now = meets_texel(from[k]) ? edit.now[from[k]] : from[k];
                    words.push_back(meets_texel(from[k]) && now == none ? lost_word : now);
                }
                for (const TintedLink& t : before.tints_of(old))
                    tints.push_back({static_cast<std::uint32_t>(i), t.link, t.tint});
            }
            piece.start[i + 1] = static_cast<std::uint32_t>(words.size());
        }
        piece.words = LinkWords(std::move(words));
        piece.set_tints(std::move(tints));
    });
    return adopted;
}

LinkMarks touched_links(const Edit& edit, const TexelSet& texels, const RowSource& rows,
                        const AdoptedLinks& adopted, Job& job) {
    const Links& links = adopted.links;
    MarkPieces pieces(rows.size());
    // A texel may since have moved within its footprint.
    std::vector<float> beyond = spacings(texels);
    for (std::size_t g = 0; g < beyond.size(); ++g) beyond[g] += links.hit_error[g];
    job.parallel(rows.size(), edited_rows_per_task, [&](std::size_t begin, std::size_t end) {
        BoxesAhead boxes;
        std::array<Vec3, direction_batch> directions;
        std::vector<std::uint32_t>& out = pieces.link[begin / edited_rows_per_task];
        for (std::size_t i = begin; i < end; ++i) {
            const std::size_t had = out.size();
            const std::uint32_t length_here = adopted.kept[i] ? links.length(i) : 0;
            const std::uint32_t* words = links.row(i);
            const Vec3 origin = rows.receivers[i].position;
            boxes.find(edit.boxes, rows.receivers[i]);
            for (std::uint32_t from = 0; from < length_here; from += direction_batch) {
                const std::uint32_t n = std::min(direction_batch, length_here - from);
                if (!boxes.ahead.empty()) row_directions(rows, i, from, n, directions);
                for (std::uint32_t k = 0; k < n; ++k) {
                    const std::uint32_t word = words[from + k];
                    bool touched = word == lost_word;
                    if (!touched && !boxes.ahead.empty() && boxes.in_cone(directions[k])) {
                        const float far = meets_texel(word)
                                              ? 1.0001f * (length(texels.position[word] - origin) +
                                                           beyond[texels.grid[word]])
                                          : word == sky_word ? std::numeric_limits<float>::infinity()
                                                             : 1.0001f * links.far(i);
                        touched = boxes.meet(origin, directions[k], far);
                    }
                    if (touched) out.push_back(from + k);
                }
            }
            pieces.count[begin / edited_rows_per_task].push_back(
                static_cast<std::uint32_t>(out.size() - had));
        }
    });
    return pieces.join(rows.size());
}

LinkMarks misled_links(const Edit& edit, const UnlitBefore& before, const TexelsNow& now,
                       const AdoptedLinks& adopted, Job& job) {
    const TexelSet& texels = now.texels;
    const TexelStates& states = now.states;
    const TexelStates& states_before = before.judged.states;
    const Links& links = adopted.links;
    const std::size_t count = texels.size();
    const std::vector<float> spacing = spacings(texels);
    TexelFlags other(count), near(count);
    job.parallel(count, 4096, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) {
            const std::uint32_t old = edit.was[i];
            other.set(i, old == none || states[i] != states_before[old] ||
                             !(texels.position[i] == before.positions[old]));
            for (const Box& b : edit.boxes)
                if (b.grown(near_spacings * spacing[texels.grid[i]]).holds(texels.position[i])) other.set(i);
        }
    });
    // Only texels near invalid and parted ones are ever led to.
    TexelFlags led_to(count);
    for (std::uint32_t i = 0; i < count; ++i) {
        const bool led_past = states[i] != TexelState::open ||
                              (edit.was[i] != none && states_before[edit.was[i]] != TexelState::open);
        if (led_past) texels.for_neighbours(i, led, [&](std::uint32_t n) { led_to.set(n); });
        if (led_past) led_to.set(i);
    }
    for (std::uint32_t i = 0; i < count; ++i) {
        if (!other[i]) continue;
        near.set(i);
        texels.for_neighbours(i, led, [&](std::uint32_t n) { near.set(n); });
    }
    for (std::size_t i = 0; i < count; ++i) near.set(i, near[i] && led_to[i]);
    MarkPieces pieces(count);
    job.parallel(count, edited_rows_per_task, [&](std::size_t begin, std::size_t end) {
        std::vector<std::uint32_t>& out = pieces.link[begin / edited_rows_per_task];
        for (std::size_t i = begin; i < end; ++i) {
            const std::size_t had = out.size();
            const std::uint32_t length_here = adopted.kept[i] && is_valid(states[i]) ? links.length(i) : 0;
            const std::uint32_t* words = links.row(i);
            for (std::uint32_t k = 0; k < length_here; ++k)
                if (meets_texel(words[k]) && near[words[k]] && !adopted.again.has(i, k)) out.push_back(k);
            pieces.count[begin / edited_rows_per_task].push_back(
                static_cast<std::uint32_t>(out.size() - had));
        }
    });
    return pieces.join(count);
}

}  // namespace stasigraph
