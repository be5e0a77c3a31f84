// Words, texts, numbers and comments of source lines.
#include "core/analysis/code_shape.h"

#include <gtest/gtest.h>

namespace lantern {
namespace {

// The parts as letters below the line: k keyword, t text, c comment, n number, d directive.
std::string shape(CodeReader& reader, std::string_view line) {
    std::string letters(line.size(), '.');
    for (const CodePart& part : reader.parts(line)) {
        char letter = part.kind == CodeKind::keyword   ? 'k'
                      : part.kind == CodeKind::text    ? 't'
                      : part.kind == CodeKind::comment ? 'c'
                      : part.kind == CodeKind::number  ? 'n'
                                                       : 'd';
        for (std::size_t i = part.begin; i < part.end; ++i) letters[i] = letter;
    }
    return letters;
}

std::string shape(CodeLanguage language, std::string_view line) {
    CodeReader reader(language);
    return shape(reader, line);
}

TEST(CodeShape, OfCAndCpp) {
    EXPECT_EQ(shape(CodeLanguage::c, "int x = 0x1fL; // if"), "kkk.....nnnnn..ccccc");
    EXPECT_EQ(shape(CodeLanguage::c, "#  define A \"int\\\"\""), "ddddddddd...ttttttt");
    EXPECT_EQ(shape(CodeLanguage::c, "class_of(integer)"), ".................")
        << "no keyword inside of a name";
    EXPECT_EQ(shape(CodeLanguage::c, "class"), ".....");
    EXPECT_EQ(shape(CodeLanguage::cplusplus, "class 1'000 'a' '\\''"), "kkkkk.nnnnn.ttt.tttt");
}

TEST(CodeShape, CommentsAndTextsGoOnOverLines) {
    CodeReader reader(CodeLanguage::cplusplus);
    EXPECT_EQ(shape(reader, "a /* b"), "..cccc");
    EXPECT_EQ(shape(reader, "if */ if"), "ccccc.kk");
    EXPECT_EQ(shape(reader, "R\"(x"), "tttt");
    EXPECT_EQ(shape(reader, "\" if )\" 7"), "ttttttt.n");
}

TEST(CodeShape, OfRust) {
    CodeReader reader(CodeLanguage::rust);
    EXPECT_EQ(shape(reader, "fn f<'a>(x: &'a str) -> u8"), "kk..............kkk.....kk");
    EXPECT_EQ(shape(reader, "let c = 'x'; 0..8"), "kkk.....ttt..n..n");
    EXPECT_EQ(shape(reader, "/* a /* b */ if */ if"), "cccccccccccccccccc.kk");
    EXPECT_EQ(shape(reader, "r#\"a \" b\"# 1.5"), "tttttttttt.nnn");
    EXPECT_EQ(shape(reader, "\"over"), "ttttt");
    EXPECT_EQ(shape(reader, "lines\" if"), "tttttt.kk");
}

TEST(CodeShape, IsKnownByTheFilesEnding) {
    EXPECT_EQ(code_language("/canal/lock.rs"), CodeLanguage::rust);
    EXPECT_EQ(code_language("lock.hpp"), CodeLanguage::cplusplus);
    EXPECT_EQ(code_language("lock.c"), CodeLanguage::c);
    EXPECT_EQ(code_language("/usr/include/c++/12/vector"), CodeLanguage::cplusplus);
    EXPECT_EQ(code_language("wire_sum.S"), CodeLanguage::none);
    EXPECT_EQ(shape(CodeLanguage::none, "int 7 \"x\""), ".........");
}

}  // namespace
}  // namespace lantern
