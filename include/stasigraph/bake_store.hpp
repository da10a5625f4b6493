#pragma once
// Where a bake keeps what it need not do again.

#include <cstddef>
#include <cstdint>
#include <functional>
#include <string>
#include <vector>

namespace stasigraph {

/// A run of bytes, borrowed.
struct BlobPart {
    const std::uint8_t* data = nullptr;
    std::size_t size = 0;
};

/// Bytes that stay where they are, unchanged, for as long as a copy of this lives; aligned to 8.
struct Blob {
    const std::uint8_t* data = nullptr;
    std::size_t size = 0;
    std::function<void()> keep;  ///< Holds what owns them; never called.
    /// Called from any thread when the bytes will not be read for a while: those of a file may leave memory,
    /// to come back when read. Empty: nothing can be let go.
    std::function<void()> rest;
};

/// Blobs by name. Names tell the kind and a hash of everything the blob depends on, so that a blob is never
/// out of date; losing one costs time and nothing else. Empty functions keep nothing.
///
/// Threads: called by one thread at a time.
struct BakeStore {
    /// False where there is no such blob, or a damaged one.
    std::function<bool(const std::string& name, Blob& blob)> load;
    /// Appears whole or not at all. Must not throw for want of space: what is not kept is done again.
    std::function<void(const std::string& name, const std::vector<BlobPart>& parts)> save;
    /// Forgets a blob, if there is one: what it held is in another by now.
    std::function<void(const std::string& name)> drop;
};

}  // namespace stasigraph
