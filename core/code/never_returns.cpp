#include "core/code/never_returns.h"

#include <algorithm>
#include <cstring>
#include <map>

#include "core/code/kept_code.h"
#include "core/code/kept_unit.h"
#include "core/object/imports.h"
#include "core/support/error.h"
#include "core/target/linkage.h"

namespace lantern {
namespace {

constexpr std::size_t kDeepest = 16;                // of functions that call each other
constexpr std::uint64_t kLongestCallee = 64 << 10;  // bytes; beyond it may return

// Those of the C and C++ libraries (C23 §7.24.4, POSIX, Itanium C++ ABI §2.4), by the linker's
// name.
bool is_known_never_to_return(std::string_view name) {
    static constexpr std::string_view kNames[] = {
        "_Exit",
        "_Unwind_Resume",
        "_ZSt10unexpectedv",
        "_ZSt17rethrow_exceptionNSt15__exception_ptr13exception_ptrE",
        "_ZSt21__glibcxx_assert_failPKciS0_S0_",
        "_ZSt9terminatev",
        "__assert",
        "__assert_fail",
        "__assert_perror_fail",
        "__chk_fail",
        "__cxa_bad_cast",
        "__cxa_bad_typeid",
        "__cxa_deleted_virtual",
        "__cxa_pure_virtual",
        "__cxa_rethrow",
        "__cxa_throw",
        "__cxa_throw_bad_array_length",
        "__cxa_throw_bad_array_new_length",
        "__fortify_fail",
        "__longjmp_chk",
        "__stack_chk_fail",
        "_exit",
        "_longjmp",
        "abort",
        "exit",
        "longjmp",
        "pthread_exit",
        "quick_exit",
        "siglongjmp",
        "thrd_exit",
    };
    if (std::ranges::binary_search(kNames, name)) return true;
    // std::__throw_length_error and its kin.
    if (!name.starts_with("_ZSt")) return false;
    name.remove_prefix(4);
    std::size_t digits = name.find_first_not_of("0123456789");
    return digits != std::string_view::npos && name.substr(digits).starts_with("__throw_");
}

// What stands behind the calls of a function, in one unit.
struct Usage {
    std::size_t calls = 0;
    std::size_t before_own = 0;   // before code that nothing else leads to: it is come back to
    std::size_t before_ends = 0;  // where it is likely that nothing goes on: see is_end

