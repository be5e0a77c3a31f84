#include "core/analysis/allocator_abort.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "core/analysis/statement_parts.h"
#include "core/expressions/evaluator.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

bool is_of_allocator(const std::string& function) {
    static constexpr std::array<std::string_view, 12> kNames = {
        "free",   "cfree",          "__libc_free",   "malloc",       "__libc_malloc", "realloc",
        "calloc", "__libc_realloc", "__libc_calloc", "reallocarray", "aligned_alloc", "memalign"};
    return std::ranges::find(kNames, function) != kNames.end();
}

// Up to what ends the first argument: a comma or a bracket of the same depth, or the statement.
std::string first_argument(std::string_view text) {
    int depth = 0;
    std::size_t end = 0;
    for (; end < text.size(); ++end) {
        char c = text[end];
        if (c == '(' || c == '[') ++depth;
        if ((c == ')' || c == ']') && depth-- == 0) break;
        if (c == ';' || (c == ',' && depth == 0)) break;
    }
    return std::string(trimmed(text.substr(0, end)));
}

// What stands behind each use of the word in the statement.
void add_arguments(const std::string& statement, const std::string& word,
                   std::vector<std::string>& arguments) {
    for (std::size_t at = 0; (at = statement.find(word, at)) != std::string::npos;
         at += word.size()) {
        if (at && (is_word_letter(statement[at - 1]) || statement[at - 1] == '.')) continue;
        arguments.push_back(first_argument(std::string_view(statement).substr(at + word.size())));
    }
}

bool is_in_arena(const Heap& heap, RunAddress address) {
    return std::ranges::any_of(heap.arenas, [&](const HeapArena& arena) {
        return std::ranges::any_of(arena.pieces,
                                   [&](const RunRange& piece) { return piece.contains(address); });
    });
}

// A freed block may have become part of a larger one, or of the room at the end.
std::string state_of_block(const Heap& heap, RunAddress address, const Moment& moment) {
    const HeapBlock* block = heap.block_at(address);
    std::string note = block_note(heap, address);
    // Behind a damaged header the blocks are not known, nor all that have a mapping of their own.
    if (!block && is_in_arena(heap, address))
        return heap.damage.empty()
                   ? "leads to free memory of the heap, where no block is (any more)"
                   : "";
    if (!block) {
        auto region = moment.target().region_at(address);
        if (!region || region->name.empty() || region->name == "[heap]") return {};
        std::string what = moment.surroundings().describe(address);
        return fmt::format("is {:#x}, which is no block of the heap{}", address.value,
                           what.empty() ? "" : " (" + what + ")");
    }
    bool begins_here = address.value == block->address;
    bool is_free =
        block->state() == HeapBlock::State::free || block->state() == HeapBlock::State::cached;
    if (is_free && !begins_here) return fmt::format("leads to free memory of the heap ({})", note);
    if (is_free) return fmt::format("leads to a block that has been freed already ({})", note);
    if (!begins_here) return fmt::format("leads not to where a block begins: {}", note);
    auto behind = std::ranges::find_if(heap.damage, [&](const HeapDamage& damage) {
        return damage.before && damage.before->address == block->address;
    });
    if (behind != heap.damage.end())
        return fmt::format("leads to a {}; what lies behind its end is written over", note);
    return fmt::format("leads to a {}", note);
}

}  // namespace

std::string what_is_freed_in(const std::string& statement) {
    std::vector<std::string> arguments;
    for (const char* word : {"free(", "realloc(", "delete[] ", "delete "})
        add_arguments(statement, word, arguments);
    bool is_one = !arguments.empty() &&
                  std::ranges::all_of(arguments, [&](auto& each) { return each == arguments[0]; });
    return is_one ? arguments[0] : "";
}

std::optional<AllocatorAbort> allocator_abort(const Moment& moment, unsigned level,
                                              const std::string& statement) {
    std::string called;
    for (unsigned at = 0; at < level; ++at) {
        const Frame* frame = moment.stack().frame(at);
        bool is_systems = frame && frame->module && frame->module->is_system_library();
        if (is_systems && is_of_allocator(frame_function_name(*frame)))
            called = frame_function_name(*frame);
    }
    const Frame* own = moment.stack().frame(level);
    if (called.empty() || !own) return std::nullopt;
    AllocatorAbort abort;
    abort.heap = read_heap_given_up(moment.target(), moment.thread());
    std::string argument = what_is_freed_in(statement);
    bool is_handed_one =
        called.find("free") != std::string::npos || called.find("realloc") != std::string::npos;
    if (!abort.heap || argument.empty() || !is_handed_one) return abort;
    try {
        EvaluationContext context = context_in(moment, *own);
        std::uint64_t at = ValueReader(moment.target()).integer(evaluate(argument, context));
        abort.argument_is = state_of_block(*abort.heap, RunAddress(at), moment);
        if (!abort.argument_is.empty()) abort.argument = argument;
    } catch (const Error&) {  // it has no value here, or is a call
    }
    return abort;
}

}  // namespace lantern
