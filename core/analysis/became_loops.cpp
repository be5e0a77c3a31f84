#include "core/analysis/became_loops.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <set>

#include "core/analysis/became_passes.h"
#include "core/analysis/loop_text.h"
#include "core/code/loop_shape.h"
#include "core/code/ways.h"
#include "core/expressions/scope_names.h"
#include "core/support/text.h"
#include "core/symbols/names.h"
#include "core/symbols/position.h"
#include "core/target/linkage.h"

namespace lantern {
namespace {

constexpr unsigned kSmallestVector = 16;  // bytes

// A half of a vector is a number of 8 bytes, too: it counts where whole numbers are surely computed
// several at once.
bool moves_vectors(const LoopShape& shape) {
    unsigned least = shape.of_whole_numbers ? kSmallestVector / 2 : kSmallestVector;
    return std::ranges::any_of(shape.accesses,
                               [&](const LoopAccess& a) { return a.size >= least && a.step != 0; });
}

std::string with_vectors(const LoopShape& shape) {
    unsigned size = shape.vector_size;
    if (!size)
        for (const LoopAccess& access : shape.accesses)
            if (access.step) size = std::max(size, access.size);
    if (!shape.lane_size) return fmt::format("with vectors of {} bytes", size);
    return fmt::format("with vectors of {} numbers of {}", size / shape.lane_size,
                       counted(shape.lane_size, "byte"));
}

bool holds(const SourceStatement& loop, std::uint32_t line) {
    return loop.first_line <= line && line <= loop.body_last;
}

std::uint32_t length_of(const SourceStatement& loop) {
    return loop.body_last - loop.first_line;
}

class Loops {
  public:
    explicit Loops(const Became& became) : became_(became), shapes_(shapes_of_loops(became.code)) {}

    std::vector<std::optional<std::size_t>> source_loops() const {
        std::vector<std::optional<std::size_t>> found;
        for (const LoopShape& shape : shapes_) found.push_back(source_loop(shape));
        return found;
    }

    std::map<std::size_t, std::vector<BecameFact>> facts(
        const std::vector<std::optional<std::size_t>>& of_source) {
        std::map<std::size_t, std::vector<BecameFact>> facts;
        for (std::size_t i = 0; i < became_.statements.size(); ++i) {
            if (became_.statements[i].kind != SourceStatement::Kind::loop) continue;
            std::vector<const LoopShape*> mine;
            for (std::size_t k = 0; k < shapes_.size(); ++k)
                if (of_source[k] == i) mine.push_back(&shapes_[k]);
            auto told = mine.empty() ? facts_without(i) : facts_of(i, mine);
            if (!told.empty()) facts[i] = std::move(told);
        }
        return facts;
    }

  private:
    // The smallest loop of the source that has all the lines of the loop's own code. A little may
    // have been mixed in from elsewhere, but not the head of a loop around: then it is that one's
    // loop, and the inner one is gone.
    std::optional<std::size_t> source_loop(const LoopShape& shape) const {
        std::set<std::uint32_t> heads = inlined_ways_back(shape);
        if (!heads.empty() && owner_of_loop(became_, shape.loop)) return std::nullopt;
        std::map<std::uint32_t, std::size_t> lines = lines_of(shape);
        std::size_t all = 0;
        for (const auto& [line, count] : lines) all += count;
        std::optional<std::size_t> best;
        for (std::size_t i = 0; i < became_.statements.size(); ++i) {
            const SourceStatement& loop = became_.statements[i];
            if (loop.kind != SourceStatement::Kind::loop) continue;
            std::size_t inside = 0;
            bool has_other_head = false;
            for (const auto& [line, count] : lines) {
                if (holds(loop, line))
                    inside += count;
                else
                    has_other_head |= is_head_around(i, line);
            }
            bool fits =
                all && inside * 10 >= all * 9 && !has_other_head && goes_on_in(i, heads, lines);
            if (fits && (!best || length_of(loop) < length_of(became_.statements[*best]))) best = i;
        }
        return best;
    }

    // The lines of calls that were inlined and that the loop leads back in: a loop of such a call,
    // or an iterator that goes on to the next.
    std::set<std::uint32_t> inlined_ways_back(const LoopShape& shape) const {
        const Blocks& blocks = became_.code.blocks;
        std::uint32_t head = blocks.loops()[shape.loop].head;
        std::set<std::uint32_t> lines;
        for (std::uint32_t before : blocks.all()[head].from) {
            std::uint32_t last = blocks.all()[before].end - 1;
            if (blocks.dominates(head, before) && became_.lines.is_inlined(last))
                lines.insert(became_.lines.line_of(last));
        }
        return lines;
    }

