// Every member that a sheet says with a key of its own: read in its unit, held to its range and its words,
// and told in the docs.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <functional>
#include <set>

#include "level/fields.hpp"
#include "level/words.hpp"
#include "room.hpp"
#include "sheet/sheet_fields.hpp"
#include "stasigraph/changes.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"
#include "stasigraph/survey.hpp"

namespace test::sheet_fields_tests {
namespace {

/// A table of a sheet in which a member can be said, and the member's struct in the level that comes of it.
template <class T>
struct Table {
    std::string name, header, besides;
    std::function<T(const Level&)> in;
};

template <class F>
void for_tables(F f) {
    f(Table<BakeOptions>{"level", "[level]", "scene = \"room.gltf\"",
                         [](const Level& l) { return l.quality; }});
    f(Table<LightmapOptions>{"lightmap", "[lightmap]", "", [](const Level& l) { return l.lightmap; }});
    f(Table<BakeOptions>{"quality", "[quality]", "", [](const Level& l) { return l.quality; }});
    f(Table<OcclusionOptions>{"occlusion", "[occlusion]", "", [](const Level& l) { return l.occlusion; }});
    f(Table<PrelitOptions>{"prelit", "[prelit]", "", [](const Level& l) { return l.prelit; }});
    f(Table<CheckOptions>{"check", "[check]", "", [](const Level& l) { return l.check; }});
    f(Table<ProbeOptions>{"probes", "[probes]", "", [](const Level& l) { return l.probes; }});
    f(Table<Surface>{"surface", "[[surface]]", "match = \"crate\"",
                     [](const Level& l) { return l.surfaces[2]; }});
    f(Table<Light>{"light", "[[light]]", "name = \"new\"\nkind = \"spot\"\ncandela = 5",
                   [](const Level& l) { return l.lights.back(); }});
    f(Table<Light>{"light", "[[light]]", "name = \"new\"\nkind = \"sun\"\nlux = 90000",
                   [](const Level& l) { return l.lights.back(); }});
    f(Table<BakeSet>{"set", "[[set]]", "name = \"new\"", [](const Level& l) { return l.sets.back(); }});
    f(Table<Camera>{"camera", "[[camera]]", "name = \"new\"\neye = [0, 1, 0]\ntoward = [1, 1, 0]",
                    [](const Level& l) { return l.cameras.back(); }});
    f(Table<Volume>{"volume", "[[volume]]", "low = [-1, 0, -1]\nhigh = [1, 1, 1]",
                    [](const Level& l) { return l.volumes.back(); }});
    f(Table<Figure>{"volume.figure", "[[volume]]\nlow = [-1, 0, -1]\nhigh = [1, 1, 1]\n[volume.figure]", "",
                    [](const Level& l) { return l.volumes.back().figure; }});
    f(Table<ReflectionProbe>{"reflection", "[[reflection]]", "low = [-1, 0, -1]\nhigh = [1, 1, 1]",
                             [](const Level& l) { return l.reflections.back(); }});
    f(Table<ReflectionRule>{"reflection", "[[reflection]]",
                            "low = [-1, 0, -1]\nhigh = [1, 1, 1]\nfill = [\"water\"]",
                            [](const Level& l) { return l.reflection_rules.back(); }});
    f(Table<Zone>{"zone", "[[zone]]", "name = \"new\"\nlow = [-1, 0, -1]\nhigh = [1, 1, 1]",
                  [](const Level& l) { return l.zones.back(); }});
    f(Table<Acceptance>{"accept", "[[accept]]", "reason = \"so\"\nfinding = \"overlap\"\nmatch = \"crate\"",
                        [](const Level& l) { return l.accepted.back(); }});
}

/// What a sheet says, and the member that should come of it.
template <class T>
struct Said {
    std::string text;
    T member;
};

/// Another value than the usual one, as a sheet says it. Whole numbers that must be powers of two are.
template <class T>
std::optional<Said<T>> another_value(const Field& f, const T& usual) {
    const bool bounded = f.low < f.high;
    const auto number = [&](double share) {
        return bounded ? f.low + share * (std::min(f.high, f.low + 100) - f.low) : 0.7;
    };
    if constexpr (std::same_as<T, bool>) {
        const std::string word(!usual ? f.yes : f.no);
        return Said<T>{f.yes.empty() ? (usual ? "false" : "true") : '"' + word + '"', !usual};
    } else if constexpr (std::is_integral_v<T>) {
        const double whole = f.name == "block" ? 4 : f.name == "resolution" ? 64 : std::ceil(number(0.3));
        return Said<T>{std::to_string(static_cast<long>(whole)), static_cast<T>(whole)};
    } else if constexpr (std::is_floating_point_v<T>) {
        char text[40];
        std::snprintf(text, sizeof text, "%.9g", number(0.3));
        return Said<T>{text, static_cast<T>(std::stod(text) * f.per_unit)};
    } else if constexpr (Worded<T>) {
        for (const auto& [word, value] : Words<T>::all)
            if (value != usual) return Said<T>{'"' + std::string(word) + '"', value};
        return std::nullopt;
    } else if constexpr (std::same_as<T, std::string>) {
        return Said<T>{"\"cra*\"", "cra*"};
    } else if constexpr (std::same_as<T, Vec3>) {
        return Said<T>{"[0.25, 1.5, -0.75]", Vec3{0.25f, 1.5f, -0.75f}};
    } else if constexpr (std::same_as<T, std::optional<int>> || std::same_as<T, std::optional<float>>) {
        return Said<T>{"3", T(3)};
    } else if constexpr (std::same_as<T, std::vector<float>>) {
        return Said<T>{"[0.5, 1.25]", {0.5f, 1.25f}};
    }
    return std::nullopt;
}

/// A room's sheet with this in a table; tables that it has once are taken out first.
class Sheets {
public:
    Sheets() { write_room(folder_.path()); }
    template <class T>
    std::string outcome(const Table<T>& table, const std::string& line, Level* level) {
        std::string rest = sheet_text;
        if (!table.header.starts_with("[["))
            if (const std::size_t at = rest.find(table.header); at != std::string::npos)
                rest.erase(at, rest.find("\n[", at) - at);
        const fs::path file = folder_ / "room.toml";
        std::ofstream(file) << rest << "\n" << table.header << "\n" << table.besides << "\n" << line << "\n";
        return load_outcome(file, level);
    }

private:
    Folder folder_;
};

template <class T>
constexpr bool is_number = std::is_arithmetic_v<T> && !std::same_as<T, bool>;

TEST(SheetFields, are_read_as_the_list_says) {
    Sheets sheets;
    std::set<std::string> asked, read;
    for_tables([&]<class T>(const Table<T>& table) {
        Level usual;
        ASSERT_EQ(sheets.outcome(table, "", &usual), "");
        const T before = table.in(usual);
        for_fields(before, [&](const Field& f, const auto& was) {
            using Member = std::remove_cvref_t<decltype(was)>;
            const std::string_view key = plain_key(f, table.name);
            if (key.empty()) return;
            const std::string path = table.name + "." + std::string(key);
            SCOPED_TRACE(path);
            const std::optional<Said<Member>> said = another_value(f, was);
            ASSERT_TRUE(said.has_value()) << "no sheet can say a member of this type";
            if constexpr (detail::Sayable<Member>) {
                Table<T> without = table;
                if (const std::size_t at = without.besides.find(std::string(key) + " = ");
                    at != std::string::npos)
                    without.besides.erase(at, without.besides.find('\n', at) - at);
                Level level;
                const std::string outcome =
                    sheets.outcome(without, std::string(key) + " = " + said->text, &level);
                asked.insert(path);
                if (outcome.find("is for suns only") != std::string::npos ||
                    outcome.find("is for spots only") != std::string::npos)
                    return;  // the table of the other kind says it
                ASSERT_EQ(outcome, "");
                bool same = false;
                const T after = table.in(level);
                for_fields(after, [&](const Field& g, const auto& now) {
                    if constexpr (std::same_as<std::remove_cvref_t<decltype(now)>, Member>)
                        if (g.name == f.name) same = now == said->member;
                });
                EXPECT_TRUE(same) << said->text << " is not what the level has";
                EXPECT_FALSE(was == said->member) << "no other value than before";
            }
            read.insert(path);
        });
    });
    EXPECT_EQ(read, asked);
    EXPECT_GT(read.size(), 55u);
}

TEST(SheetFields, outside_of_their_range_or_words_are_refused_where_they_stand) {
    Sheets sheets;
    int numbers = 0, words = 0;
    for_tables([&]<class T>(const Table<T>& table) {
        for_fields(std::as_const(*std::make_unique<T>()), [&](const Field& f, const auto& member) {
            using Member = std::remove_cvref_t<decltype(member)>;
            const std::string key(plain_key(f, table.name));
            if (key.empty()) return;
            const auto refused = [&](const std::string& value, const std::string& wanted) {
                const std::string said = sheets.outcome(table, key + " = " + value, nullptr);
                EXPECT_NE(said.find(table.name + "." + key), std::string::npos) << key << ": " << said;
                EXPECT_NE(said.find(wanted), std::string::npos) << key << ": " << said;
            };
            if (is_number<Member> && f.low < f.high) {
                refused(std::to_string(f.high * 1.01 + 1), "is not a number from");
                refused(std::to_string(f.low - 0.5 - std::abs(f.low) * 0.01), "is not a number from");
                refused("\"much\"", "is not a number from");
                if (f.zero_unsaid) refused("0", "is not a number from");
                if (std::is_integral_v<Member>) refused(std::to_string(f.low + 1.5), "is not a whole number");
                ++numbers;
            }
            if constexpr (Worded<Member>) {
                refused("\"lead\"", words_to_use<Member>());
                refused("7", "is not a text");
                ++words;
            }
            if (std::same_as<Member, bool> && !f.yes.empty())
                for (const char* other : {"\"perhaps\"", "true"}) refused(other, "is neither");
            if (!f.empty.empty()) refused("\"perhaps\"", std::string(f.empty));
        });
    });
    EXPECT_GT(numbers, 35);
    EXPECT_GT(words, 12);
}

TEST(SheetFields, of_tables_that_stand_once_are_changed_by_their_paths) {
    const Room room;
    std::set<std::string> changed;
    for_tables([&]<class T>(const Table<T>& table) {
        if (table.header.starts_with("[[")) return;
        const T usual = table.in(load_level(room.sheet));
        for_fields(usual, [&](const Field& f, const auto& was) {
            using Member = std::remove_cvref_t<decltype(was)>;
            const std::string key(plain_key(f, table.name));
            if (key.empty()) return;
            if constexpr (detail::Sayable<Member>) {
                const std::optional<Said<Member>> said = another_value(f, was);
                ASSERT_TRUE(said.has_value());
                std::vector<std::string> paths = {table.name + "." + key};
                if (table.name == "quality" || table.name == "lightmap") paths.push_back(key);
                for (const std::string& path : paths) {
                    SCOPED_TRACE(path);
                    Level level;
                    ASSERT_NO_THROW(level = load_level(room.sheet, {{path, said->text}}));
                    bool same = false;
                    const T now = table.in(level);
                    for_fields(now, [&](const Field& g, const auto& x) {
                        if constexpr (std::same_as<std::remove_cvref_t<decltype(x)>, Member>)
                            if (g.name == f.name) same = x == said->member;
                    });
                    EXPECT_TRUE(same);
                    changed.insert(path);
                }
            }
        });
    });
    EXPECT_GT(changed.size(), 35u);
}

/// A setting as `vary` is given one.
std::string text_of(const SettingValue& s) {
    if (!s.text.empty()) return s.text;
    std::string all;
    for (const double v : s.numbers) {
        char text[40];
        std::snprintf(text, sizeof text, "%.9g", v);
        all += (all.empty() ? "" : ", ") + std::string(text);
    }
    return s.numbers.size() == 1 ? all : "[" + all + "]";
}

/// Every setting of a level, said again from outside, is what it was.
void expect_settings_to_be_sayable(const fs::path& sheet) {
    const std::vector<SettingValue> all = settings_of(load_level(sheet));
    EXPECT_GT(all.size(), 100u);
    std::set<std::string> keys;
    for (SettingValue s : all) {
        EXPECT_TRUE(keys.insert(s.key).second) << s.key << " is there twice";
        // What nobody said has no value, and a range of what could be said.
        if (s.text.empty() && s.numbers.empty()) s.numbers = {s.low};
        SCOPED_TRACE(s.key + " = " + text_of(s));
        Level level;
        try {
            level = load_level(sheet, {{s.key, text_of(s)}});
        } catch (const Error& e) {
            ADD_FAILURE() << e.text();
            continue;
        }
        const std::vector<SettingValue> now = settings_of(level);
        const auto at = std::find_if(now.begin(), now.end(), [&](const auto& x) { return x.key == s.key; });
        if (at == now.end()) {
            ADD_FAILURE() << "is no setting any more";
            continue;
        }
        EXPECT_EQ(at->text, s.text);
        // The words it has are words that it takes.
        for (const std::string& word : s.words) {
            Level other;
            ASSERT_NO_THROW(other = load_level(sheet, {{s.key, word}})) << word;
            const std::vector<SettingValue> list = settings_of(other);
            EXPECT_TRUE(std::any_of(list.begin(), list.end(), [&](const SettingValue& x) {
                return x.key == s.key && x.text == word;
            })) << word;
        }
        ASSERT_EQ(at->numbers.size(), s.numbers.size());
        for (std::size_t i = 0; i < s.numbers.size(); ++i)
            EXPECT_NEAR(at->numbers[i], s.numbers[i], 2e-5 * std::max(1.0, std::abs(s.numbers[i])));
    }
    for (const char* key : {"light.sun.azimuth", "light.sun.lux", "light.lamp.candela", "light.a tube.length",
                            "light.a disc.nit", "volume.volume 1.spacing", "volume.volume 3.figure.height",
                            "set.night.gain.sky", "level.seed", "probes.default"})
        EXPECT_TRUE(keys.count(key)) << key;
    for (const char* key : {"light.sun.at", "light.a disc.width", "light.lamp.inner", "light.lamp.kind",
                            "volume.ball.to", "set.layer-lamps.gain.sun", "set.days-0800.exposure"})
        EXPECT_FALSE(keys.count(key)) << key;
}

TEST(SheetFields, that_survey_lists_can_all_be_varied) {
    const Room room;
    // Lights and volumes of every kind, with names and without, and sets that no entry makes.
    std::string more = "[occlusion]\nreach = 2\n[prelit]\n";
    for (const char* kind : {"spot", "rectangle", "disc", "tube"})
        more += std::string("[[light]]\nname = \"a ") + kind + "\"\nkind = \"" + kind +
                "\"\nat = [0.4, 1.2, 0.3]\ntoward = [0.1, 0.2, 0.0]\n";
    more +=
        "[[volume]]\nname = \"ball\"\nshape = \"sphere\"\nat = [0, 1, 0]\nradius = 0.7\n"
        "[[volume]]\nshape = \"capsule\"\nfrom = [0, 1, 0]\nto = [1, 1, 0]\nradius = 0.5\n"
        "figure = { height = 1.5 }\n"
        "[[group]]\nname = \"lamps\"\nlayer = true\n"
        "[[series]]\nname = \"days\"\nlatitude = 40\nhours = [8, 12]\n";
    write_bytes(room.sheet, sheet_text + more);
    expect_settings_to_be_sayable(room.sheet);
}
TEST(SheetFields, that_have_words_are_told_in_words_by_status_and_survey) {
    Sheets sheets;
    int told = 0;
    for_tables([&]<class T>(const Table<T>& table) {
        Level usual;
        ASSERT_EQ(sheets.outcome(table, "", &usual), "");
        const std::vector<InputItem> before = inputs_of(usual).items;
        const T was = table.in(usual);
        for_fields(was, [&](const Field& f, const auto& member) {
            using Member = std::remove_cvref_t<decltype(member)>;
            const std::string key(plain_key(f, table.name));
            if constexpr (Worded<Member>) {
                if (key.empty() || f.depends == depends::nothing) return;
                SCOPED_TRACE(table.name + "." + key);
                for (const auto& named : Words<Member>::all) {
                    const std::string_view word = named.first;
                    Level level;
                    const std::string outcome =
                        sheets.outcome(table, key + " = \"" + std::string(word) + "\"", &level);
                    ASSERT_EQ(outcome, "");
                    const T now = table.in(level);
                    for_fields(now, [&](const Field& g, const auto& x) {
                        if constexpr (std::same_as<std::remove_cvref_t<decltype(x)>, Member>) {
                            if (g.name == f.name) {
                                EXPECT_EQ(word_of(x), word);
                            }
                        }
                    });
                    if (named.second == member) continue;
                    const std::string wanted =
                        std::string(word) + " instead of " + std::string(word_of(member));
                    const std::vector<Change> changes = changes_between(before, inputs_of(level).items);
                    EXPECT_TRUE(std::any_of(changes.begin(), changes.end(), [&](const Change& c) {
                        return c.text.find(wanted) != std::string::npos;
                    })) << wanted;
                    ++told;
                }
                if (table.header.starts_with("[[")) return;
                const std::vector<SettingValue> settings = settings_of(usual);
                EXPECT_TRUE(std::any_of(settings.begin(), settings.end(), [&](const SettingValue& s) {
                    return s.key == table.name + "." + key && s.text == word_of(member);
                }));
            }
        });
    });
    EXPECT_GT(told, 15);
}

TEST(SheetFields, are_told_in_the_docs_by_their_keys) {
    const std::string docs = read_text(fs::path(STASIGRAPH_SOURCE) / "docs" / "files.md");
    for_tables([&]<class T>(const Table<T>& table) {
        for_fields(std::as_const(*std::make_unique<T>()), [&](const Field& f, const auto&) {
            const std::string key(plain_key(f, table.name));
            if (key.empty()) return;
            // The line of its table; members of a reflection's rule stand in one of their own.
            const std::string name = table.name.substr(0, table.name.find('.'));
            bool told = false;
            for (std::size_t at = 0; (at = docs.find("[" + name + "]", at)) != std::string::npos; ++at) {
                // Up to the next table's line.
                const std::size_t end = docs.find("\n| `[", at);
                const std::string line = docs.substr(at, end - at);
                for (const char* mark : {"`", " = ", " ="})
                    told = told || line.find("`" + key + mark) != std::string::npos ||
                           line.find(" " + key + mark) != std::string::npos;
            }
            EXPECT_TRUE(told) << table.name << "." << key << " is not in docs/files.md";
        });
    });
}

}  // namespace
}  // namespace test::sheet_fields_tests
