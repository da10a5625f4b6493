#pragma once
// The folder of a level's results, as it is read and as it is replaced.
//
// Every result lies whole in a folder of its own, `.result-<hash>`, that never changes; `manifest.json` names
// it and is replaced by one rename. So a reader sees the old result or the new one, whatever happens
// meanwhile. The same files stand beside the manifest under their plain names, as hard links, for people and
// for programs that want nothing but a page. Whatever else lies there is somebody else's and is never
// touched.

#include <filesystem>
#include <string>
#include <vector>

#include "codec/files.hpp"
#include "results/manifest.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

/// One result, read by its manifest.
///
/// Threads: const members are safe from any number of threads.
class ResultFiles {
public:
    /// Throws Error where there is none or a damaged one.
    explicit ResultFiles(std::filesystem::path folder);

    const Manifest& manifest() const { return manifest_; }
    /// The bytes of a file of it. Throws Error where they are not those the manifest tells of.
    Bytes read(const std::string& name) const;
    /// Where a file of it lies.
    std::filesystem::path place(const std::string& name) const { return root_ / name; }
    /// Whether another result has taken its place since it was opened.
    bool replaced() const;

private:
    std::filesystem::path folder_, root_;
    Json json_;
    Manifest manifest_;
};

/// Calls read(result) with the result of a folder; once more where a bake replaced it under way.
template <class Read>
auto read_result(const std::filesystem::path& folder, Read&& read) {
    for (int tries = 0;; ++tries) {
        const ResultFiles result(folder);
        try {
            return read(result);
        } catch (const Error&) {
            if (tries == 5 || !result.replaced()) throw;
        }
    }
}

/// Of what manifest there is: files, result and level; empty where there is none.
Manifest manifest_head(const std::filesystem::path& folder);

/// A result being written: files go into a folder of their own, and commit() makes all of them current at
/// once. Without commit() nothing has changed. For one who holds the folder's lock.
class ResultWriter {
public:
    explicit ResultWriter(std::filesystem::path folder);
    ~ResultWriter();
    ResultWriter(const ResultWriter&) = delete;
    ResultWriter& operator=(const ResultWriter&) = delete;

    /// Where to write; the same names as in the result.
    const std::filesystem::path& folder() const { return fresh_; }
    /// `files`: all names of the new result; those that were not written are the present one's. They become
    /// "files" of the manifest, with their hashes. Throws Error where a plain name is taken by a file that no
    /// bake wrote; then nothing has changed.
    void commit(Manifest manifest, const std::vector<std::string>& files);

private:
    void take_over(const std::string& name) const;
    std::filesystem::path folder_, fresh_, present_;
    std::vector<std::string> listed_;  ///< Names of the present result.
};

}  // namespace stasigraph
