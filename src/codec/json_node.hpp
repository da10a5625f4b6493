#pragma once
// JSON with a memory of where it stands, so that every wrong type is an error that names the place.

#include <cmath>
#include <nlohmann/json.hpp>
#include <string>

#include "stasigraph/error.hpp"
#include "stasigraph/math.hpp"

namespace stasigraph {

using Json = nlohmann::ordered_json;

/// A value in a document, or the absence of one. Borrows the document.
class JsonNode {
public:
    JsonNode(const Json& value, std::string file) : value_(&value), where_(std::move(file)) {}

    bool exists() const { return value_ != nullptr; }
    explicit operator bool() const { return exists(); }
    const Json& json() const { return *value_; }
    const std::string& where() const { return where_; }

    /// A member of an object; absent where the object or the member is.
    JsonNode operator[](const char* key) const {
        if (!value_) return {nullptr, name(key)};
        if (!value_->is_object()) fail("is not an object");
        const auto at = value_->find(key);
        return {at == value_->end() ? nullptr : &*at, name(key)};
    }
    JsonNode operator[](std::size_t i) const {
        return {&(*value_)[i], where_ + "[" + std::to_string(i) + "]"};
    }

    /// Elements of an array; 0 where it is absent.
    std::size_t size() const {
        if (!value_) return 0;
        if (!value_->is_array()) fail("is not an array");
        return value_->size();
    }
    double number(double fallback) const {
        if (!value_) return fallback;
        if (!value_->is_number()) fail("is not a number");
        const double v = value_->get<double>();
        if (!std::isfinite(v)) fail("is not a finite number");
        return v;
    }
    /// A whole number in [0, limit).
    std::uint32_t index(std::size_t limit) const {
        if (!value_) fail("is missing");
        if (!value_->is_number_unsigned()) fail("is not a whole number of 0 or more");
        const auto v = value_->get<std::uint64_t>();
        if (v >= limit) fail("is out of range: there are " + std::to_string(limit));
        return static_cast<std::uint32_t>(v);
    }
    std::uint64_t count(std::uint64_t fallback, std::uint64_t most = std::uint64_t{1} << 40) const {
        if (!value_) return fallback;
        if (!value_->is_number_unsigned()) fail("is not a whole number of 0 or more");
        const auto v = value_->get<std::uint64_t>();
        if (v > most) fail("is too large");
        return v;
    }
    std::string text(const std::string& fallback) const {
        if (!value_) return fallback;
        if (!value_->is_string()) fail("is not a text");
        return value_->get<std::string>();
    }
    bool flag(bool fallback) const {
        if (!value_) return fallback;
        if (!value_->is_boolean()) fail("is not true or false");
        return value_->get<bool>();
    }
    /// An array of exactly `n` finite numbers, into `out`; leaves it alone where absent.
    void numbers(std::size_t n, float* out) const {
        if (!value_) return;
        if (size() != n) fail("does not have " + std::to_string(n) + " numbers");
        for (std::size_t i = 0; i < n; ++i) out[i] = static_cast<float>((*this)[i].number(0));
    }

    [[noreturn]] void fail(const std::string& what) const {
        std::string value = value_ ? value_->dump(-1, ' ', false, Json::error_handler_t::replace) : "";
        if (value.size() > 60) value = value.substr(0, 57) + "...";
        throw Error{.what = what,
                    .where = where_,
                    .value = value,
                    .remedy = "The file is damaged or was written wrongly; export it again."};
    }

private:
    JsonNode(const Json* value, std::string where) : value_(value), where_(std::move(where)) {}
    std::string name(const char* key) const { return where_ + (where_.ends_with(":") ? " " : ".") + key; }
    const Json* value_;
    std::string where_;
};

/// A place or a direction as three numbers.
inline Json vec(Vec3 v) {
    return Json::array({v.x, v.y, v.z});
}

}  // namespace stasigraph
