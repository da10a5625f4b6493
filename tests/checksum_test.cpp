// Checksums of packed levels: XXH64 by its specification, however the bytes come.

#include "runtime/checksum.hpp"

#include <gtest/gtest.h>

#include <string>

namespace test::checksum_tests {
namespace {

using stasigraph::runtime::Checksum;
using stasigraph::runtime::checksum;

TEST(Checksum, is_that_of_the_specification) {
    EXPECT_EQ(checksum("", 0), 0xef46db3751d8e999u);
    EXPECT_EQ(checksum("a", 1), 0xd24ec4f1a98c6e5bu);
    EXPECT_EQ(checksum("abc", 3), 0x44bc2cf5ad770999u);
}

TEST(Checksum, of_pieces_is_that_of_the_whole) {
    std::string text;
    for (int i = 0; i < 1000; ++i) text += static_cast<char>(i * 37 % 251);
    for (const std::size_t size : {0u, 1u, 31u, 32u, 33u, 64u, 95u, 1000u})
        for (const std::size_t piece : {1u, 3u, 31u, 32u, 33u, 500u}) {
            Checksum sum;
            for (std::size_t at = 0; at < size; at += piece)
                sum.add(text.data() + at, std::min(piece, size - at));
            EXPECT_EQ(sum.value(), checksum(text.data(), size)) << size << " in pieces of " << piece;
        }
}

}  // namespace
}  // namespace test::checksum_tests
