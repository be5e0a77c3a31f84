// Which statement of a function gave a variable the value it has at another one, by the text of its
// source alone.
//
//     1  unsigned sum = first + 2;
//     2  if (late)
//     3      sum = 0;
//     4  note(sum);        at 4 it is 3 or 1, and the choice at 2 decides
//     5  sum = first * 3;
//     6  note(sum);        at 6 it was 5, and what it set it to is "first * 3"
//
// It errs towards "nobody can say": a variable whose address is taken, a loop that comes back to
// another assignment, a label, a macro that is handed it.
#pragma once

#include <functional>
#include <map>
#include <optional>

#include "core/analysis/source_touch.h"

namespace lantern {

class SourceChanges {
  public:
    // `is_function`: whether a name that is called is a function, and no macro that may set
    // anything.
    SourceChanges(std::vector<SourceStatement> statements, CodeLanguage language,
                  const std::function<bool(const std::string&)>& is_function);

    const std::vector<SourceStatement>& statements() const { return statements_; }
    // The statement that runs next where a line does; behind the last one for the brace that ends
    // the function, whose line is given. Nothing where none begins there, or several do.
    std::optional<std::size_t> statement_at(std::uint32_t line) const;
    // The head of a loop or choice with all of its body on that line: what runs first of it.
    std::optional<std::size_t> head_at(std::uint32_t line) const;
    // The last statement of the innermost block that the line is in, where the line is behind it:
    // the block's closing brace. Nothing where that is a loop or a choice itself.
    std::optional<std::size_t> last_of_block_at(std::uint32_t line) const;

    // Who set it, before the statement of that number runs. `name` may lead to a member
    // ("lock.level").
    struct Setter {
        enum class Kind {
            unknown,
            statement,
            choice,  // one of the ways of the choice that begins with the statement, or what is
                     // before
            nobody,  // it is what it was when the function was entered
        } kind = Kind::unknown;
        std::size_t statement = 0;

        bool operator==(const Setter&) const = default;
    };
    Setter setter(const std::string& name, std::size_t at) const;
    // The ways of a choice that begins with the statement: its `if`, each `else if`, its `else`.
    struct Way {
        std::size_t head = 0;
        std::string condition;    // as the source has it; empty: of an else
        bool leads_away = false;  // it ends with a return or the like: whoever comes behind the
                                  // choice has not gone it
    };
    // Empty where a condition is more than an expression.
    std::vector<Way> ways_of(std::size_t choice) const;
    // What decided that control comes to the statement `at`, the nearest first, as far back as
    // nothing may set the name: the conditions of the blocks around it, and those before it that
    // would have led away.
    struct Decision {
        std::size_t head = 0;
        std::string condition;
        bool held = true;
    };
    std::vector<Decision> decisions_before(const std::string& name, std::size_t at) const;
    // Who has set it last when that way has been gone, if it is gone to its end; nobody: no
    // statement of it.
    Setter setter_on(const std::string& name, const Way& way) const;
    // Those that set it, wherever they stand; none where others may set it too.
    std::vector<std::size_t> all_that_set(const std::string& name) const;
    // Those that set it, whoever else may; none where two variables have the name.
    std::vector<std::size_t> statements_that_set(const std::string& name) const;
    // Some statement declares a variable of that name.
    bool is_declared(const std::string& name) const;
    // Whether the statement itself may set it.
    bool may_set(const std::string& name, std::size_t statement) const;

    // What the statement sets it to: "first + 2"; of `sum += first` "sum + (first)". Nothing where
    // it is not that simple.
    // `member`: of a member, which it is of its structure, from 0: for a structure that is made of
    // several values at once.
    std::optional<std::string> text_of_value(const std::string& name, std::size_t statement,
                                             std::size_t member = kNoMember) const;
    static constexpr std::size_t kNoMember = ~std::size_t{0};

  private:
    const std::vector<SourceTouch>& touches(const std::string& name) const;  // by statement
    bool is_lost(const std::string& name) const;
    bool is_of_two(const std::string& name) const;
    bool leads_away(std::uint32_t block) const;
    bool may_be_passed_over(const SourceStatement& statement) const;
    std::optional<std::size_t> head_of(std::uint32_t block) const;
    std::optional<std::size_t> choice_of(std::size_t head) const;
    using Blocks = std::vector<std::uint32_t>;
    Setter last_between(const std::string& name, std::size_t first, std::size_t behind,
                        const Blocks& around) const;
    bool comes_back_to(const std::string& name, std::size_t at,
                       const std::vector<std::uint32_t>& but) const;
    void add_decisions_around(std::size_t head, std::vector<Decision>& decisions) const;

    std::vector<SourceStatement> statements_;
    CodeLanguage language_;
    mutable std::map<std::string, std::vector<SourceTouch>> touches_;  // what was asked before
    std::vector<bool> may_do_anything_;                                // by statement
    bool jumps_ = false;  // there is a goto, or a lambda that may set what is around it
};

}  // namespace lantern
