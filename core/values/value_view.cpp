#include "core/values/value_view.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstring>

#include "core/machine/instruction.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/active_variant.h"
#include "core/values/async_state.h"
#include "core/values/dynamic_type.h"
#include "core/values/library/library_view.h"

namespace lantern {
namespace {

constexpr std::uint64_t kMostText =
    1 << 20;  // bytes of an array of characters that are looked through

// A base class that adds nothing to see.
bool is_empty_base(const Member& member, int depth = 0) {
    if (!member.is_base_class || depth > 20) return false;
    const Type& base = plain(*member.type);
    return !base.is_incomplete && std::ranges::all_of(base.members(), [&](const Member& inner) {
        return inner.is_artificial || is_empty_base(inner, depth + 1);
    });
}

// Rust's references and boxes are looked through, as its own operators do.
bool leads_by_itself(const Type& type) {
    if (type.kind == TypeKind::reference) return true;
    return type.is_rust && type.kind == TypeKind::pointer &&
           (type.name.starts_with("&") || type.name.find("boxed::Box<") != std::string::npos);
}

class ViewMaker {
  public:
    ViewMaker(const ValueReader& reader, Form form, const ViewLimits& limits)
        : reader_(reader), form_(form), limits_(limits), nodes_left_(limits.nodes) {}

    // An object with virtual functions as the class it really is; one without a sound table says
    // so.
    ValueView make_whole(std::string name, const Value& value, unsigned depth) {
        bool may_be_other =
            !limits_.raw && value.is_available() && plain(*value.type).kind == TypeKind::structure;
        auto found = may_be_other ? dynamic_type(reader_, value) : std::nullopt;
        ValueView view =
            make(std::move(name), found && found->is_other ? found->object : value, depth);
        if (found && view.unavailable.empty() && view.broken.empty()) view.broken = found->problem;
        return view;
    }

    void empty(ValueView& view, unsigned depth, std::string why) {
        view.children.clear();
        if (limits_.parts && depth == 0) limits_.parts->clear();
        view.text.clear();
        view.unavailable = std::move(why);
    }

