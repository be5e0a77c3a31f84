// Characters of one, two and four bytes: there and back.
#include <gtest/gtest.h>

#include <cstring>

#include "core/support/text.h"

namespace lantern {
namespace {

template <class Unit>
ByteSpan bytes_of_text(const std::vector<Unit>& units) {
    return std::as_bytes(std::span(units));
}

TEST(Characters, EveryLengthOfUtf8) {
    for (auto [code, bytes] :
         {std::pair{0x41u, "A"}, std::pair{0xe9u, "\xc3\xa9"}, std::pair{0x20acu, "\xe2\x82\xac"},
          std::pair{0x1f6a2u, "\xf0\x9f\x9a\xa2"}}) {
        std::string out;
        append_utf8(out, code);
        EXPECT_EQ(out, bytes);
        std::string_view rest = out;
        EXPECT_EQ(take_code_point(rest), code);
        EXPECT_TRUE(rest.empty());
    }
}

TEST(Characters, WhatIsNoneBecomesTheReplacement) {
    std::string out;
    append_utf8(out, 0x110000);
    EXPECT_EQ(out, "\xef\xbf\xbd");
    EXPECT_EQ(utf8_of(bytes_of_text(std::vector<char16_t>{0xd800, u'x'}), 2), "\xef\xbf\xbdx")
        << "half of a pair";
    EXPECT_EQ(utf8_of(bytes_of_text(std::vector<char32_t>{0x7fffffff}), 4), "\xef\xbf\xbd");
}

TEST(Characters, PairsOfSixteenBits) {
    std::u16string ship = u"\U0001f6a2 Wren";
    std::vector<char16_t> units(ship.begin(), ship.end());
    EXPECT_EQ(utf8_of(bytes_of_text(units), 2), "\xf0\x9f\x9a\xa2 Wren");
    auto back = units_of("\xf0\x9f\x9a\xa2 Wren", 2);
    ASSERT_EQ(back.size(), units.size() * 2);
    EXPECT_EQ(std::memcmp(back.data(), units.data(), back.size()), 0);
}

TEST(Characters, FourBytesAndOne) {
    std::u32string level = U"Pegel: \u00bd m";
    std::vector<char32_t> units(level.begin(), level.end());
    std::string utf8 = utf8_of(bytes_of_text(units), 4);
    EXPECT_EQ(utf8, "Pegel: \xc2\xbd m");
    auto back = units_of(utf8, 4);
    ASSERT_EQ(back.size(), units.size() * 4);
    EXPECT_EQ(std::memcmp(back.data(), units.data(), back.size()), 0);
    EXPECT_EQ(units_of("Wren", 1).size(), 4u);
}

TEST(Characters, AByteThatStartsNoneStandsForItself) {
    std::string_view text("\xff\x41");
    EXPECT_EQ(take_code_point(text), 0xffu);
    EXPECT_EQ(take_code_point(text), 0x41u);
    std::string_view cut("\xe2\x82");
    EXPECT_NO_THROW(while (!cut.empty()) take_code_point(cut));
}

}  // namespace
}  // namespace lantern