    // An iterator goes on in the head of the loop, and something of its body runs in between.
    bool goes_on_in(std::size_t number, const std::set<std::uint32_t>& heads,
                    const std::map<std::uint32_t, std::size_t>& lines) const {
        const SourceStatement& loop = became_.statements[number];
        auto is_of_head = [&](std::uint32_t line) {
            return loop.first_line <= line && line <= loop.last_line;
        };
        bool has_body = std::ranges::any_of(lines, [&](const auto& each) {
            return loop.last_line < each.first && each.first <= loop.body_last;
        });
        return heads.empty() || (has_body && std::ranges::all_of(heads, is_of_head));
    }

    bool is_head_around(std::size_t loop, std::uint32_t line) const {
        for (const SourceStatement& other : became_.statements) {
            bool is_around = other.kind == SourceStatement::Kind::loop &&
                             other.first_line < became_.statements[loop].first_line &&
                             other.body_last >= became_.statements[loop].body_last;
            if (is_around && other.first_line <= line && line <= other.last_line) return true;
        }
        return false;
    }

    // How many instructions each line has in the loop, those of loops in it left out.
    std::map<std::uint32_t, std::size_t> lines_of(const LoopShape& shape) const {
        std::map<std::uint32_t, std::size_t> lines;
        for_each_own_node(became_.code.blocks, shape.loop, [&](std::uint32_t node) {
            if (std::uint32_t line = became_.lines.line_of(node)) ++lines[line];
        });
        return lines;
    }

    std::string text_of_body(std::size_t number) const {
        const SourceStatement& loop = became_.statements[number];
        std::string text;
        for (std::size_t i = number; i < became_.statements.size(); ++i)
            if (i == number || (became_.statements[i].first_line <= loop.body_last))
                text += became_.statements[i].text + "; ";
        return text;
    }

    const Type* type_of(const std::string& name) const {
        if (const Variable* local = local_named(became_.body.outermost, name)) return local->type;
        Frame frame;
        frame.module = &became_.module;
        frame.function = &became_.function;
        const Module* found_in = nullptr;
        auto global = find_global(became_.target, &frame, name, found_in);
        return global ? global->type : nullptr;
    }

    // Of a path that the text names: `levels`, `gauge->flows`, `weir.flows`. Null: not known.
    const Type* type_of_path(const std::string& path) const {
        std::size_t end = path.find_first_of(".-");
        const Type* type = type_of(path.substr(0, end));
        while (type && end != std::string::npos) {
            std::size_t begin = end + (path[end] == '.' ? 1 : 2);
            end = path.find_first_of(".-", begin);
            std::string name = path.substr(begin, end == std::string::npos ? end : end - begin);
            const Type* of = &plain(*type);
            if (of->kind == TypeKind::pointer || of->kind == TypeKind::reference)
                of = of->target ? &plain(*of->target) : nullptr;
            type = nullptr;
            if (!of || of->kind != TypeKind::structure) break;
            for (const Member& member : of->members())
                if (member.name == name) type = member.type;
        }
        return type;
    }

    // Sizes of the elements that move with the loop's variable, in bytes; 0 among them: not known.
    std::set<std::uint64_t> element_sizes(const std::string& text,
                                          const std::string& variable) const {
        std::set<std::uint64_t> sizes;
        for (std::size_t at = text.find('['); at != std::string::npos;
             at = text.find('[', at + 1)) {
            std::size_t close = text.find(']', at);
            if (close == std::string::npos) return {};
            IndexMoves moves = moves_of(text.substr(at + 1, close - at - 1), variable);
            if (moves == IndexMoves::not_at_all) continue;
            std::size_t begin =
                moves == IndexMoves::otherwise ? std::string::npos : path_before(text, at);
            const Type* type =
                begin == std::string::npos ? nullptr : type_of_path(text.substr(begin, at - begin));
            const Type* base = type ? &plain(*type) : nullptr;
            bool has_elements = base && base->target &&
                                (base->kind == TypeKind::array || base->kind == TypeKind::pointer);
            sizes.insert(has_elements ? plain(*base->target).size : 0);
        }
        return sizes;
    }

    static std::set<std::uint64_t> steps_of(const LoopShape& shape) {
        std::set<std::uint64_t> steps;
        for (const LoopAccess& access : shape.accesses)
            if (access.step) steps.insert(static_cast<std::uint64_t>(std::abs(access.step)));
        return steps;
    }

