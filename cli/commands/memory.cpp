// memory, and find bytes|text|value
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <fstream>
#include <optional>

#include "cli/commands/command.h"
#include "cli/progress.h"
#include "cli/saved_file.h"
#include "core/analysis/memory_report.h"
#include "core/expressions/evaluator.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/builtin_types.h"
#include "core/values/scalar_text.h"

namespace lantern::cli {

RunAddress address_meant(Session& session, std::string_view text) {
    if (trimmed(text).empty())
        throw RequestError("an address is missing", "memory &level count 4 as hex, for example");
    Value value = evaluate(trimmed(text), session.context());
    const Type& type = plain(*value.type);
    bool is_number = type.kind == TypeKind::integer || type.kind == TypeKind::pointer ||
                     type.kind == TypeKind::enumeration || type.kind == TypeKind::character;
    if (!is_number) {
        if (value.address) return *value.address;
        throw RequestError(fmt::format("{} is no address and has none", std::string(trimmed(text))),
                           "a number, a pointer, or something that lies in memory");
    }
    return RunAddress(ValueReader(session.target()).integer(value));
}

namespace {

constexpr std::uint64_t kMostAtOnce = std::uint64_t{1} << 32;

// Takes " WORD REST" off the end, at the last place where WORD stands by itself.
std::optional<std::string_view> take_behind(std::string_view& text, std::string_view word) {
    std::string spaced = fmt::format(" {} ", word);
    std::size_t at = text.rfind(spaced);
    if (at == std::string_view::npos) return std::nullopt;
    std::string_view rest = trimmed(text.substr(at + spaced.size()));
    text = trimmed(text.substr(0, at));
    return rest;
}

std::uint64_t count_of(std::string_view text) {
    auto number = whole_number(trimmed(text));
    if (!number || *number == 0 || *number > kMostAtOnce)
        throw RequestError(fmt::format("count needs a whole number, not {}", quote(trimmed(text))),
                           "count 64, for example");
    return *number;
}

struct Stretch {
    RunAddress address;
    std::uint64_t count = 0;
};
// "ADDRESS count N"
Stretch stretch_of(Session& session, std::string_view text) {
    auto count = take_behind(text, "count");
    if (!count) throw RequestError("how many bytes is missing", "ADDRESS count N");
    return {address_meant(session, text), count_of(*count)};
}

std::vector<std::byte> bytes_of(Session& session, const Stretch& stretch) {
    std::vector<std::byte> bytes(stretch.count);
    session.target().read_memory(stretch.address, bytes);
    return bytes;
}

// "de ad be ef", "0xdeadbeef" as it is written, or a text in quotes.
std::vector<std::byte> pattern_of(std::string_view text) {
    text = trimmed(text);
    std::vector<std::byte> bytes;
    if (text.size() >= 2 && text.front() == '"') {
        auto words = shell_words(text);
        if (words.size() != 1) throw RequestError("one text in quotes is needed", "\"Wren\"");
        for (char c : words[0]) bytes.push_back(static_cast<std::byte>(c));
        return bytes;
    }
    std::string digits;
    if (text.starts_with("0x")) text.remove_prefix(2);
    for (char c : text)
        if (c != ' ') digits += c;
    bool is_hex = !digits.empty() && digits.size() % 2 == 0 &&
                  digits.find_first_not_of("0123456789abcdefABCDEF") == std::string::npos;
    if (!is_hex)
        throw RequestError(fmt::format("{} are no bytes", quote(text)),
                           "two digits each, as in de ad be ef, or a text in quotes");
    for (std::size_t i = 0; i < digits.size(); i += 2)
        bytes.push_back(static_cast<std::byte>(std::stoul(digits.substr(i, 2), nullptr, 16)));
    return bytes;
}

void done(Shell& shell, std::string text) {
    shell.show(Notice{Notice::Kind::done, std::move(text)});
}

// ---- what can be done with memory besides looking at it

void fill(Shell& shell, std::string_view text) {
    auto with = take_behind(text, "with");
    if (!with)
        throw RequestError("what to fill it with is missing",
                           "memory fill ADDRESS count N with 00");
    std::vector<std::byte> pattern = pattern_of(*with);
    Stretch stretch = stretch_of(shell.session(), text);
    std::vector<std::byte> bytes(stretch.count);
    for (std::size_t i = 0; i < bytes.size(); ++i) bytes[i] = pattern[i % pattern.size()];
    shell.session().write_memory(stretch.address, bytes);
    done(shell,
         fmt::format("{} at {:#x} filled", counted(stretch.count, "byte"), stretch.address.value));
}

void copy(Shell& shell, std::string_view text) {
    auto to = take_behind(text, "to");
    if (!to)
        throw RequestError("where to copy it is missing", "memory copy ADDRESS count N to ADDRESS");
    Session& session = shell.session();
    Stretch stretch = stretch_of(session, text);
    RunAddress goal = address_meant(session, *to);
    session.write_memory(goal, bytes_of(session, stretch));
    done(shell, fmt::format("{} copied from {:#x} to {:#x}", counted(stretch.count, "byte"),
                            stretch.address.value, goal.value));
}

void save_bytes(Shell& shell, std::string_view text) {
    auto file = take_behind(text, "as");
    if (!file) throw RequestError("the file is missing", "memory save ADDRESS count N as FILE");
    auto words = shell_words(*file);
    if (words.size() != 1) throw RequestError("one file is needed behind as");
    std::vector<std::byte> bytes = bytes_of(shell.session(), stretch_of(shell.session(), text));
    write_whole_file(words[0],
                     std::string_view(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
    done(shell, fmt::format("{} saved as {}", counted(bytes.size(), "byte"), words[0]));
}

void load_bytes(Shell& shell, std::string_view text) {
    auto to = take_behind(text, "to");
    if (!to) throw RequestError("where to load it is missing", "memory load FILE to ADDRESS");
    auto words = shell_words(text);
    if (words.size() != 1) throw RequestError("one file is needed behind load");
    std::ifstream file(words[0], std::ios::binary);
    if (!file) throw FileError(fmt::format("{} cannot be read", words[0]), "check the path");
    std::string content{std::istreambuf_iterator<char>(file), {}};
    RunAddress goal = address_meant(shell.session(), *to);
    shell.session().write_memory(goal, std::as_bytes(std::span(content)));
    done(shell, fmt::format("{} of {} loaded to {:#x}", counted(content.size(), "byte"), words[0],
                            goal.value));
}

void keep(Shell& shell, std::string_view text) {
    std::string name(take_word(text));
    if (name.empty()) throw RequestError("a name is missing", "memory keep NAME ADDRESS count N");
    Stretch stretch = stretch_of(shell.session(), text);
    shell.kept_memory[name] = {stretch.address, bytes_of(shell.session(), stretch)};
    done(shell, fmt::format("{} kept as {}; memory compare {} tells what changed",
                            counted(stretch.count, "byte"), name, name));
}

void compare(Shell& shell, std::string_view text) {
    auto found = shell.kept_memory.find(std::string(trimmed(text)));
    if (found == shell.kept_memory.end()) {
        std::vector<std::string> names;
        for (const auto& [name, kept] : shell.kept_memory) names.push_back(name);
        throw RequestError(fmt::format("no memory was kept as {}", quote(trimmed(text))),
                           names.empty() ? "memory keep NAME ADDRESS count N"
                                         : fmt::format("there is {}", join_with(names, "and")));
    }
    shell.show(report_memory_compare(shell.session().moment(), found->first, found->second));
}

// A type as it is written in the language of the selected frame.
const Type& type_called(Session& session, const std::string& name) {
    for (const Module& module : session.target().modules())
        for (const char* keyword : {"", "struct ", "union ", "enum "})
            if (auto found = module.symbols().types_named(keyword + name); !found.empty())
                return *found.front();
    EvaluationContext context = session.context();
    bool is_rust = context.language() == Language::rust;
    try {
        return target_of(plain(
            *evaluate(is_rust ? fmt::format("0 as *const {}", name) : fmt::format("({} *)0", name),
                      context)
                 .type));
    } catch (const ExpressionError&) {
        throw RequestError(
            fmt::format("{} is neither a form nor a type of the program", quote(name)),
            fmt::format("the forms are {}; find types lists the types",
                        join_with(form_names(), "and")));
    }
}

struct Deed {
    std::string_view word;
    void (*run)(Shell&, std::string_view);
};
constexpr Deed kDeeds[] = {{"fill", fill},       {"copy", copy}, {"save", save_bytes},
                           {"load", load_bytes}, {"keep", keep}, {"compare", compare}};

}  // namespace

namespace {

bool is_number(const Type& type) {
    TypeKind kind = plain(type).kind;
    return (kind == TypeKind::integer || kind == TypeKind::floating || kind == TypeKind::boolean) &&
           plain(type).size <= 8;
}

// Numbers are shown as the numbers that the expression's type says, everything else as bytes; an
// array in its whole length.
void take_shape_of(Session& session, std::string_view text, bool is_whole, MemoryQuery& query) {
    Value value = evaluate(text, session.context());
    const Type& type = plain(*value.type);
    bool leads_on = type.kind == TypeKind::pointer || type.kind == TypeKind::reference;
    const Type& object = leads_on ? plain(target_of(type)) : value.address ? type : void_type();
    const Type* element = &object;
    while (plain(*element).kind == TypeKind::array) element = &target_of(plain(*element));
    bool as_numbers = is_number(*element) && !(leads_on && is_character(*element));
    if (as_numbers && !query.type && query.form == Form::bytes) query.type = element;
    std::uint64_t unit = query.type ? plain(*query.type).size : 1;
    bool has_length = object.kind == TypeKind::array || is_whole;
    if (has_length && !query.count && unit && query.form == Form::bytes)
        query.count = object.size / unit;
    if (is_whole && !object.size)
        throw RequestError(fmt::format("how long {} is, is not known", std::string(text)),
                           "count N says it");
}

}  // namespace

void run_memory(Shell& shell, std::string_view arguments) {
    Session& session = shell.session();
    std::string_view rest = arguments;
    std::string_view first = take_word(rest);
    for (const Deed& deed : kDeeds)
        if (deed.word == first && !rest.empty()) return deed.run(shell, rest);
    MemoryQuery query;
    std::string_view text = trimmed(arguments);
    if (auto as = take_behind(text, "as")) {
        // "as FORM count N" and "count N as FORM" alike.
        if (auto count = take_behind(*as, "count")) query.count = count_of(*count);
        if (auto form = form_named(*as))
            query.form = *form;
        else if (const Type* number = rust_base_type(*as); number && number->size <= 8)
            query.type = number;
        else
            query.type = &type_called(session, std::string(*as));
    }
    if (auto count = take_behind(text, "count")) query.count = count_of(*count);
    bool is_whole = text.ends_with(" all");
    if (is_whole) text = trimmed(text.substr(0, text.size() - 4));
    query.address = address_meant(session, text);
    bool form_is_open = !query.type && query.form == Form::bytes &&
                        arguments.find(" as bytes") == std::string_view::npos;
    if (form_is_open || is_whole) take_shape_of(session, text, is_whole, query);
    shell.show(report_memory(session.moment(), query));
}

void run_find_memory(Shell& shell, std::string_view what, std::string_view arguments) {
    Session& session = shell.session();
    session.stack();  // throws where nothing can be looked at
    MemoryFindQuery query;
    std::string_view text = trimmed(arguments);
    if (auto limit = take_behind(text, "limit")) query.limit = count_of(*limit);
    auto within = take_behind(text, "in");
    query.within = within ? std::string(*within) : "all";
    if (query.within.find(" count ") != std::string::npos) {
        Stretch stretch = stretch_of(session, query.within);
        query.range = RunRange{stretch.address, stretch.address + stretch.count};
    }
    query.what = fmt::format("{} {}", what, text);
    if (what == "bytes") query.bytes = pattern_of(text);
    if (what == "text") {
        std::string quoted =
            text.starts_with('"') ? std::string(text) : fmt::format("\"{}\"", text);
        query.bytes = pattern_of(quoted);
    }
    if (what == "value") {
        Value value = evaluate(text, session.context());
        query.bytes = ValueReader(session.target()).content(value);
    }
    query.progress = work_progress("searching memory");
    MemoryFindReport report = report_memory_find(session.moment(), query);
    clear_progress();
    shell.show(report);
}

}  // namespace lantern::cli
