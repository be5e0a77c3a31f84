#include "core/session/heap_events.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "core/machine/page.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/symbols/code_query.h"
#include "core/symbols/demangle.h"

namespace lantern {
namespace {

using heap_tables::Fault;
using heap_tables::Way;

std::string_view way_word(Way way) {
    switch (way) {
        case Way::malloc: return "malloc";
        case Way::calloc: return "calloc";
        case Way::realloc: return "realloc";
        case Way::aligned: return "aligned_alloc";
        case Way::free: return "free";
        case Way::new_object: return "new";
        case Way::new_array: return "new[]";
        case Way::delete_object: return "delete";
        case Way::delete_array: return "delete[]";
        case Way::read: return "read";
        case Way::pread: return "pread";
        case Way::recv: return "recv";
        case Way::recvfrom: return "recvfrom";
        case Way::fread: return "fread";
        case Way::write: return "write";
        case Way::pwrite: return "pwrite";
        case Way::send: return "send";
        case Way::sendto: return "sendto";
        case Way::fwrite: return "fwrite";
        case Way::readv: return "readv";
        case Way::preadv: return "preadv";
        case Way::recvmsg: return "recvmsg";
        case Way::writev: return "writev";
        case Way::pwritev: return "pwritev";
        case Way::sendmsg: return "sendmsg";
        case Way::readlink: return "readlink";
        case Way::getcwd: return "getcwd";
        case Way::getrandom: return "getrandom";
        case Way::none: break;
    }
    return "";
}

// What a block that was made so is to be freed with.
std::string_view partner_of(Way birth) {
    return birth == Way::new_object ? "delete" : birth == Way::new_array ? "delete[]" : "free";
}

// Where each call was made, with those that were inlined there.
std::vector<HeapCall> calls_of(const Moment& moment, const std::vector<RunAddress>& returns) {
    std::vector<HeapCall> calls;
    Target& target = moment.target();
    for (RunAddress back : returns) {
        RunAddress call = back - 1;
        const Module* module = target.module_at(call);
        if (!module) {
            calls.push_back({fmt::format("{:#x}", back.value), "", 0, true});
            continue;
        }
        bool is_library = moment.libraries().is_library(*module);
        auto frames = frames_at(module->symbols(), module->to_file(call));
        for (const CodeFrame& frame : frames)
            calls.push_back({frame.function, frame.file, frame.line,
                             is_library || moment.libraries().is_library_source(frame.file)});
        if (!frames.empty()) continue;
        const ElfSymbol* symbol = module->symbols().symbol_table().covering(module->to_file(call));
        std::string file = module->path().substr(module->path().rfind('/') + 1);
        // What has no line, such as what calls main, is not the user's own either.
        calls.push_back({symbol ? demangled(symbol->name) : "code of " + file, "", 0, true});
    }
    return calls;
}

HeapEvent event_of(const Moment& moment, const HeapHistory& history, Way way, unsigned thread,
                   std::uint64_t ticks, std::uint32_t stack) {
    return {std::string(way_word(way)), thread, history.seconds(ticks),
            calls_of(moment, history.calls(stack))};
}

std::string bytes(std::uint64_t count) {
    return counted(count, "byte");
}

std::string written(std::uint64_t count) {
    return count == 1 ? "1 byte was written" : fmt::format("{} bytes were written", count);
}

// Programs have functions of their own around malloc: not there, but where these are called, is the
// place that a person looks for.
bool is_around_malloc(const std::string& function) {
    std::string name = function;
    std::ranges::transform(name, name.begin(), [](unsigned char c) { return std::tolower(c); });
    return name.find("alloc") != name.npos;
}

const HeapCall* own_call(const HeapEvent& event) {
    for (const HeapCall& call : event.calls)
        if (!call.is_library && !is_around_malloc(call.function)) return &call;
    for (const HeapCall& call : event.calls)
        if (!call.is_library) return &call;
    return event.calls.empty() ? nullptr : &event.calls.front();
}

std::string call_words(const HeapCall& call) {
    if (call.file.empty()) return call.function;
    return fmt::format("{}, {}:{}", call.function, call.file.substr(call.file.rfind('/') + 1),
                       call.line);
}

// ": it lies in the stack of frame 1"; empty where nothing is known of the address.
std::string place_words(const Moment& moment, std::uint64_t address) {
    std::string there = moment.surroundings().describe(RunAddress(address));
    if (there.empty()) return {};
    bool is_block = there.find("block") != there.npos;
    bool is_whole = there.starts_with("in ") || is_block;
    return fmt::format(": it {} {}{}", is_block ? "is" : "lies", is_whole ? "" : "in the ", there);
}

}  // namespace

std::string near_words(NearBlock::Side side, std::uint64_t distance, const std::string& which) {
    switch (side) {
        case NearBlock::Side::inside: return fmt::format("byte {} of {}", distance, which);
        case NearBlock::Side::before:
            return fmt::format("{} before the start of {}", bytes(distance), which);
        case NearBlock::Side::behind: break;
    }
    return distance == 0 ? "right behind the end of " + which
                         : fmt::format("{} behind the end of {}", bytes(distance), which);
}

namespace {

// Of an address and a block that is not far from it.
std::string near_words(const heap_tables::Block& block, std::uint64_t address,
                       const std::string& which) {
    if (address < block.address)
        return near_words(NearBlock::Side::before, block.address - address, which);
    std::uint64_t from_start = address - block.address;
    return from_start < block.size
               ? near_words(NearBlock::Side::inside, from_start, which)
               : near_words(NearBlock::Side::behind, from_start - block.size, which);
}

// A request that was refused, or that has found something out.
HeapFault fault_of(const Moment& moment, const HeapHistory& history, const Fault& found) {
    HeapFault fault;
    auto block = history.record(found.block);
    if (block) fault.life = life_of(moment, history, *block);
    fault.at = found.bytes ? found.at : found.address;
    std::string way(way_word(static_cast<Way>(found.way)));
    if (!block && found.kind != Fault::Kind::no_block) {
        fault.kind = "damaged the library's records";
        fault.what = fmt::format(
            "{} has found something wrong with a block whose record was written over", way);
        return fault;
    }
    std::string which = fault.life ? block_words(*fault.life) : "";
    switch (found.kind) {
        case Fault::Kind::behind_end:
            fault.kind = "written behind the end";
            fault.what = fmt::format("{} {}, some time before this {}", written(found.bytes),
                                     near_words(*block, found.at, which), way);
            break;
        case Fault::Kind::before_start:
            fault.kind = "written before the start";
            fault.what = fmt::format("{} {}, some time before this {}", written(found.bytes),
                                     near_words(*block, found.at, which), way);
            break;
        case Fault::Kind::freed_twice:
            fault.kind = "freed twice";
            fault.what = fmt::format("{} frees {}, which was freed before", way, which);
            break;
        case Fault::Kind::no_block: {
            fault.kind = "freed what is no block";
            fault.what = fmt::format("{} is handed {:#x}, where no heap block begins{}", way,
                                     found.address, place_words(moment, found.address));
            break;
        }
        case Fault::Kind::inside:
            fault.kind = "freed the inside of a block";
            fault.what = fmt::format("{} is handed {:#x}, which is {}", way, found.address,
                                     near_words(*block, found.address, which));
            break;
        case Fault::Kind::wrong_partner:
            fault.kind = "freed with the wrong partner";
            fault.what = fmt::format("{} frees {}, which was made with {}: {} is its partner", way,
                                     which, way_word(block->born_way), partner_of(block->born_way));
            break;
        case Fault::Kind::wrong_size:
            fault.kind = "freed with a wrong size";
            fault.what = fmt::format(
                "{} is told that {} measures {}: it is deleted as another type than it was made as",
                way, which, bytes(found.given));
            break;
        case Fault::Kind::written_after:
            fault.kind = "written after it was freed";
            fault.what = fmt::format("{} into {}, some time between its death and now",
                                     written(found.bytes), near_words(*block, found.at, which));
            break;
        case Fault::Kind::filled_behind_end:
        case Fault::Kind::taken_behind_end: {
            bool fills = found.kind == Fault::Kind::filled_behind_end;
            fault.kind = fills ? "written behind the end" : "read behind the end";
            fault.what =
                fmt::format("{} has {} {} {} {}, {} of them behind its end", way,
                            fills ? "put" : "taken", bytes(found.given), fills ? "at" : "from",
                            near_words(*block, found.address, which), found.bytes);
            break;
        }
        case Fault::Kind::call_on_freed:
            fault.kind = "used after it was freed";
            fault.what = fmt::format("{} was handed {}, which was freed before", way,
                                     near_words(*block, found.address, which));
            break;
        case Fault::Kind::none: break;
    }
    return fault;
}

}  // namespace

HeapHistory required_history(const Moment& moment) {
    auto history = HeapHistory::in(moment.target());
    if (!history)
        throw RequestError("nobody has written down the births of blocks", Next::run_with_heap);
    return *history;
}

HeapLife life_of(const Moment& moment, const HeapHistory& history,
                 const heap_tables::Block& block) {
    HeapLife life;
    life.address = block.address;
    life.size = block.size;
    life.number = block.number;
    life.guard = block.guard;
    life.born =
        event_of(moment, history, block.born_way, block.born_thread, block.born, block.born_stack);
    if (block.state == heap_tables::State::kept)
        life.died = event_of(moment, history, block.died_way, block.died_thread, block.died,
                             block.died_stack);
    return life;
}

std::string guard_word(heap_tables::GuardPage guard) {
    switch (guard) {
        case heap_tables::GuardPage::behind: return "behind";
        case heap_tables::GuardPage::at_end: return "at end";
        case heap_tables::GuardPage::before: return "before";
        case heap_tables::GuardPage::none: break;
    }
    return "";
}

std::string own_place(const HeapEvent& event) {
    const HeapCall* call = own_call(event);
    return call ? call_words(*call) : "";
}

std::string block_words(const HeapLife& life) {
    return fmt::format("heap block {}{} of {}", life.number,
                       life.born.thread > 1 ? fmt::format(" of thread {}", life.born.thread) : "",
                       bytes(life.size));
}

std::optional<HeapFault> found_by_heap_library(const Moment& moment) {
    auto history = HeapHistory::in(moment.target());
    if (!history || history->head().fault.kind == Fault::Kind::none) return std::nullopt;
    return fault_of(moment, *history, history->head().fault);
}

std::optional<HeapFault> heap_fault_at(const Moment& moment, RunAddress address) {
    // The page that nobody may touch, and the margin before it.
    constexpr std::uint64_t kReach = kPageSize + heap_tables::kMargin;
    auto history = HeapHistory::in(moment.target());
    if (!history || address.value < history->head().area ||
        address.value >= history->head().area_end)
        return std::nullopt;
    auto near = near_block(history->blocks().all, address, kReach);
    if (!near) return std::nullopt;
    HeapFault fault;
    fault.at = address.value;
    fault.life = life_of(moment, *history, near->block);
    std::string which = block_words(*fault.life),
                freed = fault.life->died ? ", which is freed" : "";
    fault.what = near_words(near->side, near->distance, which) + freed;
    fault.kind = near->side == NearBlock::Side::behind   ? "touched behind the end"
                 : near->side == NearBlock::Side::before ? "touched before the start"
                 : fault.life->died                      ? "used after it was freed"
                                                         : "touched";
    return fault;
}

std::optional<HeapLife> met_by_heap_library(const Moment& moment, ThreadId thread) {
    Target& target = moment.target();
    RunAddress at = target.registers(thread).program_counter();
    const Module* library = target.module_at(at);
    const ElfSymbol* symbol =
        library ? library->symbols().symbol_table().named(heap_tables::kAskedSymbol) : nullptr;
    if (!symbol || library->to_run(symbol->address) != at) return std::nullopt;
    auto history = HeapHistory::in(target);
    auto block = history ? history->record(history->head().met.block) : std::nullopt;
    if (!block) return std::nullopt;
    // It is still as if it lived where its death is met.
    if (history->head().met.is_death) block->state = heap_tables::State::kept;
    return life_of(moment, *history, *block);
}

namespace {

StopFact fact_of(const char* label, const HeapEvent& event) {
    return {label, fmt::format("{} in {}{}", event.way, own_place(event),
                               event.thread > 1 ? fmt::format(", thread {}", event.thread) : "")};
}

}  // namespace

std::vector<StopFact> facts_of_heap(const HeapLife& life) {
    std::vector<StopFact> facts{{"heap", block_words(life)}, fact_of("born", life.born)};
    if (life.died) facts.push_back(fact_of("freed", *life.died));
    return facts;
}

std::vector<StopFact> facts_of_heap(const HeapFault& fault) {
    std::vector<StopFact> facts{{"heap", fault.what}};
    if (!fault.life) return facts;
    facts.push_back(fact_of("born", fault.life->born));
    if (fault.life->died) facts.push_back(fact_of("freed", *fault.life->died));
    return facts;
}

}  // namespace lantern
