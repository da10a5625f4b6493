// Two lists of inputs compared, and every difference said as a person would.

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <map>
#include <queue>
#include <string_view>

#include "level/fields.hpp"
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
    // From the chord, which is exact for small angles as well.
    const double chord = distance(a.numbers, b.numbers, 0);
    const double degrees = 2 * std::asin(std::min(1.0, chord / 2)) * 180 / 3.14159265358979;
    return item.name + " turned " + in_short(degrees) + " degrees";
}

std::string instead(const std::string& what, const InputValue& a, const InputValue& b) {
    const auto told = [](const InputValue& v) { return v.text.empty() ? joined(v.numbers) : v.text; };
    return what + " is " + told(b) + " instead of " + told(a);
}

/// Of the members of x, the one that an item calls so.
template <class T>
Field find_field(std::string_view name) {
    Field found;
    const T any{};
    for_fields(any, [&](const Field& f, const auto&) {
        if (f.name == name) found = f;
    });
    return found;
}

/// What is said of a value of an item; a field that nothing depends on for names of light groups and the
/// like.
Field field_of(std::string_view kind, std::string_view key) {
    if (kind == "surface") {
        if (key == "mesh") return {.name = key, .depends = depends::geometry, .told = "{} has another shape"};
        if (key == "passage")
            return {.name = key, .depends = depends::geometry, .told = "what {} lets through is different"};
        const Field f = find_field<Surface>(key);
        return f.name.empty() ? find_field<Material>(key) : f;
    }
    if (kind == "light") return find_field<Light>(key);
    if (kind == "sky") return find_field<Sky>(key);
    if (kind == "volume") return find_field<Volume>(key);
    if (kind == "camera") return find_field<Camera>(key);
    if (kind == "set") return find_field<BakeSet>(key);
    if (kind == "quality") return find_field<BakeOptions>(key);
    if (kind == "lightmap") return find_field<LightmapOptions>(key);
    if (kind == "occlusion") return find_field<OcclusionOptions>(key);
    if (kind == "prelit") return find_field<PrelitOptions>(key);
    return {};
}

/// What is said of a change where the field says nothing itself.
std::string change_text(const InputItem& item, const InputValue& a, const InputValue& b) {
    const std::string &kind = item.kind, &key = a.key;
    const bool thing = kind == "surface" || kind == "light" || kind == "sky";
    if (key == "place") return moved(item, a, b);
    if (thing && (key == "emission" || key == "color")) return strength_text(item, a, b);
    if (kind == "sky" && key == "radiance") return "the " + strength_text(item, a, b);
    if (kind == "light" && key == "position")
        return item.name + " moved " + in_short(distance(a.numbers, b.numbers, 0)) + " m";
    if (kind == "light" && key == "direction") return turned(item, a, b);
    if (kind == "volume" || kind == "camera") return kind + " " + item.name + " is different";
    if (kind == "probes" && key == "placed") return "probes stand elsewhere";
    if (kind == "probes") return "probes by hand, or their tolerance, budget or merging, are different";
    if (kind == "reflections") return "what is asked of reflection probes is different";
    if (kind == "sight") return "what charts are seen from is different";
    if (kind == "set" && key == "exposure") return instead("exposure of " + item.name, a, b);
    if (kind == "set" && key == "place of the sun" && a.numbers.size() == 3)
        return turned({"", "the sun of " + item.name, {}}, a, b);
    if (kind == "set") return instead(key + " in " + item.name, a, b);
    if (thing) return instead(key + (kind == "sky" ? " of the sky" : " of " + item.name), a, b);
    return instead(kind + "." + key, a, b);
}

/// What a change of one value of an item touches, and how it is said.
Change change_of(const InputItem& before, const InputItem& now, const InputValue& a, const InputValue& b) {
    Change c;
    const Field field = field_of(now.kind, a.key);
    const bool lit = now.kind == "surface" || now.kind == "light" || now.kind == "sky";
    const auto touches = [&](std::uint32_t what) { return (field.depends & what) != 0; };
    if (now.kind == "volume" || now.kind == "camera" || now.kind == "probes") {
        c.probes = true;  // what is seen from them is an item of its own
    } else if (now.kind == "reflections") {
        c.reflections = true;
    } else if (now.kind == "sight") {
        c.unlit = true;
    } else {
        c.unlit = touches(depends::charts | depends::geometry | depends::rays | depends::parting);
        c.every_layer = touches(depends::colors | depends::solve) || (touches(depends::direct) && !lit);
        c.occlusion = touches(depends::occlusion);
        c.probes = touches(depends::places);
        c.reflections = touches(depends::reflections);
        c.visibility = touches(depends::visibility) &&
                       (text_of(before, "bake") == "bounce" || text_of(now, "bake") == "bounce");
    }
    if (lit && touches(depends::direct))
        for (const InputItem* item : {&before, &now})
            if (const std::string g = text_of(*item, "group");
                g != "none" && std::find(c.groups.begin(), c.groups.end(), g) == c.groups.end())
                c.groups.push_back(g);
    if (now.kind == "set") c.set = now.name;
    if (now.kind == "prelit") c.set = "*";
    c.text = field.told.empty() ? change_text(now, a, b) : std::string(field.told);
    if (const std::size_t at = c.text.find("{}"); at != std::string::npos) c.text.replace(at, 2, now.name);
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
    Change c{.text = (item.kind == "volume" || item.kind == "set" || item.kind == "camera" ? item.kind + " "
                                                                                           : "") +
                     item.name + (is_new ? " is new" : " is gone")};
    c.unlit = item.kind == "surface" || item.kind == "sight";
    c.probes = item.kind == "volume" || item.kind == "probes" || item.kind == "camera";
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
            out.push_back(change_of(before[i], item, *was, value));
        }
    }
    for (std::size_t i = 0; i < before.size(); ++i)
        if (!met[i]) out.push_back(appeared(before[i], false));
    return out;
}

}  // namespace stasigraph
