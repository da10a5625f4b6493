#pragma once
#include <cstdint>
#include <filesystem>
#include <functional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace stasigraph {

using Bytes = std::vector<std::uint8_t>;

Bytes read_file(const std::filesystem::path& path);
void write_file(const std::filesystem::path& to, std::span<const std::uint8_t> bytes);

/// Calls write with a temporary name beside `to` (same ending), then renames, with its bytes on disk; on any
/// failure removes it and throws.
void write_beside(const std::filesystem::path& to,
                  const std::function<void(const std::filesystem::path&)>& write);

/// Makes a file or folder outlast a power cut before other names lead to it.
void flush_to_disk(const std::filesystem::path& path);

/// A file that a level refers to. Throws Error unless it lies in or under `folder` and exists.
std::filesystem::path referenced_file(const std::filesystem::path& folder, const std::string& name,
                                      const std::string& where);

/// xxHash3, 128 bits, as 32 hex digits.
std::string hash_text(std::span<const std::uint8_t> bytes);
std::string hash_text(std::string_view text);

/// The time now, UTC, as "2026-01-31 17:05".
std::string utc_text();

}  // namespace stasigraph
