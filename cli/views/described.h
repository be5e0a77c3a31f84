// What each view's fields are called, which of them are always there, and when the others are: said
// once. JSON is written by it (json.cpp), and its schema is made of it (schema.cpp); whoever adds a
// view adds its description here.
//
//     template <class Form>
//     void describe(Form& form, const GlobalsReport& report) {
//         form.kind("globals");                        the word that tells it from other views
//         form.field("total", report.total);           always there
//         form.optional("rows", report.rows);          not where it is 0, false, empty, nothing
//         form.if_so(report.line != 0, [&] { … });     fields that are there together or not at all
//     }
#pragma once

#include <algorithm>

#include "cli/advice_text.h"
#include "cli/views/words.h"

namespace lantern::cli {

// Numbers and bytes that are written in hexadecimal: "0x40", "00ff12".
struct Address {
    std::uint64_t value = 0;
};
struct HexBytes {
    const std::vector<std::byte>* bytes = nullptr;
};
inline HexBytes in_hex(const std::vector<std::byte>& bytes) {
    return {&bytes};
}
inline std::optional<Address> in_hex(const std::optional<std::uint64_t>& number) {
    return number ? std::optional(Address{*number}) : std::nullopt;
}
inline std::vector<Address> in_hex(const std::vector<std::uint64_t>& numbers) {
    std::vector<Address> all;
    for (std::uint64_t number : numbers) all.push_back({number});
    return all;
}

// Structures that occur in several views have a place of their own in the schema.
template <class T>
constexpr const char* shared_name(const T*) {
    return nullptr;
}
constexpr const char* shared_name(const ValueView*) {
    return "value";
}
constexpr const char* shared_name(const SourceRow*) {
    return "source_row";
}
constexpr const char* shared_name(const BreakpointRow*) {
    return "breakpoint";
}
constexpr const char* shared_name(const ValueChange*) {
    return "change_row";
}

// Where it is, as far as that is known.
template <class Form>
void line_of_source(Form& form, const std::string& file, std::uint32_t line) {
    form.if_so(line != 0, [&] {
        form.field("file", file);
        form.field("line", line);
    });
}

template <class Form>
void describe(Form& form, const ValueView& view) {
    form.field("name", view.name);
    form.field("type", view.type);
    form.optional("unavailable", view.unavailable);
    form.if_so(view.unavailable.empty(), [&] { form.field("text", form.text_of(view)); });
    form.one_of("text", "unavailable");
    form.optional("detail", view.detail);
    form.optional("broken", view.broken);
    form.optional("bits", in_hex(view.number));
    form.optional("place", view.place);
    form.optional("assigned", view.assignment);
    form.optional("recovered", view.recovered);
    form.optional("recovered_from", view.recovered_from);
    form.optional("last", view.last);
    form.optional("last_from", view.last_from);
    form.optional("doubt", view.doubt);
    form.optional("declared_line", view.declared_line);
    form.optional("parameter", view.is_parameter);
    form.optional("shadowed", view.is_shadowed);
    form.optional("captured", view.is_captured);
    form.if_so(!view.children.empty(), [&] {
        form.field("arrangement", view.arrangement);
        form.optional("first", view.first);
        form.field("children", view.children);
    });
    form.optional("more", view.more);
}

template <class Form>
void describe(Form& form, const SourceRow& row) {
    form.field("line", row.number);
    form.field("text", row.text);
    form.field("has_code", row.has_code);
    form.if_so(row.is_current, [&] { form.field("state", row.state); });
    std::vector<unsigned> numbers;
    for (const BreakpointMark& mark : row.breakpoints) numbers.push_back(mark.number);
    form.optional("breakpoints", numbers);
}

template <class Form>
void describe(Form& form, const BreakpointRow::Site& site) {
    form.field("address", Address{site.address});
    form.field("function", site.function);
    line_of_source(form, site.file, site.line);
    form.optional("inlined", site.is_inlined_copy);
    form.if_so(site.blocks > 1, [&] {
        form.field("block", site.block);
        form.field("blocks", site.blocks);
    });
}

template <class Form>
void describe(Form& form, const BreakpointRow::Watch& watch) {
    form.field("address", Address{watch.address});
    form.field("bytes", watch.size);
    form.field("ended", watch.has_ended);
    form.field("by", watch.by);
    form.optional("until", watch.until);
}

template <class Form>
void describe(Form& form, const BreakpointRow& row) {
    form.field("number", row.number);
    form.field("place", row.place.text);
    form.field("on", row.is_on);
    form.field("hits", row.hits);
    form.field("sites", row.sites);
    form.field("cause", row.cause);
    form.optional("subject", row.subject);
    form.optional("condition", row.condition);
    form.if_so(row.may_pass(), [&] { form.field("passes", row.passes); });
    form.optional("after", row.after);
    form.if_so(row.every > 1, [&] { form.field("every", row.every); });
    form.optional("once", row.once);
    form.optional("thread", row.thread);
    form.optional("notes", row.noted);
    form.optional("moved", row.moved);
    form.optional("doubt", row.doubt);
    form.optional("watches", row.watch && row.watch->size ? row.watch : std::nullopt);
}

template <class Form>
void describe(Form& form, const ValueChange& change) {
    form.field("name", change.name);
    form.field("before", change.before);
    form.field("after", change.after);
    form.optional("was_unset", change.was_unset);
}

}  // namespace lantern::cli
