// Gives something in the target another value (see evaluator.h).
#include <fmt/format.h>

#include "core/expressions/container_operators.h"
#include "core/expressions/conversion.h"
#include "core/expressions/evaluator.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/library/library_view.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

// Text goes into a character array with its terminator; what lies behind stays.
void put_text(const ValueReader& reader, const EvaluationContext& context, const Value& place,
              const Value& text, std::string_view name) {
    std::vector<std::byte> bytes = reader.content(text);
    if (bytes.size() > plain(*place.type).size)
        throw ExpressionError(
            fmt::format("the text and its terminator need {} bytes, and {} has {}", bytes.size(),
                        name, plain(*place.type).size),
            1);
    write_value(*context.target, context.thread, place, bytes);
}

// A string of the library takes a text of its own length: its room and its length belong to the
// library.
void put_into_string(const ValueReader& reader, const EvaluationContext& context,
                     const Value& place, const Value& text, std::string_view name) {
    auto now = text_content(reader, place), wanted = text_content(reader, text);
    const LibraryView* view = library_view(*place.type);
    auto start = now && !now->empty() ? view->element(reader, place, 0) : std::nullopt;
    if (!now || !wanted || now->size() != wanted->size() || !start || !start->address)
        throw ExpressionError(
            fmt::format("only a text of as many characters as {} has now can be put into it "
                        "without running the program's own code",
                        name),
            1, "change its characters one by one, or run to where the program sets it");
    context.target->write_memory(*start->address,
                                 std::as_bytes(std::span(wanted->data(), wanted->size())));
}

bool is_in_read_only_memory(Target& target, const Value& place) {
    const Module* module = place.address ? target.module_at(*place.address) : nullptr;
    if (!module) return false;
    for (const Segment& segment : module->symbols().elf().segments())
        if (segment.range.contains(module->to_file(*place.address))) return !segment.writable;
    return false;
}

void refuse_what_does_not_fit(const ValueReader& reader, const Value& place, const Value& given,
                              const Value& made) {
    const Type& type = plain(*place.type);
    bool whole =
        type.kind == TypeKind::integer || type.kind == TypeKind::character || place.is_bit_field();
    if (!whole || !is_scalar(*given.type) || plain(*given.type).kind == TypeKind::floating) return;
    std::uint64_t bits = place.is_bit_field() ? place.bit_size : type.size * 8;
    Wide number = reader.wide(given), kept = reader.wide(made);
    if (place.is_bit_field()) {
        Wide mask = (static_cast<Wide>(1) << bits) - 1;
        kept &= mask;
        if (type.is_signed && bits && (kept >> (bits - 1)) & 1) kept |= ~mask;
    }
    // The same bits with the other sign are meant: 0xff for a signed char.
    bool same_bits = bits < 128 && (number >> bits) == 0;
    if (kept != number && !same_bits)
        throw ExpressionError(
            fmt::format("{} does not fit {} of {}",
                        plain(*given.type).is_signed
                            ? fmt::format("{}", static_cast<std::int64_t>(number))
                            : fmt::format("{}", static_cast<std::uint64_t>(number)),
                        counted(bits, "bit"), type_text(*place.type)),
            1);
}

std::string why_it_may_surprise(Target& target, const Value& place) {
    if (is_in_read_only_memory(target, place))
        return "it lies in memory the program itself may only read: the program may have used its "
               "value already";
    if (place.type->kind == TypeKind::qualified && place.type->qualifier == "const")
        return "it is const: the compiler may have put its value into the code";
    return {};
}

}  // namespace

Assigned assign(std::string_view left, std::string_view right, const EvaluationContext& context) {
    ValueReader reader(*context.target);
    Expression value_expression{std::string(right), context};
    Value place = evaluate(left, context);
    if (!place.is_available())
        throw ExpressionError(fmt::format("it cannot be changed: {}", place.unavailable), 1);
    if (plain(*place.type).kind == TypeKind::reference) place = reader.dereference(place);
    if (place.removed_target)
        throw ExpressionError("it cannot be changed: the compiler keeps this pointer nowhere", 1);
    if (!place.address && !place.in_register)
        throw ExpressionError("only something that lives in memory or in a register can be changed",
                              1, "name a variable, an element, a member or *POINTER");
    if (plain(*place.type).kind == TypeKind::function)
        throw ExpressionError("code is not changed from here", 1);
    Value given = value_expression.value(context);
    if (!given.is_available())
        throw ExpressionError(fmt::format("the new value is not available: {}", given.unavailable),
                              1);
    if (plain(*given.type).kind == TypeKind::reference) given = reader.dereference(given);
    Assigned result{place, why_it_may_surprise(*context.target, place)};
    bool is_text = value_expression.tree().kind == NodeKind::string;
    std::string name(trimmed(left));
    if (is_text && plain(*place.type).kind == TypeKind::array &&
        plain(target_of(plain(*place.type))).size == plain(target_of(plain(*given.type))).size) {
        put_text(reader, context, place, given, name);
        return result;
    }
    if (is_text && library_view(*place.type)) {
        put_into_string(reader, context, place, given, name);
        return result;
    }
    const LibraryView* view = library_view(*place.type);
    if (view && is_scalar(*given.type)) {  // an atomic, a cell, an optional that holds a value
        Meaning meaning = view->meaning(reader, place);
        if (meaning.alone && meaning.alone->address) place = *meaning.alone;
    }
    Value made = converted_along_classes(reader, given, *place.type, 1);
    refuse_what_does_not_fit(reader, place, given, made);
    write_value(*context.target, context.thread, place, reader.content(made));
    if (place.in_register) place.bytes = made.bytes;
    result.place = place;
    return result;
}

}  // namespace lantern
