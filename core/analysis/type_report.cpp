#include "core/analysis/type_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

constexpr unsigned kDeepest = 20;

bool is_empty_class(const Type& type) {
    return type.kind == TypeKind::structure && type.size == 1 && type.members().empty();
}

// Bits a member takes, for finding what no member takes.
struct Taken {
    std::uint64_t from, to;
};

std::uint64_t bytes_as_base(const Type& type, unsigned depth = 0);

Taken bits_of(const Member& member, unsigned depth = 0) {
    if (member.bit_size) return {member.bit_offset, member.bit_offset + member.bit_size};
    const Type& type = plain(*member.type);
    std::uint64_t size = member.is_base_class ? bytes_as_base(type, depth) : type.size;
    return {member.offset * 8, (member.offset + size) * 8};
}

// A base leaves its tail to the members of the class that has it, and its virtual bases lie
// elsewhere (Itanium C++ ABI §2.4).
std::uint64_t bytes_as_base(const Type& type, unsigned depth) {
    if (depth > kDeepest) return type.size;
    std::uint64_t bits = 0;
    for (const Member& member : type.members())
        if (!member.is_virtual_base) bits = std::max(bits, bits_of(member, depth + 1).to);
    return (bits + 7) / 8;
}

bool has_virtual_base(const Type& type, unsigned depth = 0) {
    if (depth > kDeepest) return false;
    return std::any_of(type.members().begin(), type.members().end(), [&](const Member& member) {
        return member.is_virtual_base ||
               (member.is_base_class && has_virtual_base(plain(*member.type), depth + 1));
    });
}

class Layout {
  public:
    explicit Layout(TypeReport& report) : report_(report) {}

    void add(const Type& type, std::uint64_t base, unsigned depth) {
        std::vector<const Member*> members;
        for (const Member& member : type.members()) members.push_back(&member);
        std::stable_sort(members.begin(), members.end(), [](const Member* a, const Member* b) {
            if (a->is_virtual_base != b->is_virtual_base) return b->is_virtual_base;
            return bits_of(*a).from < bits_of(*b).from;
        });
        std::uint64_t reached = 0;
        for (const Member* member : members) {
            Taken taken = bits_of(*member);
            if (!member->is_virtual_base && type.kind != TypeKind::union_)
                pad(base, reached, taken.from, depth);
            add_member(*member, base, depth);
            if (!member->is_virtual_base) reached = std::max(reached, taken.to);
        }
        if (type.table && add_variants(type, base, depth)) return;
        if (has_virtual_base(type))
            report_.virtual_bases_from = (reached + 7) / 8;
        else if (type.size && !is_empty_class(type) && !(members.empty() && reached == 0))
            pad(base, reached, type.size * 8, depth);
    }

    void add_statics(const Type& type) {
        if (!type.table) return;
        for (const Member& member : type.table->read_static_members(type)) {
            TypeRow row;
            row.kind = TypeRow::Kind::static_member;
            row.name = member.name;
            row.type = type_text(*member.type);
            row.size = plain(*member.type).size;
            if (member.constant) row.value = std::to_string(*member.constant);
            report_.rows.push_back(std::move(row));
        }
    }

  private:
    void pad(std::uint64_t base, std::uint64_t from, std::uint64_t to, unsigned depth) {
        if (from >= to) return;
        TypeRow row;
        row.kind = TypeRow::Kind::padding;
        row.depth = depth;
        row.offset = base + from / 8;
        if (from % 8 || to % 8) {  // what is left of a byte that bit-fields share
            row.bit_offset = from % 8;
            row.bit_size = to - from;
        } else {
            row.size = (to - from) / 8;
        }
        report_.padding += (to - from) / 8;
        report_.rows.push_back(std::move(row));
    }

    void add_member(const Member& member, std::uint64_t base, unsigned depth) {
        const Type& type = plain(*member.type);
        TypeRow row;
        row.depth = depth;
        row.name = member.name;
        row.type = type_text(*member.type);
        row.size = type.size;
        row.bit_size = member.bit_size;
        if (member.bit_size) row.bit_offset = member.bit_offset % 8;
        row.offset = base + (member.bit_size ? member.bit_offset / 8 : member.offset);
        if (member.is_virtual_base) {
            row.kind = TypeRow::Kind::virtual_base;
            row.offset.reset();
        } else if (member.is_base_class) {
            row.kind = TypeRow::Kind::base;
            row.size = bytes_as_base(type);
        } else if (member.name.starts_with("_vptr")) {
            row.kind = TypeRow::Kind::vtable_pointer;
        }
        report_.rows.push_back(std::move(row));
        bool is_anonymous = member.name.empty() && !member.is_base_class &&
                            (type.kind == TypeKind::structure || type.kind == TypeKind::union_);
        if (is_anonymous && depth < kDeepest) add(type, base + member.offset, depth + 1);
    }

