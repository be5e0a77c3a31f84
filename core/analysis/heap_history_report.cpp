#include "core/analysis/heap_history_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>

#include "core/analysis/culprit.h"
#include "core/analysis/diagnosis.h"
#include "core/analysis/fault_cause.h"
#include "core/analysis/heap_content.h"
#include "core/analysis/source_report.h"
#include "core/analysis/statement_parts.h"
#include "core/expressions/evaluator.h"
#include "core/heap/reachability.h"
#include "core/support/error.h"
#include "core/support/text.h"

namespace lantern {
namespace {

// ---- who points to a block

// What our library has on the stack and in registers while it looks at a request is not the
// program's.
RunRange stack_of_library(const Moment& moment) {
    const Frame* first = moment.has_stack() ? moment.stack().frame(0) : nullptr;
    if (!first || !first->module || !first->module->is_heap_library()) return {};
    RunAddress low = first->registers.stack_pointer(), high = low;
    for (unsigned level = 0; const Frame* frame = moment.stack().frame(level); ++level) {
        high = frame->registers.stack_pointer();
        if (!frame->module || !frame->module->is_heap_library()) break;
    }
    return {low, high};
}

HeapPointers pointers_to(const Moment& moment, std::uint64_t block, const Progress& progress) {
    constexpr std::size_t kNamed = 6;
    HeapPointers found;
    Heap heap = read_heap(moment.target(), {});
    if (bytes_of_arenas(heap) == 0) return found;
    BlockIndex index(heap);
    std::uint32_t number = index.holding(block);
    if (number == BlockIndex::kNone) return found;
    auto add = [&](std::string who) {
        // Compilers keep a pointer in several places.
        if (std::ranges::find(found.named, who) != found.named.end()) return;
        if (found.named.size() < kNamed)
            found.named.push_back(std::move(who));
        else
            ++found.more;
    };
    RunRange of_library = stack_of_library(moment);
    for_each_root_word(moment.target(), heap, [&](std::uint64_t at, std::uint64_t word) {
        bool is_ours = of_library.size() && (at == 0 || of_library.contains(RunAddress(at)));
        if (index.holding(word) == number && !is_ours)
            add(at ? root_name(moment, RunAddress(at)) : "a register");
    });
    PointerGraph graph(moment.target(), heap, index, [&](double done) {
        if (progress) progress(done);
    });
    for (std::uint32_t i = 0; i < heap.blocks.size(); ++i) {
        if (!heap.blocks[i].is_in_use()) continue;
        for (BlockLink link : graph.links(i))
            if (link.block() == number)
                add(fmt::format("the block of {} bytes at {:#x}", heap.blocks[i].size(),
                                heap.blocks[i].address));
    }
    // What has a name says more than the registers and the unnamed words that hold the same.
    auto is_named = [](const std::string& who) {
        return who != "a register" && !who.starts_with("stack of frame");
    };
    if (std::ranges::any_of(found.named, is_named))
        std::erase_if(found.named, std::not_fn(is_named));
    return found;
}

std::string note_of(const NearBlock& near, std::uint64_t address) {
    bool is_beginning = near.side == NearBlock::Side::inside && near.distance == 0;
    return is_beginning
               ? ""
               : fmt::format("{:#x} is {}", address, near_words(near.side, near.distance, "it"));
}

}  // namespace

HeapLifeReport report_heap_life(const Moment& moment, RunAddress address,
                                const Progress& progress) {
    constexpr std::uint64_t kReach = 4096;
    HeapHistory history = required_history(moment);
    auto near = near_block(history.blocks(progress).all, address, kReach);
    if (!near)
        throw RequestError(
            fmt::format("{:#x} is in no block that lives or is kept back", address.value),
            Next::list_heap_blocks);
    HeapLifeReport report;
    report.life = life_of(moment, history, near->block);
    report.note = note_of(*near, address.value);
    report.pointers = pointers_to(moment, near->block.address, progress);
    return report;
}

// ---- findings

namespace {

// What stands in the brackets of the request, or behind the word delete.
std::string freed_expression(const std::string& statement) {
    for (std::string_view word : {"free(", "realloc(", "delete[] ", "delete "}) {
        std::size_t at = statement.find(word);
        if (at == std::string::npos || (at && is_word_letter(statement[at - 1]))) continue;
        std::string_view rest = std::string_view(statement).substr(at + word.size());
        int depth = 0;
        for (std::size_t i = 0; i < rest.size(); ++i) {
            if (rest[i] == '(' || rest[i] == '[') ++depth;
            bool ends = rest[i] == ';' || rest[i] == ',' || rest[i] == ')' || rest[i] == ']';
            if (ends && depth == 0) return std::string(trimmed(rest.substr(0, i)));
            if (rest[i] == ')' || rest[i] == ']') --depth;
        }
    }
    return {};
}

void fill_calls(const Moment& moment, HeapFinding& finding) {
    constexpr unsigned kFrames = 12;
    for (unsigned level = 0; finding.calls.size() < kFrames; ++level) {
        const Frame* frame = moment.stack().frame(level);
        if (!frame) break;
        if (frame->module && frame->module->is_heap_library()) continue;
        bool is_library = !frame->module || moment.libraries().is_library(*frame->module) ||
                          !frame->line || moment.libraries().is_library_source(frame->line->file);
        finding.calls.push_back({frame_function_name(*frame), frame->line ? frame->line->file : "",
                                 frame->line ? frame->line->line : 0, is_library});
    }
    auto own = std::ranges::find(finding.calls, false, &HeapCall::is_library);
    if (own == finding.calls.end()) return;
    finding.function = own->function;
    finding.file = own->file;
    finding.line = own->line;
    SourceReport source = report_source(moment, own->file, own->line, own->line);
    if (!source.rows.empty()) finding.statement = std::string(trimmed(source.rows[0].text));
}

// The block that the part of the statement lies in.
std::optional<HeapLife> block_of_part(const Moment& moment, const Diagnosis& diagnosis) {
    const Frame* frame = moment.stack().frame(diagnosis.part_level);
    if (!frame || diagnosis.part.empty()) return std::nullopt;
    try {
        Value value = evaluate(diagnosis.part, context_in(moment, *frame));
        if (!value.address) return std::nullopt;
        HeapHistory history = required_history(moment);
        auto near = near_block(history.blocks().all, *value.address, 1);
        if (near) return life_of(moment, history, near->block);
    } catch (const Error&) {  // it has no value here
    }
    return std::nullopt;
}

// A pointer that is all of one of the fills: what was read was never written, or is gone.
std::optional<HeapFault> fill_followed(const Moment& moment, const Diagnosis& diagnosis) {
    auto culprit = culprit_of(moment, moment.stop());
    if (!culprit || !HeapHistory::in(moment.target())) return std::nullopt;
    auto is_all = [&](unsigned char fill) {
        return culprit->value == fill * std::uint64_t{0x0101010101010101};
    };
    HeapFault fault;
    std::string part = diagnosis.part.empty() ? "the pointer" : diagnosis.part;
    if (is_all(heap_tables::kBirthFill)) {
        fault.kind = "followed a pointer that was never set";
        fault.what = fmt::format(
            "likely {} was never written since its block was born: it holds what new blocks are "
            "filled with ({:#x})",
            part, culprit->value);
    } else if (is_all(heap_tables::kDeathFill)) {
        fault.kind = "followed a pointer of a freed block";
        fault.what = fmt::format(
            "likely {} was read from a block that is freed: it holds what freed blocks are filled "
            "with ({:#x})",
            part, culprit->value);
    } else {
        return std::nullopt;
    }
    fault.life = block_of_part(moment, diagnosis);
    return fault;
}

// "touched behind the end", "used after it was freed"
void replace_verb(std::string& kind, std::string_view verb) {
    for (std::string_view general : {"touched", "used"})
        if (kind.starts_with(general)) {
            kind.replace(0, general.size(), verb);
            return;
        }
}

}  // namespace

std::optional<HeapFinding> heap_finding(const Moment& moment) {
    const Stop& stop = moment.stop();
    HeapFinding finding;
    if (stop.reason == StopReason::event && stop.cause == Cause::heap) {
        auto fault = found_by_heap_library(moment);
        if (!fault) return std::nullopt;
        finding.fault = std::move(*fault);
        fill_calls(moment, finding);
        finding.expression = freed_expression(finding.statement);
        return finding;
    }
    bool is_fault = stop.reason == StopReason::signal && stop.is_fault;
    if (!is_fault) return std::nullopt;
    Diagnosis diagnosis = diagnose(moment);
    auto fault = heap_fault_at(moment, stop.fault_address);
    if (fault) fault->what = diagnosis.what;
    if (!fault) fault = fill_followed(moment, diagnosis);
    if (!fault) return std::nullopt;
    finding.fault = std::move(*fault);
    if (auto writes = writes_at_fault(moment, stop))
        replace_verb(finding.fault.kind, *writes ? "written" : "read");
    finding.expression = diagnosis.part;
    fill_calls(moment, finding);
    return finding;
}

void add_pointers(const Moment& moment, HeapFinding& finding) {
    if (finding.fault.life) finding.pointers = pointers_to(moment, finding.fault.life->address, {});
}

bool are_alike(const HeapFinding& a, const HeapFinding& b) {
    bool is_same_place = a.fault.kind == b.fault.kind && a.function == b.function &&
                         a.file == b.file && a.line == b.line;
    if (!is_same_place || a.fault.life.has_value() != b.fault.life.has_value()) return false;
    return !a.fault.life || own_place(a.fault.life->born) == own_place(b.fault.life->born);
}

std::vector<std::string> heap_notes(const Moment& moment) {
    std::vector<std::string> notes;
    Target& target = moment.target();
    const Module& program = target.modules().front();
    if (program.symbols().elf().interpreter().empty())
        return {
            "the program is linked statically, and no library can be put in front of its "
            "allocator: nothing is known of the heap"};
    // The loader asks the program first, and then us.
    const ElfSymbol* own = program.symbols().symbol_table().named("malloc");
    if (own && own->is_function && own->is_global && own->address.value)
        notes.push_back(
            fmt::format("{} brings an allocator of its own, so that ours is not asked: "
                        "of its blocks nothing is known",
                        program.path().substr(program.path().rfind('/') + 1)));
    auto history = HeapHistory::in(target);
    if (!history) {
        bool is_loaded = std::ranges::any_of(target.modules(), &Module::is_heap_library);
        if (notes.empty())
            notes.push_back(is_loaded ? "the program has asked for no memory"
                                      : "the loader has not loaded the library, as it does not for "
                                        "programs that run with rights of another user: nothing is "
                                        "known of the heap");
        return notes;
    }
    const heap_tables::Head& head = history->head();
    if (head.guards_refused)
        notes.push_back(
            "the kernel gave no more pages to guard blocks with: from there on writes "
            "behind an end are found when the block is freed, reads are not");
    else if (head.guards_missed)
        notes.push_back(fmt::format(
            "as many blocks had a guarded page as may have one at a time, and {} got none: writes "
            "behind their ends are found when they are freed, or at the end; reads are not",
            with_thousands(head.guards_missed)));
    else if (head.named.count)
        notes.push_back(
            "only blocks of the places that were named have had a guarded page: of the others "
            "writes behind an end are found when they are freed, or at the end; reads are not");
    else if (head.guard_wish == 0)
        notes.push_back(
            "no block has a guarded page behind it: writes behind an end are found when "
            "the block is freed, or at the end; reads are not");
    else if (head.guard_births == 0)
        notes.push_back(
            "only the first blocks have had a guarded page behind them: writes behind "
            "the end of the others are found when they are freed, reads are not");
    auto has_page = [&](heap_tables::GuardPage page) {
        return head.guard_wish && head.guard_page == static_cast<std::uint64_t>(page);
    };
    if (has_page(heap_tables::GuardPage::at_end))
        notes.push_back(
            "blocks end where their page begins, so that their addresses are no multiples of 16: a "
            "program that needs those may fail where it does not fail alone");
    if (has_page(heap_tables::GuardPage::before))
        notes.push_back(
            "the guarded pages lie before the blocks: writes behind an end are found when the "
            "block is freed, or at the end; reads are not");
    return notes;
}

}  // namespace lantern
