// A walk by the runtime: what a game asks, what it is told, and what that looks like.

#include "stasigraph/play.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <map>

#include "base/random.hpp"
#include "base/text.hpp"
#include "runtime/pixel_codes.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/mixer.hpp"
#include "trace/scene_tree.hpp"

namespace stasigraph {

namespace {

namespace rt = runtime;

constexpr double tick = 1.0 / 60;
constexpr float chest = 1.1f, eyes = 1.6f;    // metres over the ground
constexpr float behind = 3.4f, above = 1.0f;  // of the camera that follows
constexpr float stops_a_second = 2;
constexpr float flickers_a_second = 12;

rt::Vector vector(Vec3 v) {
    return {v.x, v.y, v.z};
}
Rgb rgb(rt::Color c) {
    return {c.r, c.g, c.b};
}

std::string list_of(std::uint32_t count, const std::function<std::string(std::uint32_t)>& name) {
    std::string all;
    for (std::uint32_t i = 0; i < count; ++i) all += (i ? ", " : "") + name(i);
    return all.empty() ? "none" : all;
}

class Walk {
public:
    Walk(const PlayScript& script, const PlayedLevel& played)
        : script_(script),
          bake_(played.bake),
          level_(played.level),
          tree_(tree_of(played.level, stands_still, 1)) {
        const auto& [level, bake, game] = played;
        if (game_.open(game.c_str()) != rt::Status::ok)
            throw Error{.what = game_.message(),
                        .where = game.string(),
                        .value = "",
                        .remedy = "Run `stasigraph pack` on the level."};
        if (game_.surface_count() != level.surfaces.size() || game_.probe_count() != bake.probes.size() ||
            game_.page_count() != bake.atlas.pages.size())
            throw Error{.what = "is of another bake than the folder holds",
                        .where = game.string(),
                        .value = "",
                        .remedy = "Run `stasigraph pack` on the level."};
        find_figure();
        const std::uint32_t set = script.set.empty() ? 0 : set_named(script.set);
        for (const PlayChange& c : script.changes) check(c);
        if (mixer_.start(game_, {.paging = rt::Paging::composite, .set = set}) != rt::Status::ok)
            throw Error{.what = mixer_.message(), .where = game.string(), .value = "", .remedy = ""};
        for (std::uint32_t g = 0; g < game_.group_count(); ++g) groups_.push_back(game_.group_name(g));
        Job job;
        lights_ = link_zones(level, {}, {}, job).light;
        mixed_.name = "play";
        mixed_.probes.resize(bake.probes.size());
        mixed_.reflections.resize(bake.reflections.size());
    }

    PlayResult run(const std::function<void(PlayFrame&&)>& take, Job& job) {
        PlayResult result;
        const auto ticks = static_cast<int>(std::floor(script_.until / tick + 1e-6));
        job.begin(Stage::play, static_cast<std::size_t>(
                                   std::floor(script_.until * static_cast<double>(script_.fps) + 1e-6)) +
                                   1);
        std::size_t next = 0;
        double advancing = 0, sampling = 0;
        for (int i = 0; i <= ticks; ++i) {
            const double now = i * tick;
            for (; next < script_.changes.size() && script_.changes[next].at <= now + 1e-9; ++next)
                ask(script_.changes[next]);
            flicker(now);
            using Clock = std::chrono::steady_clock;
            const auto start = Clock::now();
            mixer_.advance(i == 0 ? 0 : tick);
            const auto moved = Clock::now();
            const PlayMoment& m = result.moments.emplace_back(moment(now));
            const auto sampled = Clock::now();
            const double us = std::chrono::duration<double, std::micro>(moved - start).count();
            advancing += us;
            result.advance_most = std::max(result.advance_most, us);
            sampling += std::chrono::duration<double, std::micro>(sampled - moved).count() / 6;
            if (now + 1e-9 < result.frames / static_cast<double>(script_.fps)) continue;
            take(frame(result.frames++, m, job));
            job.advance(1);
        }
        job.finish();
        result.advance_mean = advancing / (ticks + 1);
        result.sample_mean = sampling / (ticks + 1);
        return result;
    }

private:
    [[noreturn]] static void unknown(const char* what, const std::string& name, const std::string& known) {
        throw Error{
            .what = std::string("there is no such ") + what,
            .where = "play",
            .value = name,
            .remedy = "There is: " + known + ". What the sheet got since is packed by `stasigraph pack`."};
    }
    std::uint32_t set_named(const std::string& name) const {
        const std::uint32_t set = game_.find_set(name.c_str());
        if (set == rt::nothing)
            unknown("set", name,
                    list_of(game_.set_count(), [&](std::uint32_t i) { return game_.set_name(i); }));
        return set;
    }
    std::uint32_t zone_named(const std::string& name) const {
        if (name.empty()) return rt::everywhere;
        const std::uint32_t zone = game_.find_zone(name.c_str());
        if (zone == rt::nothing)
            unknown("zone", name,
                    list_of(game_.zone_count(), [&](std::uint32_t i) { return game_.zone_name(i); }));
        return zone;
    }
    std::uint32_t layer_named(const std::string& name) const {
        const std::uint32_t layer = game_.find_layer(name.c_str());
        if (layer == rt::nothing)
            unknown("layer", name, list_of(game_.layer_count(), [&](std::uint32_t i) {
                        return game_.group_name(game_.layer(i).group);
                    }));
        return layer;
    }
    std::uint32_t series_named(const std::string& name) const {
        const std::uint32_t series = game_.find_series(name.c_str());
        if (series == rt::nothing)
            unknown("series", name,
                    list_of(game_.series_count(), [&](std::uint32_t i) { return game_.series_name(i); }));
        return series;
    }
    void check(const PlayChange& c) const {
        zone_named(c.zone);
        if (c.kind == PlayKind::set) set_named(c.name);
        if (c.kind == PlayKind::series) series_named(c.name);
        if (c.kind == PlayKind::layer) layer_named(c.name);
    }

