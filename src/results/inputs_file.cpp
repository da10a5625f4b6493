// inputs-<hash>.json: what a set was made from, item by item. See docs/files.md.

#include "results/inputs_file.hpp"

#include "codec/files.hpp"
#include "codec/json_node.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

/// 1 had values in other words, 2 settings as numbers that have words.
constexpr int inputs_version = 3;

}  // namespace

std::string inputs_name(const std::string& text) {
    return "inputs-" + hash_text(text).substr(0, 16) + ".json";
}

std::string inputs_text(const LevelInputs& inputs) {
    Json list = Json::array();
    for (const InputItem& item : inputs.items) {
        Json values = Json::object();
        for (const InputValue& v : item.values)
            values[v.key] = v.text.empty() ? Json(v.numbers) : Json(v.text);
        list.push_back({{"kind", item.kind}, {"name", item.name}, {"values", std::move(values)}});
    }
    return Json{{"format", "stasigraph inputs"}, {"version", inputs_version}, {"items", std::move(list)}}
               .dump() +
           "\n";
}

std::vector<InputItem> read_inputs(const fs::path& path) {
    std::vector<InputItem> items;
    try {
        const Bytes bytes = read_file(path);
        const Json json = Json::parse(bytes.begin(), bytes.end());
        if (json.at("version").get<int>() != inputs_version) return items;
        for (const Json& entry : json.at("items")) {
            InputItem& item = items.emplace_back(
                InputItem{entry.at("kind").get<std::string>(), entry.at("name").get<std::string>(), {}});
            for (const auto& [key, value] : entry.at("values").items()) {
                InputValue& v = item.values.emplace_back(InputValue{key, {}, {}});
                if (value.is_string())
                    v.text = value.get<std::string>();
                else
                    v.numbers = value.get<std::vector<double>>();
            }
        }
    } catch (const nlohmann::json::exception&) {
        items.clear();  // reasons cannot be given then; keys still tell what is stale
    } catch (const Error&) {
        items.clear();
    }
    return items;
}

std::vector<Change> changes_since(const fs::path& path, const std::vector<InputItem>& now) {
    const std::vector<InputItem> before = read_inputs(path);
    return before.empty() ? std::vector<Change>{} : changes_between(before, now);
}

}  // namespace stasigraph
