#include "bake/judged_texels.hpp"

#include "base/blob.hpp"

namespace stasigraph {

bool JudgedTexels::load(const BakeStore& store, const std::string& key, std::size_t count,
                        std::vector<Vec3>& positions) {
    Blob blob;
    if (!store.load || !store.load("texels-" + key, blob)) return false;
    BlobReader in(blob);
    JudgedTexels kept;
    std::vector<Vec3> places;
    std::vector<Footprints::Sides> sides;
    kept.moved = in.number();
    in.array(places, count);
    in.array(kept.rows.receivers, count);
    in.array(kept.rows.seeds, count);
    in.array(kept.states, count);
    in.array(kept.hidden.bytes(), count);
    in.array(kept.shared);
    in.array(sides, count);
    in.array(kept.sky_sample_share, count);
    in.array(kept.graph.beside, count);
    if (!in.done()) return false;
    kept.footprints = Footprints(std::move(sides));
    *this = std::move(kept);
    positions = std::move(places);
    return true;
}

void JudgedTexels::save(const BakeStore& store, const std::string& key,
                        const std::vector<Vec3>& positions) const {
    if (!store.save) return;
    BlobWriter out;
    out.number(moved);
    out.array(positions);
    out.array(rows.receivers);
    out.array(rows.seeds);
    out.array(states);
    out.array(hidden.bytes());
    out.array(shared);
    out.array(footprints.sides());
    out.array(sky_sample_share);
    out.array(graph.beside);
    store.save("texels-" + key, out.parts());
}

}  // namespace stasigraph