    void find_figure() {
        for (std::uint32_t s = 0; s < level_.surfaces.size(); ++s)
            if (level_.surfaces[s].part == Part::moving &&
                glob_match(script_.figure, level_.surfaces[s].node)) {
                figure_.push_back(s);
                stood_.push_back(level_.surfaces[s].to_world);
            }
        if (figure_.empty())
            unknown("moving thing", script_.figure, list_of(1, [&](std::uint32_t) {
                        std::string names;
                        for (const Surface& s : level_.surfaces)
                            if (s.part == Part::moving) names += (names.empty() ? "" : ", ") + s.node;
                        return names;
                    }));
        for (std::uint32_t l = 0; l < level_.lights.size(); ++l)
            if (!script_.carries.empty() && glob_match(script_.carries, level_.lights[l].name)) {
                carried_.push_back(l);
                lamps_.push_back(level_.lights[l]);
            }
        if (!script_.carries.empty() && carried_.empty())
            unknown("light", script_.carries,
                    list_of(static_cast<std::uint32_t>(level_.lights.size()),
                            [&](std::uint32_t i) { return level_.lights[i].name; }));
    }

    void ask(const PlayChange& c) {
        const rt::Curve curve = c.smooth ? rt::Curve::smooth : rt::Curve::linear;
        switch (c.kind) {
            case PlayKind::set:
                mixer_.request(set_named(c.name), zone_named(c.zone), c.seconds, curve);
                break;
            case PlayKind::series:
                mixer_.follow(series_named(c.name), zone_named(c.zone), c.seconds, curve);
                break;
            case PlayKind::clock:
                mixer_.set_clock(c.hour, c.hours_a_second);
                break;
            case PlayKind::layer:
                mixer_.set_layer(layer_named(c.name), {c.scale.r, c.scale.g, c.scale.b},
                                 {c.add.r, c.add.g, c.add.b});
                break;
        }
    }
    /// Layers that flicker: the same light at the same time in every run.
    void flicker(double now) {
        std::vector<const PlayChange*> last(game_.layer_count(), nullptr);
        for (const PlayChange& c : script_.changes)
            if (c.kind == PlayKind::layer && c.at <= now + 1e-9) last[layer_named(c.name)] = &c;
        for (const PlayChange* change : last) {
            if (!change || !(change->flicker > 0)) continue;
            const PlayChange& c = *change;
            const bool over = c.seconds > 0 && now > c.at + static_cast<double>(c.seconds);
            const auto beat =
                static_cast<std::uint32_t>((now - c.at) * static_cast<double>(flickers_a_second));
            const float left = over ? 1 : 1 - c.flicker * unit_float(combine_bits(0x666c6963u, beat));
            mixer_.set_layer(layer_named(c.name), {c.scale.r * left, c.scale.g * left, c.scale.b * left},
                             {c.add.r * left, c.add.g * left, c.add.b * left});
        }
    }

