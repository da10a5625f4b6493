#pragma once
// One table of a bake sheet, with the place of each value for messages.

#define TOML_HEADER_ONLY 1
#include <toml++/toml.h>

#include "codec/files.hpp"
#include "codec/ies.hpp"
#include "level/words.hpp"
#include "stasigraph/level.hpp"

namespace stasigraph {

/// Names of all tables that are read.
std::vector<std::string_view> sheet_tables();
/// Whether a sheet has a table once, as [probes], and not once for each thing, as [[probe]].
bool is_single_table(std::string_view name);

/// Threads: none. Borrows the table.
class Entry {
public:
    /// `name` says which keys are known. Throws Error on one that is not.
    Entry(const toml::table& table, std::string file, std::string name);

    bool has(std::string_view key) const { return table_.contains(key); }
    std::string where(std::string_view key) const;
    [[noreturn]] void fail(std::string_view key, const std::string& what, const std::string& remedy) const;

    std::optional<double> number(std::string_view key, double low, double high) const;
    std::optional<std::string> text(std::string_view key) const;
    std::optional<bool> flag(std::string_view key) const;
    std::string needed_text(std::string_view key) const;
    std::optional<Vec3> vector(std::string_view key, double low, double high) const;
    std::optional<Rgb> color(std::string_view key, double high) const;
    /// One of the words of an enumeration; the key must be there.
    template <Worded E>
    E word(std::string_view key) const {
        const auto value = value_of<E>(*text(key));
        if (!value) fail(key, std::string(Words<E>::wrong), words_to_use<E>());
        return *value;
    }
    const toml::node* node(std::string_view key) const { return table_.get(key); }
    /// A table inside of this one, such as "volume.figure". Throws where the key is something else.
    Entry inner(std::string_view key, const std::string& example) const;
    /// The table as fields name it: lamps of rigs are lights.
    std::string_view table() const { return name_ == "rig.light" ? std::string_view("light") : name_; }
    const std::string& file() const { return file_; }

private:
    const toml::table& table_;
    std::string file_, name_;
};

/// What a sheet refers to.
struct SheetFiles {
    std::filesystem::path folder;
    std::string hashes;  ///< Of the sheet and of everything it names, in order.
    std::vector<std::pair<std::string, IesFile>> profiles;
    std::vector<std::filesystem::path> opened;

    /// A file that a key names, checked to lie in the folder; its bytes are part of the hashes.
    std::filesystem::path open(const Entry& e, std::string_view key);
};

/// Says that nothing has such a name, and which names come nearest: as a warning and as a remark.
/// `candidates`: the names that could have been meant.
void note_unmatched(Level& level, const Entry& e, const std::string& pattern,
                    const std::vector<std::string_view>& candidates, const char* key = "match");
/// Names of surfaces and their nodes; of lights; of nodes.
std::vector<std::string_view> surface_names(const Level& level);
std::vector<std::string_view> light_names(const Level& level);
std::vector<std::string_view> node_names(const Level& level);

}  // namespace stasigraph
