// What a value means to the programmer, where that is more than how it lies in memory: a text,
// elements, a pointer with an owner. Views of library types (library/) and the user's own make one;
// the tree of a value is made from it.
#pragma once

#include <functional>
#include <string>

#include "core/support/error.h"
#include "core/values/value.h"

namespace lantern {

// The memory of a container contradicts itself. What was read before it was found holds.
class BrokenValue : public Error {
    using Error::Error;
};

// How the parts of a value belong to it: fields of a structure, elements by index, values by key,
// unnamed parts in order, what a pointer leads to.
enum class Arrangement { fields, elements, pairs, tuple, target };

struct Part {
    std::string name;  // of a field; elements and pairs have none
    Value value;
    std::optional<Value> key;  // of pairs
    std::optional<Value> pair =
        std::nullopt;  // the two together, where the container keeps them so
};

struct Meaning {
    std::string text;    // stands before the parts, or alone: "empty", "Some", "0x55… (2 owners)"
    std::string detail;  // told where one value is looked at alone: "3 elements, room for 4"
    std::optional<std::string> content;  // of a string type: its bytes as UTF-8, cut at the limit
    bool content_is_cut = false;
    bool holds_nothing = false;           // an owner or optional that has nothing to lead to
    std::optional<Value> alone;           // it is no more than a wrapping around this
    std::optional<Value> pointer;         // of an owner or an iterator: the bare pointer in it
    std::optional<std::uint64_t> owners;  // of what counts them
    Arrangement arrangement = Arrangement::fields;
    std::optional<std::uint64_t> count;  // of the parts, as far as the container says
    // The next part; nothing after the last. Throws BrokenValue. Empty: there are no parts.
    std::function<std::optional<Part>()> next;
};

}  // namespace lantern
