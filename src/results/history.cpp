#include "stasigraph/history.hpp"

#include "codec/files.hpp"
#include "codec/json_node.hpp"
#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

constexpr const char* history_file = "history.json";
constexpr std::size_t most_records = 200;

Json to_json(const BakeRecord& r) {
    Json stages = Json::array();
    for (const BakeRecord::Stage& s : r.stages)
        stages.push_back({{"name", s.name}, {"seconds", s.seconds}, {"bytes", s.bytes}});
    return {{"when", r.when},
            {"tier", r.tier},
            {"sets", r.sets},
            {"because", r.because},
            {"seconds", r.seconds},
            {"noise", r.noise},
            {"texels", r.texels},
            {"links", r.links},
            {"traced", r.traced},
            {"probes", r.probes},
            {"stages", std::move(stages)}};
}

BakeRecord from_json(const Json& j) {
    BakeRecord r{.when = j.value("when", ""),
                 .tier = j.value("tier", ""),
                 .sets = j.value("sets", std::vector<std::string>{}),
                 .because = j.value("because", std::vector<std::string>{}),
                 .seconds = j.value("seconds", 0.0),
                 .noise = j.value("noise", 0.0),
                 .texels = j.value("texels", std::size_t{0}),
                 .links = j.value("links", std::size_t{0}),
                 .traced = j.value("traced", std::size_t{0}),
                 .probes = j.value("probes", std::size_t{0}),
                 .stages = {}};
    for (const Json& s : j.value("stages", Json::array()))
        r.stages.push_back({s.value("name", ""), s.value("seconds", 0.0), s.value("bytes", 0.0)});
    return r;
}

}  // namespace

std::vector<BakeRecord> bake_history(const fs::path& folder) {
    std::vector<BakeRecord> records;
    std::error_code bad;
    if (!fs::is_regular_file(folder / history_file, bad)) return records;
    try {
        const Bytes bytes = read_file(folder / history_file);
        const Json json = Json::parse(bytes.begin(), bytes.end());
        for (const Json& r : json.at("bakes")) records.push_back(from_json(r));
    } catch (const nlohmann::json::exception&) {
        records.clear();
    } catch (const Error&) {
        records.clear();
    }
    return records;
}

void add_to_history(const fs::path& folder, BakeRecord record) {
    if (record.when.empty()) record.when = utc_text();
    std::vector<BakeRecord> records = bake_history(folder);
    records.push_back(std::move(record));
    if (records.size() > most_records) records.erase(records.begin(), records.end() - most_records);
    Json list = Json::array();
    for (const BakeRecord& r : records) list.push_back(to_json(r));
    write_text(
        folder / history_file,
        Json{{"format", "stasigraph history"}, {"version", 1}, {"bakes", std::move(list)}}.dump(1) + "\n");
}

}  // namespace stasigraph
