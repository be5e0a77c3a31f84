#include "core/analysis/became_statement.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "core/analysis/became_order.h"
#include "core/analysis/statement_parts.h"
#include "core/machine/operation.h"
#include "core/support/byte_reader.h"
#include "core/support/text.h"
#include "core/symbols/source_files.h"
#include "core/target/linkage.h"
#include "core/values/scalar_text.h"

namespace lantern {
namespace {

using Ground = BecameFact::Ground;
using Kind = SourceStatement::Kind;

// Of an expression that makes one number and nothing else (DWARF 5 §2.5.1.1, §2.6.1.1.4).
std::optional<std::int64_t> number_made_by(ByteSpan expression) {
    using enum dwarf::Op;
    ByteReader reader(expression, "location expression");
    if (reader.at_end()) return std::nullopt;
    std::optional<std::int64_t> number;
    std::uint8_t op = reader.u8();
    if (op >= DW_OP_lit0 && op < DW_OP_lit0 + 32)
        number = op - DW_OP_lit0;
    else if (op == DW_OP_const1u)
        number = reader.u8();
    else if (op == DW_OP_const1s)
        number = static_cast<std::int8_t>(reader.u8());
    else if (op == DW_OP_const2u)
        number = reader.u16();
    else if (op == DW_OP_const2s)
        number = static_cast<std::int16_t>(reader.u16());
    else if (op == DW_OP_const4u)
        number = reader.u32();
    else if (op == DW_OP_const4s)
        number = static_cast<std::int32_t>(reader.u32());
    else if (op == DW_OP_constu)
        number = static_cast<std::int64_t>(reader.uleb());
    else if (op == DW_OP_consts)
        number = reader.sleb();
    bool is_all = number && !reader.at_end() && reader.u8() == DW_OP_stack_value && reader.at_end();
    return is_all ? number : std::nullopt;
}

std::optional<std::int64_t> whole_number_of(const Variable& variable) {
    if (variable.constant) {
        bool is_number = variable.constant->form_class == dwarf::FormClass::constant;
        return is_number ? std::optional(static_cast<std::int64_t>(variable.constant->number))
                         : std::nullopt;
    }
    // Of several places each holds for a part of the scope only.
    bool is_everywhere = variable.locations.size() == 1 && !variable.locations[0].range;
    return is_everywhere ? number_made_by(variable.locations[0].expression) : std::nullopt;
}

// The name that a statement sets: `int level = …`, `level = …`, `let mut level = …`; empty: none.
std::string name_set_by(const std::string& text) {
    std::size_t at = text.find('=');
    bool sets = at != std::string::npos && at > 0 && text.compare(at, 2, "==") != 0 &&
                std::string_view("<>!+-*/%&|^").find(text[at - 1]) == std::string_view::npos;
    if (!sets) return {};
    std::string left(trimmed(std::string_view(text).substr(0, at)));
    if (std::size_t colon = left.find(": "); colon != std::string::npos) left.resize(colon);
    std::size_t begin = left.size();
    while (begin > 0 && is_word_letter(left[begin - 1])) --begin;
    bool is_member = begin > 0 && (left[begin - 1] == '.' || left[begin - 1] == '>');
    return is_member ? "" : left.substr(begin);
}

bool names(const std::string& text, const std::string& name) {
    auto all = names_in(text);
    return std::find(all.begin(), all.end(), name) != all.end();
}

class Statement {
  public:
    Statement(const Became& became, const std::vector<std::optional<std::size_t>>& source_loops,
              std::size_t number)
        : became_(became),
          source_loops_(source_loops),
          number_(number),
          statement_(became.statements[number]),
          code_(became.lines.together(statement_.first_line, statement_.last_line)) {}

    std::vector<BecameFact> facts() {
        facts_ = facts_of_calls(became_, code_);
        if (code_.nodes.empty()) {
            tell_why_gone();
        } else {
            tell_cold();
            tell_out_of_loop();
            if (auto order = fact_of_order(became_, number_)) facts_.push_back(std::move(*order));
            tell_choice();
        }
        return std::move(facts_);
    }

  private:
    void seen(std::string text) { facts_.push_back({Ground::seen, std::move(text)}); }
    void possible(std::string text) { facts_.push_back({Ground::possible, std::move(text)}); }

    // ---- where its code went

    void tell_cold() {
        const FileRange& usual = became_.function.ranges.front();
        auto cold = static_cast<std::size_t>(std::count_if(
            code_.nodes.begin(), code_.nodes.end(),
            [&](std::uint32_t node) { return !usual.contains(became_.code.node(node).address); }));
        if (!cold) return;
        seen(cold == code_.nodes.size()
                 ? "all of it is in a part of the function that lies elsewhere"
                 : fmt::format("{} of it are in a part of the function that lies elsewhere",
                               counted(cold, "instruction")));
    }

