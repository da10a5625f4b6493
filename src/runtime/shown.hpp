#pragma once
// What is shown, for many readers beside one writer. Standard library only, C++17.

#include <atomic>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <memory>

namespace stasigraph::runtime {

/// Words in two buffers. The writer fills the one that is not current, then makes it current, and never
/// waits. A reader reads the current one; where the writer came round to that one meanwhile, which takes two
/// publications, it reads again.
///
/// Boehm, Can Seqlocks Get Along With Programming Language Memory Models?, 2012: words are atomic; a reader
/// that met a word of a later publication is bound to see that it has begun.
class Shown {
public:
    using Word = std::atomic<std::uint32_t>;

    explicit Shown(std::size_t size) : size_(size), words_(new Word[2 * size]) {
        for (std::size_t i = 0; i < 2 * size; ++i) words_[i].store(0, std::memory_order_relaxed);
    }

    /// `fill(write)` calls write(place, word) for every word.
    template <class F>
    void publish(F fill) {
        const std::uint64_t next = current_.load(std::memory_order_relaxed) + 1;
        begun_.store(next, std::memory_order_relaxed);
        Word* to = &words_[(next & 1) * size_];
        fill([to](std::size_t at, std::uint32_t word) { to[at].store(word, std::memory_order_release); });
        current_.store(next, std::memory_order_release);
    }
    /// `take(words)` may be called several times; the last one counts.
    template <class F>
    void read(F take) const {
        for (;;) {
            const std::uint64_t now = current_.load(std::memory_order_acquire);
            take(static_cast<const Word*>(&words_[(now & 1) * size_]));
            if (begun_.load(std::memory_order_relaxed) <= now + 1) return;
        }
    }

private:
    std::size_t size_;
    std::unique_ptr<Word[]> words_;
    std::atomic<std::uint64_t> current_{0}, begun_{0};
};

inline std::uint32_t word_of(float v) {
    std::uint32_t w;
    std::memcpy(&w, &v, 4);
    return w;
}
inline std::uint32_t whole_at(const Shown::Word* words, std::size_t at) {
    return words[at].load(std::memory_order_acquire);
}
inline float float_at(const Shown::Word* words, std::size_t at) {
    const std::uint32_t w = whole_at(words, at);
    float v;
    std::memcpy(&v, &w, 4);
    return v;
}

}  // namespace stasigraph::runtime