    // As far as it is known yet.
    bool may_never_return() const { return calls >= 4 && before_own * 10 <= calls; }
    bool never_returns() const {
        return may_never_return() && before_ends >= 2 && before_ends * 6 >= calls;
    }
};

// A unit's calls, by callee, as its bytes show them: few that look like one are none.
struct UnitCalls {
    struct Call {
        FileAddress callee;
        std::uint32_t range;  // of the code
    };
    std::vector<FileRange> code;
    std::vector<Call> calls;
    std::map<FileAddress, bool> never_return;  // what has been asked already
};

void add_calls(const ModuleSymbols& symbols, std::uint32_t range, UnitCalls& unit) {
    constexpr int kCall = 0xe8;
    FileAddress low = unit.code[range].low;
    ByteSpan bytes = symbols.elf().loaded_bytes(low, unit.code[range].size());
    for (std::size_t at = 0; at + 5 <= bytes.size(); ++at) {
        const void* found = std::memchr(bytes.data() + at, kCall, bytes.size() - 4 - at);
        if (!found) return;
        at = static_cast<std::size_t>(static_cast<const std::byte*>(found) - bytes.data());
        std::int32_t distance;
        std::memcpy(&distance, bytes.data() + at + 1, sizeof distance);
        unit.calls.push_back(
            {low + at + 5 + static_cast<std::uint64_t>(std::int64_t{distance}), range});
    }
}

UnitCalls& calls_of(const ModuleSymbols& symbols, const dwarf::Unit& unit) {
    std::shared_ptr<void>& kept = kept_unit(symbols, unit).calls;
    if (kept) return *static_cast<UnitCalls*>(kept.get());
    auto made = std::make_shared<UnitCalls>();
    for (const Function* function : symbols.functions_of(unit))
        made->code.insert(made->code.end(), function->ranges.begin(), function->ranges.end());
    // The smallest first: most callees are seen to come back before a large one is decoded.
    std::ranges::stable_sort(made->code, {}, &FileRange::size);
    for (std::uint32_t i = 0; i < made->code.size(); ++i) add_calls(symbols, i, *made);
    std::ranges::stable_sort(made->calls, {}, &UnitCalls::Call::callee);
    kept = made;
    return *made;
}

// The instructions of one stretch of code, as far as they decode.
std::vector<Instruction> instructions_of(ByteSpan bytes, FileAddress low) {
    std::vector<Instruction> found;
    for (std::uint64_t offset = 0; offset < bytes.size(); offset += found.back().length) {
        auto instruction =
            decode_instruction(bytes.subspan(offset), RunAddress(low.value + offset));
        if (!instruction) break;
        found.push_back(std::move(*instruction));
    }
    return found;
}

// Before a gap that no loop begins behind, or before the like of itself: the ends of failed checks
// lie one behind the other, each led to from its check.
bool is_end(const std::vector<Instruction>& code, std::size_t call, std::size_t behind,
            bool begins_loop) {
    if (behind == code.size()) return true;
    if (behind > call + 1 && !begins_loop) return true;
    while (behind < code.size() && code[behind].kind == Instruction::Kind::ordinary) ++behind;
    return behind < code.size() && code[behind].kind == Instruction::Kind::call &&
           code[behind].target == code[call].target;
}

void look_behind_calls(const std::vector<Instruction>& code, FileAddress callee, Usage& usage) {
    std::map<RunAddress, bool> led_to;  // true: from further down
    for (const Instruction& each : code)
        if (each.target && each.kind != Instruction::Kind::call)
            led_to[*each.target] |= *each.target <= each.address;
    for (std::size_t i = 0; i < code.size(); ++i) {
        if (code[i].kind != Instruction::Kind::call || !code[i].target ||
            code[i].target->value != callee.value)
            continue;
        std::size_t behind = i + 1;
        while (behind < code.size() && code[behind].is_filler) ++behind;
        auto found = behind == code.size() ? led_to.end() : led_to.find(code[behind].address);
        bool is_led_to = found != led_to.end();
        if (!is_led_to && behind == i + 1 && behind < code.size())
            ++usage.before_own;
        else
            usage.before_ends += is_end(code, i, behind, is_led_to && found->second);
    }
}

bool never_returns_by_usage(const ModuleSymbols& symbols, const UnitCalls& unit,
                            FileAddress callee) {
    auto calls = std::ranges::equal_range(unit.calls, callee, {}, &UnitCalls::Call::callee);
    Usage usage;
    usage.calls = calls.size();
    for (auto call = calls.begin(); call != calls.end() && usage.may_never_return(); ++call) {
        if (call != calls.begin() && call->range == std::prev(call)->range) continue;
        const FileRange& range = unit.code[call->range];
        ByteSpan bytes = symbols.elf().loaded_bytes(range.low, range.size());
        look_behind_calls(instructions_of(bytes, range.low), callee, usage);
    }
    return usage.never_returns();
}

// A way out of the function: a return, or anything whose end is not known.
bool may_leave(const ModuleSymbols& symbols, const FlowGraph& flow, const FlowGraph::Node& node) {
    if (node.kind == Instruction::Kind::returns) return true;
    if (node.is_jump() && node.is_computed) return node.goes_out || !flow.targets_of(node);
    if (node.leaves() && !never_returns(symbols, *node.target)) return true;
    bool ends_here = node.kind == Instruction::Kind::call || node.kind == Instruction::Kind::jump ||
                     node.kind == Instruction::Kind::stops;
    return !ends_here && node.next == FlowGraph::kNone;
}

bool has_no_way_out(const ModuleSymbols& symbols, const FlowGraph& flow) {
    if (!flow.is_complete() || flow.entry() == FlowGraph::kNone) return false;
    std::vector<bool> seen(flow.nodes().size());
    std::vector<std::uint32_t> waiting{flow.entry()};
    // What only an exception leads to may go on as usual behind it.
    waiting.insert(waiting.end(), flow.landings().begin(), flow.landings().end());
    while (!waiting.empty()) {
        std::uint32_t at = waiting.back();
        waiting.pop_back();
        if (at == FlowGraph::kNone || seen[at]) continue;
        seen[at] = true;
        const FlowGraph::Node& node = flow.nodes()[at];
        if (may_leave(symbols, flow, node)) return false;
        waiting.push_back(node.next);
        waiting.push_back(node.branch);
        if (const auto* targets = flow.targets_of(node))
            waiting.insert(waiting.end(), targets->begin(), targets->end());
    }
    return true;
}

bool never_returns_by_code(const ModuleSymbols& symbols, const Function& function) {
    for (const FileRange& range : function.ranges)
        if (range.size() > kLongestCallee) return false;
    // Of functions that call each other, the one that is asked about again may return.
    static thread_local std::vector<const Function*> asked;
    if (asked.size() >= kDeepest || std::ranges::find(asked, &function) != asked.end())
        return false;
    asked.push_back(&function);
    bool found = false;
    try {
        KeptCode& code = kept_code(symbols, function);
        if (!code.never_returns) code.never_returns = has_no_way_out(symbols, code.flow());
        found = *code.never_returns;
    } catch (const FormatError&) {
    }
    asked.pop_back();
    return found;
}

}  // namespace

bool never_returns_by_slot(const ModuleSymbols& symbols, FileAddress slot) {
    return is_known_never_to_return(symbols.imports().name_of_slot(slot));
}

bool never_returns(const ModuleSymbols& symbols, FileAddress callee) {
    if (auto slot = slot_of_linkage_entry(symbols, callee))
        return never_returns_by_slot(symbols, *slot);
    // A program may have an `exit` of its own: its code tells more than its name.
    if (const Function* function = symbols.function_at(callee))
        return function->low() == callee && never_returns_by_code(symbols, *function);
    const ElfSymbol* symbol = symbols.symbol_table().covering(callee);
    return symbol && symbol->address == callee && is_known_never_to_return(symbol->name);
}

bool seems_never_to_return(const ModuleSymbols& symbols, const Function& caller,
                           FileAddress callee) {
    try {
        UnitCalls& unit = calls_of(symbols, *caller.unit);
        auto [verdict, is_new] = unit.never_return.try_emplace(callee, false);
        if (is_new) verdict->second = never_returns_by_usage(symbols, unit, callee);
        // Without optimisation gcc puts a gap behind any call that a function ends with.
        return verdict->second && looks_optimised(symbols.body_of(caller));
    } catch (const FormatError&) {
        return false;
    }
}

}  // namespace lantern
