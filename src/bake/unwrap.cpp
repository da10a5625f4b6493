// The unwrap of a level: which surfaces share charts, which keep theirs from an earlier atlas, what gives way
// when pages are limited, and where everything goes.

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include "bake/chart_source.hpp"
#include "base/text.hpp"
#include "chart/cut.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

/// What a density gives way by at a time. Smaller: fuller pages and a longer search.
constexpr float give_way_step = 0.98f;
/// ... and in the search for what a number of pages holds.
constexpr float search_step = 0.04f;
constexpr float least_factor = 1e-3f;

/// If pages are this full, charts stay whole. Below, each further cut has to gain a hundredth.
constexpr double good_fullness = 0.76, least_gain = 1.01;
constexpr int most_cuts = 4;

/// With more pages than this one more or less is not worth a long search.
constexpr std::size_t many_pages = 24;

/// Surfaces that get the same layout.
struct SharedLayout {
    std::shared_ptr<Unfolded> unfolded;
    std::vector<float> share;
    std::vector<std::uint32_t> members;
    bool on_page = false;
    float cap = 1;  ///< The most of its density that a page can hold, as far as is known.

    // At the size of the current try.
    float sized_at = 0;
    SizedCharts sized;
    int level = 0;                    ///< How far its charts are cut,
    std::shared_ptr<Unfolded> whole;  ///< what they were,
    std::vector<float> whole_share;   ///< and their shares.
    std::vector<Placed> rigid;        ///< Places of charts within the layout, where it moves as one.
    int width = 0, height = 0;        ///< Of the rigid layout.
    bool moves_as_one() const { return members.size() > 1 || unfolded->given(); }
};

class Unwrapper {
public:
    Unwrapper(const Level& level, float density_scale, Job& job, const Atlas* previous)
        : level_(level),
          map_(level.lightmap),
          scale_(density_scale),
          job_(job),
          previous_(previous),
          source_(level, density_scale, job) {
        for (const Surface& s : level.surfaces) atlas_.surfaces.push_back({.name = s.name});
        atlas_.margin = map_.margin;
        atlas_.block = map_.block;
        atlas_.density_scale = density_scale;
        fit_ = {.page = map_.page, .margin = map_.margin, .block = map_.block, .pages = map_.pages};
    }

    Atlas run() {
        keep_previous();
        find_shared();
        place_shared();
        build();
        order_layouts();
        return std::move(atlas_);
    }

private:
    /// Whether an earlier surface has a place and a layout of this mesh; the atlas may come from anywhere.
    bool usable(const SurfaceUv& was, const Mesh& mesh) const {
        if (was.page >= previous_->pages.size() || was.layout >= previous_->layouts.size()) return false;
        const Layout& l = previous_->layouts[was.layout];
        const int side = previous_->pages[was.page];
        return l.chart.size() == mesh.triangle_count() && l.indices.size() == mesh.indices.size() &&
               l.source.size() == l.uv.size() && side <= map_.page && (side & (side - 1)) == 0 &&
               was.x >= 0 && was.y >= 0 && was.x + l.width <= side && was.y + l.height <= side &&
               std::all_of(l.source.begin(), l.source.end(),
                           [&](auto v) { return v < mesh.positions.size(); }) &&
               std::all_of(l.indices.begin(), l.indices.end(), [&](auto v) { return v < l.uv.size(); }) &&
               std::all_of(l.chart.begin(), l.chart.end(),
                           [&](auto c) { return c == none || c < l.charts.size(); });
    }