    /// Where the figure stands, and which way it looks.
    Vec3 place(double now, Vec3& ahead) const {
        const auto& steps = script_.steps;
        std::size_t i = 0;
        while (i + 2 < steps.size() && steps[i + 1].at <= now) ++i;
        if (steps.size() == 1) return steps[0].place;
        const PlayStep &a = steps[i], &b = steps[i + 1];
        const auto t = static_cast<float>(std::clamp((now - a.at) / (b.at - a.at), 0.0, 1.0));
        const Vec3 way{b.place.x - a.place.x, 0, b.place.z - a.place.z};
        if (length(way) > 1e-3f) ahead = normalize(way);
        return a.place + (b.place - a.place) * t;
    }

    PlayMoment moment(double now) {
        PlayMoment m{.at = now, .place = place(now, ahead_), .light = {}, .zone = {}};
        const Vec3 at = m.place + Vec3{0, chest, 0};
        for (const Vec3 n :
             {Vec3{1, 0, 0}, Vec3{-1, 0, 0}, Vec3{0, 1, 0}, Vec3{0, -1, 0}, Vec3{0, 0, 1}, Vec3{0, 0, -1}})
            m.light += rgb(mixer_.sample(vector(at), vector(n), hint_)) * (1 / 6.0f);
        const rt::Weights w = game_.weights(vector(at), hint_);
        const int best =
            w.count > 0 ? static_cast<int>(std::max_element(w.weight, w.weight + w.count) - w.weight) : -1;
        zone_ = best < 0 ? rt::nothing : game_.probe_zone(w.probe[best]);
        if (zone_ != rt::nothing) m.zone = game_.zone_name(zone_);
        return m;
    }

    std::string shows(std::uint32_t zone) const {
        std::vector<rt::Term> terms(game_.set_count());
        const std::uint32_t n = mixer_.terms(zone, terms.data(), game_.set_count());
        std::string text;
        for (std::uint32_t i = 0; i < n; ++i) {
            text += (i ? ", " : "") + std::string(game_.set_name(terms[i].set));
            if (n > 1)
                text += " " + std::to_string(static_cast<int>(std::lround(100 * terms[i].weight))) + " %";
        }
        return text;
    }

    /// The level as it is now: the figure where it is, sets as they are mixed.
    Level level_now(const PlayMoment& m) {
        Level out = level_;
        // Heading and front as angles clockwise from -Z: turned by what they differ.
        const float turn = std::atan2(ahead_.x, -ahead_.z) - script_.front, c = std::cos(turn),
                    w = std::sin(turn);
        const Affine turned{{c, 0, w}, {0, 1, 0}, {-w, 0, c}, m.place};
        const Vec3 base = stood_[0].origin;
        for (std::size_t i = 0; i < figure_.size(); ++i) {
            Affine own = stood_[i];
            own.origin = own.origin - base;
            out.surfaces[figure_[i]].to_world = turned * own;
        }
        for (std::size_t i = 0; i < carried_.size(); ++i) {
            Light& l = out.lights[carried_[i]];
            l.position = transform_point(turned, lamps_[i].position - base);
            l.direction = transform_vector(turned, lamps_[i].direction);
            l.across = transform_vector(turned, lamps_[i].across);
        }
        BakeSet set{.name = mixed_.name,
                    .gains = std::vector<float>(groups_.size(), 1.0f),
                    .tints = {},
                    .exposure = {},
                    .step = none};
        for (std::uint32_t g = 0; g < groups_.size(); ++g)
            set.tints.push_back(rgb(mixer_.gain(g, rt::nothing)));
        out.sets = {set};
        // The sky of the set that counts most out there.
        std::vector<rt::Term> terms(game_.set_count());
        const std::uint32_t n = mixer_.terms(rt::nothing, terms.data(), game_.set_count());
        const auto most =
            std::max_element(terms.begin(), terms.begin() + n,
                             [](const rt::Term& a, const rt::Term& b) { return a.weight < b.weight; });
        if (n > 0) {
            const std::uint32_t step = level_.sets[set_index(level_, game_.set_name(most->set))].step;
            if (step != none) out.sky = level_.series[step].sky;
        }
        return out;
    }

