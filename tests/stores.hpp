#pragma once
// Stores for tests.

#include <atomic>
#include <map>
#include <memory>

#include "stasigraph/bake_store.hpp"

namespace test {

/// A store in memory.
struct MemoryStore {
    std::map<std::string, std::shared_ptr<std::vector<std::uint8_t>>> blobs;
    std::atomic<unsigned> rested = 0;  ///< How often a blob was said not to be read for a while.

    stasigraph::BakeStore store() {
        return {.load =
                    [this](const std::string& name, stasigraph::Blob& blob) {
                        const auto at = blobs.find(name);
                        if (at == blobs.end()) return false;
                        const auto bytes = at->second;
                        blob = {bytes->data(), bytes->size(), [bytes] {}, [this] { ++rested; }};
                        return true;
                    },
                .save =
                    [this](const std::string& name, const std::vector<stasigraph::BlobPart>& parts) {
                        const auto bytes = std::make_shared<std::vector<std::uint8_t>>();
                        for (const stasigraph::BlobPart& part : parts)
                            bytes->insert(bytes->end(), part.data, part.data + part.size);
                        blobs[name] = bytes;
                    },
                .drop = [this](const std::string& name) { blobs.erase(name); }};
    }
};

}  // namespace test
