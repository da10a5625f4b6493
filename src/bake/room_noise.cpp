#include "bake/room_noise.hpp"

#include <algorithm>
#include <cmath>

#include "bake/gather_again.hpp"

namespace stasigraph {

namespace {

constexpr float in_front = 0.05f;  ///< Metres from a wall's face to the room that it is in.
constexpr float least_share = 0.25f;
constexpr std::size_t fewest_checked = 48;
/// Nobody looks into a place that sees, on average, nothing farther away than this. Its noise does not count.
constexpr float crevice = 0.1f;
/// Of the mean light of a set: what is darker counts as that much.
constexpr float dark_share = 1e-3f;
/// Rows of each of the two times; their numbers are none that others use.
constexpr std::uint32_t copies = 4, first_number = 1000;

TexelError checked_in(const std::vector<Layer>& layers, const BakeSet& set, std::uint32_t i, std::size_t k) {
    Rgb light, off[2];
    for (std::size_t l = 0; l < layers.size(); ++l) {
        const Rgb gain = set.gain(l);
        light += layers[l].shown[i] * gain;
        if (layers[l].checked.empty()) continue;
        for (std::size_t n = 0; n < 2; ++n) off[n] += layers[l].checked[k][n] * gain;
    }
    const auto product = [](Rgb a, Rgb b) { return a.r * b.r + a.g * b.g + a.b * b.b; };
    // Both differences contain the error of what is shown, and each the independent error of its rays. So
    // their mean product is the square of the former.
    return {i, product(light, light), product(off[0], off[1])};
}

}  // namespace

Rooms find_rooms(const Level& level, const TexelSet& texels, const TexelFlags& shown) {
    Rooms rooms;
    std::vector<std::uint32_t> listed(level.surfaces.size(), none);
    std::vector<std::vector<std::uint8_t>> left_out(level.zones.size());  // the surfaces of each, if any
    for (std::uint32_t s = 0; level.zones.empty() && s < level.surfaces.size(); ++s) {
        listed[s] = s;
        rooms.names.push_back(level.surfaces[s].name);
    }
    for (std::uint32_t z = 0; z < level.zones.size(); ++z) {
        rooms.names.push_back(level.zones[z].name);
        for (const std::uint32_t s : level.zones[z].listed) listed[s] = z;
        if (!level.zones[z].left_out.empty()) left_out[z].resize(level.surfaces.size());
        for (const std::uint32_t s : level.zones[z].left_out) left_out[z][s] = 1;
    }
    const auto room_at = [&](Vec3 place, std::uint32_t surface) {
        for (auto z = static_cast<std::uint32_t>(level.zones.size()); z > 0; --z) {
            if (!left_out[z - 1].empty() && left_out[z - 1][surface]) continue;
            for (const Volume& box : level.zones[z - 1].boxes)
                if (holds(box, place)) return z - 1;
        }
        return none;
    };
    rooms.of_texel.assign(texels.size(), none);
    for (std::size_t i = 0; i < texels.size(); ++i) {
        if (!shown[i]) continue;
        const std::uint32_t surface = texels.grid[i] / 2, own = listed[surface];
        rooms.of_texel[i] =
            own != none ? own : room_at(texels.position[i] + texels.face_normal[i] * in_front, surface);
    }
    return rooms;
}

std::vector<std::uint32_t> checked_texels(const UnlitLevel& g) {
    const TexelFlags shown = g.lightmapped();
    std::vector<std::uint32_t> all, out;
    for (std::uint32_t i = 0; i < shown.size(); ++i)
        if (shown[i]) all.push_back(i);
    const std::size_t count = std::min(all.size(), most_checked);
    for (std::size_t k = 0; k < count; ++k) {
        const std::size_t begin = k * all.size() / count, end = (k + 1) * all.size() / count;
        out.push_back(all[begin + mix_bits(static_cast<std::uint32_t>(k)) % (end - begin)]);
    }
    return out;
}

void check_noise(const Making& m, const Solved& solved, Job& job) {
    if (m.quality.bounces) return;
    const std::size_t groups = m.size();
    const std::vector<std::uint32_t> checked = checked_texels(m.unlit);
    const std::vector<float>& reach = m.unlit.reach(job);
    TexelsAgain looks;
    std::vector<std::size_t> number;
    for (std::size_t k = 0; k < checked.size(); ++k)
        if (reach[checked[k]] > crevice) {
            looks.texel.push_back(checked[k]);
            number.push_back(k);
        }
    looks.asked.assign(looks.texel.size() * groups, 1);
    job.begin(Stage::noise_left, 2);
    HalfField sent;
    reflect(solved.light, m.albedo, sent, job);
    for (const LayerToMake& c : m.columns) c.layer->checked.assign(checked.size(), {});
    for (std::uint32_t n = 0; n < 2; ++n) {
        const std::vector<Said> said =
            gather_again({m, solved, sent}, looks, {first_number + n * copies, copies}, job);
        for (std::size_t c = 0; c < groups; ++c) {
            Layer& layer = m.layer(c);
            for (std::size_t k = 0; k < looks.texel.size(); ++k) {
                const Rgb direct =
                    layer.sampled.checked.empty() ? Rgb{} : layer.sampled.checked[number[k]][n];
                layer.checked[number[k]][n] =
                    layer.shown[looks.texel[k]] - said[k * groups + c].mean() - direct;
            }
        }
        job.advance(1);
    }
}

std::vector<float> room_errors(const Rooms& rooms, const std::vector<float>& area,
                               const std::vector<TexelError>& texels, float unseen, std::size_t fewest) {
    struct Sums {
        double logs = 0, lit = 0, relative = 0, area = 0;
        std::size_t texels = 0;
        float least = 0;
    };
    std::vector<Sums> sums(rooms.names.size());
    double whole = 0, lit = 0;
    for (const TexelError& t : texels) {
        const std::uint32_t r = rooms.of_texel[t.texel];
        if (r == none) continue;
        const auto here = static_cast<double>(area[t.texel]);
        lit += here * std::sqrt(static_cast<double>(t.light));
        whole += here;
        sums[r].area += here;
        sums[r].texels += 1;
        if (!(t.light > 0)) continue;
        sums[r].lit += here;
        sums[r].logs += here * std::log(static_cast<double>(t.light));
    }
    const float dark = whole > 0 ? dark_share * static_cast<float>(lit / whole) : 0;
    for (Sums& r : sums) {
        const float typical = r.lit > 0 ? static_cast<float>(std::exp(r.logs / r.lit)) : 0;
        r.least = std::max({3 * unseen * unseen, least_share * least_share * typical, dark * dark});
    }
    for (const TexelError& t : texels) {
        const std::uint32_t r = rooms.of_texel[t.texel];
        if (r == none || !(sums[r].least > 0)) continue;
        sums[r].relative += static_cast<double>(area[t.texel] * t.error) /
                            static_cast<double>(std::max(t.light, sums[r].least));
    }
    std::vector<float> out;
    for (const Sums& r : sums)
        out.push_back(r.texels < fewest ? -1.0f
                                        : static_cast<float>(std::sqrt(std::max(0.0, r.relative / r.area))));
    return out;
}

std::vector<RoomNoise> noisiest_rooms(const UnlitLevel& g, const Level& lit, const std::vector<Layer>& layers,
                                      Job& job) {
    if (std::all_of(layers.begin(), layers.end(), [](const Layer& l) { return l.checked.empty(); }))
        return {};
    const Rooms rooms = find_rooms(lit, g.texels, g.lightmapped());
    const std::vector<std::uint32_t> checked = checked_texels(g);
    std::vector<RoomNoise> of_set(lit.sets.size());
    job.parallel(lit.sets.size(), 1, [&](std::size_t begin, std::size_t end) {
        for (std::size_t s = begin; s < end; ++s) {
            const BakeSet& set = lit.sets[s];
            std::vector<TexelError> texels;
            for (std::size_t k = 0; k < checked.size(); ++k)
                texels.push_back(checked_in(layers, set, checked[k], k));
            const std::vector<float> errors = room_errors(
                rooms, g.texels.area, texels, set.exposure ? unseen_light(*set.exposure) : 0, fewest_checked);
            const auto worst = std::max_element(errors.begin(), errors.end());
            if (worst != errors.end() && *worst >= 0)
                of_set[s] = {set.name, rooms.names[static_cast<std::size_t>(worst - errors.begin())], *worst};
        }
    });
    std::erase_if(of_set, [](const RoomNoise& n) { return n.set.empty(); });
    return of_set;
}

}  // namespace stasigraph