    void mix_gains() {
        surface_gains_.assign(level_.surfaces.size(), {1, 1, 1});
        for (std::uint32_t s = 0; s < level_.surfaces.size(); ++s)
            if (level_.surfaces[s].group != none)
                surface_gains_[s] = rgb(mixer_.gain(level_.surfaces[s].group, game_.surface(s).zone));
        light_gains_.assign(level_.lights.size(), {1, 1, 1});
        for (std::uint32_t l = 0; l < level_.lights.size(); ++l) {
            const bool held = std::find(carried_.begin(), carried_.end(), l) != carried_.end();
            light_gains_[l] = rgb(mixer_.gain(level_.lights[l].group, held ? zone_ : lights_[l]));
        }
    }

    /// What the mixer's own pages and probes hold, as a picture uses it.
    void mix_light(Job& job) {
        mixed_.pages.resize(game_.page_count());
        mixed_.directional.resize(bake_.sets[0].directional.size());
        for (std::uint32_t p = 0; p < game_.page_count(); ++p) {
            PageImage& page = mixed_.pages[p];
            page.side = static_cast<int>(game_.page_side(p));
            const auto side = static_cast<std::size_t>(page.side);
            page.texels.resize(side * side);
            rt::Pixels parts[4];
            const std::uint32_t count = p < mixed_.directional.size() ? 4 : 1;
            for (std::uint32_t part = 0; part < count; ++part)
                parts[part] = mixer_.pages(rt::nothing, p, part).from;
            if (count > 1) mixed_.directional[p] = {page.side, std::vector<std::array<Rgb, 3>>(side * side)};
            job.parallel(side, 64, [&](std::size_t begin, std::size_t end) {
                for (std::size_t y = begin; y < end; ++y)
                    for (std::size_t x = 0; x < side; ++x) {
                        const auto u = static_cast<std::uint32_t>(x), v = static_cast<std::uint32_t>(y);
                        page.texels[y * side + x] = rgb(rt::texel_of(parts[0], u, v));
                        for (std::uint32_t k = 1; k < count; ++k)
                            mixed_.directional[p].texels[y * side + x][k - 1] =
                                rgb(rt::texel_of(parts[k], u, v));
                    }
            });
        }
        for (std::uint32_t p = 0; p < game_.probe_count(); ++p) {
            rt::Weights w;
            w.count = 1;
            w.probe[0] = p;
            w.weight[0] = 1;
            mixer_.sample(w, &mixed_.probes[p][0].r);
        }
        mix_lamps();
        for (std::uint32_t r = 0; r < bake_.reflections.size(); ++r) mix_reflection(r);
    }
    /// What a zone shows of each set, layers that differ from the sets included.
    std::vector<std::pair<std::uint32_t, Rgb>> shown_in(std::uint32_t zone) const {
        std::vector<rt::Term> terms(game_.set_count());
        const std::uint32_t n = mixer_.terms(zone, terms.data(), game_.set_count());
        std::vector<std::pair<std::uint32_t, Rgb>> out;
        for (std::uint32_t i = 0; i < n; ++i) out.push_back({terms[i].set, Rgb{1, 1, 1} * terms[i].weight});
        for (std::uint32_t l = 0; l < game_.layer_count(); ++l)
            if (const Rgb gain = rgb(mixer_.layer_gain(l, zone)); !(gain == Rgb{}))
                out.push_back({game_.layer(l).set, gain});
        return out;
    }
    /// The lamps that probes tell by themselves: those of every set that a zone shows, with its share of
    /// them.
    void mix_lamps() {
        ProbeLamps& to = mixed_.lamps;
        to = {};
        for (const BakedSet& set : bake_.sets)
            if (set.lamps.rest.size() != bake_.probes.size()) return;
        struct Shown {
            const ProbeLamps* lamps;
            Rgb gain;
            std::uint32_t first;  ///< Number of its first lamp.
        };
        std::map<std::uint32_t, std::vector<Shown>> zones;
        to.rest.resize(bake_.probes.size());
        to.first.push_back(0);
        for (std::uint32_t p = 0; p < bake_.probes.size(); ++p) {
            const std::uint32_t zone = game_.probe_zone(p);
            auto known = zones.find(zone);
            if (known == zones.end()) {
                known = zones.try_emplace(zone).first;
                for (const auto& [set, gain] : shown_in(zone)) {
                    known->second.push_back({&bake_.sets[set].lamps, gain, 0});
                    known->second.back().first = append(*known->second.back().lamps, gain, to);
                }
            }
            for (const Shown& s : known->second) {
                for (std::size_t b = 0; b < 9; ++b) to.rest[p][b] += s.lamps->rest[p][b] * s.gain;
                for (std::uint32_t e = s.lamps->first[p]; e < s.lamps->first[p + 1]; ++e)
                    to.entry.push_back(s.lamps->entry[e] + (s.first << 16));
            }
            to.first.push_back(static_cast<std::uint32_t>(to.entry.size()));
        }
    }
    static std::uint32_t append(const ProbeLamps& from, Rgb gain, ProbeLamps& to) {
        const auto first = static_cast<std::uint32_t>(to.lamp.size()),
                   profiles = static_cast<std::uint32_t>(to.profile.size()),
                   values = static_cast<std::uint32_t>(to.values.size());
        for (std::size_t l = 0; l < from.lamp.size(); ++l) {
            to.lamp.push_back(from.lamp[l]);
            if (from.lamp[l].profile != none) to.lamp.back().profile += profiles;
            to.color.push_back(from.color[l] * gain);
            to.name.push_back(from.name[l]);
        }
        for (rt::LampProfile p : from.profile) {
            p.first += values;
            to.profile.push_back(p);
        }
        to.values.insert(to.values.end(), from.values.begin(), from.values.end());
        return first;
    }
    void mix_reflection(std::uint32_t r) {
        std::vector<rt::Term> terms(game_.set_count());
        const std::uint32_t n = mixer_.terms(game_.reflection_zone(r), terms.data(), game_.set_count());
        ReflectionMap& to = mixed_.reflections[r];
        for (std::uint32_t i = 0; i < n; ++i) {
            const ReflectionMap& from = bake_.sets[terms[i].set].reflections[r];
            if (i == 0) to = from;
            for (std::size_t l = 0; l < from.levels.size(); ++l)
                for (std::size_t k = 0; k < from.levels[l].texels.size(); ++k) {
                    Rgb& c = to.levels[l].texels[k];
                    c = (i == 0 ? Rgb{} : c) + from.levels[l].texels[k] * terms[i].weight;
                }
        }
    }

