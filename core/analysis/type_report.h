// What `type` answers: how a type is laid out in memory, member by member, and what of it is lost
// to padding.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/session/moment.h"

namespace lantern {

struct TypeRow {
    enum class Kind {
        member,
        base,
        virtual_base,
        vtable_pointer,
        static_member,
        padding,
        variant,
        discriminant
    } kind = Kind::member;
    unsigned depth = 0;  // inside anonymous members and variants
    std::string name, type;
    std::optional<std::uint64_t> offset;  // bytes from the start; nothing where it is not fixed
    std::uint64_t size = 0;               // bytes
    std::uint64_t bit_offset = 0,
                  bit_size = 0;  // of a bit-field; the offset within the byte at `offset`
    std::string value;           // of a static constant or a variant's discriminant
};

struct TypeReport {
    std::string name;     // qualified
    std::string wording;  // "structure", "union", "enumeration", "alias of …", "array of …"
    std::uint64_t size = 0;
    std::string file;
    std::uint32_t line = 0;
    bool is_incomplete = false;
    std::vector<TypeRow> rows;
    std::uint64_t padding = 0;  // bytes between and behind the members that nothing uses; of the
                                // type itself, not of its members' types
    bool has_variants = false;  // what is padding then depends on which one it is
    std::optional<std::uint64_t>
        virtual_bases_from;  // somewhere behind this offset lie the virtual bases
    struct Named {
        std::string name;
        std::int64_t value = 0;
    };
    std::vector<Named> enumerators;
    std::vector<std::string> methods;  // names of member functions, as declared
    std::vector<std::string>
        others;  // further definitions of that name: "structure of 16 bytes, gate.c:12"
};

// `text` names a type, or is an expression whose type is meant. Throws RequestError,
// ExpressionError.
TypeReport report_type(const Moment& moment, const std::string& text);

}  // namespace lantern