    // How far each pointer moves in one pass of the source, where `*at++` is all that moves it, in
    // bytes; 0 among them: not known.
    std::set<std::uint64_t> pointer_steps(const std::string& text) const {
        std::map<std::string, std::uint64_t> times;
        for (std::size_t at = text.find("++"); at != std::string::npos;
             at = text.find("++", at + 2)) {
            std::size_t begin = path_before(text, at);
            bool is_walk = begin != std::string::npos && begin > 0 && text[begin - 1] == '*';
            if (!is_walk) return {};
            ++times[text.substr(begin, at - begin)];
        }
        std::set<std::uint64_t> steps;
        for (const auto& [path, count] : times) {
            const Type* type = type_of_path(path);
            const Type* base = type ? &plain(*type) : nullptr;
            bool is_pointer = base && base->kind == TypeKind::pointer && base->target;
            steps.insert(is_pointer ? plain(*base->target).size * count : 0);
        }
        return steps;
    }

    // How far one pass of the source goes through what it names, in bytes. Empty: not known.
    std::set<std::uint64_t> source_steps(std::size_t number) const {
        std::string text = text_of_body(number);
        if (text.find('[') == std::string::npos) return pointer_steps(text);
        const std::string& head = became_.statements[number].text;
        std::string variable = loop_variable(head);
        if (variable.empty() || is_set_in(text.substr(head.size()), variable)) return {};
        std::set<std::uint64_t> steps;
        for (std::uint64_t size : element_sizes(text, variable))
            steps.insert(size * source_step(head));
        return steps;
    }

    // How many passes of the source one pass of the loop does, by how far both move. 0: it is not
    // told.
    std::uint64_t passes_at_once(std::size_t number, const LoopShape& shape) const {
        std::set<std::uint64_t> steps = steps_of(shape), sources = source_steps(number);
        if (steps.empty() || steps.size() != sources.size() || *sources.begin() == 0) return 0;
        std::uint64_t passes = 0;
        auto source = sources.begin();
        for (std::uint64_t step : steps) {
            std::uint64_t one = *source++;
            if (step % one || (passes && passes != step / one)) return 0;
            passes = step / one;
        }
        return passes;
    }

    std::vector<BecameFact> facts_of(std::size_t number,
                                     const std::vector<const LoopShape*>& shapes) {
        std::vector<BecameFact> facts;
        for (const LoopShape* shape : shapes) {
            std::uint64_t passes = shape->is_innermost ? passes_at_once(number, *shape) : 0;
            std::string work = vector_work(*shape), text;
            if (!work.empty() && passes > 1)
                text = fmt::format("one pass of its loop does {} of the source's, {}", passes,
                                   with_vectors(*shape));
            else if (!work.empty())
                text = "its loop " + work;
            else if (passes > 1)
                text =
                    fmt::format("unrolled: one pass of its loop does {} of the source's", passes);
            if (text.empty()) continue;
            facts.push_back({BecameFact::Ground::seen,
                             fmt::format("{} ({})", text, place_of_loop(became_, *shape))});
        }
        if (shapes.size() > 1)
            facts.push_back({BecameFact::Ground::seen,
                             fmt::format("the code has {} loops of it", shapes.size())});
        // How the passes of an iterator lie is not told.
        std::vector<std::uint32_t> loops;
        for (const LoopShape* shape : shapes)
            if (inlined_ways_back(*shape).empty()) loops.push_back(shape->loop);
        if (loops.size() < shapes.size()) return facts;
        auto of_passes = facts_of_passes(became_, number, loops);
        facts.insert(facts.end(), of_passes.begin(), of_passes.end());
        return facts;
    }

    // A loop of the source of which the code has none.
    std::vector<BecameFact> facts_without(std::size_t number) {
        const SourceStatement& loop = became_.statements[number];
        CodeOfLine code = became_.lines.together(loop.first_line, loop.body_last);
        if (code.nodes.empty()) return {};
        std::string text = text_of_body(number);
        for (std::uint32_t node : code.nodes) {
            std::string called = called_by(node);
            if (called.empty() || text.find(called) != std::string::npos) continue;
            for (std::string_view known : {"memset", "memcpy", "memmove", "strlen"})
                if (called == known)
                    return {
                        {BecameFact::Ground::seen, fmt::format("it became a call of {}", called)}};
        }
        for (std::uint32_t node : code.nodes)
            if (!goes_straight(number, node)) return {};
        return {{BecameFact::Ground::seen, "no loop is left of it: its code runs straight on"}};
    }