    /// Surfaces that would come out the same keep their layout and place.
    void keep_previous() {
        kept_.assign(level_.surfaces.size(), 0);
        if (!previous_ || previous_->margin != map_.margin || previous_->block != map_.block) return;
        std::map<std::string_view, std::uint32_t> by_name;
        for (std::uint32_t i = 0; i < previous_->surfaces.size(); ++i)
            by_name.emplace(previous_->surfaces[i].name, i);
        std::map<std::uint32_t, std::uint32_t> layout_of;
        for (std::uint32_t s = 0; s < kept_.size(); ++s) {
            if (!(source_.front[s].area > 0) || !source_.mapped(s)) continue;
            const auto found = by_name.find(level_.surfaces[s].name);
            if (found == by_name.end()) continue;
            const SurfaceUv& was = previous_->surfaces[found->second];
            if (!usable(was, level_.meshes[level_.surfaces[s].mesh]) || was.key != source_.full_key(s))
                continue;
            const auto [at, fresh] =
                layout_of.try_emplace(was.layout, static_cast<std::uint32_t>(atlas_.layouts.size()));
            if (fresh) {
                atlas_.layouts.push_back(previous_->layouts[was.layout]);
                atlas_.layouts.back().mesh = level_.surfaces[s].mesh;
            }
            SurfaceUv& uv = atlas_.surfaces[s];
            uv = was;
            uv.layout = at->second;
            uv.back_layout = none;
            kept_[s] = 1;
            pages_.resize(std::max<std::size_t>(pages_.size(), was.page + 1));
        }
        for (std::size_t p = 0; p < pages_.size(); ++p) pages_[p] = previous_->pages[p];
        if (!pages_.empty()) atlas_.applied_density_scale = previous_->applied_density_scale;
    }

    void find_shared() {
        std::map<std::tuple<bool, std::uint64_t>, std::size_t> index;
        const auto add = [&](std::uint32_t s, const Wish& w, bool on_page, std::uint64_t key) {
            const auto [at, fresh] = index.try_emplace({on_page, key}, shared_.size());
            if (fresh) {
                shared_.emplace_back();
                shared_.back().unfolded = source_.unfold(s, w);
                shared_.back().share =
                    w.share.empty()
                        ? std::vector<float>(std::max(1u, shared_.back().unfolded->charts.count()), 1.0f)
                        : w.share;
                shared_.back().on_page = on_page;
            }
            shared_[at->second].members.push_back(s);
            return at->second;
        };
        front_shared_.assign(source_.front.size(), none);
        back_shared_.assign(source_.front.size(), none);
        job_.begin(Stage::unwrap, source_.front.size());
        for (std::uint32_t s = 0; s < source_.front.size(); ++s) {
            if (job_.cancelled()) throw Cancelled{};
            job_.advance(1);
            if (!(source_.front[s].area > 0)) continue;
            if (!kept_[s] && source_.unfold(s, source_.front[s])->charts.count() == 0) {
                job_.note("surface " + level_.surfaces[s].name +
                          " is all lines, with no triangle wider than a millionth of its length, and gets no "
                          "lightmap");
                source_.front[s] = source_.back[s] = {};
                continue;
            }
            if (!kept_[s]) {
                const std::uint64_t key = source_.mapped(s) ? source_.full_key(s) : source_.front[s].key;
                atlas_.surfaces[s].key = key;
                front_shared_[s] =
                    static_cast<std::uint32_t>(add(s, source_.front[s], source_.mapped(s), key));
            }
            if (source_.back[s].area > 0)
                back_shared_[s] =
                    static_cast<std::uint32_t>(add(s, source_.back[s], false, source_.back[s].key));
        }
    }

    /// Whether a page that is empty holds a surface by itself; told here, so that not all others are packed
    /// again and again until it does. A limit on the pages has a search of its own.
    bool fits_alone(const SharedLayout& shared, double area) {
        if (map_.pages > 0 || area < 0.4 * std::pow(static_cast<double>(map_.page), 2)) return true;
        std::vector<PackShape> shapes;
        PackItem item;
        for (const Mask& m : shared.sized.masks) {
            item.shapes.push_back(static_cast<std::uint32_t>(shapes.size()));
            shapes.push_back({m, true});
        }
        PackOptions alone = fit_;
        alone.pages = 1;
        alone.effort = PackEffort::quick;
        return pack(shapes, {item}, {}, alone, job_).unplaced_items.empty();
    }

