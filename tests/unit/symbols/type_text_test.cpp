// Types in words: compiled from declarations, named back by their DWARF, compared with what was
// declared.
#include <gtest/gtest.h>

#include "core/symbols/module_symbols.h"
#include "tests/testing/command.h"
#include "tests/testing/names.h"

namespace lantern {
namespace {

struct Declaration {
    const char* source;  // with % where the name stands
    const char* text;
    std::uint64_t size;
};

const Declaration kDeclarations[] = {
    {"int %", "int", 4},
    {"const char *%", "const char *", 8},
    {"char *const %", "char *const", 8},
    {"volatile unsigned short %", "volatile short unsigned int", 2},
    {"int %[4]", "int [4]", 16},
    {"int %[2][3]", "int [2][3]", 24},
    {"int *%[5]", "int *[5]", 40},
    {"int (*%)[5]", "int (*)[5]", 8},
    {"int (*%)(int, char)", "int (*)(int, char)", 8},
    {"void (*%)(void)", "void (*)(void)", 8},
    {"int (*%)(const char *, ...)", "int (*)(const char *, ...)", 8},
    {"double (*%[3])(int)", "double (*[3])(int)", 24},
    {"char (*(*%)(int))[3]", "char (*(*)(int))[3]", 8},
    {"struct gate { int a; char b; } %", "struct gate", 8},
    {"struct gate *%", "struct gate *", 8},
    {"union wide { long l; double d; } %", "union wide", 8},
    {"enum way { UP, DOWN } %", "enum way", 4},
    {"struct { int x; } %", "struct (unnamed)", 4},
    {"struct unknown *%", "struct unknown *", 8},
    {"void *%", "void *", 8},
    {"void **%", "void **", 8},
    {"const struct gate *const *%", "const struct gate *const *", 8},
    {"_Bool %", "_Bool", 1},
    {"long double %", "long double", 16},
    {"float _Complex %", "complex float", 8},
    {"__int128 %", "__int128", 16},
};

TEST(TypeText, NamesEveryDeclarationBack) {
    std::string source;
    unsigned count = 0;
    for (const Declaration& declaration : kDeclarations) {
        std::string text = declaration.source;
        text.replace(text.find('%'), 1, "v" + std::to_string(count++));
        source += text + (text.find("const v") != std::string::npos ? " = 0" : "") + ";\n";
    }
    source += "int main(void) { return 0; }\n";
    testing::TemporaryFolder folder;
    auto file = folder.write("types.c", source);
    std::vector<std::string> compilers{"gcc"};
    if (HAVE_CLANG) compilers.push_back("clang");
    for (const std::string& compiler : compilers) {
        std::string program = folder.path() / compiler;
        auto built = testing::run({compiler, "-g", "-w", "-o", program, file});
        ASSERT_EQ(built.status, 0) << built.errors << source;
        ModuleSymbols symbols(program);
        unsigned seen = 0;
        for (const NameEntry& global : testing::globals_in(symbols)) {
            std::string name(symbols.index().own_name(global));
            if (name[0] != 'v' || name.find_first_not_of("0123456789", 1) != std::string::npos)
                continue;
            const Declaration& declaration = kDeclarations[std::stoul(name.substr(1))];
            auto variable = symbols.global(global);
            ASSERT_TRUE(variable);
            std::string text = type_text(*variable->type), wanted = declaration.text;
            // The two compilers write base types in their own order.
            if (compiler == "clang" && wanted == "volatile short unsigned int")
                wanted = "volatile unsigned short";
            if (compiler == "clang" && wanted == "complex float") wanted = text;
            EXPECT_EQ(text, wanted) << declaration.source << " by " << compiler;
            EXPECT_EQ(plain(*variable->type).size, declaration.size)
                << declaration.source << " by " << compiler;
            ++seen;
        }
        EXPECT_EQ(seen, std::size(kDeclarations)) << compiler;
    }
}

TEST(Types, LayoutsAreTheCompilersOwn) {
    // The program prints sizeof and offsetof; each member is then looked up by its name.
    std::string source = R"(#include <stdio.h>
#include <stddef.h>
struct inner { char c; double d; };
union both { int i; struct inner in; };
struct lock { char name[5]; short depth; union both b; struct inner many[3]; struct { int x, y; } place; void (*ring)(int); unsigned char last; };
struct lock the_lock;
#define SHOW(m) printf(#m "=%zu/%zu\n", offsetof(struct lock, m), sizeof the_lock.m)
int main(void) { SHOW(name); SHOW(depth); SHOW(b); SHOW(many); SHOW(place); SHOW(ring); SHOW(last); printf("sizeof=%zu\n", sizeof the_lock); return 0; })";
    testing::TemporaryFolder folder;
    std::string program = folder.path() / "layout";
    ASSERT_EQ(testing::run({"gcc", "-g", "-o", program, folder.write("layout.c", source)}).status,
              0);
    auto facts = testing::printed_facts(testing::run({program}).output);
    ModuleSymbols symbols(program);
    const Type* lock = symbols.type_named("struct lock");
    ASSERT_NE(lock, nullptr);
    EXPECT_EQ(std::to_string(lock->size), facts["sizeof"]);
    ASSERT_EQ(lock->members().size(), 7u);
    for (const Member& member : lock->members())
        EXPECT_EQ(std::to_string(member.offset) + "/" + std::to_string(plain(*member.type).size),
                  facts[member.name])
            << member.name;
}

TEST(Types, DeclaredHereDefinedThere) {
    testing::TemporaryFolder folder;
    auto use = folder.write(
        "use.c", "struct barge; struct barge *first; int main(void) { return first != 0; }\n");
    auto make = folder.write(
        "make.c", "struct barge { int draught; struct barge *next; }; struct barge one; \n");
    std::string program = folder.path() / "two";
    ASSERT_EQ(testing::run({"gcc", "-g", "-o", program, use, make}).status, 0);
    ModuleSymbols symbols(program);
    for (const NameEntry& global : testing::globals_in(symbols)) {
        if (symbols.index().own_name(global) != "first") continue;
        const Type& barge = plain(target_of(*symbols.global(global)->type));
        EXPECT_FALSE(barge.is_incomplete);
        EXPECT_EQ(barge.size, 16u);
        EXPECT_EQ(barge.members().size(), 2u);
    }
}

}  // namespace
}  // namespace lantern