    ValueView make(std::string name, const Value& value, unsigned depth) {
        ValueView view;
        view.name = std::move(name);
        view.type = type_text(*value.type);
        view.place = place_of(value);
        if (nodes_left_) --nodes_left_;
        if (!value.is_available()) {
            view.unavailable = value.unavailable;
            return view;
        }
        try {
            fill(view, value, depth);
        } catch (const NoValueError& error) {
            empty(view, depth, error.why());
        } catch (const Error& error) {
            empty(view, depth, error.what());
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
        if (value.removed_target) return fill_removed(view, value, depth);
        switch (form_) {
            case Form::bytes:
                view.text = hex_bytes(reader_.content(value, limits_.children));
                return;
            case Form::instructions: fill_instructions(view, value); return;
            case Form::string:
                if (type.kind == TypeKind::pointer || type.kind == TypeKind::array) {
                    fill_forced_string(view, value);
                    return;
                }
                break;
            default: break;
        }
        if (!limits_.raw && fill_as_meant(view, value, depth)) return;
        switch (type.kind) {
            case TypeKind::structure:
            case TypeKind::union_: fill_structure(view, value, depth); break;
            case TypeKind::array: fill_array(view, value, depth); break;
            case TypeKind::nothing: view.unavailable = "void has no value"; break;
            case TypeKind::function: {
                view.number = value.address ? value.address->value : 0;
                view.text = fmt::format("code at {:#x}", *view.number);
                break;
            }
            case TypeKind::complex:
                view.text = complex_text(reader_.content(value), plain(*value.type).name);
                break;
            case TypeKind::member_pointer: view.text = member_pointer_text(reader_, value); break;
            case TypeKind::unknown:
                view.text = hex_bytes(reader_.content(value, limits_.children));
                break;
            default: fill_scalar(view, value, type, depth);
        }
    }

    // ---- scalars

    void fill_scalar(ValueView& view, const Value& value, const Type& type, unsigned depth) {
        bool bits_wanted = form_ == Form::hex || form_ == Form::binary || form_ == Form::octal;
        if (type.kind == TypeKind::floating && !bits_wanted) {
            view.text = float_text(reader_.content(value), type);
            return;
        }
        Wide number = 0;
        if (type.kind == TypeKind::floating) {  // its bits were asked for
            auto bytes = reader_.content(value);
            std::memcpy(&number, bytes.data(), std::min<std::size_t>(16, bytes.size()));
        } else {
            number = reader_.wide(value);
            if (bits_wanted && value.is_bit_field() && value.bit_size < 128)
                number &= (static_cast<Wide>(1) << value.bit_size) - 1;
        }
        std::uint64_t low = static_cast<std::uint64_t>(number);
        if (type.size <= 8) view.number = low;
        bool as_pointer = form_ == Form::pointer ||
                          (form_ == Form::natural &&
                           (type.kind == TypeKind::pointer || type.kind == TypeKind::reference));
        if (!as_pointer) {
            bool is_letter = form_ == Form::natural && type.kind == TypeKind::integer &&
                             is_wide_letter(*value.type);
            view.text = whole_text(number, type, is_letter ? Form::character : form_);
            return;
        }
        bool leads = form_ == Form::natural && leads_by_itself(type) && !limits_.raw && low &&
                     (plain(target_of(type)).size || library_view(target_of(type)));
        const Type& pointee = type.kind == TypeKind::pointer || type.kind == TypeKind::reference
                                  ? target_of(type)
                                  : void_type();
        if (leads) {
            view.text = address_text(reader_, low, pointee, limits_.around);
            fill_target(view, value_in_memory(pointee, RunAddress(low)), depth);
        } else {
            view.text = pointer_text(reader_, low, pointee, limits_.text, limits_.around);
        }
    }

    void fill_target(ValueView& view, const Value& target, unsigned depth) {
        view.arrangement = Arrangement::target;
        if (depth >= limits_.depth || !nodes_left_) {
            view.more = 1;
            return;
        }
        add_part(view, make_whole("", target, depth + 1), target, depth);
    }

    void add_part(ValueView& view, ValueView shown, const Value& part, unsigned depth) {
        if (limits_.parts && depth == 0) limits_.parts->push_back(part);
        view.children.push_back(std::move(shown));
    }

    void fill_removed(ValueView& view, const Value& value, unsigned depth) {
        auto text = reader_.text_of_removed(value);
        view.text = "a pointer that is kept nowhere" + (text ? ", to " + *text : "");
        TypeKind kind = plain(*value.type).kind;
        if (!text && (kind == TypeKind::pointer || kind == TypeKind::reference))
            fill_target(view, reader_.dereference(value), depth);
    }

    void fill_forced_string(ValueView& view, const Value& value) {
        const Type& type = plain(*value.type);
        if (type.kind == TypeKind::array) {
            view.text = text_of(reader_.content(value, kMostText), type.size);
            return;
        }
        auto found = reader_.text_at(reader_.pointed_at(value), limits_.text);
        if (!found.readable)
            throw MemoryError(fmt::format("nothing can be read at address {:#x}",
                                          reader_.pointed_at(value).value));
        view.text = quote(found.bytes) + (found.ended ? "" : " …");
    }

    void fill_instructions(ValueView& view, const Value& value) {
        RunAddress at = plain(*value.type).kind == TypeKind::structure && value.address
                            ? *value.address
                            : reader_.pointed_at(value);
        constexpr unsigned kCount = 8;
        view.arrangement = Arrangement::elements;
        for (unsigned i = 0; i < kCount; ++i) {
            std::array<std::byte, kLongestInstruction> bytes;
            std::size_t got = reader_.target().read_available(at, bytes);
            if (got == 0) {
                if (i == 0)
                    throw MemoryError(
                        fmt::format("nothing can be read at address {:#x}", at.value));
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

    // ---- what library types and the user's own mean

    bool fill_as_meant(ValueView& view, const Value& value, unsigned depth) {
        try {
            auto own = limits_.around ? limits_.around->own_meaning(reader_, value) : std::nullopt;
            const LibraryView* known = own ? nullptr : library_view(*value.type);
            if (!own && !known) return false;
            fill_meaning(view, own ? *own : known->meaning(reader_, value), depth);
        } catch (const BrokenValue& error) {
            view.broken = error.what();
        } catch (const MemoryError& error) {
            view.broken = error.what();
        } catch (const ExpressionError& error) {
            view.broken = error.what();
        }
        return true;
    }

    void fill_meaning(ValueView& view, const Meaning& meaning, unsigned depth) {
        view.text = meaning.text;
        view.detail = meaning.detail;
        view.arrangement = meaning.arrangement;
        if (meaning.content) {
            bool cut = meaning.content->size() > limits_.text;
            view.text = quote(std::string_view(*meaning.content).substr(0, limits_.text));
            if (cut || meaning.content_is_cut)
                view.text += fmt::format(" … {} in all",
                                         meaning.count ? with_thousands(*meaning.count) : "more");
            return;
        }
        if (meaning.alone) return fill_alone(view, *meaning.alone, meaning.text, depth);
        if (!meaning.next) return;
        list_parts(view, meaning, depth);
    }

    // It is no more than a wrapping: shown as what is in it.
    void fill_alone(ValueView& view, const Value& alone, const std::string& state, unsigned depth) {
        ValueView inner = make(view.name, alone, depth);
        inner.type = view.type;
        inner.place = view.place;
        if (inner.detail.empty()) inner.detail = view.detail;
        if (!state.empty())
            inner.text = inner.text.empty() ? state : inner.text + " (" + state + ")";
        view = std::move(inner);
    }

    void list_parts(ValueView& view, const Meaning& meaning, unsigned depth) {
        std::uint64_t total = meaning.count.value_or(0);
        if (depth >= limits_.depth) {
            view.more = total;
            return;
        }
        std::uint64_t index = 0;
        try {
            std::uint64_t skip = depth == 0 ? limits_.first : 0;
            for (; index < skip; ++index)
                if (!meaning.next()) break;
            view.first = index;
            while (view.children.size() < limits_.children && nodes_left_) {
                auto part = meaning.next();
                if (!part) break;
                std::string name = part_name(*part, view.arrangement, index++);
                add_part(view, make_whole(std::move(name), part->value, depth + 1), part->value,
                         depth);
            }
            if (total > index) view.more = total - index;
        } catch (const BrokenValue& error) {
            view.broken = error.what();
        } catch (const MemoryError& error) {
            view.broken = error.what();
        }
    }

    std::string part_name(const Part& part, Arrangement arrangement, std::uint64_t index) {
        switch (arrangement) {
            case Arrangement::fields: return part.name;
            case Arrangement::pairs: {
                ViewLimits brief = limits_;
                brief.depth = 3;
                brief.first = 0;
                brief.parts = nullptr;
                return fmt::format(
                    "[{}]",
                    part.key ? one_line(ViewMaker(reader_, form_, brief).make("", *part.key, 0), 80)
                             : "");
            }
            case Arrangement::target: return {};
            default: return fmt::format("[{}]", index);
        }
    }

    // ---- structures and arrays

    void fill_structure(ValueView& view, const Value& value, unsigned depth) {
        const Type& type = plain(*value.type);
        if (type.is_incomplete) {
            view.unavailable = "its type is declared but defined nowhere in the program";
            return;
        }
        if (!limits_.raw) {
            if (auto state = async_state(reader_, value)) {
                view.text = async_state_text(*state);
                return list_those(view, state->content, held_members(*state), depth);
            }
            if (auto variant = active_variant(reader_, value)) {
                view.text = variant->name;
                if (plain(*variant->content.type).variants().empty())
                    list_members(view, variant->content, depth);
                return;
            }
        }
        list_members(view, value, depth);
    }

    void list_members(ValueView& view, const Value& value, unsigned depth) {
        const Type& type = plain(*value.type);
        if (!type.variants().empty()) {  // raw: its bytes, of which the variants make what they are
            view.text = hex_bytes(reader_.content(value, limits_.children));
            return;
        }
        std::vector<const Member*> shown;
        for (const Member& member : type.members())
            if (limits_.raw || type.is_rust || !(member.is_artificial || is_empty_base(member)))
                shown.push_back(&member);
        list_those(view, value, shown, depth);
    }

    void list_those(ValueView& view, const Value& value, const std::vector<const Member*>& shown,
                    unsigned depth) {
        const Type& type = plain(*value.type);
        if (shown.empty() && view.text.empty()) view.text = type.is_rust ? "()" : "{}";
        bool tuple = !limits_.raw && is_tuple_of_rust(type);
        if (tuple) view.arrangement = Arrangement::tuple;
        if (depth >= limits_.depth) {
            view.more = shown.size();
            return;
        }
        std::uint64_t passed_over =
            depth == 0 ? std::min<std::uint64_t>(limits_.first, shown.size()) : 0;
        view.first = passed_over;
        for (std::size_t i = passed_over; i < shown.size(); ++i) {
            if (view.children.size() == limits_.children || !nodes_left_) break;
            const Member& member = *shown[i];
            std::string name = member.is_base_class
                                   ? readable_type_name(plain(*member.type).full_name(), false)
                               : tuple ? member.name.substr(2)
                                       : member.name;
            Value part = reader_.member(value, member);
            add_part(view, make(std::move(name), part, depth + 1), part, depth);
        }
        view.more = shown.size() - passed_over - view.children.size();
    }

    void fill_array(ValueView& view, const Value& value, unsigned depth) {
        const Type& type = plain(*value.type);
        view.arrangement = Arrangement::elements;
        if (!type.count) {
            view.unavailable = "its length is not known; ask for a part of it, such as [0..8]";
            return;
        }
        const Type& element = plain(target_of(type));
        bool is_letter = is_character(element) || is_wide_letter(target_of(type));
        bool as_text =
            is_letter && (form_ == Form::natural || form_ == Form::string) && !type.is_vector;
        bool is_of_bytes = form_ == Form::natural && element.size == 1 && is_byte(element) &&
                           value.gaps.empty() && !holds_text(reader_.content(value, limits_.text));
        if (as_text && *type.count && !is_of_bytes) return fill_characters(view, value, element);
        if (depth >= limits_.depth) {
            view.more = *type.count;
            return;
        }
        std::uint64_t first = depth == 0 ? std::min(limits_.first, *type.count) : 0;
        std::uint64_t listed = std::min<std::uint64_t>(*type.count - first, limits_.children);
        if (*type.count == 0) view.text = "{}";
        view.first = first;
        ViewMaker numbers(reader_, Form::decimal, limits_);
        ViewMaker& maker = is_of_bytes ? numbers : *this;
        for (std::uint64_t i = first; i < first + listed && nodes_left_; ++i) {
            auto index = static_cast<std::int64_t>(i);
            Value part = reader_.element(value, index);
            add_part(view,
                     maker.make(fmt::format("[{}]", value.first_index + index), part, depth + 1),
                     part, depth);
        }
        view.more = *type.count - first - view.children.size();
    }

    void fill_characters(ValueView& view, const Value& value, const Type& letter) {
        if (!value.gaps.empty()) {
            view.unavailable = "the compiler keeps only a part of it at this point";
            return;
        }
        auto bytes = reader_.content(value, kMostText);
        if (letter.size == 1) {
            view.text = text_of(bytes, plain(*value.type).size);
            return;
        }
        std::string text = utf8_of(bytes, static_cast<unsigned>(letter.size));
        view.text = text_of(std::as_bytes(std::span(text.data(), text.size())), text.size());
    }

    // An array holds its whole text, where a pointer leads to one of unknown length: more of it is
    // shown.
    std::string text_of(ByteSpan bytes, std::size_t whole) const {
        return character_array_text(bytes, limits_.text * 5, whole);
    }

    const ValueReader& reader_;
    Form form_;
    const ViewLimits& limits_;
    unsigned nodes_left_;
};

}  // namespace

ValueView make_view(const ValueReader& reader, std::string name, const Value& value, Form form,
                    const ViewLimits& limits) {
    return ViewMaker(reader, form, limits).make_whole(std::move(name), value, 0);
}

}  // namespace lantern
