// Two lists of inputs compared, and every difference said as a person would.

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <map>
#include <queue>
#include <string_view>

#include "stasigraph/changes.hpp"

namespace stasigraph {

namespace {

std::string in_short(double v) {
    char text[32];
    std::snprintf(text, sizeof text, "%.4g", v);
    return text;
}

std::string joined(const std::vector<double>& v) {
    std::string s;
    for (const double x : v) s += (s.empty() ? "" : ", ") + in_short(x);
    return s.empty() ? "auto" : s;
}

const InputValue* find(const InputItem& item, std::string_view key) {
    const auto at = std::find_if(item.values.begin(), item.values.end(),
                                 [&](const InputValue& v) { return v.key == key; });
    return at == item.values.end() ? nullptr : &*at;
}

std::string text_of(const InputItem& item, std::string_view key) {
    const InputValue* v = find(item, key);
    return v ? v->text : "none";
}

/// The one factor between two colours; 0 where there is none.
double factor(const std::vector<double>& a, const std::vector<double>& b) {
    double f = 0;
    for (std::size_t i = 0; i < std::min(a.size(), b.size()); ++i) {
        if ((a[i] > 0) != (b[i] > 0)) return 0;
        if (!(a[i] > 0)) continue;
        const double here = b[i] / a[i];
        if (f > 0 && std::abs(here / f - 1) > 1e-4) return 0;
        f = here;
    }
    return f;
}

double distance(const std::vector<double>& a, const std::vector<double>& b, std::size_t from) {
    double sum = 0;
    for (std::size_t i = from; i < from + 3; ++i) sum += (a[i] - b[i]) * (a[i] - b[i]);
    return std::sqrt(sum);
}

std::string strength_text(const InputItem& item, const InputValue& a, const InputValue& b) {
    const double f = factor(a.numbers, b.numbers);
    const auto dark = [](const InputValue& v) {
        return std::all_of(v.numbers.begin(), v.numbers.end(), [](double x) { return x == 0; });
    };
    if (dark(a)) return item.name + " gives light now";
    if (dark(b)) return item.name + " gives no light any more";
    return f > 0 ? item.name + " is " + in_short(f) + " times as bright" : item.name + " has another colour";
}

std::string moved(const InputItem& item, const InputValue& a, const InputValue& b) {
    if (a.numbers.size() != 12 || b.numbers.size() != 12) return item.name + " moved";
    const bool same_axes = std::equal(a.numbers.begin(), a.numbers.begin() + 9, b.numbers.begin());
    const double far = distance(a.numbers, b.numbers, 9);
    if (same_axes) return item.name + " moved " + in_short(far) + " m";
    return item.name + " was turned or scaled" + (far > 0 ? " and moved " + in_short(far) + " m" : "");
}

std::string turned(const InputItem& item, const InputValue& a, const InputValue& b) {
    // From the chord, which is exact for small angles, too.
    const double chord = distance(a.numbers, b.numbers, 0);
    const double degrees = 2 * std::asin(std::min(1.0, chord / 2)) * 180 / 3.14159265358979;
    return item.name + " turned " + in_short(degrees) + " degrees";
}

std::string instead(const std::string& what, const InputValue& a, const InputValue& b) {
    if (!a.text.empty() || !b.text.empty()) return what + " is " + b.text + " instead of " + a.text;
    return what + " is " + joined(b.numbers) + " instead of " + joined(a.numbers);
}

const char* tier_text(double v) {
    return v == 0 ? "glance" : v == 1 ? "proof" : "final";
}

std::string setting(const InputItem& item, const InputValue& a, const InputValue& b) {
    if (a.key == "tier")
        return std::string("the tier is ") + tier_text(b.numbers[0]) + " instead of " +
               tier_text(a.numbers[0]);
    if (a.key == "bounces") {
        const auto text = [](double v) { return v < 0 ? std::string("settle") : in_short(v); };
        return "bounces is " + text(b.numbers[0]) + " instead of " + text(a.numbers[0]);
    }
    if (a.key == "denoise" || a.key == "seams") return a.key + " is " + (b.numbers[0] == 0 ? "auto" : "off");
    if (a.key == "edges") return std::string("edges are ") + (b.numbers[0] == 0 ? "straight" : "sharp");
    if (a.key == "shape") return std::string("the shape is ") + (b.numbers[0] == 0 ? "flat" : "directional");
    return instead(item.kind + "." + a.key, a, b);
}

/// What a change of one value of an item touches, and how it is said.
Change change_of(const InputItem& before, const InputItem& now, const InputValue& a, const InputValue& b) {
    Change c;
    const std::string& key = a.key;
    const auto groups = [&] {
        for (const InputItem* item : {&before, &now})
            if (const std::string g = text_of(*item, "group");
                g != "none" && std::find(c.groups.begin(), c.groups.end(), g) == c.groups.end())
                c.groups.push_back(g);
    };
    if (now.kind == "surface") {
        c.ground = key != "color" && key != "emission" && key != "emission texture" && key != "group";
        c.every_layer = key == "color";
        if (!c.ground && !c.every_layer) groups();
        c.text = key == "place"              ? moved(now, a, b)
                 : key == "mesh"             ? now.name + " has another shape"
                 : key == "passage"          ? "what " + now.name + " lets through is different"
                 : key == "normals"          ? now.name + " has another normal map"
                 : key == "color"            ? now.name + " has another colour"
                 : key == "emission"         ? strength_text(now, a, b)
                 : key == "emission texture" ? now.name + " glows by another texture"
                                             : instead(key + " of " + now.name, a, b);
    } else if (now.kind == "light") {
        groups();
        c.visibility = key != "color" && key != "group" &&
                       (text_of(before, "bake") == "bounce" || text_of(now, "bake") == "bounce");
        c.text = key == "color" ? strength_text(now, a, b)
                 : key == "position"
                     ? now.name + " moved " + in_short(distance(a.numbers, b.numbers, 0)) + " m"
                 : key == "direction" ? turned(now, a, b)
                 : key == "across"    ? now.name + " turned about its aim"
                 : key == "profile"   ? now.name + " has another profile"
                                      : instead(key + " of " + now.name, a, b);
    } else if (now.kind == "sky") {
        groups();
        c.text = key == "radiance" ? "the " + strength_text(now, a, b)
                 : key == "image"  ? "the sky has another image"
                 : key == "sun"    ? "the sky's sun stands elsewhere"
                                   : instead(key + " of the sky", a, b);
    } else if (now.kind == "volume") {
        c.probes = true;
        c.text = "volume " + now.name + " is different";
    } else if (now.kind == "probes") {
        c.probes = true;
        c.text = "probes by hand, or their tolerance, budget or merging, are different";
    } else if (now.kind == "reflections") {
        c.reflections = true;
        c.text = "what is asked of reflection probes is different";
    } else if (now.kind == "set") {
        c.set = now.name;
        c.every_layer = key == "exposure";  // it decides which noise is seen
        c.text = key == "exposure" ? instead("exposure of " + now.name, a, b)
                 : key == "place of the sun" && a.numbers.size() == 3
                     ? turned({"", "the sun of " + now.name, {}}, a, b)
                     : instead(key + " in " + now.name, a, b);
    } else if (now.kind == "occlusion") {
        c.occlusion = true;
        c.text = setting(now, a, b);
    } else {
        c.ground = now.kind == "lightmap" || key == "tier" || key == "seed" || key == "links";
        c.every_layer = now.kind == "quality" && !c.ground;
        c.occlusion = key == "denoise";
        c.text = setting(now, a, b);
        if (now.kind == "prelit") c.set = "*";
    }
    return c;
}

bool differs(const InputItem& before, const InputItem& now, std::string_view key) {
    const InputValue *a = find(before, key), *b = find(now, key);
    return a && b && !(*a == *b);
}

bool follows_aim(const InputItem& before, const InputItem& now) {
    return differs(before, now, "direction") && now.kind == "light";
}

/// An item that is only in one of the two lists.
Change appeared(const InputItem& item, bool is_new) {
    Change c{.text = (item.kind == "volume" || item.kind == "set" ? item.kind + " " : "") + item.name +
                     (is_new ? " is new" : " is gone")};
    c.ground = item.kind == "surface";
    c.probes = item.kind == "volume" || item.kind == "probes";
    c.reflections = item.kind == "reflections";
    if (item.kind == "set") c.set = item.name;
    if (item.kind == "light") {
        c.groups = {text_of(item, "group")};
        c.visibility = text_of(item, "bake") == "bounce";
    }
    return c;
}

}  // namespace

std::vector<Change> changes_between(const std::vector<InputItem>& before, const std::vector<InputItem>& now) {
    std::vector<Change> out;
    // Names need not be unique: the first of a name is compared to the first, the second to the second.
    std::map<std::pair<std::string_view, std::string_view>, std::queue<std::size_t>> known;
    for (std::size_t i = 0; i < before.size(); ++i) known[{before[i].kind, before[i].name}].push(i);
    std::vector<std::uint8_t> met(before.size(), 0);
    for (const InputItem& item : now) {
        const auto same = known.find({item.kind, item.name});
        if (same == known.end() || same->second.empty()) {
            out.push_back(appeared(item, true));
            continue;
        }
        const std::size_t i = same->second.front();
        same->second.pop();
        met[i] = 1;
        for (const InputValue& value : item.values) {
            // What was not there before comes with another change: another part, a new light group.
            const InputValue* was = find(before[i], value.key);
            if (!was || *was == value) continue;
            // A sun's or a sky's aim tells the rest.
            if (value.key == "across" && follows_aim(before[i], item)) continue;
            if (item.kind == "sky" && value.key == "below" && differs(before[i], item, "radiance")) continue;
            if (was->numbers.size() == value.numbers.size() || value.key == "exposure")
                out.push_back(change_of(before[i], item, *was, value));
            else
                out.push_back({.text = item.name + " is different", .ground = true});
        }
    }
    for (std::size_t i = 0; i < before.size(); ++i)
        if (!met[i]) out.push_back(appeared(before[i], false));
    return out;
}

}  // namespace stasigraph
