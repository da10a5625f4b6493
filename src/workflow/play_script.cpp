// The script of a walk.

#include <algorithm>
#include <cmath>

#include "base/text.hpp"
#include "sheet/sheet_shapes.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/play.hpp"

namespace stasigraph {

namespace {

constexpr double longest = 3600;  // seconds

void read_play(const Entry& e, PlayScript& s) {
    s.level = e.needed_text("level");
    s.set = e.text("set").value_or("");
    s.figure = e.needed_text("figure");
    s.front = number_or(e, "front", -360, 360, 0) * degree;
    s.carries = e.text("carries").value_or("");
    s.camera = e.text("camera").value_or("");
    s.fps = number_or(e, "fps", 0.01, 120, s.fps);
    s.until = e.number("until", 0, longest).value_or(0);
    if (!e.has("size")) return;
    const toml::array* size = e.node("size")->as_array();
    const auto side = [&](std::size_t i) {
        return size && size->size() == 2 ? size->get(i)->value<int>().value_or(0) : 0;
    };
    s.width = side(0);
    s.height = side(1);
    if (s.width < 8 || s.height < 8 || s.width > 8192 || s.height > 8192)
        e.fail("size", "is no size of a picture", "Write size = [640, 400], 8 to 8192 pixels.");
}

double time_of(const Entry& e, const char* key = "at") {
    if (!e.has(key)) e.fail(key, "is missing", "Say when: seconds from the beginning.");
    return *e.number(key, 0, longest);
}

PlayStep read_step(const Entry& e) {
    if (!e.has("place")) e.fail("place", "is missing", "Write place = [x, y, z], metres.");
    return {time_of(e), *e.vector("place", -far, far)};
}

Rgb factor(const Entry& e, const char* key, Rgb usual) {
    if (!e.has(key)) return usual;
    if (e.node(key)->is_array()) return *e.color(key, 1e6);
    const auto v = static_cast<float>(*e.number(key, 0, 1e6));
    return {v, v, v};
}

PlayChange read_change(const Entry& e) {
    PlayChange c;
    c.at = time_of(e);
    const char* kinds[] = {"set", "series", "clock", "layer"};
    int said = 0;
    for (int k = 0; k < 4; ++k)
        if (e.has(kinds[k])) {
            c.kind = static_cast<PlayKind>(k);
            ++said;
        }
    if (said != 1)
        e.fail(said == 0 ? "set" : "layer", "a change is of one thing",
               "Write one of set = \"name\", series = \"name\", clock = hour, or layer = \"name\".");
    if (c.kind == PlayKind::clock) {
        c.hour = *e.number("clock", 0, 24);
        c.hours_a_second = e.number("hours_a_second", -1000, 1000).value_or(0);
    } else {
        c.name = e.needed_text(kinds[static_cast<int>(c.kind)]);
        refuse_keys(e, {"hours_a_second"}, "change");
    }
    const bool layer = c.kind == PlayKind::layer;
    for (const char* key : {"scale", "add", "flicker"})
        if (!layer && e.has(key))
            e.fail(key, "is of layers alone", "Write layer = \"name\", or take it out.");
    for (const char* key : {"zone", "curve"})
        if (layer && e.has(key))
            e.fail(key, "says nothing of a layer, which changes everywhere", "Take it out.");
    c.zone = e.text("zone").value_or("");
    c.seconds = number_or(e, "seconds", 0, longest, 0);
    const std::string curve = e.text("curve").value_or("smooth");
    if (curve != "smooth" && curve != "linear")
        e.fail("curve", "is no curve", "Use \"smooth\" or \"linear\".");
    c.smooth = curve == "smooth";
    c.scale = factor(e, "scale", c.scale);
    c.add = factor(e, "add", c.add);
    c.flicker = number_or(e, "flicker", 0, 1, 0);
    return c;
}

/// Calls f for each table of an array of tables.
template <class F>
void each(const toml::table& t, const char* key, const std::string& file, F f) {
    const toml::node* list = t.get(key);
    if (!list) return;
    if (!list->is_array_of_tables())
        throw Error{.what = "must be written as a table",
                    .where = file,
                    .value = key,
                    .remedy = std::string("Write [[play.") + key + "]]."};
    for (const toml::node& element : *list->as_array())
        f(Entry(*element.as_table(), file, std::string("play.") + key));
}

}  // namespace

PlayScript load_play(const std::filesystem::path& path) {
    const std::string file = path.filename().string();
    const Bytes bytes = read_file(path);
    toml::table table;
    try {
        table =
            toml::parse(std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()), file);
    } catch (const toml::parse_error& e) {
        throw Error{.what = "is not valid TOML",
                    .where = file + ":" + std::to_string(e.source().begin.line),
                    .value = std::string(e.description()),
                    .remedy = ""};
    }
    const toml::table* own = table["play"].as_table();
    if (!own || table.size() != 1)
        throw Error{
            .what = "is no script of a walk",
            .where = file,
            .value = "",
            .remedy = "It has [play] with level and figure, [[play.step]] and [[play.change]] alone."};
    PlayScript s;
    read_play(Entry(*own, file, "play"), s);
    s.level = path.parent_path() / s.level;
    each(*own, "step", file, [&](const Entry& e) {
        s.steps.push_back(read_step(e));
        if (s.steps.size() > 1 && !(s.steps.back().at > s.steps[s.steps.size() - 2].at))
            e.fail("at", "is not later than the step before", "Steps go in the order of their times.");
    });
    each(*own, "change", file, [&](const Entry& e) { s.changes.push_back(read_change(e)); });
    std::stable_sort(s.changes.begin(), s.changes.end(),
                     [](const PlayChange& a, const PlayChange& b) { return a.at < b.at; });
    if (s.steps.empty())
        throw Error{.what = "has no step",
                    .where = file,
                    .value = "",
                    .remedy = "Add [[play.step]] with at = 0 and place = [x, y, z]."};
    if (!own->contains("until")) s.until = s.steps.back().at;
    return s;
}

}  // namespace stasigraph
