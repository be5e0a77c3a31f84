#include "core/support/byte_reader.h"

#include <gtest/gtest.h>

#include "core/support/error.h"
#include "tests/testing/bytes.h"

namespace lantern {
namespace {

using testing::bytes;

TEST(ByteReader, ReadsFixedNumbersLittleEndian) {
    auto data = bytes({0x01, 0x02, 0x03, 0x04, 0x05, 0x06, 0x07, 0x08, 0xff});
    ByteReader reader(data, ".test");
    EXPECT_EQ(reader.u16(), 0x0201);
    EXPECT_EQ(reader.u24(), 0x050403u);
    EXPECT_EQ(reader.u8(), 6);
    EXPECT_EQ(reader.offset(), 6u);
    reader.seek(8);
    EXPECT_EQ(reader.i8(), -1);
    EXPECT_TRUE(reader.at_end());
}

// The examples of DWARF 5, tables 7.7 and 7.8.
TEST(ByteReader, ReadsVariableLengthNumbersAsTheStandardShows) {
    struct Case {
        std::vector<std::byte> data;
        std::int64_t value;
    };
    for (const Case& c : {Case{bytes({2}), 2}, Case{bytes({0x7f}), 127},
                          Case{bytes({0x80, 1}), 128}, Case{bytes({0xb9, 0x64}), 12857}}) {
        ByteReader reader(c.data, ".test");
        EXPECT_EQ(reader.uleb(), static_cast<std::uint64_t>(c.value));
    }
    for (const Case& c : {Case{bytes({2}), 2}, Case{bytes({0x7e}), -2}, Case{bytes({0xff, 0}), 127},
                          Case{bytes({0x81, 0x7f}), -127}, Case{bytes({0x80, 1}), 128},
                          Case{bytes({0x80, 0x7f}), -128}}) {
        ByteReader reader(c.data, ".test");
        EXPECT_EQ(reader.sleb(), c.value);
    }
}

TEST(ByteReader, RefusesEveryReadPastTheEnd) {
    auto data = bytes({1, 2, 3});
    EXPECT_THROW(ByteReader(data, ".x").u32(), FormatError);
    EXPECT_THROW(ByteReader(data, ".x").block(4), FormatError);
    EXPECT_THROW(ByteReader(data, ".x").skip(~std::uint64_t{0}), FormatError);
    EXPECT_THROW(ByteReader(data, ".x").c_string(), FormatError);
    EXPECT_THROW(ByteReader(data, ".x", 4), FormatError);
    EXPECT_THROW(ByteReader(data, ".x").part(1, 9), FormatError);
    auto endless = std::vector<std::byte>(100, std::byte{0x80});
    EXPECT_THROW(ByteReader(endless, ".x").uleb(), FormatError);
    EXPECT_THROW(ByteReader(endless, ".x").sleb(), FormatError);
}

TEST(ByteReader, ErrorsNameSectionAndOffset) {
    auto data = bytes({1, 2, 3});
    ByteReader reader(data, ".debug_thing");
    reader.skip(2);
    try {
        reader.u64();
        FAIL();
    } catch (const FormatError& error) {
        EXPECT_NE(std::string(error.what()).find(".debug_thing at offset 0x2"), std::string::npos)
            << error.what();
    }
}

TEST(ByteReader, ReadsStringsUpToTheirTerminator) {
    auto data = bytes({'g', 'a', 't', 'e', 0, 'x', 0});
    ByteReader reader(data, ".test");
    EXPECT_EQ(reader.c_string(), "gate");
    EXPECT_EQ(reader.c_string(), "x");
}

}  // namespace
}  // namespace lantern
