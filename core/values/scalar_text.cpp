#include "core/values/scalar_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>

#include "core/support/text.h"
#include "core/values/dynamic_type.h"
#include "core/values/library/library_view.h"
#include "core/values/library/symbols_behind.h"

namespace lantern {
namespace {

constexpr std::array<std::pair<std::string_view, Form>, 11> kForms = {
    {{"hex", Form::hex},
     {"decimal", Form::decimal},
     {"unsigned", Form::unsigned_decimal},
     {"octal", Form::octal},
     {"binary", Form::binary},
     {"char", Form::character},
     {"string", Form::string},
     {"float", Form::floating},
     {"bytes", Form::bytes},
     {"pointer", Form::pointer},
     {"instructions", Form::instructions}}};

std::string character_text(std::uint64_t code, std::uint64_t size) {
    std::uint32_t whole = static_cast<std::uint32_t>(code);
    ByteSpan bytes = std::as_bytes(std::span(&whole, 1)).first(std::min<std::uint64_t>(size, 4));
    return quote(utf8_of(bytes, static_cast<unsigned>(bytes.size())), '\'');
}

std::string shortest_extended(long double number) {
    char text[64];
    for (int digits = 1; digits <= 21; ++digits) {
        std::snprintf(text, sizeof text, "%.*Lg", digits, number);
        if (std::strtold(text, nullptr) == number) break;
    }
    return text;
}

// The fraction of a NaN, without the bit that makes it a quiet one (IEEE 754-2019 §6.2.1).
std::string nan_text(ByteSpan bytes, std::uint64_t size) {
    Wide bits = 0;
    std::memcpy(&bits, bytes.data(), std::min<std::size_t>(bytes.size(), 10));
    unsigned fraction_bits = size == 2 ? 10 : size == 4 ? 23 : size == 8 ? 52 : 63;
    unsigned sign_bit = size == 16 ? 79 : static_cast<unsigned>(size * 8 - 1);
    Wide quiet = static_cast<Wide>(1) << (fraction_bits - 1);
    std::string text = (bits >> sign_bit) & 1 ? "-nan" : "nan";
    std::uint64_t payload = static_cast<std::uint64_t>(bits & (quiet - 1));
    std::vector<std::string> notes;
    if (!(bits & quiet)) notes.push_back("signalling");
    if (payload) notes.push_back(fmt::format("payload {:#x}", payload));
    return notes.empty() ? text : fmt::format("{} ({})", text, fmt::join(notes, ", "));
}

bool is_denormal(long double number, std::uint64_t size) {
    if (number == 0) return false;
    long double smallest = size == 2   ? 0x1p-14L
                           : size == 4 ? 0x1p-126L
                           : size == 8 ? 0x1p-1022L
                                       : 0x1p-16382L;
    return std::fabs(number) < smallest;
}

// Digits of any base, grouped in fours where the base is two.
std::string digits_of(Wide number, unsigned base, bool grouped) {
    std::string digits;
    do {
        if (grouped && digits.size() % 5 == 4) digits.insert(digits.begin(), '\'');
        digits.insert(digits.begin(), "0123456789abcdef"[static_cast<unsigned>(number % base)]);
        number /= base;
    } while (number);
    return digits;
}

std::string binary_text(Wide number) {
    std::string digits = digits_of(number, 2, true);
    // whole groups of four
    while (digits.size() % 5 != 4) digits.insert(digits.begin(), '0');
    return "0b" + digits;
}

Wide cut_to(Wide number, std::uint64_t size) {
    return size >= 16 ? number : number & ((static_cast<Wide>(1) << (size * 8)) - 1);
}

std::string signed_text(Wide number) {
    bool negative = static_cast<SignedWide>(number) < 0;
    return (negative ? "-" : "") + digits_of(negative ? -number : number, 10, false);
}

std::string with_fill(std::string text, Wide number, std::uint64_t size) {
    std::string fill = size <= 8 ? fill_pattern(static_cast<std::uint64_t>(number), size) : "";
    return fill.empty() ? text : text + " (" + fill + ")";
}

std::string natural_text(Wide number, const Type& type) {
    std::string decimal =
        type.is_signed ? signed_text(number) : digits_of(cut_to(number, type.size), 10, false);
    switch (type.kind) {
        case TypeKind::boolean: {
            auto byte = static_cast<std::uint64_t>(number);
            return byte == 0   ? "false"
                   : byte == 1 ? "true"
                               : fmt::format("true (its byte is {})", byte);
        }
        case TypeKind::character:
            return type.size == 1 || type.is_text
                       ? fmt::format("{} {}", decimal,
                                     character_text(static_cast<std::uint64_t>(number), type.size))
                       : decimal;
        case TypeKind::enumeration:
            return enumeration_text(type, static_cast<std::int64_t>(number));
        default: return with_fill(decimal, number, type.size);
    }
}

}  // namespace

std::string float_text(ByteSpan bytes, const Type& type) {
    long double number = floating_of_bytes(bytes, type);
    std::uint64_t size = type.size;
    if (std::isnan(number)) return nan_text(bytes, size);
    if (std::isinf(number)) return number < 0 ? "-infinity" : "infinity";
    std::string text = size == 4   ? fmt::format("{}", static_cast<float>(number))
                       : size == 8 ? fmt::format("{}", static_cast<double>(number))
                       : size == 2 ? fmt::format("{:.5g}", static_cast<double>(number))
                                   : shortest_extended(number);
    if (text.find_first_of(".eE") == std::string::npos) text += ".0";
    std::uint64_t bits = 0;
    std::memcpy(&bits, bytes.data(), std::min<std::size_t>(bytes.size(), 8));
    if (std::string fill = fill_pattern(bits, size); !fill.empty())
        return fmt::format("{} ({})", text, fill);
    return is_denormal(number, size) ? text + " (denormal)" : text;
}

std::string enumeration_text(const Type& type, std::int64_t number) {
    // Some compilers write an enumerator's value without its sign.
    std::uint64_t mask = type.size == 0 || type.size >= 8 ? ~std::uint64_t{0}
                                                          : (std::uint64_t{1} << type.size * 8) - 1;
    for (const Enumerator& enumerator : type.enumerators)
        if (((static_cast<std::uint64_t>(enumerator.value) ^ static_cast<std::uint64_t>(number)) &
             mask) == 0)
            return fmt::format("{} ({})", enumerator.name, number);
    // Flags: a sum of enumerators that are powers of two.
    std::string sum;
    std::uint64_t rest = static_cast<std::uint64_t>(number);
    for (const Enumerator& enumerator : type.enumerators) {
        std::uint64_t bit = static_cast<std::uint64_t>(enumerator.value);
        if (bit == 0 || (bit & (bit - 1)) != 0 || (rest & bit) != bit) continue;
        sum += (sum.empty() ? "" : " | ") + enumerator.name;
        rest &= ~bit;
    }
    if (!sum.empty() && rest == 0) return fmt::format("{} ({})", sum, number);
    std::string name =
        type.name.empty() ? "enumerator" : readable_type_name(type.full_name(), type.is_rust);
    return fmt::format("{} (no {} has this value)", number, name);
}

std::string fill_pattern(std::uint64_t number, std::uint64_t size) {
    if (size != 4 && size != 8) return {};
    if (size == 4) number = (number & 0xffffffff) | number << 32;
    std::uint64_t byte = number & 0xff;
    bool same = number == byte * 0x0101010101010101;
    constexpr std::uint64_t kFills[] = {0xcc, 0xcd, 0xdd, 0xfd, 0xfe, 0xaa,
                                        0xab, 0xba, 0xbe, 0xa5, 0x5a, 0xef};
    if (same && std::ranges::find(kFills, byte) != std::end(kFills))
        return fmt::format("looks like fill bytes {:#x}", byte);
    for (std::uint64_t word :
         {0xdeadbeefu, 0xbaadf00du, 0xfeeefeeeu, 0xcafebabeu, 0xdeadc0deu, 0xabababab})
        if (number == (word | word << 32)) return fmt::format("looks like fill words {:#x}", word);
    return {};
}

std::string whole_text(Wide number, const Type& type, Form form) {
    switch (form) {
        case Form::hex: return "0x" + digits_of(cut_to(number, type.size), 16, false);
        case Form::octal: {
            std::string digits = digits_of(cut_to(number, type.size), 8, false);
            return digits == "0" ? digits : "0" + digits;
        }
        case Form::binary: return binary_text(cut_to(number, type.size));
        case Form::unsigned_decimal: return digits_of(cut_to(number, type.size), 10, false);
        case Form::decimal: return signed_text(number);
        case Form::character:
            return fmt::format(
                "{} {}", signed_text(number),
                character_text(
                    static_cast<std::uint64_t>(number),
                    std::min<std::uint64_t>(type.size, 4) == 4 && number < 128 ? 1 : type.size));
        case Form::floating: {
            Type real;
            real.kind = TypeKind::floating;
            real.size = type.size;
            return float_text(
                std::as_bytes(std::span(&number, 1)).first(std::min<std::size_t>(16, type.size)),
                real);
        }
        default: return natural_text(number, type);
    }
}

std::string hex_bytes(ByteSpan bytes) {
    std::string text;
    for (std::byte b : bytes)
        text += fmt::format("{}{:02x}", text.empty() ? "" : " ", static_cast<unsigned>(b));
    return text;
}

namespace {

std::string text_behind(const ValueReader& reader, RunAddress address, unsigned longest) {
    auto found = reader.text_at(address, longest);
    if (!found.readable) return "(nothing can be read there)";
    return quote(found.bytes) + (found.ended           ? ""
                                 : found.cut_by_memory ? " (no terminator before the memory ends)"
                                                       : " …");
}

std::string wide_text_behind(const ValueReader& reader, RunAddress address, std::uint64_t unit,
                             unsigned longest) {
    std::vector<std::byte> units(longest * unit);
    units.resize(reader.target().read_available(address, units) / unit * unit);
    if (units.empty()) return "(nothing can be read there)";
    for (std::size_t at = 0; at < units.size(); at += unit) {
        bool ends = std::all_of(units.begin() + static_cast<std::ptrdiff_t>(at),
                                units.begin() + static_cast<std::ptrdiff_t>(at + unit),
                                [](std::byte b) { return b == std::byte{}; });
        if (ends) return quote(utf8_of(ByteSpan(units).first(at), static_cast<unsigned>(unit)));
    }
    return quote(utf8_of(units, static_cast<unsigned>(unit))) + " …";
}

}  // namespace

namespace {

std::string with_notes(std::uint64_t number, const std::vector<std::string>& notes) {
    return notes.empty() ? fmt::format("{:#x}", number)
                         : fmt::format("{:#x} ({})", number, fmt::join(notes, "; "));
}

// Why nothing can be read there, or whose memory it is.
void note_memory(const ValueReader& reader, std::uint64_t number, const ValueContext* around,
                 std::vector<std::string>& notes) {
    RunAddress address(number);
    std::byte probe;
    bool possible = number < (std::uint64_t{1} << 47);
    if (!possible)
        notes.push_back("no possible address");
    else if (reader.target().read_available(address, std::span(&probe, 1)) == 0) {
        const MemoryRegion* region = reader.target().region_at(address);
        bool is_barred = region && region->permissions.starts_with("---");
        notes.push_back(!region     ? "nothing is mapped there"
                        : is_barred ? "nobody may read there"
                                    : "what is there was not kept");
    } else if (std::string where = around ? around->describe(address) : ""; !where.empty())
        notes.push_back(where);
    if (std::string fill = fill_pattern(number, 8); !fill.empty()) notes.push_back(fill);
}

std::vector<std::string> notes_on(const ValueReader& reader, std::uint64_t number,
                                  const Type& pointee, const ValueContext* around) {
    std::vector<std::string> notes;
    RunAddress address(number);
    if (std::string object = around ? around->object_at(address, pointee) : ""; !object.empty()) {
        notes.push_back(object);
    } else if (const Module* module = reader.target().module_at(address)) {
        if (auto nearest = module->symbols().nearest_name(module->to_file(address)))
            notes.push_back(nearest->offset ? fmt::format("{} + {}", nearest->name, nearest->offset)
                                            : nearest->name);
    } else {
        note_memory(reader, number, around, notes);
    }
    return notes;
}

// Beside a text, which says itself what is there, only whose block of the heap it is in.
std::string block_words(RunAddress address, const ValueContext* around) {
    std::string where = around ? around->describe(address) : "";
    return where.find("heap block") == std::string::npos ? "" : fmt::format(" ({})", where);
}

}  // namespace

std::string address_text(const ValueReader& reader, std::uint64_t number, const Type& pointee,
                         const ValueContext* around) {
    return number == 0 ? "null" : with_notes(number, notes_on(reader, number, pointee, around));
}

std::string pointer_text(const ValueReader& reader, std::uint64_t number, const Type& pointee,
                         unsigned longest_text, const ValueContext* around) {
    if (number == 0) return "null";
    RunAddress address(number);
    const Type& behind = plain(pointee);
    if (is_character(pointee) || is_wide_letter(pointee)) {
        std::string text = is_character(pointee)
                               ? text_behind(reader, address, longest_text)
                               : wide_text_behind(reader, address, behind.size, longest_text);
        return fmt::format("{:#x} {}{}", number, text, block_words(address, around));
    }
    std::vector<std::string> notes = notes_on(reader, number, pointee, around);
    if (behind.kind == TypeKind::structure) {
        if (auto found = dynamic_type(reader, value_in_memory(pointee, address))) {
            if (!found->problem.empty())
                notes.push_back(found->problem);
            else if (found->is_other)
                notes.push_back("in fact a " + found->name);
        }
    }
    return with_notes(number, notes);
}

std::string member_pointer_text(const ValueReader& reader, const Value& value) {
    const Type& type = plain(*value.type);
    std::string holder =
        type.holder ? readable_type_name(type.holder->full_name(), false) : "class";
    auto bytes = reader.content(value, 16);
    std::uint64_t number = 0;
    std::memcpy(&number, bytes.data(), std::min<std::size_t>(8, bytes.size()));
    if (target_of(type).kind == TypeKind::function) {
        if (number == 0) return "null";
        if (number & 1) return fmt::format("virtual function {} of {}", (number - 1) / 8, holder);
        return pointer_text(reader, number, void_type(), 0, nullptr);
    }
    if (number == ~std::uint64_t{0}) return "null";  // 0 is the first member
    if (type.holder)
        for (const Member& member : plain(*type.holder).members())
            if (member.offset == number && !member.is_base_class && !member.is_artificial)
                return fmt::format("&{}::{} (offset {})", holder, member.name, number);
    return fmt::format("offset {} in {}", number, holder);
}

std::optional<Form> form_named(std::string_view word) {
    for (auto [name, form] : kForms)
        if (name == word) return form;
    return std::nullopt;
}

const std::vector<std::string>& form_names() {
    static const std::vector<std::string> names = [] {
        std::vector<std::string> all;
        for (auto [name, form] : kForms) all.emplace_back(name);
        return all;
    }();
    return names;
}

std::string_view name_of(Form form) {
    for (auto [name, known] : kForms)
        if (known == form) return name;
    return "natural";
}

std::string character_array_text(ByteSpan bytes, std::size_t longest, std::size_t whole) {
    std::string_view all(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    bool has_end = all.find('\0') != std::string_view::npos;
    std::size_t last = all.find_last_not_of('\0');
    std::size_t shown = last == std::string_view::npos ? 1 : std::min(all.size(), last + 2);
    if (shown > longest || (!has_end && bytes.size() < whole))
        return fmt::format("{} … ({})", quote(all.substr(0, longest)), counted(whole, "byte"));
    return quote(all.substr(0, shown)) + (has_end ? "" : " (no terminator)");
}

bool is_byte(const Type& type) {
    return plain(type).name == "unsigned char" || plain(type).name == "signed char" ||
           plain(type).name == "uint8_t" || plain(type).name == "u8";
}

bool holds_text(ByteSpan bytes) {
    auto end = std::find(bytes.begin(), bytes.end(), std::byte{0});
    bool is_clean = std::all_of(end, bytes.end(), [](std::byte b) { return b == std::byte{0}; });
    bool is_printed = std::all_of(bytes.begin(), end, [](std::byte b) {
        return (b >= std::byte{' '} && b < std::byte{0x7f}) || b == std::byte{'\n'} ||
               b == std::byte{'\t'} || b == std::byte{'\r'};
    });
    return is_clean && is_printed && end != bytes.begin();
}

std::string complex_text(ByteSpan bytes, std::string_view type_name) {
    Type half;
    half.kind = TypeKind::floating;
    half.size = bytes.size() / 2;
    half.name = type_name.find("Float128") == std::string_view::npos ? "" : "_Float128";
    std::string imaginary = float_text(bytes.subspan(half.size), half);
    bool is_negative = imaginary.starts_with("-");
    return fmt::format("{} {} {}i", float_text(bytes.first(half.size), half),
                       is_negative ? "-" : "+", is_negative ? imaginary.substr(1) : imaginary);
}

}  // namespace lantern
