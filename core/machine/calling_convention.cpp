#include "core/machine/calling_convention.h"

#include <algorithm>
#include <optional>

#include "core/machine/registers.h"

namespace lantern {
namespace {

constexpr unsigned kIntegerReturn[] = {0, 1};  // rax, rdx
constexpr unsigned kVectorReturn[] = {kFirstVectorRegister,
                                      kFirstVectorRegister + 1};  // xmm0, xmm1

}  // namespace

ReturnLocation returned_in_memory() {
    return {ReturnLocation::Kind::memory, {{kIntegerReturn[0], 0, 0}}};
}

ReturnLocation returned_as_extended_pair() {
    return {ReturnLocation::Kind::registers,
            {{kFirstStackRegister, 0, 10}, {kFirstStackRegister + 1, 16, 10}}};
}

namespace {

// The classes of §3.2.3, of each eight bytes.
enum class Class : unsigned char { none, integer, vector, vector_upper, extended, extended_upper };

Class merged(Class a, Class b) {
    if (a == b || b == Class::none) return a;
    if (a == Class::none) return b;
    if (a == Class::integer || b == Class::integer) return Class::integer;
    return Class::vector;
}

bool is_aligned(const ScalarPart& part) {
    return part.is_bit_field ||
           part.offset % std::max<std::uint64_t>(1, std::min<std::uint64_t>(part.size, 16)) == 0;
}

Class class_of(const ScalarPart& part, bool is_first_eight) {
    switch (part.kind) {
        case ScalarPart::Kind::floating:
            return is_first_eight ? Class::vector : Class::vector_upper;
        case ScalarPart::Kind::extended:
            return is_first_eight ? Class::extended : Class::extended_upper;
        default: return Class::integer;
    }
}

// Nothing: it goes to memory.
std::optional<std::vector<Class>> classify(std::span<const ScalarPart> parts, std::uint64_t size) {
    std::vector<Class> classes((size + 7) / 8, Class::none);
    for (const ScalarPart& part : parts) {
        if (!is_aligned(part) || part.offset + part.size > size) return std::nullopt;
        for (std::uint64_t eight = part.offset / 8; eight * 8 < part.offset + part.size; ++eight) {
            Class& there = classes[eight];
            Class own = class_of(part, eight == part.offset / 8);
            bool loses = (there == Class::extended || there == Class::extended_upper ||
                          own == Class::extended || own == Class::extended_upper) &&
                         there != own && there != Class::none && there != Class::integer &&
                         own != Class::integer;
            if (loses) return std::nullopt;
            there = merged(there, own);
        }
    }
    bool one_vector = classes[0] == Class::vector &&
                      std::all_of(classes.begin() + 1, classes.end(),
                                  [](Class c) { return c == Class::vector_upper; });
    if (classes.size() > 2 && !one_vector) return std::nullopt;
    for (std::size_t i = 0; i < classes.size(); ++i) {
        Class before = i ? classes[i - 1] : Class::none;
        if (classes[i] == Class::extended_upper && before != Class::extended) return std::nullopt;
        if (classes[i] == Class::vector_upper && before != Class::vector &&
            before != Class::vector_upper)
            classes[i] = Class::vector;
    }
    return classes;
}

}  // namespace

ReturnLocation return_location(std::span<const ScalarPart> parts, std::uint64_t size) {
    constexpr std::uint64_t kLargestInRegisters = 64;
    if (size == 0) return {};
    if (std::any_of(parts.begin(), parts.end(),
                    [](const ScalarPart& p) { return p.kind == ScalarPart::Kind::other; }))
        return {ReturnLocation::Kind::unknown, {}};
    auto classes = size > kLargestInRegisters ? std::nullopt : classify(parts, size);
    if (!classes) return returned_in_memory();

    ReturnLocation location{ReturnLocation::Kind::registers, {}};
    unsigned integers = 0, vectors = 0;
    for (std::size_t i = 0; i < classes->size(); ++i) {
        std::uint64_t start = 8 * i, length = std::min<std::uint64_t>(8, size - start);
        switch ((*classes)[i]) {
            case Class::none: break;
            case Class::integer:
                location.pieces.push_back({kIntegerReturn[integers++], start, length});
                break;
            case Class::vector:
                location.pieces.push_back({kVectorReturn[vectors++], start, length});
                break;
            case Class::extended:
                location.pieces.push_back({kFirstStackRegister, start, 10});
                break;
            case Class::vector_upper: location.pieces.back().size += length; break;
            case Class::extended_upper: break;
        }
    }
    return location;
}

}  // namespace lantern