    bool add_variants(const Type& type, std::uint64_t base, unsigned depth) {
        std::vector<Variant> variants = type.table->read_variants(type);
        if (variants.empty()) return false;
        report_.has_variants = true;
        if (auto discriminant = type.table->read_discriminant(type)) {
            add_member(*discriminant, base, depth);
            report_.rows.back().kind = TypeRow::Kind::discriminant;
        }
        for (const Variant& variant : variants) add_variant(variant, base, depth);
        return true;
    }

    void add_variant(const Variant& variant, std::uint64_t base, unsigned depth) {
        TypeRow row;
        row.kind = TypeRow::Kind::variant;
        row.depth = depth;
        row.name = variant.name;
        row.value = variant.discriminant ? std::to_string(*variant.discriminant)
                    : variant.is_default ? "any other"
                                         : "";
        report_.rows.push_back(std::move(row));
        for (const Member& member : variant.members) {
            const Type& type = plain(*member.type);
            // A variant is one member whose type has the variant's fields.
            if (type.kind == TypeKind::structure && depth < kDeepest) {
                for (const Member& field : type.members())
                    add_member(field, base + member.offset, depth + 1);
            } else {
                add_member(member, base, depth + 1);
            }
        }
    }

    TypeReport& report_;
};

std::string wording_of(const Type& type) {
    switch (type.kind) {
        case TypeKind::structure: return "structure";
        case TypeKind::union_: return "union";
        case TypeKind::enumeration: return "enumeration";
        case TypeKind::alias: return "alias of " + type_text(target_of(type));
        case TypeKind::function: return "function";
        case TypeKind::array: return "array";
        case TypeKind::pointer: return "pointer";
        case TypeKind::reference: return "reference";
        default: return "";
    }
}

TypeReport describe(const Type& type, const ModuleSymbols* symbols) {
    TypeReport report;
    const Type& shown = type.kind == TypeKind::qualified ? plain(type) : type;
    std::string qualified = symbols && shown.entry_offset && !shown.name.empty()
                                ? symbols->qualified_name(shown.entry_offset)
                                : "";
    report.name = qualified.find("::") != std::string::npos ? qualified : type_text(type);
    report.wording = wording_of(shown);
    report.size = plain(shown).size;
    report.file = shown.declared_in;
    report.line = shown.declared_at;
    const Type& laid_out = plain(shown);
    report.is_incomplete = laid_out.is_incomplete;
    if (laid_out.kind == TypeKind::structure || laid_out.kind == TypeKind::union_) {
        Layout layout(report);
        layout.add(laid_out, 0, 0);
        layout.add_statics(laid_out);
        if (laid_out.table) report.methods = laid_out.table->read_methods(laid_out);
    }
    for (const Enumerator& one : laid_out.enumerators)
        report.enumerators.push_back({one.name, one.value});
    return report;
}

std::string short_place(const Type& type) {
    return type.declared_in.empty()
               ? ""
               : fmt::format("{}:{}", std::filesystem::path(type.declared_in).filename().string(),
                             type.declared_at);
}

}  // namespace

TypeReport report_type(const Moment& moment, const std::string& text) {
    std::string name(trimmed(text));
    if (name.empty())
        throw RequestError("the name of a type, or an expression, is missing",
                           "type struct chamber, for example");
    for (const Module& module : moment.target().modules()) {
        const ModuleSymbols& symbols = module.symbols();
        std::vector<const Type*> found = symbols.types_named(name);
        // A person may leave out C's keyword where that is not ambiguous with anything else.
        if (found.empty())
            for (const char* keyword : {"struct ", "union ", "enum "}) {
                found = symbols.types_named(keyword + name);
                if (!found.empty()) break;
            }
        if (found.empty()) continue;
        TypeReport report = describe(*found.front(), &symbols);
        for (std::size_t i = 1; i < found.size() && i < 20; ++i)
            report.others.push_back(
                fmt::format("{}  {} of {}  {}", symbols.qualified_name(found[i]->entry_offset),
                            wording_of(*found[i]), counted(plain(*found[i]).size, "byte"),
                            short_place(*found[i])));
        return report;
    }
    // What can only be meant as a type is not tried as an expression.
    bool is_type_name = name.ends_with('>') || name.starts_with("struct ") ||
                        name.starts_with("union ") || name.starts_with("enum ") ||
                        name.starts_with("class ");
    if (is_type_name)
        throw RequestError(fmt::format("the program has no type {}", quote(name)),
                           Next::find_types_by_pattern);
    Value value = evaluate(name, moment.context());
    const Type& type = plain(*value.type);
    const ModuleSymbols* holder = nullptr;
    for (const Module& module : moment.target().modules())
        if (type.table && &module.symbols().types() == type.table) holder = &module.symbols();
    TypeReport report = describe(*value.type, holder);
    return report;
}

}  // namespace lantern
