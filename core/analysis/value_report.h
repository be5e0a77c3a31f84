// One value that was asked for, with what should be known beside it; and a place that was changed.
#pragma once

#include <optional>
#include <string>

#include "core/expressions/syntax.h"
#include "core/session/moment.h"

namespace lantern {

struct ValueReport {
    unsigned number = 0;  // "@number" is this result; 0: not numbered
    std::string expression;
    ValueView value;
    std::string note;  // such as: the program is not running
};

struct ChangeReport {
    std::string place;
    std::string before, after;
    std::string warning;  // it worked, but may not do what is wanted
};

struct ValueWish {
    std::string expression;
    std::optional<Form> form;  // nothing: the one that is set for it, else its natural one
    bool raw = false;          // without the views of library types
    bool everything = false;   // all its parts, however many
    std::uint64_t first = 0;   // of the elements, the first that is shown
};

// Of what the wish's expression has come to. It is added to the results of the moment's
// presentation. Throws ExpressionError, and MemoryError where all of the value cannot be read: a
// part that cannot is shown as such.
ValueReport report_value(const Moment& moment, const ValueWish& wish, const Expression& expression,
                         const Value& value);

// With whether it is set yet, where it is the value of a name, and with the doubts about what it is
// computed from.
ValueView view_of_value(const Moment& moment, const std::string& expression, const Value& value,
                        Form form, const ViewLimits& limits);
// Why the value is perhaps not that of here: of all of it, else of its first member of which that
// can be said; empty: there is no doubt.
std::string first_doubt(const ValueView& view);
// What the expression is now, as one line. Throws ExpressionError.
std::string value_line(const Moment& moment, const std::string& expression);
// Its bytes are taken as they are now: a result must not change when the program moves on. What is
// too large to keep stays where it is.
Value as_it_is_now(Target& target, const Value& value);

}  // namespace lantern
