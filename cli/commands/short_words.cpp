#include "cli/commands/short_words.h"

#include <algorithm>

#include "cli/commands/command.h"

namespace lantern::cli {
namespace {

constexpr ShortWord kShortWords[] = {
    {"o", "over"},         {"in", "into"},     {"ou", "out"},     {"c", "continue"},
    {"rc", "reach"},       {"pa", "pause at"}, {"na", "note at"}, {"so", "source"},
    {"st", "stack"},       {"cr", "caller"},   {"ce", "callee"},  {"lo", "locals"},
    {"v", "value"},        {"e", "explain"},   {"ch", "change"},  {"rg", "registers"},
    {"da", "disassembly"}, {"m", "memory"},    {"tr", "threads"}, {"br", "breakpoints"},
};

}  // namespace

std::span<const ShortWord> short_words() {
    return kShortWords;
}

std::string written_out(std::string_view line, const OwnWords& own) {
    std::string_view rest = line;
    std::string_view word = take_word(rest);
    auto with_rest = [&](std::string_view start) {
        return rest.empty() ? std::string(start) : std::string(start) + " " + std::string(rest);
    };
    if (auto found = own.find(std::string(word)); found != own.end())
        return with_rest(found->second);
    auto found = std::ranges::find(kShortWords, word, &ShortWord::word);
    return found == std::end(kShortWords) ? std::string(line) : with_rest(found->stands_for);
}

}  // namespace lantern::cli
