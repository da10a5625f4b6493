#include "bake/visibility.hpp"

#include <algorithm>

#include "bake/keys.hpp"
#include "base/blob.hpp"
#include "light/direct.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

/// What shadows are looked for with, and from where. Borrowed.
struct ShadowPass {
    const std::vector<Profile>& profiles;
    const RayCaster& caster;
    const RowSource& rows;
    int samples = 1;
};

/// Visible over unhindered light, by luminance; below 0 where the light sends nothing there at all.
float visible_share(const ShadowPass& pass, const Light& light, std::uint32_t row) {
    const Receiver& r = pass.rows.receivers[row];
    const LightDraws draws{pass.samples, combine_bits(pass.rows.seeds[row], 0x766973u)};
    float all = 0, visible = 0;
    draw_light(light, pass.profiles, r, draws, [&](Vec3 w, Rgb e, float distance) {
        const float weight = r.weight(w);
        if (!(weight > 0)) return;
        all += weight * luminance(e);
        visible += weight * luminance(e * pass.caster.transmitted({r.position, w, distance}));
    });
    return all > 0 ? visible / all : -1;
}

/// A light as far as its shadows are concerned.
Light shape_of(Light light) {
    light.color = {1, 1, 1};
    light.group = 0;
    return light;
}

VisibilityPage make_page(const ShadowPass& pass, const std::vector<Light>& lights, const PagePlan& plan,
                         std::size_t number, Job& job) {
    VisibilityPage page{.side = plan.side, .lights = {}, .texels = {}};
    std::vector<std::vector<float>> shares;
    for (const Light& light : lights) {
        std::vector<float> share(plan.valid.size());
        job.parallel(share.size(), 1024, [&](std::size_t begin, std::size_t end) {
            for (std::size_t i = begin; i < end; ++i)
                share[i] = visible_share(pass, light, plan.valid[i].first);
        });
        // Less than half a step of eight bits everywhere: it is not on this page.
        if (std::none_of(share.begin(), share.end(), [](float v) { return v > 0.5f / 255; })) continue;
        page.lights.push_back(light.name);
        shares.push_back(std::move(share));
    }
    if (page.lights.size() > 4) {
        std::string names;
        for (const std::string& n : page.lights) names += (names.empty() ? "" : ", ") + n;
        throw Error{.what = "more than four lights with bake = \"bounce\" reach one page",
                    .where = "page " + std::to_string(number),
                    .value = names,
                    .remedy = "Give them a range, bake some of them \"whole\", or use smaller pages."};
    }
    if (page.lights.empty()) return page;
    std::vector<std::uint32_t> at(
        plan.valid.empty() ? 0 : 1 + std::max_element(plan.valid.begin(), plan.valid.end())->first);
    for (std::uint32_t i = 0; i < plan.valid.size(); ++i) at[plan.valid[i].first] = i;
    // Where a surface faces away from the light, the map says lit, so that filtering blurs no edge into its
    // neighbours.
    const auto share = [&](std::size_t channel, std::size_t texel) {
        if (channel >= shares.size()) return 0.0f;
        const float v = shares[channel][at[texel]];
        return v < 0 ? 1.0f : v;
    };
    const std::vector<PagePlan> plans{plan};
    const PageImage three = finish_pages(
        plans,
        [&](std::size_t t) {
            return Rgb{share(0, t), share(1, t), share(2, t)};
        },
        job)[0];
    const PageImage fourth = finish_pages(
        plans,
        [&](std::size_t t) {
            return Rgb{share(3, t), 0, 0};
        },
        job)[0];
    const auto code = [](float v) {
        return static_cast<std::uint8_t>(std::clamp(v, 0.0f, 1.0f) * 255 + 0.5f);
    };
    for (std::size_t i = 0; i < three.texels.size(); ++i)
        page.texels.push_back({code(three.texels[i].r), code(three.texels[i].g), code(three.texels[i].b),
                               code(fourth.texels[i].r)});
    return page;
}

void save(const BakeStore& store, const std::string& name, const std::vector<VisibilityPage>& pages) {
    if (!store.save) return;
    std::vector<std::vector<char>> names(pages.size());
    BlobWriter out;
    for (std::size_t p = 0; p < pages.size(); ++p) {
        for (const std::string& light : pages[p].lights) {
            names[p].insert(names[p].end(), light.begin(), light.end());
            names[p].push_back('\0');
        }
        out.array(names[p]);
        out.array(pages[p].texels);
    }
    store.save(name, out.parts());
}

bool load(const BakeStore& store, const std::string& name, const std::vector<PagePlan>& plans,
          std::vector<VisibilityPage>& pages) {
    Blob blob;
    if (!store.load || !store.load(name, blob)) return false;
    BlobReader in(blob);
    for (const PagePlan& plan : plans) {
        VisibilityPage& page =
            pages.emplace_back(VisibilityPage{.side = plan.side, .lights = {}, .texels = {}});
        std::vector<char> names;
        in.array(names);
        for (auto at = names.begin(); at != names.end();) {
            const auto end = std::find(at, names.end(), '\0');
            page.lights.emplace_back(at, end);
            at = end == names.end() ? end : end + 1;
        }
        const auto side = static_cast<std::size_t>(plan.side);
        in.array(page.texels, page.lights.empty() ? 0 : side * side);
    }
    return in.done();
}

}  // namespace

const std::vector<VisibilityPage>& VisibilityCache::pages(const Level& level, const UnlitLevel& g, Job& job) {
    const std::string key = visibility_key(level, g.key);
    if (key == key_) return pages_;
    std::vector<Light> lights;
    for (const Light& light : level.lights)
        if (light.role == BakeRole::bounce) lights.push_back(shape_of(light));
    pages_.clear();
    key_.clear();
    if (!lights.empty() && load(g.store, "visibility-" + key, g.pages.plans, pages_)) {
        key_ = key;
        return pages_;
    }
    pages_.clear();
    for (std::size_t p = 0; p < g.pages.plans.size() && !lights.empty(); ++p)
        pages_.push_back(make_page({level.profiles, g.caster(), g.judged.rows, g.tier.light_samples}, lights,
                                   g.pages.plans[p], p, job));
    if (!lights.empty()) save(g.store, "visibility-" + key, pages_);
    key_ = key;
    return pages_;
}

}  // namespace stasigraph
