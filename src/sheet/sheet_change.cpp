#include "sheet/sheet_change.hpp"

#include <algorithm>

#include "base/text.hpp"
#include "level/fields.hpp"
#include "sheet/sheet_entry.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

[[noreturn]] void fail(const SheetChange& change, const std::string& what, const std::string& remedy) {
    throw Error{.what = what, .where = change.path, .value = change.value, .remedy = remedy};
}

/// The value as TOML reads it after an equals sign; else as a text.
toml::table parsed(const SheetChange& change) {
    try {
        return toml::parse("value = " + change.value);
    } catch (const toml::parse_error&) {
        toml::table t;
        t.insert_or_assign("value", change.value);
        return t;
    }
}

toml::table& table_named(toml::table& sheet, const std::string& name) {
    if (!sheet.contains(name)) sheet.insert_or_assign(name, toml::table{});
    if (toml::table* t = sheet.get_as<toml::table>(name)) return *t;
    throw Error{
        .what = "must be written as a table", .where = name, .value = "", .remedy = "Write [" + name + "]."};
}

toml::array& list_named(toml::table& sheet, const std::string& name) {
    if (!sheet.contains(name)) sheet.insert_or_assign(name, toml::array{});
    if (toml::array* a = sheet.get_as<toml::array>(name)) return *a;
    throw Error{.what = "must be written as a table",
                .where = name,
                .value = "",
                .remedy = "Write [[" + name + "]]."};
}

/// The name of the entry at a place of a list; of those without one, what the level calls them.
std::string name_of(const toml::array& list, std::size_t place, const std::string& table) {
    const toml::table* entry = list[place].as_table();
    return entry ? (*entry)["name"].value_or(table + " " + std::to_string(place + 1)) : "";
}

/// set.dusk.gain.sun, series.day.latitude, group.lamps.match, volume.hall.spacing, camera.dome.fov: an entry
/// by its name, and a table within it where a further dot follows.
void change_named(toml::array& list, const std::string& path, const toml::node& value,
                  const SheetChange& change) {
    const std::string table = change.path.substr(0, change.path.find('.'));
    const std::size_t next = path.find('.');
    if (next == std::string::npos) fail(change, "says no key", "Write " + table + ".NAME.KEY.");
    const std::string name = path.substr(0, next), key = path.substr(next + 1);
    for (std::size_t i = 0; i < list.size(); ++i) {
        toml::table* entry = list[i].as_table();
        if (!entry || name_of(list, i, table) != name) continue;
        const std::size_t dot = key.find('.');
        if (dot == std::string::npos) {
            entry->insert_or_assign(key, value);
            return;
        }
        table_named(*entry, key.substr(0, dot)).insert_or_assign(key.substr(dot + 1), value);
        return;
    }
    std::string known;
    for (std::size_t i = 0; i < list.size(); ++i) known += (i ? ", " : "") + name_of(list, i, table);
    fail(change, "the sheet has no entry named " + name,
         known.empty() ? "It has none of this kind." : "It has: " + known + ".");
}

/// The table of a key of [quality] or [lightmap] that is said by itself; empty for other words.
std::string table_of_short(std::string_view key) {
    std::string table;
    const auto look = [&](const Field& f, const auto&) {
        const std::size_t dot = f.sheet.find('.');
        if (dot != std::string_view::npos && f.sheet.substr(dot + 1) == key) table = f.sheet.substr(0, dot);
    };
    const BakeOptions quality;
    const LightmapOptions lightmap;
    for_fields(quality, look);
    for_fields(lightmap, look);
    return table;
}

}  // namespace

void change_sheet(toml::table& sheet, const SheetChange& change) {
    const toml::table holder = parsed(change);
    const toml::node& value = *holder.get("value");
    const std::size_t dot = change.path.find('.');
    if (dot == std::string::npos) {
        if (const std::string table = table_of_short(change.path); !table.empty()) {
            table_named(sheet, table).insert_or_assign(change.path, value);
            return;
        }
        fail(change, "names no value of a bake sheet",
             "Write e.g. quality.bounces, sky.lux or light.sun.kelvin.");
    }
    const std::string table = change.path.substr(0, dot), rest = change.path.substr(dot + 1);
    const std::vector<std::string_view> known = sheet_tables();
    if (std::find(known.begin(), known.end(), table) == known.end()) {
        const std::string near = nearest_word(table, known);
        fail(change, "names no table of a bake sheet", near.empty() ? "" : "Did you mean \"" + near + "\"?");
    }
    if (is_single_table(table)) {
        table_named(sheet, table).insert_or_assign(rest, value);
        return;
    }
    toml::array& list = list_named(sheet, table);
    if (table == "light" || table == "surface") {
        // Names may hold dots, keys do not.
        const std::size_t last = rest.rfind('.');
        if (last == std::string::npos)
            fail(change, "says no key",
                 "Write " + table + ".NAME.KEY, e.g. " + table + "." + rest +
                     (table == "light" ? ".gain" : ".density") + ".");
        toml::table entry;
        entry.insert_or_assign("match", rest.substr(0, last));
        entry.insert_or_assign(rest.substr(last + 1), value);
        list.push_back(std::move(entry));
        return;
    }
    change_named(list, rest, value, change);
}

}  // namespace stasigraph
