#include "cli/views/comparison_words.h"

#include <fmt/format.h>

#include <algorithm>

#include "cli/views/text.h"
#include "core/support/text.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kMostNamed = 8;

std::string both(const std::string& a, const std::string& b) {
    return a + " | " + b;
}

std::string or_dash(bool is_there, const std::string& text) {
    return is_there ? text : "-";
}

template <class Items, class Text>
std::string listed(const Items& items, Text text) {
    std::string out;
    for (std::size_t i = 0; i < std::min(items.size(), kMostNamed); ++i)
        out += (i ? ", " : "") + text(items[i]);
    if (items.size() > kMostNamed) out += fmt::format(" and {} more", items.size() - kMostNamed);
    return out;
}

std::string copies_text(const FunctionInBuild& in, const char* label) {
    std::string into = listed(in.into, [](const std::string& each) { return name_text(each); });
    return fmt::format("in {} inlined {}{}{}", label,
                       in.copies == 1 ? "once" : fmt::format("{} times", in.copies),
                       into.empty() ? "" : ": into " + into,
                       in.copies > in.into.size() && !into.empty() ? " …" : "");
}

}  // namespace

std::vector<ComparisonRow> total_rows(const BuildComparison& builds) {
    const BuildInComparison &a = builds.builds[0], &b = builds.builds[1];
    auto number = [](std::uint64_t value) { return with_thousands(value); };
    return {{"functions with code", number(a.functions), number(b.functions)},
            {"bytes of code", number(a.code_bytes), number(b.code_bytes)},
            {"calls that were inlined", number(a.inlined_calls), number(b.inlined_calls)},
            {"variables", number(a.variables), number(b.variables)},
            {"of their code, they have values", percent(a.cover), percent(b.cover)}};
}

FunctionCells cells_of(const FunctionComparison& row) {
    const FunctionInBuild &a = row.in[0], &b = row.in[1];
    auto cell = [&](auto text) {
        return both(or_dash(a.bytes != 0, text(a)), or_dash(b.bytes != 0, text(b)));
    };
    return {cell([](const FunctionInBuild& in) { return with_thousands(in.bytes); }),
            cell([](const FunctionInBuild& in) {
                return in.frame_bytes ? with_thousands(*in.frame_bytes) : std::string("?");
            }),
            cell([](const FunctionInBuild& in) { return with_thousands(in.lines); }),
            cell([](const FunctionInBuild& in) {
                return in.variables ? percent(in.cover) : std::string("none");
            })};
}

std::vector<std::string> sentences_of(const FunctionComparison& row) {
    std::vector<std::string> sentences;
    for (unsigned side : {0u, 1u}) {
        const char* label = side ? "B" : "A";
        if (!row.in[side].is_there())
            sentences.push_back(fmt::format("it is not in {}", label));
        else if (row.in[side].copies)
            sentences.push_back(copies_text(row.in[side], label));
    }
    auto line = [](std::uint32_t each) { return std::to_string(each); };
    auto name = [](const std::string& each) { return name_text(each); };
    auto add = [&](const char* what, const auto& items, auto text) {
        if (!items.empty()) sentences.push_back(what + listed(items, text));
    };
    add("lines without code in B: ", row.lost_lines, line);
    add("lines without code in A: ", row.new_lines, line);
    add("calls that B does not make: ", row.lost_calls, name);
    // What is inlined brings its own calls.
    bool is_by_inlining = std::ranges::any_of(
        row.lost_calls, [](const std::string& call) { return call.ends_with("(inlined)"); });
    if (!is_by_inlining) add("calls that A does not make: ", row.new_calls, name);
    return sentences;
}

std::string line_part_text(const LinePart& part) {
    std::string file = short_file(part.file);
    return fmt::format("likely from here: {} holds {} in A ({}) where it holds {} in B ({})",
                       part.variable, part.value[0], place_text(file, part.line[0]), part.value[1],
                       place_text(file, part.line[1]));
}

std::string no_parting_text(const WalkReport& walk) {
    if (walk.has_lonely_threads)
        return "nothing differs in the threads that both have; see below for the others";
    return fmt::format(
        "nothing differs{}: of the values that both can show, and of what they write",
        walk.differs_by_itself ? " but what differs by itself" : "");
}

std::string walked_words(const WalkReport& walk) {
    return fmt::format("{} that both make, of {}; each was run {}", counted(walk.matched, "call"),
                       counted(walk.functions, "function"),
                       walk.runs[0] == 1 ? "once" : fmt::format("{} times", walk.runs[0]));
}

}  // namespace lantern::cli
