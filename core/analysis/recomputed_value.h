// The value of a variable that the compiler keeps nowhere, computed once more as the source says,
// from variables that have theirs:
//
//     14  unsigned wait = length * 2 + first;     `wait` is in no register and no slot
//     15  open(gate);                             but length and first are, and nothing has set
//     16  close(gate);          ◄ here            one of the three since line 14
//
// Whole numbers only, and nothing that reads memory or calls. Who set what is told by the text
// (SourceChanges): where that leaves a doubt, there is no value.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "core/analysis/source_changes.h"
#include "core/expressions/syntax.h"
#include "core/session/moment.h"

namespace lantern {

struct RecomputedValue {
    Value value;
    std::uint32_t line = 0;         // of the statement that set it; 0: it is what the caller passed
    std::string text;               // what the source sets it to: "length * 2 + first"
    std::vector<std::string> with;  // "length = 12"
    std::vector<std::string> decided_by;  // the same, of the conditions that led there
};

// In code that was not optimised each variable has one place for its whole scope.
bool has_one_place(const Variable& variable);

class RecomputedValues {
  public:
    // Both are borrowed. The source of the frame's own function is read once; never throws.
    RecomputedValues(const Moment& moment, const Frame& frame);

    // Of a variable of the frame's function, or of a member of one ("lock.level"); nothing where it
    // cannot be told. Never throws.
    std::optional<RecomputedValue> of(const std::string& name);
    // Null where the source cannot be asked: it is not here, or newer than the program.
    const SourceChanges* changes() const { return changes_.get(); }
    // The statement that the frame stands at.
    std::size_t here() const { return here_; }
    // At the brace that ends a block, where `here` is the last statement in it: a `continue` leads
    // there too, so it is not known which of the block's statements have run.
    bool is_at_brace() const { return is_at_brace_; }
    // Which present values are not to be relied on.
    void set_doubtful(std::function<bool(const std::string&)> is_doubtful) {
        is_doubtful_ = std::move(is_doubtful);
    }

    // Of a variable or member; null where the name is not that of just one.
    const Variable* variable_named(const std::string& name) const;
    const Type* type_of(const std::string& name) const;

  private:
    using Setter = SourceChanges::Setter;

    void read_variables(const Scope& scope);
    Setter setter(const std::string& name, std::size_t at) const;
    std::optional<RecomputedValue> as_of(const std::string& name, std::size_t at);
    std::optional<RecomputedValue> find_as_of(const std::string& name, std::size_t at);
    std::optional<RecomputedValue> set_by(const std::string& name, const Setter& setter);
    std::optional<RecomputedValue> computed(const std::string& name, std::size_t statement);
    std::optional<std::size_t> way_gone(const std::vector<SourceChanges::Way>& ways,
                                        std::size_t choice, std::vector<std::string>& with);
    std::optional<RecomputedValue> chosen(const std::string& name, std::size_t choice);
    // What the text comes to, with the variables as they were when the statement at `at` ran.
    std::optional<Value> value_of_text(const std::string& text, std::size_t at,
                                       std::vector<std::string>& with);
    std::size_t member_index(const std::string& name) const;
    std::optional<Value> present(const std::string& name) const;
    std::optional<Value> passed(const Variable& parameter) const;
    std::unique_ptr<Node> with_values(const Node& node, std::size_t at, Results& operands,
                                      std::vector<std::string>& with);

    const Moment& moment_;
    const Frame& frame_;
    std::shared_ptr<const SourceChanges> changes_;  // null where no value can be told
    std::map<std::string, std::vector<const Variable*>> variables_;
    std::size_t here_ = 0;    // the statement that the frame stands at
    bool has_begun_ = false;  // it may have run in part
    bool is_at_brace_ = false;
    unsigned operand_ = 0;  // numbers those of all trees
    std::function<bool(const std::string&)> is_doubtful_;
    using NameAt = std::pair<std::string, std::size_t>;
    std::set<NameAt> open_;  // what is being computed
    std::map<NameAt, std::optional<RecomputedValue>> known_;
};

}  // namespace lantern
