// Views that the user declares in the settings: for values of a type, a text and named children,
// each an expression in which the value's own members are known by their bare names. Nothing of the
// program is run for them.
#pragma once

#include <string>
#include <vector>

#include "core/expressions/evaluator.h"
#include "core/support/pattern.h"
#include "core/values/meaning.h"

namespace lantern {

struct DeclaredView {
    std::string type;  // a name, or a pattern with *; compared with the name as values show it
    std::string text;  // an expression; empty: no text
    std::vector<std::pair<std::string, std::string>>
        children;          // name and expression; empty: the text alone
    std::string elements;  // an expression that gives the elements instead of named children
};

class DeclaredViews {
  public:
    explicit DeclaredViews(std::vector<DeclaredView> views);
    // What the first view that fits makes of the value; nothing if none does. Throws
    // ExpressionError, which names the view.
    std::optional<Meaning> meaning(const ValueReader& reader, const Value& value) const;

  private:
    struct Prepared {
        DeclaredView view;
        Pattern pattern;
    };
    std::vector<Prepared> views_;
};

}  // namespace lantern