    // The node is in no loop of the code but those of the loops around.
    bool goes_straight(std::size_t number, std::uint32_t node) const {
        const Blocks& blocks = became_.code.blocks;
        const SourceStatement& loop = became_.statements[number];
        std::uint32_t innermost = blocks.innermost_loop(blocks.of_node(node));
        for (std::uint32_t around = innermost; around != Blocks::kNone;
             around = blocks.loops()[around].outer) {
            auto of = source_loop(shapes_[around]);
            bool is_around = of && became_.statements[*of].first_line < loop.first_line &&
                             became_.statements[*of].body_last >= loop.body_last;
            if (!is_around) return false;
        }
        return !comes_back(blocks.of_node(node), innermost);
    }

    // There is a way from the block to itself that does not go through the head of the loop: round
    // and round, though no loop with one entry.
    bool comes_back(std::uint32_t block, std::uint32_t loop) const {
        const Blocks& blocks = became_.code.blocks;
        std::uint32_t head = loop == Blocks::kNone ? Blocks::kNone : blocks.loops()[loop].head;
        return leads_on_to(blocks, block, head, [&](std::uint32_t to) { return to == block; });
    }

    std::string called_by(std::uint32_t node) const {
        const FlowGraph::Node& call = became_.code.node(node);
        bool is_call = call.target && !became_.lines.is_inlined(node) &&
                       (call.kind == Instruction::Kind::call || call.leaves());
        if (!is_call) return {};
        return name_behind_linkage_table(became_.target, became_.module.to_run(*call.target));
    }

    const Became& became_;
    std::vector<LoopShape> shapes_;
};

}  // namespace

const Variable* local_named(const Scope& scope, const std::string& name) {
    for (const Variable& variable : scope.variables)
        if (variable.name == name) return &variable;
    for (const auto& inner : scope.inner)
        if (!inner->inlined)
            if (const Variable* found = local_named(*inner, name)) return found;
    return nullptr;
}

std::string name_in_fact(const InlinedCall& call) {
    constexpr std::size_t kLong = 60;
    return escape_for_display(call.name.size() > kLong ? without_all_template_arguments(call.name)
                                                       : call.name);
}

std::string vector_work(const LoopShape& shape) {
    if (!shape.is_innermost || !moves_vectors(shape)) return {};
    return fmt::format(
        "{} {}", shape.vector_size ? "computes with several numbers at once," : "moves memory",
        with_vectors(shape));
}

std::string place_of_loop(const Became& became, const LoopShape& shape) {
    const Blocks& blocks = became.code.blocks;
    std::uint32_t first = blocks.all()[blocks.loops()[shape.loop].head].first;
    return fmt::format("at {:#x}", became.module.to_run(became.code.node(first).address).value);
}

namespace {

// The body of a loop may be all of one inlined call, and the loop its caller's: that leads back.
bool leads_back_in(const Became& became, std::uint32_t loop, const Scope* call) {
    const Blocks& blocks = became.code.blocks;
    std::uint32_t head = blocks.loops()[loop].head;
    return std::ranges::all_of(blocks.all()[head].from, [&](std::uint32_t before) {
        std::uint32_t last = blocks.all()[before].end - 1;
        return !blocks.dominates(head, before) || !became.lines.line_of(last) ||
               is_within(became.lines.call_of(last), call);
    });
}

}  // namespace

const Scope* owner_of_loop(const Became& became, std::uint32_t loop) {
    std::map<const Scope*, std::size_t> counts;
    std::size_t all = 0;
    for_each_own_node(became.code.blocks, loop, [&](std::uint32_t node) {
        all += became.lines.line_of(node) != 0;
        for (const Scope* call = became.lines.call_of(node); call; call = call->around)
            ++counts[call];
    });
    auto depth = [](const Scope* call) {
        int depth = 0;
        for (; call; call = call->around) ++depth;
        return depth;
    };
    const Scope* owner = nullptr;
    for (const auto& [call, count] : counts)
        if (count * 10 >= all * 9 && depth(call) > depth(owner) &&
            leads_back_in(became, loop, call))
            owner = call;
    return owner;
}

std::vector<std::optional<std::size_t>> source_loops(const Became& became) {
    return Loops(became).source_loops();
}

std::map<std::size_t, std::vector<BecameFact>> facts_of_loops(
    const Became& became, const std::vector<std::optional<std::size_t>>& of_source) {
    return Loops(became).facts(of_source);
}

}  // namespace lantern
