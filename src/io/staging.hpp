#pragma once
// Many files that appear together.

#include <filesystem>
#include <string>
#include <vector>

namespace stasigraph {

/// Files are written into a folder of their own within the target; commit() then moves them to their places:
/// each subfolder at once, so that a reader never sees half of one, then the other files in the order they
/// were added. Without commit() the target stays as it was. What a killed process left is cleared away by the
/// next one.
class Staging {
public:
    explicit Staging(std::filesystem::path target);
    ~Staging();
    Staging(const Staging&) = delete;
    Staging& operator=(const Staging&) = delete;

    /// Where to write; the same names as in the target.
    const std::filesystem::path& folder() const { return folder_; }
    /// `files`: names within the target. `ours`: those in replaced subfolders that go; others there stay.
    void commit(const std::vector<std::string>& files, const std::vector<std::string>& ours);

private:
    std::filesystem::path target_, folder_;
};

}  // namespace stasigraph
