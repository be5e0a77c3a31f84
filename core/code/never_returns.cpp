#include "core/code/never_returns.h"

#include <algorithm>
#include <map>

#include "core/code/kept_code.h"
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
        "err",
        "errx",
        "exit",
        "longjmp",
        "pthread_exit",
        "quick_exit",
        "siglongjmp",
        "thrd_exit",
        "verr",
        "verrx",
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
    unsigned calls = 0;
    unsigned before_others = 0;  // before a gap, or code that a jump leads to
    unsigned before_ends = 0;    // the same, where it is likely that nothing goes on: see is_end
};
struct UnitUsage {
    std::map<FileAddress, Usage> of;  // by callee
};

// The instructions of one stretch of code, as far as they decode.
std::vector<Instruction> instructions_of(const ModuleSymbols& symbols, const FileRange& range) {
    std::vector<Instruction> found;
    ByteSpan bytes = symbols.elf().loaded_bytes(range.low, range.size());
    for (std::uint64_t offset = 0; offset < bytes.size(); offset += found.back().length) {
        auto instruction =
            decode_instruction(bytes.subspan(offset), RunAddress(range.low.value + offset));
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

void add_usage(const ModuleSymbols& symbols, const FileRange& range, UnitUsage& usage) {
    std::vector<Instruction> code = instructions_of(symbols, range);
    std::map<RunAddress, bool> led_to;  // true: from further down
    for (const Instruction& each : code)
        if (each.target && each.kind != Instruction::Kind::call)
            led_to[*each.target] |= *each.target <= each.address;
    for (std::size_t i = 0; i < code.size(); ++i) {
        if (code[i].kind != Instruction::Kind::call || !code[i].target) continue;
        std::size_t behind = i + 1;
        while (behind < code.size() && code[behind].is_filler) ++behind;
        auto found = behind == code.size() ? led_to.end() : led_to.find(code[behind].address);
        bool is_led_to = found != led_to.end();
        Usage& of = usage.of[FileAddress(code[i].target->value)];
        ++of.calls;
        if (!is_led_to && behind == i + 1 && behind < code.size()) continue;
        ++of.before_others;
        of.before_ends += is_end(code, i, behind, is_led_to && found->second);
    }
}

const UnitUsage& usage_of(const ModuleSymbols& symbols, const dwarf::Unit& unit) {
    std::shared_ptr<void>& kept = symbols.kept_with(unit);
    if (kept) return *static_cast<const UnitUsage*>(kept.get());
    auto made = std::make_shared<UnitUsage>();
    for (const Function* function : symbols.functions_of(unit))
        for (const FileRange& range : function->ranges) add_usage(symbols, range, *made);
    kept = made;
    return *made;
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
    const ElfSymbol* symbol = symbols.symbol_table().covering(callee);
    if (symbol && symbol->address == callee && is_known_never_to_return(symbol->name)) return true;
    const Function* function = symbols.function_at(callee);
    return function && function->low() == callee && never_returns_by_code(symbols, *function);
}

bool seems_never_to_return(const ModuleSymbols& symbols, const Function& caller,
                           FileAddress callee) {
    constexpr unsigned kLeastCalls = 4, kLeastEnds = 2;
    const UnitUsage& usage = usage_of(symbols, *caller.unit);
    auto found = usage.of.find(callee);
    if (found == usage.of.end()) return false;
    const Usage& of = found->second;
    bool is_so = of.calls >= kLeastCalls && of.before_others * 10 >= of.calls * 9 &&
                 of.before_ends >= kLeastEnds && of.before_ends * 6 >= of.calls;
    // Without optimisation gcc puts a gap behind any call that a function ends with.
    return is_so && looks_optimised(symbols.body_of(caller));
}

}  // namespace lantern