    /// Sizes a layout at a share of its density, and packs it in itself where it moves as one.
    void size_shared(SharedLayout& shared, float factor) {
        const int limit = map_.page - 2 * map_.margin;
        for (;;) {
            const float now = std::min(factor, shared.cap);
            if (shared.sized_at == now) return;
            std::vector<float> share = shared.share;
            for (float& v : share) v *= now;
            shared.sized = size_charts(*shared.unfolded, share, job_);
            shared.sized_at = now;
            // Shares so far; what is too long for a page, or too much for one, is made smaller at once.
            float over = 1;
            double area = 0;
            for (const Mask& m : shared.sized.masks) {
                over = std::max({over, static_cast<float>(m.width) / static_cast<float>(limit),
                                 static_cast<float>(m.height) / static_cast<float>(limit)});
                area += static_cast<double>(m.count());
            }
            over = std::max(over, static_cast<float>(std::sqrt(area) / limit));
            if (over > 1 && shared.on_page) {
                give_way(shared, std::min(1 / over, give_way_step));
                continue;
            }
            if (shared.on_page && !shared.moves_as_one() && !fits_alone(shared, area)) {
                give_way(shared, give_way_step);
                continue;
            }
            if (!shared.on_page || !shared.moves_as_one()) return;
            if (shared.unfolded->given()) {
                shared.rigid = {Placed{.page = 0}};
                shared.width = shared.sized.masks[0].width;
                shared.height = shared.sized.masks[0].height;
                return;
            }
            if (pack_tight(shared.sized.masks, fit_, shared.rigid, shared.width, shared.height)) return;
            give_way(shared, give_way_step);
        }
    }

    Mask rigid_mask(const SharedLayout& shared) const {
        Mask all(shared.width, shared.height);
        for (std::size_t c = 0; c < shared.sized.masks.size(); ++c) {
            Mask m = shared.sized.masks[c];
            for (int t = 0; t < shared.rigid[c].turns; ++t) m = m.turned();
            for (int y = 0; y < m.height; ++y)
                for (int x = 0; x < m.width; ++x)
                    if (m.at(x, y)) all.set(shared.rigid[c].x + x, shared.rigid[c].y + y);
        }
        return all;
    }

    /// All shapes of a try: kept surfaces where they are, then shared layouts, one item for each surface.
    struct Load {
        std::vector<PackShape> shapes;
        std::vector<PackItem> items;
        std::vector<std::pair<std::uint32_t, std::uint32_t>>
            owner;  ///< Surface and layout (none: kept) of each item.
        double cost = 0;
        float sized_below = 1;  ///< Least share of its density that any surface got.
    };
    Load load(float factor) {
        Load l;
        for (std::uint32_t s = 0; s < kept_.size(); ++s) {
            if (!kept_[s]) continue;
            const SurfaceUv& uv = atlas_.surfaces[s];
            l.items.push_back(
                {{static_cast<std::uint32_t>(l.shapes.size())}, {{.page = uv.page, .x = uv.x, .y = uv.y}}});
            l.shapes.push_back({layout_mask(atlas_.layouts[uv.layout]), false});
            l.owner.push_back({s, none});
        }
        for (std::uint32_t g = 0; g < shared_.size(); ++g) {
            SharedLayout& shared = shared_[g];
            if (!shared.on_page) continue;
            size_shared(shared, factor);
            l.sized_below = std::min(l.sized_below, shared.sized_at);
            for (const std::uint32_t s : shared.members) {
                PackItem& item = l.items.emplace_back();
                l.owner.push_back({s, g});
                if (shared.moves_as_one()) {
                    item.shapes.push_back(static_cast<std::uint32_t>(l.shapes.size()));
                    l.shapes.push_back(
                        {shared.unfolded->given() ? shared.sized.masks[0] : rigid_mask(shared), false});
                } else {
                    for (const Mask& m : shared.sized.masks) {
                        item.shapes.push_back(static_cast<std::uint32_t>(l.shapes.size()));
                        l.shapes.push_back({m, true});
                    }
                }
            }
        }
        for (const PackShape& s : l.shapes)
            l.cost += static_cast<double>(s.mask.grown((map_.margin + 1) / 2).count());
        return l;
    }

    bool attempt(float factor, PackEffort effort) {
        if (job_.cancelled()) throw Cancelled{};
        if (factor < least_factor)
            throw Error{.what = "has more charts than the pages hold",
                        .where = "lightmap.pages",
                        .value = std::to_string(map_.pages),
                        .remedy = "Allow more pages or larger ones, or light small things by probes."};
        load_ = load(factor);
        fit_.effort = effort;
        packing_ = pack(load_.shapes, load_.items, pages_, fit_, job_);
        return packing_.unplaced_items.empty();
    }