    // The innermost loop of the source that it stands in; a loop stands in the one around it.
    std::optional<std::size_t> loop_around() const {
        std::optional<std::size_t> found;
        for (std::size_t i = 0; i < number_; ++i) {
            const SourceStatement& other = became_.statements[i];
            bool is_around = other.kind == Kind::loop && other.last_line < statement_.first_line &&
                             other.body_last >= statement_.last_line;
            if (is_around) found = i;
        }
        return found;
    }

    // Everything of it runs before the loop that it stands in begins.
    void tell_out_of_loop() {
        auto loop = loop_around();
        if (!loop || statement_.kind != Kind::plain) return;
        const Blocks& blocks = became_.code.blocks;
        bool has_loop = false;
        for (std::size_t k = 0; k < blocks.loops().size(); ++k) {
            if (!is_of(k, *loop)) continue;
            has_loop = true;
            for (std::uint32_t node : code_.nodes) {
                std::uint32_t block = blocks.of_node(node);
                const auto& inside = blocks.loops()[k].blocks;
                bool is_inside = std::binary_search(inside.begin(), inside.end(), block);
                if (is_inside || !blocks.dominates(block, blocks.loops()[k].head)) return;
            }
        }
        if (has_loop)
            seen(fmt::format("taken out of the loop at line {}: it runs once, before that one",
                             became_.statements[*loop].first_line));
    }

    // The code's loop is that of the source's, or of one in it.
    bool is_of(std::size_t code_loop, std::size_t source_loop) const {
        auto mine = source_loops_[code_loop];
        if (!mine) return false;
        const SourceStatement& outer = became_.statements[source_loop];
        const SourceStatement& inner = became_.statements[*mine];
        return outer.first_line <= inner.first_line && inner.body_last <= outer.body_last;
    }

    void tell_choice() {
        bool is_choice =
            statement_.kind == Kind::choice ||
            (statement_.kind == Kind::plain && statement_.text.find(" ? ") != std::string::npos);
        if (!is_choice || statement_.text.starts_with("match")) return;
        std::uint32_t last = std::max(statement_.last_line, statement_.body_last);
        // A choice in the body has a conditional move of its own.
        for (std::size_t i = number_ + 1; i < became_.statements.size(); ++i) {
            const SourceStatement& inner = became_.statements[i];
            bool chooses_too =
                inner.kind == Kind::choice || inner.text.find(" ? ") != std::string::npos;
            if (inner.first_line <= last && chooses_too) last = statement_.last_line;
        }
        CodeOfLine all = became_.lines.together(statement_.first_line, last);
        bool jumps = std::any_of(code_.nodes.begin(), code_.nodes.end(), [&](std::uint32_t node) {
            return became_.code.node(node).kind == Instruction::Kind::conditional_jump;
        });
        bool chooses = std::any_of(all.nodes.begin(), all.nodes.end(), [&](std::uint32_t node) {
            auto operation = operation_of(became_.code.bytes(node));
            return operation && operation->chooses;
        });
        if (!jumps && chooses) seen("no jump is left of it: a conditional move chooses");
    }

    // ---- why nothing is left

    void tell_why_gone() {
        if (statement_.kind == Kind::declaration || statement_.kind == Kind::jump) return;
        if (auto merging = fact_of_merging(became_, number_)) return facts_.push_back(*merging);
        std::string name = name_set_by(statement_.text);
        const Variable* variable = name.empty() || statement_.kind == Kind::loop
                                       ? nullptr
                                       : local_named(became_.body.outermost, name);
        if (variable) return tell_of_variable(*variable);
        if (statement_.kind == Kind::choice) tell_of_check();
        if (auto loop = enclosing_gone()) {
            possible(fmt::format("nothing is left of the {} at line {} either",
                                 became_.statements[*loop].kind == Kind::loop ? "loop" : "choice",
                                 became_.statements[*loop].first_line));
        }
    }

    void tell_of_variable(const Variable& variable) {
        std::string name = escape_for_display(variable.name);
        if (auto number = constant_of(variable))
            return seen(fmt::format("{} is the constant {} to the compiler", name, *number));
        std::vector<std::string> readers;
        bool is_named = false;
        for (std::size_t i = 0; i < became_.statements.size(); ++i) {
            const SourceStatement& other = became_.statements[i];
            if (i == number_ || !names(other.text, variable.name)) continue;
            is_named = true;
            if (!became_.lines.together(other.first_line, other.last_line).nodes.empty())
                readers.push_back(std::to_string(other.first_line));
        }
        bool lives = std::any_of(
            variable.locations.begin(), variable.locations.end(),
            [](const dwarf::LocationRange& location) { return !location.expression.empty(); });
        if (readers.empty() && is_named)
            possible(fmt::format("nothing is left of the statements that name {}", name));
        else if (readers.empty())
            possible(fmt::format("no other statement names {}: its value is not needed", name));
        else if (lives)
            possible(fmt::format("its work is done in the code of other lines: {} is used at {} {}",
                                 name, readers.size() == 1 ? "line" : "lines",
                                 join_with(shortened(readers), "and")));
        else
            possible(
                fmt::format("{} is nowhere in the code: its value was worked out beforehand, "
                            "or put into {} {}, where it is used",
                            name, readers.size() == 1 ? "line" : "lines",
                            join_with(shortened(readers), "and")));
    }

