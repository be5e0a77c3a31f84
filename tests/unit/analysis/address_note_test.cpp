// Words that look like text.
#include "core/analysis/address_note.h"

#include <gtest/gtest.h>

#include <cstring>
#include <random>

namespace lantern {
namespace {

std::uint64_t word_of(const char* bytes) {
    std::uint64_t word = 0;
    std::memcpy(&word, bytes, sizeof word);
    return word;
}

TEST(TextOfWord, FillsItOrComesToAnEnd) {
    EXPECT_EQ(text_of_word(word_of("Kingfish")), "\"Kingfish\"");
    EXPECT_EQ(text_of_word(word_of("Wren\0\0\0\0")), "\"Wren\"");
    EXPECT_EQ(text_of_word(word_of("Wren\0\x7f\0\0")), "\"Wren\"") << "over a pointer";
    EXPECT_EQ(text_of_word(word_of("Wre\0\0\0\0\0")), "");
    EXPECT_EQ(text_of_word(word_of("Wren\x90lin")), "") << "it goes on with no letter";
}

TEST(TextOfWord, IsSeldomSeenInWordsOfChance) {
    std::mt19937_64 chance(1);
    unsigned seen = 0;
    constexpr unsigned kWords = 100'000;
    for (unsigned i = 0; i < kWords; ++i) seen += !text_of_word(chance()).empty();
    EXPECT_LT(seen, kWords / 1000);
}

}  // namespace
}  // namespace lantern
