#pragma once
// Our binary files, byte by byte.

#include <cstring>
#include <string>
#include <utility>
#include <vector>

#include "codec/files.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

/// Little-endian words, arrays as they lie in memory, texts padded to whole words.
class BinaryWriter {
public:
    void raw(const void* data, std::size_t size) {
        const auto* p = static_cast<const std::uint8_t*>(data);
        bytes.insert(bytes.end(), p, p + size);
    }
    void word(std::uint32_t v) { raw(&v, 4); }
    void text(const std::string& s) {
        word(static_cast<std::uint32_t>(s.size()));
        raw(s.data(), s.size());
        while (bytes.size() % 4) bytes.push_back(0);
    }
    template <class T>
    void array(const std::vector<T>& v) {
        raw(v.data(), v.size() * sizeof(T));
    }
    Bytes bytes;
};

/// Reads what BinaryWriter wrote; throws Error where the bytes end too early.
class BinaryReader {
public:
    BinaryReader(const Bytes& bytes, std::string where) : bytes_(bytes), where_(std::move(where)) {}
    void raw(void* out, std::size_t size) {
        if (size > bytes_.size() - at_) fail();
        if (size > 0) std::memcpy(out, bytes_.data() + at_, size);
        at_ += size;
    }
    std::uint32_t word() {
        std::uint32_t v;
        raw(&v, 4);
        return v;
    }
    std::string text() {
        const std::uint32_t size = word();
        if (size > bytes_.size() - at_) fail();
        std::string s(size, '\0');
        raw(s.data(), size);
        while (at_ % 4) ++at_;
        if (at_ > bytes_.size()) fail();
        return s;
    }
    template <class T>
    void array(std::vector<T>& v, std::size_t count) {
        if (count > (bytes_.size() - at_) / sizeof(T)) fail();
        v.resize(count);
        raw(v.data(), count * sizeof(T));
    }
    std::size_t position() const { return at_; }
    bool done() const { return at_ == bytes_.size(); }
    [[noreturn]] void fail() const {
        throw Error{.what = "is truncated or damaged",
                    .where = where_,
                    .value = std::to_string(bytes_.size()) + " bytes",
                    .remedy = "Bake again."};
    }

private:
    const Bytes& bytes_;
    std::string where_;
    std::size_t at_ = 0;
};

}  // namespace stasigraph