    /// Finds the share of the density at which everything has a place, by quick packings.
    float settle(float start) {
        if (map_.pages == 0 || !pages_.empty()) {
            while (!attempt(start, PackEffort::quick)) {
                if (map_.pages > 0) return 0;
                // Members of one layout are many items; it gives way once.
                std::set<std::uint32_t> unplaced;
                for (const std::uint32_t i : packing_.unplaced_items) unplaced.insert(load_.owner[i].second);
                for (const std::uint32_t g : unplaced) give_way(shared_[g], give_way_step);
            }
            return start;
        }
        float factor = start;
        if (!attempt(factor, PackEffort::quick)) {
            while (!attempt(factor *= 1 - search_step, PackEffort::quick)) {
            }
            return factor;
        }
        while (factor < 1) {
            const float more = std::min(1.0f, factor * (1 + search_step));
            if (!attempt(more, PackEffort::quick)) {
                attempt(factor, PackEffort::quick);  // so that what is measured next is this
                break;
            }
            factor = more;
        }
        return factor;
    }

    /// How full the last attempt made its pages, by the area of charts; the last of several does not count.
    double fullness() const {
        const std::size_t counted =
            std::max<std::size_t>(1, packing_.pages.size() - (map_.pages == 0 ? 1 : 0));
        double texels = 0, all = 0;
        for (std::size_t i = 0; i < load_.items.size(); ++i) {
            const auto [s, g] = load_.owner[i];
            if (packing_.placed[load_.items[i].shapes[0]].page >= counted) continue;
            if (g == none) {
                texels += static_cast<double>(load_.shapes[load_.items[i].shapes[0]].mask.count());
            } else {
                const double size = static_cast<double>(shared_[g].sized_at);
                texels += shared_[g].unfolded->area * size * size;
            }
        }
        for (std::size_t p = 0; p < counted && p < packing_.pages.size(); ++p)
            all += static_cast<double>(packing_.pages[p]) * packing_.pages[p];
        return all > 0 ? texels / all : 1;
    }
    /// Whether fuller pages would save anything.
    bool worth_cutting() const {
        if (map_.pages > 0) return load_.sized_below < 1;
        if (packing_.pages.size() != 1) return true;
        // A surface that is larger than the next smaller page needs this one. Nothing can be gained, unless
        // the density gave way.
        const double half = packing_.pages[0] / 2 - map_.margin;
        return load_.cost < half * half || load_.sized_below < 1;
    }

    void place_shared() {
        job_.begin(Stage::pack, 1);
        float factor = atlas_.applied_density_scale;
        if (map_.pages > 0 && pages_.empty()) {
            load_ = load(1);
            const double room = std::pow(static_cast<double>(map_.page - map_.margin), 2) * map_.pages;
            factor = static_cast<float>(std::min(1.0, std::sqrt(0.82 * room / load_.cost)));
        }
        factor = settle(factor);
        const bool misplaced = std::any_of(load_.items.begin(), load_.items.end(), [&](const PackItem& item) {
            return !item.at.empty() && packing_.placed[item.shapes[0]].page == none;
        });
        if (misplaced) {
            job_.note("the earlier places overlap or leave their pages: everything is packed anew");
            forget_previous();
            return place_shared();
        }
        if (factor == 0) {
            job_.note("what changed does not fit beside what did not: everything is packed anew");
            forget_previous();
            return place_shared();
        }
        // Where few odd shapes leave pages empty, large charts are cut for as long as that pays.
        float best_factor = factor;
        double best = fullness();
        int best_level = 0;
        // Not beside places that are kept: they settle the density, and new things are few.
        for (int level = 1; pages_.empty() && level <= most_cuts && packing_.pages.size() <= many_pages &&
                            best < good_fullness && worth_cutting() && cut_charts_to(level);
             ++level) {
            factor = settle(best_factor);
            if (fullness() > best * least_gain) {
                best = fullness();
                best_factor = factor;
                best_level = level;
            }
        }
        cut_charts_to(best_level);
        factor = best_factor;
        // The full search may do with a little more than the quick ones.
        float more = map_.pages > 0 && pages_.empty() && factor < 1
                         ? std::min(1.0f, factor * (1 + search_step))
                         : factor;
        const PackEffort effort = level_.quality.tier == Tier::glance || packing_.pages.size() > many_pages
                                      ? PackEffort::quick
                                      : PackEffort::full;
        while (!attempt(more, effort)) more = map_.pages > 0 ? more * (1 - search_step / 4) : settle(more);
        atlas_.applied_density_scale = more;
        atlas_.pages = packing_.pages;
        if (more < 1 && map_.pages > 0)
            job_.note("to fit on " + std::to_string(map_.pages) + (map_.pages == 1 ? " page" : " pages") +
                      " every surface gets " + to_text(std::round(1000 * more) / 10) + " % of its density");
    }

