#pragma once
// Large values that copies of a level share.

#include <string>
#include <utility>

namespace stasigraph {

namespace detail {

/// Who holds a shared value, and its key. Threads: all of it from any number of threads.
class Holders {
public:
    Holders();  ///< One.
    ~Holders();
    Holders(const Holders&) = delete;
    Holders& operator=(const Holders&) = delete;
    void add();
    bool remove();  ///< Whether that was the last one.
    /// Null until there is one. The first one that is given stays.
    const std::string* key() const;
    const std::string* keep_key(std::string key);

private:
    struct State;
    State* state_;
};

}  // namespace detail

/// A value that is never changed once it is here, so that all copies share one: copying counts a holder more,
/// whatever the value's size. Another value takes its place by assignment or by edit().
///
/// Threads: const use is safe from any number of threads, copying too. (Our own, since the
/// header of std::shared_ptr alone weighs as much as all of ours together.)
template <class T>
class Shared {
public:
    Shared() : Shared(empty()) {}
    Shared(T value) : held_(new Held(std::move(value))) {}
    Shared(const Shared& other) : held_(other.held_) { held_->holders.add(); }
    Shared& operator=(Shared other) noexcept {
        std::swap(held_, other.held_);
        return *this;
    }
    ~Shared() {
        if (held_->holders.remove()) delete held_;
    }

    const T& operator*() const { return held_->value; }
    const T* operator->() const { return &held_->value; }
    operator const T&() const { return held_->value; }

    /// Replaces the value by a copy on which change(T&) was called. Copies elsewhere keep the old one.
    template <class F>
    void edit(F&& change) {
        T value = held_->value;
        change(value);
        *this = Shared(std::move(value));
    }

    /// What make(value) returned the first time any copy was asked. Always ask with the same function.
    template <class F>
    const std::string& key(F&& make) const {
        const std::string* key = held_->holders.key();
        return key ? *key : *held_->holders.keep_key(make(held_->value));
    }

    /// Whether both are copies of one.
    bool is(const Shared& other) const { return held_ == other.held_; }
    friend bool operator==(const Shared& a, const Shared& b) { return a.is(b) || *a == *b; }

private:
    struct Held {
        explicit Held(T v) : value(std::move(v)) {}
        const T value;
        detail::Holders holders;
    };
    static const Shared& empty() {
        static const Shared held{T{}};
        return held;
    }
    Held* held_;
};

}  // namespace stasigraph
