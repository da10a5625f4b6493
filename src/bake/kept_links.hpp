#pragma once
// Links in a store, a blob for each piece of rows.

#include <string>

#include "base/blob.hpp"
#include "transport/links.hpp"

namespace stasigraph {

std::string piece_name(const char* kind, const std::string& key, std::size_t piece);

/// Saves a piece, and borrows it from the store from then on, so that it lies in memory only as long as there
/// is room.
void save_piece(const BakeStore& store, const std::string& name, Links& links, std::size_t piece);
/// False where there is none, or of another number of rows; the piece is then as it was.
bool load_piece(const BakeStore& store, const std::string& name, Links& links, std::size_t piece);

/// The links kept of an unlit level; rows of pieces that are missing are empty. `in_memory`: as Links has it.
Links load_links(const BakeStore& store, const std::string& unlit, std::size_t rows, std::uint64_t in_memory);

/// All of a few links, as of probes, within another blob.
void write_links(BlobWriter& out, const Links& links);
bool read_links(BlobReader& in, std::size_t rows, Links& links);

}  // namespace stasigraph
