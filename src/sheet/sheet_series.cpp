#include "sheet/sheet_series.hpp"

#include <algorithm>
#include <cmath>

#include "base/text.hpp"

#include "sheet/sheet_shapes.hpp"
namespace stasigraph {

namespace {

constexpr std::size_t most_steps = 288;  // a day in steps of five minutes

struct Step {
    std::string name;
    Vec3 toward;
    double hour;
};

/// The day of the year of "MM-DD".
int day_of(const Entry& e) {
    const std::string date = e.text("date").value_or("06-21");
    static constexpr int lengths[] = {31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
    int month = 0, day = 0, before = 0;
    char rest = 0;
    if (std::sscanf(date.c_str(), "%2d-%2d%c", &month, &day, &rest) != 2 || month < 1 || month > 12 ||
        day < 1 || day > lengths[month - 1])
        e.fail("date", "is no day of the year", "Write it as month and day, e.g. \"06-21\".");
    for (int m = 1; m < month; ++m) before += m == 2 ? 28 : lengths[m - 1];
    return before + day;
}

std::vector<double> numbers(const Entry& e, const char* key) {
    std::vector<double> out;
    const toml::array* list = e.node(key)->as_array();
    if (!list || list->empty())
        e.fail(key, "is no list of numbers", "Write e.g. hours = [6, 9, 12, 15, 18].");
    for (const toml::node& v : *list) {
        const auto number = v.value<double>();
        if (!number || !(*number >= 0 && *number <= 24))
            e.fail(key, "holds what is no hour from 0 to 24", "");
        out.push_back(*number);
    }
    return out;
}

std::vector<Step> by_hours(const Entry& e) {
    const auto latitude = e.number("latitude", -90, 90);
    if (!latitude)
        e.fail("latitude", "is missing", "Add latitude = 47 (degrees, north positive), or a path.");
    const int day = day_of(e);
    std::vector<double> hours;
    if (e.has("hours")) {
        hours = numbers(e, "hours");
    } else {
        const double from = e.number("from", 0, 24).value_or(0), to = e.number("to", 0, 24).value_or(23),
                     step = e.number("step", 1.0 / 12, 24).value_or(1);
        if (to < from) e.fail("to", "is earlier than from", "A series runs within one day.");
        for (double h = from; h <= to + 1e-9; h += step) hours.push_back(h);
    }
    std::vector<Step> steps;
    for (const double h : hours) {
        const int minutes = static_cast<int>(std::lround(h * 60));
        char name[16];
        std::snprintf(name, sizeof name, "%02d%02d", minutes / 60, minutes % 60);
        steps.push_back({name, sun_place(*latitude, day, h), std::fmod(h, 24.0)});
    }
    return steps;
}

/// Pairs of azimuth and elevation.
std::vector<Step> by_path(const Entry& e) {
    const toml::array* list = e.node("path")->as_array();
    if (!list || list->empty())
        e.fail("path", "is no list of places of the sun",
               "Write path = [[90, 10], [180, 50]]: azimuth, elevation.");
    std::vector<Step> steps;
    for (const toml::node& entry : *list) {
        const toml::array* pair = entry.as_array();
        const auto at = [&](std::size_t i) {
            const auto v = pair && pair->size() == 2 ? pair->get(i)->value<double>() : std::nullopt;
            if (!v || !(std::abs(*v) <= (i == 0 ? 720.0 : 90.0)))
                e.fail("path", "holds what is no azimuth and elevation",
                       "Write path = [[90, 10], [180, 50]].");
            return *v * exact_degree;
        };
        const double a = at(0), h = at(1);
        char name[16];
        std::snprintf(name, sizeof name, "%02zu", steps.size() + 1);
        steps.push_back({name,
                         {static_cast<float>(std::sin(a) * std::cos(h)), static_cast<float>(std::sin(h)),
                          static_cast<float>(-std::cos(a) * std::cos(h))},
                         0});
    }
    for (std::size_t i = 0; i < steps.size(); ++i)
        steps[i].hour = 24 * static_cast<double>(i) / static_cast<double>(steps.size());
    return steps;
}

std::uint32_t find_sun(const Entry& e, const Level& level) {
    const auto wanted = e.text("sun");
    for (std::uint32_t i = 0; i < level.lights.size(); ++i)
        if (level.lights[i].kind == LightKind::sun && (!wanted || glob_match(*wanted, level.lights[i].name)))
            return i;
    if (wanted) e.fail("sun", "is no sun of the level", "Name a light of kind \"sun\".");
    return none;
}

}  // namespace

void add_series(const Entry& e, Level& level, const std::function<void(BakeSet&)>& mix) {
    const std::string name = e.needed_text("name");
    for (const char c : name)
        if (!(std::isalnum(static_cast<unsigned char>(c)) || c == '-' || c == '_'))
            e.fail("name", "cannot be the start of a folder's name", "Use letters, digits, - and _.");
    const bool path = e.has("path");
    for (const char* key : {"latitude", "date", "hours", "from", "to", "step"})
        if (path && e.has(key))
            e.fail(key, "does not go with a path", "Use either a path, or latitude and hours.");
    const std::vector<Step> steps = path ? by_path(e) : by_hours(e);
    if (steps.size() > most_steps) e.fail("name", "has more than 288 steps", "Use a longer step.");
    const std::uint32_t sun = find_sun(e, level);
    for (const Step& step : steps) {
        BakeSet set{.name = name + "-" + step.name,
                    .gains = std::vector<float>(level.groups.size(), 1.0f),
                    .tints = {},
                    .exposure = {},
                    .step = static_cast<std::uint32_t>(level.series.size())};
        for (const BakeSet& other : level.sets)
            if (other.name == set.name) e.fail("name", "makes a set that is there already: " + set.name, "");
        mix(set);
        if (e.has("exposure") && !e.node("exposure")->is_string())
            set.exposure = static_cast<float>(*e.number("exposure", -20, 30));
        level.series.push_back(series_step(level, sun, step.toward));
        level.series.back().series = name;
        level.series.back().hour = static_cast<float>(step.hour);
        level.sets.push_back(std::move(set));
    }
}

}  // namespace stasigraph