    Camera camera(const PlayMoment& m) const {
        if (!script_.camera.empty()) {
            std::string known;
            for (const Camera& c : level_.cameras) {
                if (c.name == script_.camera) return c;
                known += (known.empty() ? "" : ", ") + c.name;
            }
            unknown("camera", script_.camera, known);
        }
        // From behind, nearer where a wall is in the way.
        const Vec3 head = m.place + Vec3{0, eyes, 0}, to = normalize(Vec3{0, above, 0} - ahead_ * behind);
        const Hit hit = tree_->rays().closest({head, to, behind});
        const float back =
            std::max(0.3f, std::min(behind, hit.surface == none ? behind : hit.distance - 0.25f));
        return {.name = "behind",
                .eye = head + to * back,
                .toward = head + ahead_ * 2.0f - Vec3{0, 0.35f, 0},
                .vertical_fov = 0.95f};
    }

    PlayFrame frame(int number, const PlayMoment& m, Job& job) {
        PlayFrame f{.number = number,
                    .at = m.at,
                    .picture = {},
                    .exposure = 0,
                    .zone = m.zone,
                    .shows = shows(zone_)};
        const Level now = level_now(m);
        mix_gains();
        mix_light(job);
        Job quiet;
        ViewLight light{&mixed_, &bake_.probes,   &bake_.visibility, nullptr, &bake_.reflections,
                        nullptr, &surface_gains_, &light_gains_};
        f.picture = view({now, bake_.atlas}, light, camera(m),
                         {.width = script_.width, .height = script_.height}, quiet);
        const float metered = auto_exposure(f.picture), most = stops_a_second / script_.fps;
        exposure_ = number == 0 ? metered : exposure_ + std::clamp(metered - exposure_, -most, most);
        f.exposure = exposure_;
        return f;
    }

    const PlayScript& script_;
    const SavedBake& bake_;
    const Level& level_;
    std::shared_ptr<const SceneTree> tree_;
    rt::Game game_;
    rt::Mixer mixer_;
    std::vector<std::string> groups_;
    std::vector<std::uint32_t> figure_, carried_, lights_;
    std::vector<Affine> stood_;
    std::vector<Light> lamps_;
    BakedSet mixed_;
    std::vector<Rgb> surface_gains_, light_gains_;
    Vec3 ahead_{1, 0, 0};
    std::uint32_t hint_ = rt::nothing, zone_ = rt::nothing;
    float exposure_ = 0;
};

}  // namespace

PlayResult play(const PlayScript& script, const PlayedLevel& played,
                const std::function<void(PlayFrame&&)>& take, Job& job) {
    Walk walk(script, played);
    return walk.run(take, job);
}

}  // namespace stasigraph