    /// Cuts the charts of surfaces that are being placed; level 0 is not at all. false when nothing is left
    /// to cut.
    bool cut_charts_to(int level) {
        bool any = false;
        const double page = std::pow(static_cast<double>(map_.page), 2);
        for (SharedLayout& shared : shared_) {
            if (!shared.on_page || shared.moves_as_one()) continue;
            if (shared.level == level) continue;
            if (!shared.whole) shared.whole = shared.unfolded;
            const std::size_t before = shared.unfolded->charts.count();
            std::vector<std::uint32_t> parent(shared.whole->charts.count());
            std::iota(parent.begin(), parent.end(), 0u);
            if (level == 0) {
                shared.unfolded = shared.whole;
            } else {
                auto cut = std::make_shared<Unfolded>(*shared.whole);
                cut->charts = cut_large_charts(cut->graph, shared.whole->charts,
                                               {.most_area = page / (8 << level),
                                                .least_fill = 0.5 + 0.05 * level,
                                                .judged_area = page / 400},
                                               parent);
                shared.unfolded = std::move(cut);
            }
            if (shared.whole_share.empty()) shared.whole_share = shared.share;
            shared.share.clear();
            for (const std::uint32_t p : parent) shared.share.push_back(shared.whole_share[p]);
            shared.level = level;
            shared.sized_at = 0;
            shared.cap = 1;
            any = any || shared.unfolded->charts.count() != before;
        }
        return any;
    }

    void give_way(SharedLayout& shared, float by) {
        shared.cap = shared.sized_at * by;
        if (shared.cap < least_factor)
            throw Error{.what = "has more charts than a page holds",
                        .where = "surface " + level_.surfaces[shared.members.front()].name,
                        .value = std::to_string(shared.unfolded->charts.count()) + " charts",
                        .remedy = "Use a larger page, split the mesh, or set lit_by = \"probes\" for it."};
    }

    void forget_previous() {
        pages_.clear();
        atlas_.layouts.clear();
        atlas_.applied_density_scale = 1;
        previous_ = nullptr;
        for (std::uint32_t s = 0; s < kept_.size(); ++s)
            if (kept_[s]) atlas_.surfaces[s] = {.name = level_.surfaces[s].name};
        shared_.clear();
        std::fill(kept_.begin(), kept_.end(), std::uint8_t{0});
        find_shared();
    }

