#include "stasigraph/shared.hpp"

#include <atomic>

namespace stasigraph::detail {

struct Holders::State {
    std::atomic<std::size_t> count = 1;
    std::atomic<const std::string*> key = nullptr;
};

Holders::Holders() : state_(new State) {}

Holders::~Holders() {
    delete state_->key.load();
    delete state_;
}

void Holders::add() {
    ++state_->count;
}

bool Holders::remove() {
    return --state_->count == 0;
}

const std::string* Holders::key() const {
    return state_->key.load(std::memory_order_acquire);
}

const std::string* Holders::keep_key(std::string key) {
    const auto* made = new std::string(std::move(key));
    const std::string* there = nullptr;
    if (state_->key.compare_exchange_strong(there, made, std::memory_order_acq_rel)) return made;
    delete made;  // another thread was first, with the same
    return there;
}

}  // namespace stasigraph::detail
