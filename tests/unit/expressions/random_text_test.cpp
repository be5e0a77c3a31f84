// Whatever is typed, the answer is a value or one of our errors: never a crash, never a hang.
#include <gtest/gtest.h>

#include <random>

#include "core/expressions/evaluator.h"
#include "core/session/place.h"
#include "core/support/error.h"
#include "core/target/program_file.h"
#include "core/values/value_view.h"
#include "tests/testing/command.h"

namespace lantern {
namespace {

const std::vector<std::string> kSeeds = {"lower.gates[0].wear + 2 * 3",
                                         "*(unsigned short *)&lower.depth",
                                         "tolls[0..2]",
                                         "upper.next->name == \"lower\"",
                                         "(1 ? tolls[1] : 0x10) << 2",
                                         "sizeof(struct chamber) % 7",
                                         "-global_count & ~0xffu",
                                         "&lower.gates[1] - &lower.gates[0]",
                                         "'\\x41' + '\\n'",
                                         "keeper[0]",
                                         "*keeper",
                                         "FULL == 6 && !EMPTY",
                                         "((struct chamber *)&upper)->next->gates[1].angle",
                                         "factorial",
                                         "&factorial",
                                         "@1 + @name",
                                         "%rax * 2",
                                         "level#17",
                                         "1e308 * 10.0",
                                         "lower.reading.metres / 0.0"};

TEST(RandomText, ExpressionsGiveAValueOrAnError) {
    std::string path = testing::fixture("locks-gcc-O0-dwarf5-pie");
    ProgramFile file(path, std::make_shared<ModuleSymbols>(path));
    EvaluationContext context;
    context.target = &file;
    ValueReader reader(file);
    std::mt19937 random(1842);
    const std::string pieces = "()[]{}<>*&!~+-/%^|=.,;:?'\"\\@#$0123456789abcxyz_ \t\x7f\xc3\x28";
    unsigned values = 0, errors = 0;
    for (int round = 0; round < 20000; ++round) {
        std::string text = kSeeds[random() % kSeeds.size()];
        for (unsigned edits = random() % 5; edits > 0; --edits) {
            std::size_t at = text.empty() ? 0 : random() % text.size();
            switch (random() % 4) {
                case 0: text.insert(at, 1, pieces[random() % pieces.size()]); break;
                case 1:
                    if (!text.empty()) text.erase(at, 1 + random() % 3);
                    break;
                case 2:
                    if (!text.empty()) text[at] = pieces[random() % pieces.size()];
                    break;
                default: text.insert(at, kSeeds[random() % kSeeds.size()]); break;
            }
        }
        try {
            Value value = evaluate(text, context);
            for (Form form :
                 {Form::natural, Form::hex, Form::bytes, Form::string, Form::instructions})
                one_line(make_view(reader, "x", value, form));
            ++values;
        } catch (const Error& error) {
            ASSERT_FALSE(std::string(error.what()).empty());
            ++errors;
        }
    }
    EXPECT_GT(values, 1000u);
    EXPECT_GT(errors, 1000u);
}

TEST(RandomText, PlacesGiveSitesOrAnError) {
    std::string path = testing::fixture("locks-gcc-O0-dwarf5-pie");
    ProgramFile file(path, std::make_shared<ModuleSymbols>(path));
    EvaluationContext context;
    context.target = &file;
    std::mt19937 random(1794);
    const std::vector<std::string> seeds = {"locks.c:60", "factorial",        "address &main",
                                            "61",         "address main + 4", "canal::toll",
                                            "./locks.c:1"};
    unsigned found = 0;
    for (int round = 0; round < 3000; ++round) {
        std::string text = seeds[random() % seeds.size()];
        if (random() % 2) text[random() % text.size()] = static_cast<char>(32 + random() % 95);
        try {
            found += !resolve_place(parse_place(text, "/x/locks.c"), context).empty();
        } catch (const Error&) {
        }
    }
    EXPECT_GT(found, 100u);
}

}  // namespace
}  // namespace lantern