    static std::vector<std::string> shortened(std::vector<std::string> lines) {
        constexpr std::size_t kMost = 5;
        if (lines.size() > kMost) {
            lines.resize(kMost);
            lines.push_back("more");
        }
        return lines;
    }

    // A pointer that is used before it is checked: the compiler may take it to be good (C17
    // §6.5.3.2: to follow a null pointer is undefined).
    void tell_of_check() {
        for (const std::string& name : names_in(statement_.text)) {
            bool is_null_check = statement_.text.find("!" + name) != std::string::npos ||
                                 statement_.text.find("(" + name + ")") != std::string::npos ||
                                 statement_.text.find(name + " == ") != std::string::npos ||
                                 statement_.text.find(name + " != ") != std::string::npos;
            const Variable* variable = local_named(became_.body.outermost, name);
            bool is_pointer =
                variable && variable->type && plain(*variable->type).kind == TypeKind::pointer;
            if (!is_null_check || !is_pointer) continue;
            for (std::size_t i = number_; i-- > 0;) {
                auto followed = pointers_followed_in(became_.statements[i].text);
                if (std::find(followed.begin(), followed.end(), name) == followed.end()) continue;
                possible(
                    fmt::format("line {} follows {} before it is checked here: the compiler "
                                "may take it to be good",
                                became_.statements[i].first_line, escape_for_display(name)));
                return;
            }
        }
    }

    std::optional<std::size_t> enclosing_gone() const {
        for (std::size_t i = number_; i-- > 0;) {
            const SourceStatement& other = became_.statements[i];
            bool is_around = (other.kind == Kind::loop || other.kind == Kind::choice) &&
                             other.last_line < statement_.first_line &&
                             other.body_last >= statement_.last_line;
            if (!is_around) continue;
            bool is_gone = became_.lines.together(other.first_line, other.last_line).nodes.empty();
            return is_gone ? std::optional(i) : std::nullopt;
        }
        return std::nullopt;
    }

    const Became& became_;
    const std::vector<std::optional<std::size_t>>& source_loops_;
    const std::size_t number_;
    const SourceStatement& statement_;
    CodeOfLine code_;
    std::vector<BecameFact> facts_;
};

}  // namespace

std::optional<std::string> constant_of(const Variable& variable) {
    auto number = whole_number_of(variable);
    if (!number || !variable.type) return std::nullopt;
    const Type& type = plain(*variable.type);
    if (type.kind != TypeKind::integer) return std::nullopt;
    return whole_text(number_as(type, Wide(*number)), type, Form::natural);
}

std::vector<BecameFact> facts_of_statement(
    const Became& became, const std::vector<std::optional<std::size_t>>& source_loops,
    std::size_t number) {
    return Statement(became, source_loops, number).facts();
}

std::vector<BecameFact> facts_of_calls(const Became& became, const CodeOfLine& code) {
    std::vector<BecameFact> facts;
    struct Inlined {
        std::size_t calls = 0, instructions = 0;
    };
    std::map<std::string, Inlined> inlined;
    for (const auto& [call, nodes] : code.inlined) {
        Inlined& of_name = inlined[name_in_fact(*call->inlined)];
        ++of_name.calls;
        of_name.instructions += nodes.size();
    }
    for (const auto& [name, of_name] : inlined) {
        std::string what = of_name.calls == 1
                               ? fmt::format("the call of {} is inlined", name)
                               : fmt::format("{} calls of {} are inlined", of_name.calls, name);
        facts.push_back(
            {Ground::seen, of_name.instructions
                               ? fmt::format("{}: {} left of it", what,
                                             counted(of_name.instructions, "instruction"))
                               : what + ", and nothing is left of it"});
    }
    for (std::uint32_t number : code.nodes) {
        const FlowGraph::Node& node = became.code.node(number);
        if (!node.leaves() || node.kind != Instruction::Kind::jump) continue;
        RunAddress target = became.module.to_run(*node.target);
        std::string name = name_behind_linkage_table(became.target, target);
        auto nearest = became.module.symbols().nearest_name(*node.target);
        if (name.empty() && nearest && nearest->offset == 0) name = nearest->name;
        if (!name.empty())
            facts.push_back({Ground::seen,
                             fmt::format("its call of {} is a jump: this function's frame is gone "
                                         "while that one runs",
                                         escape_for_display(name))});
    }
    return facts;
}

}  // namespace lantern
