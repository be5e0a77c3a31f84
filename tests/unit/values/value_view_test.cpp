#include "core/values/value_view.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstring>

#include "core/support/error.h"
#include "core/values/builtin_types.h"
#include "tests/testing/made_up_target.h"

namespace lantern {
namespace {

using testing::MadeUpTarget;

std::string text_of(const Value& value, Form form = Form::natural) {
    MadeUpTarget target;
    return one_line(make_view(ValueReader(target), "x", value, form));
}

ByteSpan span_of(const std::string& text) {
    return std::as_bytes(std::span(text.data(), text.size()));
}

TEST(CharacterArray, ShowsEveryByteThatMatters) {
    EXPECT_EQ(character_array_text(span_of(std::string("Wren\0\0\0\0", 8))), "\"Wren\\0\"");
    EXPECT_EQ(character_array_text(span_of(std::string("Wren\n\0\0\0", 8))), "\"Wren\\n\\0\"");
    EXPECT_EQ(character_array_text(span_of(std::string("ok\0filled\0\0", 11))),
              "\"ok\\0filled\\0\"")
        << "what lies behind the terminator";
    EXPECT_EQ(character_array_text(span_of(std::string("full", 4))), "\"full\" (no terminator)");
    EXPECT_EQ(character_array_text(span_of(std::string("\0\0\0", 3))), "\"\\0\"");
    EXPECT_EQ(character_array_text(span_of(std::string("a\x1b\0", 3))), "\"a\\x1b\\0\"");
}

TEST(ValueView, WritesNumbersInEveryForm) {
    Value minus = value_of_integer(int_type(), static_cast<std::uint64_t>(-42));
    EXPECT_EQ(text_of(minus), "-42");
    EXPECT_EQ(text_of(minus, Form::hex), "0xffffffd6");
    EXPECT_EQ(text_of(minus, Form::unsigned_decimal), "4294967254");
    EXPECT_EQ(text_of(minus, Form::octal), "037777777726");
    EXPECT_EQ(text_of(minus, Form::bytes), "d6 ff ff ff");
    EXPECT_EQ(text_of(value_of_integer(int_type(), 5), Form::binary), "0b0101");
    EXPECT_EQ(text_of(value_of_integer(int_type(), 65), Form::character), "65 'A'");
    EXPECT_EQ(text_of(value_of_integer(char_type(), 10)), "10 '\\n'");
    EXPECT_EQ(text_of(value_of_integer(*base_type_from_words({"unsigned", "char"}), 200)),
              "200 '\\xc8'");
    EXPECT_EQ(text_of(value_of_integer(bool_type(), 1)), "true");
    EXPECT_EQ(text_of(value_of_integer(bool_type(), 7)), "true (its byte is 7)");
    EXPECT_EQ(text_of(value_of_integer(unsigned_type(), 0x3f800000), Form::floating), "1.0");
}

TEST(ValueView, WritesFloatsSoThatTheyReadBack) {
    EXPECT_EQ(text_of(value_of_floating(double_type(), 0.1)), "0.1");
    EXPECT_EQ(text_of(value_of_floating(double_type(), 2)), "2.0");
    EXPECT_EQ(text_of(value_of_floating(*base_type_from_words({"float"}), 0.1f)), "0.1");
    EXPECT_EQ(text_of(value_of_floating(double_type(), std::numeric_limits<double>::infinity())),
              "infinity");
    EXPECT_EQ(text_of(value_of_floating(double_type(), std::nan(""))), "nan");
    EXPECT_EQ(text_of(value_of_floating(double_type(), -0.0)), "-0.0");
    EXPECT_EQ(text_of(value_of_floating(double_type(), 1), Form::hex), "0x3ff0000000000000");
}

TEST(ValueView, NamesEnumeratorsAndFlags) {
    Type direction = int_type();
    direction.kind = TypeKind::enumeration;
    direction.name = "enum direction";
    direction.enumerators = {{"NONE", 0}, {"UP", 1}, {"DOWN", 2}};
    EXPECT_EQ(text_of(value_of_integer(direction, 1)), "UP (1)");
    EXPECT_EQ(text_of(value_of_integer(direction, 3)), "UP | DOWN (3)");
    EXPECT_EQ(text_of(value_of_integer(direction, 9)), "9 (no enum direction has this value)");
}

TEST(ValueView, PointersSayWhatTheyPointAt) {
    MadeUpTarget target;
    target.put(0x1100, std::string("towpath\0", 8));
    ValueReader reader(target);
    auto text = [&](const Type& type, std::uint64_t number) {
        return one_line(make_view(reader, "p", value_of_integer(type, number)));
    };
    EXPECT_EQ(text(pointer_to(char_type()), 0x1100), "0x1100 \"towpath\"");
    EXPECT_EQ(text(pointer_to(char_type()), 0), "null");
    EXPECT_EQ(text(pointer_to(char_type()), 0x9000), "0x9000 (nothing can be read there)");
    EXPECT_EQ(text(pointer_to(int_type()), 0x9000), "0x9000 (nothing is mapped there)");
    EXPECT_EQ(text(pointer_to(int_type()), 0x1100), "0x1100");
}

TEST(ValueView, ArraysFoldRepeatsAndCountTheRest) {
    MadeUpTarget target;
    ValueReader reader(target);
    Value zeros = value_in_memory(array_of(int_type(), 10), RunAddress(0x1000));
    EXPECT_EQ(one_line(make_view(reader, "a", zeros)), "{0 × 10}");
    ViewLimits few;
    few.children = 3;
    Value many = value_in_memory(array_of(int_type(), 900), RunAddress(0x1000));
    ValueView view = make_view(reader, "a", many, Form::natural, few);
    EXPECT_EQ(view.more, 897u);
    EXPECT_EQ(one_line(view), "{0, 0, 0, … 897 more}");
    Value outside = value_in_memory(array_of(int_type(), 4), RunAddress(0x1ff8));
    view = make_view(reader, "a", outside);
    EXPECT_EQ(view.children.at(1).text, "0");
    EXPECT_FALSE(view.children.at(2).unavailable.empty())
        << "what cannot be read says so, the rest stays";
}

TEST(ValueView, ChangesAreReportedByLeaf) {
    MadeUpTarget target;
    ValueReader reader(target);
    Value array = value_in_memory(array_of(int_type(), 5), RunAddress(0x1000));
    ValueView before = make_view(reader, "levels", array);
    target.memory[8] = std::byte{7};
    auto changes = changes_between(before, make_view(reader, "levels", array));
    ASSERT_EQ(changes.size(), 1u);
    EXPECT_EQ(changes[0].name, "levels[2]");
    EXPECT_EQ(changes[0].before, "0");
    EXPECT_EQ(changes[0].after, "7");
    EXPECT_TRUE(changes_between(before, before).empty());
}

TEST(ValueReader, BitFieldsAreExtendedAndWrittenWithoutTheirNeighbours) {
    MadeUpTarget target;
    ValueReader reader(target);
    target.memory[0] = target.memory[1] = std::byte{0xff};
    Value field = value_in_memory(int_type(), RunAddress(0x1000));
    field.bit_offset = 3;
    field.bit_size = 5;
    EXPECT_EQ(static_cast<std::int64_t>(reader.integer(field)), -1);
    std::byte four[4] = {std::byte{4}};
    reader.write(field, four);
    EXPECT_EQ(reader.integer(field), 4u);
    EXPECT_EQ(target.memory[0], std::byte{0x27});
    EXPECT_EQ(target.memory[1], std::byte{0xff});
}

TEST(BuiltinTypes, AreSpelledInAnyOrder) {
    EXPECT_EQ(base_type_from_words({"unsigned", "long", "int"}), &unsigned_long_type());
    EXPECT_EQ(base_type_from_words({"long", "unsigned"}), &unsigned_long_type());
    EXPECT_EQ(base_type_from_words({"signed"}), &int_type());
    EXPECT_EQ(base_type_from_words({"const", "char"}), &char_type());
    EXPECT_EQ(base_type_from_words({"signed", "char"})->name, "signed char");
    EXPECT_EQ(base_type_from_words({"float", "int"}), nullptr);
    EXPECT_EQ(&pointer_to(int_type()), &pointer_to(int_type()));
}

}  // namespace
}  // namespace lantern