    void build() {
        for (std::size_t i = 0; i < load_.items.size(); ++i) {
            const auto [s, g] = load_.owner[i];
            if (g == none) continue;
            SharedLayout& shared = shared_[g];
            const Mesh& mesh = level_.meshes[shared.unfolded->mesh];
            SurfaceUv& uv = atlas_.surfaces[s];
            std::vector<float> share = shared.share;
            for (float& v : share) v *= shared.sized_at;
            Placed origin;
            if (shared.moves_as_one()) {
                const Placed& at = packing_.placed[load_.items[i].shapes[0]];
                if (s == shared.members.front())
                    add_layout(
                        make_layout(mesh, {*shared.unfolded, shared.sized, shared.rigid, share}, origin),
                        shared);
                uv.layout = layout_of_shared_.at(&shared);
                uv.page = at.page;
                uv.x = at.x;
                uv.y = at.y;
            } else {
                std::vector<Placed> places;
                for (const std::uint32_t shape : load_.items[i].shapes)
                    places.push_back(packing_.placed[shape]);
                add_layout(make_layout(mesh, {*shared.unfolded, shared.sized, places, share}, origin),
                           shared);
                uv.layout = layout_of_shared_.at(&shared);
                uv.page = places[0].page;
                uv.x = origin.x;
                uv.y = origin.y;
            }
            uv.density = reached(shared, source_.front[s].area);
            const float asked =
                map_.density * scale_ * level_.surfaces[s].density * atlas_.applied_density_scale;
            if (uv.density < 0.97f * asked)
                job_.note("surface " + level_.surfaces[s].name + " is too large for one page of " +
                          std::to_string(map_.page) + " texels: it gets " +
                          to_text(std::round(100 * uv.density / asked)) + " % of its density");
        }
        for (std::uint32_t s = 0; s < source_.front.size(); ++s) {
            if (front_shared_[s] != none && !shared_[front_shared_[s]].on_page) {
                atlas_.surfaces[s].layout = patches(shared_[front_shared_[s]]);
                atlas_.surfaces[s].density = reached(shared_[front_shared_[s]], source_.front[s].area);
            }
            if (back_shared_[s] != none) atlas_.surfaces[s].back_layout = patches(shared_[back_shared_[s]]);
        }
    }

    /// Numbers layouts by first use, so that an atlas does not depend on which of them were kept.
    void order_layouts() {
        std::vector<std::uint32_t> number(atlas_.layouts.size(), none), order;
        const auto use = [&](std::uint32_t& layout) {
            if (layout == none) return;
            if (number[layout] == none) {
                number[layout] = static_cast<std::uint32_t>(order.size());
                order.push_back(layout);
            }
            layout = number[layout];
        };
        for (SurfaceUv& uv : atlas_.surfaces) use(uv.layout);
        for (SurfaceUv& uv : atlas_.surfaces) use(uv.back_layout);
        std::vector<Layout> layouts;
        for (const std::uint32_t l : order) layouts.push_back(std::move(atlas_.layouts[l]));
        atlas_.layouts = std::move(layouts);
    }

    static float reached(const SharedLayout& shared, double area) {
        return static_cast<float>(std::sqrt(shared.unfolded->area / area)) * shared.sized_at;
    }

    void add_layout(Layout layout, const SharedLayout& shared) {
        for (Chart& c : layout.charts) c.share /= shared.sized_at;
        layout_of_shared_[&shared] = static_cast<std::uint32_t>(atlas_.layouts.size());
        atlas_.layouts.push_back(std::move(layout));
    }

    /// Patches are on no page: their charts lie side by side.
    std::uint32_t patches(SharedLayout& shared) {
        if (const auto found = layout_of_shared_.find(&shared); found != layout_of_shared_.end())
            return found->second;
        size_shared(shared, 1);
        std::vector<Placed> places;
        int x = 0;
        for (const Mask& m : shared.sized.masks) {
            places.push_back({.page = 0, .x = x});
            x += m.width + 1 + map_.margin;
        }
        Placed origin;
        const std::vector<float> share(shared.share.size(), shared.sized_at);
        add_layout(make_layout(level_.meshes[shared.unfolded->mesh],
                               {*shared.unfolded, shared.sized, places, share}, origin),
                   shared);
        return layout_of_shared_.at(&shared);
    }

    const Level& level_;
    const LightmapOptions& map_;
    float scale_;
    Job& job_;
    const Atlas* previous_;
    ChartSource source_;
    Atlas atlas_;
    PackOptions fit_;
    std::vector<std::uint8_t> kept_;
    std::vector<int> pages_;  ///< Of the earlier atlas that stay.
    std::vector<SharedLayout> shared_;
    std::vector<std::uint32_t> front_shared_, back_shared_;
    std::map<const SharedLayout*, std::uint32_t> layout_of_shared_;
    Load load_;
    Packing packing_;
};

}  // namespace

Atlas unwrap(const Level& level, float density_scale, Job& job, const Atlas* previous) {
    check_level(level);
    return Unwrapper(level, density_scale, job, previous).run();
}

}  // namespace stasigraph
