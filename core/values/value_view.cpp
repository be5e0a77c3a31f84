#include "core/values/value_view.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>

#include "core/machine/instruction.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/support/wide.h"

namespace lantern {
namespace {

constexpr std::array<std::pair<std::string_view, Form>, 11> kForms = {{{"hex", Form::hex},
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

std::string character_text(std::uint64_t code) {
    char c = static_cast<char>(code);
    return quote(std::string_view(&c, 1), '\'');
}

std::string float_text(long double number, std::uint64_t size) {
    if (std::isnan(number)) return std::signbit(number) ? "-nan" : "nan";
    if (std::isinf(number)) return number < 0 ? "-infinity" : "infinity";
    std::string text = size == 4 ? fmt::format("{}", static_cast<float>(number))
                       : size == 8 ? fmt::format("{}", static_cast<double>(number)) : fmt::format("{}", number);
    bool looks_whole = text.find_first_of(".eE") == std::string::npos;
    return looks_whole ? text + ".0" : text;
}

std::string enumeration_text(const Type& type, std::int64_t number) {
    for (const Enumerator& enumerator : type.enumerators)
        if (enumerator.value == number) return fmt::format("{} ({})", enumerator.name, number);
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
    return fmt::format("{} (no {} has this value)", number, type.name.empty() ? "enumerator" : type.name);
}

std::string with_base(std::uint64_t number, Form form, std::uint64_t size) {
    std::uint64_t mask = size >= 8 ? ~std::uint64_t{0} : (std::uint64_t{1} << (size * 8)) - 1;
    number &= mask;
    switch (form) {
        case Form::hex: return fmt::format("{:#x}", number);
        case Form::octal: return fmt::format("{:#o}", number);
        case Form::binary: return fmt::format("{:#b}", number);
        default: return fmt::format("{}", number);
    }
}

std::string hex_bytes(ByteSpan bytes) {
    std::string text;
    for (std::byte b : bytes) text += fmt::format("{}{:02x}", text.empty() ? "" : " ", static_cast<unsigned>(b));
    return text;
}

class ViewMaker {
  public:
    ViewMaker(const ValueReader& reader, Form form, const ViewLimits& limits) : reader_(reader), form_(form), limits_(limits) {}

    ValueView make(std::string name, const Value& value, unsigned depth) {
        ValueView view;
        view.name = std::move(name);
        view.type = type_text(*value.type);
        view.place = place_of(value);
        if (!value.is_available()) {
            view.unavailable = value.unavailable;
            return view;
        }
        try {
            fill(view, value, depth);
        } catch (const Error& error) {
            view.children.clear();
            view.text.clear();
            view.unavailable = error.what();
        }
        return view;
    }

  private:
    static std::string place_of(const Value& value) {
        if (value.address) return fmt::format("{:#x}", value.address->value);
        if (value.in_register) return "in " + register_name(value.in_register->number);
        return {};
    }

    void fill(ValueView& view, const Value& value, unsigned depth) {
        const Type& type = plain(*value.type);
        switch (form_) {
            case Form::bytes: view.text = hex_bytes(reader_.content(value, limits_.children)); return;
            case Form::instructions: fill_instructions(view, value); return;
            case Form::string:
                if (type.kind == TypeKind::pointer || type.kind == TypeKind::array) {
                    fill_forced_string(view, value);
                    return;
                }
                break;
            default: break;
        }
        switch (type.kind) {
            case TypeKind::structure: case TypeKind::union_: fill_structure(view, value, depth); break;
            case TypeKind::array: fill_array(view, value, depth); break;
            case TypeKind::nothing: view.unavailable = "void has no value"; break;
            case TypeKind::function: {
                view.number = value.address ? value.address->value : 0;
                view.text = fmt::format("code at {:#x}", *view.number);
                break;
            }
            case TypeKind::complex: fill_complex(view, value); break;
            case TypeKind::unknown: view.text = hex_bytes(reader_.content(value, limits_.children)); break;
            default: fill_scalar(view, value, type);
        }
    }

    void fill_scalar(ValueView& view, const Value& value, const Type& type) {
        if (type.kind == TypeKind::floating && form_ != Form::hex && form_ != Form::binary && form_ != Form::octal) {
            view.text = float_text(reader_.floating(value), type.size);
            return;
        }
        if (type.size > 8 && type.kind != TypeKind::floating) {
            fill_wide(view, value, type);
            return;
        }
        std::uint64_t number = 0;
        if (type.kind == TypeKind::floating) {  // its bits were asked for
            auto bytes = reader_.content(value);
            std::memcpy(&number, bytes.data(), std::min<std::size_t>(8, bytes.size()));
        } else {
            number = reader_.integer(value);
        }
        view.number = number;
        view.text = scalar_text(type, number);
    }

    std::string scalar_text(const Type& type, std::uint64_t number) {
        auto is_signed_text = [&] { return fmt::format("{}", static_cast<std::int64_t>(number)); };
        switch (form_) {
            case Form::hex: case Form::octal: case Form::binary: case Form::unsigned_decimal:
                return with_base(number, form_, type.size);
            case Form::decimal: return is_signed_text();
            case Form::character: return fmt::format("{} {}", static_cast<std::int64_t>(number), character_text(number));
            case Form::pointer: return pointer_text(number, void_type());
            case Form::floating: return float_from_bits(number, type.size);
            default: break;
        }
        switch (type.kind) {
            case TypeKind::boolean: return number == 0 ? "false" : number == 1 ? "true" : fmt::format("true (its byte is {})", number);
            case TypeKind::character: {
                std::string numeric = type.is_signed ? is_signed_text() : fmt::format("{}", number);
                return type.size == 1 ? fmt::format("{} {}", numeric, character_text(number)) : numeric;
            }
            case TypeKind::enumeration: return enumeration_text(type, static_cast<std::int64_t>(number));
            case TypeKind::pointer: case TypeKind::reference: return pointer_text(number, target_of(type));
            default: return type.is_signed ? is_signed_text() : fmt::format("{}", number);
        }
    }

    static std::string float_from_bits(std::uint64_t number, std::uint64_t size) {
        if (size == 4) {
            float f;
            std::memcpy(&f, &number, 4);
            return float_text(f, 4);
        }
        double d;
        std::memcpy(&d, &number, 8);
        return float_text(d, 8);
    }

    // __int128 and the like.
    static std::string wide_text(Wide number, bool is_signed) {
        bool negative = is_signed && static_cast<SignedWide>(number) < 0;
        if (negative) number = -number;
        std::string digits;
        do {
            digits.insert(digits.begin(), static_cast<char>('0' + static_cast<int>(number % 10)));
            number /= 10;
        } while (number);
        return (negative ? "-" : "") + digits;
    }
    void fill_wide(ValueView& view, const Value& value, const Type& type) {
        auto bytes = reader_.content(value);
        Wide number = 0;
        std::memcpy(&number, bytes.data(), std::min<std::size_t>(16, bytes.size()));
        view.text = form_ == Form::hex ? fmt::format("0x{:x}{:016x}", static_cast<std::uint64_t>(number >> 64), static_cast<std::uint64_t>(number))
                                       : wide_text(number, type.is_signed);
    }
    void fill_complex(ValueView& view, const Value& value) {
        auto bytes = reader_.content(value);
        std::uint64_t half = bytes.size() / 2;
        if (half != 4 && half != 8) {
            view.text = hex_bytes(bytes);
            return;
        }
        std::uint64_t parts[2] = {};
        std::memcpy(&parts[0], bytes.data(), half);
        std::memcpy(&parts[1], bytes.data() + half, half);
        view.text = fmt::format("{} + {}i", float_from_bits(parts[0], half), float_from_bits(parts[1], half));
    }

    std::string pointer_text(std::uint64_t number, const Type& target) {
        if (number == 0) return "null";
        std::string text = fmt::format("{:#x}", number);
        RunAddress address(number);
        if (is_character(target)) {
            auto found = reader_.text_at(address, limits_.text);
            if (!found.readable) return text + " (nothing can be read there)";
            return fmt::format("{} {}{}", text, quote(found.bytes), found.ended ? "" : " …");
        }
        if (const Module* module = reader_.target().module_at(address)) {
            FileAddress file = module->to_file(address);
            if (auto nearest = module->symbols().nearest_name(file))
                return nearest->offset ? fmt::format("{} ({} + {})", text, nearest->name, nearest->offset)
                                       : fmt::format("{} ({})", text, nearest->name);
            return text;
        }
        std::byte probe;
        if (reader_.target().read_available(address, std::span(&probe, 1)) == 0) return text + " (nothing is mapped there)";
        return text;
    }

    void fill_forced_string(ValueView& view, const Value& value) {
        const Type& type = plain(*value.type);
        if (type.kind == TypeKind::array) {
            view.text = character_array_text(reader_.content(value, limits_.text * 4));
            return;
        }
        auto found = reader_.text_at(reader_.pointed_at(value), limits_.text);
        if (!found.readable) throw MemoryError(fmt::format("nothing can be read at address {:#x}", reader_.pointed_at(value).value));
        view.text = quote(found.bytes) + (found.ended ? "" : " …");
    }

    void fill_instructions(ValueView& view, const Value& value) {
        RunAddress at = plain(*value.type).kind == TypeKind::structure && value.address ? *value.address : reader_.pointed_at(value);
        constexpr unsigned kCount = 8;
        view.is_array = true;
        for (unsigned i = 0; i < kCount; ++i) {
            std::array<std::byte, kLongestInstruction> bytes;
            std::size_t got = reader_.target().read_available(at, bytes);
            if (got == 0) {
                if (i == 0) throw MemoryError(fmt::format("nothing can be read at address {:#x}", at.value));
                break;
            }
            ByteSpan readable(bytes.data(), got);
            ValueView line;
            line.name = fmt::format("{:#x}", at.value);
            line.text = instruction_text(readable, at);
            auto decoded = decode_instruction(readable, at);
            view.children.push_back(std::move(line));
            if (!decoded) break;
            at = decoded->next();
        }
    }

    void fill_structure(ValueView& view, const Value& value, unsigned depth) {
        const auto& members = plain(*value.type).members();
        if (plain(*value.type).is_incomplete) {
            view.unavailable = "its type is declared but defined nowhere in the program";
            return;
        }
        if (depth >= limits_.depth) {
            view.more = members.size();
            return;
        }
        if (members.empty()) view.text = "{}";
        for (const Member& member : members) {
            if (view.children.size() == limits_.children) break;
            std::string name = member.is_base_class ? plain(*member.type).name : member.name;
            view.children.push_back(make(name, reader_.member(value, member), depth + 1));
        }
        view.more = members.size() - view.children.size();
    }

    void fill_array(ValueView& view, const Value& value, unsigned depth) {
        const Type& type = plain(*value.type);
        view.is_array = true;
        if (!type.count) {
            view.unavailable = "its length is not known; ask for a part of it, such as [0..8]";
            return;
        }
        bool as_text = is_character(target_of(type)) && (form_ == Form::natural || form_ == Form::string);
        if (as_text) {
            if (!value.gaps.empty()) {
                view.unavailable = "the compiler keeps only a part of it at this point";
                return;
            }
            view.text = character_array_text(reader_.content(value, limits_.text * 20));
            return;
        }
        if (depth >= limits_.depth) {
            view.more = *type.count;
            return;
        }
        std::uint64_t listed = std::min<std::uint64_t>(*type.count, limits_.children);
        if (*type.count == 0) view.text = "{}";
        for (std::uint64_t i = 0; i < listed; ++i)
            view.children.push_back(make(fmt::format("[{}]", value.first_index + static_cast<std::int64_t>(i)), reader_.element(value, static_cast<std::int64_t>(i)), depth + 1));
        view.more = *type.count - listed;
    }

    const ValueReader& reader_;
    Form form_;
    const ViewLimits& limits_;
};

bool same_content(const ValueView& a, const ValueView& b) {
    return a.text == b.text && a.unavailable == b.unavailable && a.more == b.more && a.children.size() == b.children.size() &&
           std::equal(a.children.begin(), a.children.end(), b.children.begin(), same_content);
}

void append_line(const ValueView& view, std::size_t longest, std::string& out) {
    if (out.size() > longest) {
        out += "…";
        return;
    }
    if (!view.unavailable.empty()) {
        out += "(" + view.unavailable + ")";
        return;
    }
    if (!view.has_children()) {
        out += view.text;
        return;
    }
    out += "{";
    for (std::size_t i = 0; i < view.children.size();) {
        if (i) out += ", ";
        if (out.size() > longest) {
            out += "…}";
            return;
        }
        const ValueView& child = view.children[i];
        std::size_t same = i + 1;
        while (view.is_array && same < view.children.size() && same_content(child, view.children[same])) ++same;
        if (!view.is_array && !child.name.empty()) out += child.name + " = ";
        append_line(child, longest, out);
        bool fold = same - i >= 4;
        if (fold) out += fmt::format(" × {}", same - i);
        i = fold ? same : i + 1;
    }
    if (view.more) out += fmt::format("{}… {} more", view.children.empty() ? "" : ", ", view.more);
    out += "}";
}

void collect_changes(const std::string& path, const ValueView& before, const ValueView& after, std::size_t limit,
                     std::vector<ViewChange>& out) {
    if (out.size() > limit || same_content(before, after)) return;
    bool comparable = before.has_children() && after.has_children() && before.children.size() == after.children.size();
    if (!comparable) {
        out.push_back({path, one_line(before, 80), one_line(after, 80)});
        return;
    }
    for (std::size_t i = 0; i < after.children.size(); ++i) {
        const std::string& name = after.children[i].name;
        std::string inner = after.is_array || name.empty() ? path + name : path + "." + name;
        collect_changes(inner, before.children[i], after.children[i], limit, out);
    }
}

}  // namespace

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

ValueView make_view(const ValueReader& reader, std::string name, const Value& value, Form form, const ViewLimits& limits) {
    return ViewMaker(reader, form, limits).make(std::move(name), value, 0);
}

std::string one_line(const ValueView& view, std::size_t longest) {
    std::string out;
    append_line(view, longest, out);
    return out;
}

std::string character_array_text(ByteSpan bytes) {
    std::string_view all(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    if (all.find('\0') == std::string_view::npos) return quote(all) + " (no terminator)";
    std::size_t last = all.find_last_not_of('\0');
    std::size_t shown = last == std::string_view::npos ? 1 : std::min(all.size(), last + 2);
    return quote(all.substr(0, shown));
}

std::vector<ViewChange> changes_between(const ValueView& before, const ValueView& after, std::size_t limit) {
    std::vector<ViewChange> out;
    collect_changes(after.name, before, after, limit, out);
    return out;
}

}  // namespace lantern
