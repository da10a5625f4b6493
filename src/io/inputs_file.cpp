// inputs-<hash>.json: what a set was made from, item by item. See docs/files.md.

#include "io/inputs_file.hpp"

#include "io/files.hpp"
#include "io/json_place.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

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
    return Json{{"format", "stasigraph inputs"}, {"version", 1}, {"items", std::move(list)}}.dump() + "\n";
}

std::vector<InputItem> read_inputs(const fs::path& path) {
    std::vector<InputItem> items;
    try {
        const Bytes bytes = read_file(path);
        const Json json = Json::parse(bytes.begin(), bytes.end());
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

}  // namespace stasigraph
