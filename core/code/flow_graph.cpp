#include "core/code/flow_graph.h"

#include <elf.h>

#include <algorithm>
#include <cstring>
#include <ranges>
#include <set>

#include "core/code/never_returns.h"
#include "core/machine/registers.h"
#include "core/support/error.h"

namespace lantern {
namespace {

// Of lea REGISTER, [rip+…]: its DWARF number.
std::optional<unsigned> loaded_register(ByteSpan bytes) {
    constexpr unsigned kNumbers[] = {0, 2, 1, 3, 7, 6, 4, 5};
    if (bytes.size() < 3) return std::nullopt;
    auto byte = [&](std::size_t i) { return static_cast<unsigned>(bytes[i]); };
    if ((byte(0) & 0xf0) != 0x40 || byte(1) != 0x8d) return std::nullopt;
    unsigned number = byte(2) >> 3 & 7;
    return byte(0) & 4 ? number + 8 : kNumbers[number];
}

constexpr std::uint64_t kMostTableEntries = 4096;
constexpr std::uint64_t kLongestHandlers = 1024 * 1024;  // bytes of a function's table

template <class T>
std::optional<T> read_at_offset(ByteSpan bytes, std::uint64_t offset) {
    if (offset + sizeof(T) > bytes.size()) return std::nullopt;
    T value;
    std::memcpy(&value, bytes.data() + offset, sizeof value);
    return value;
}

}  // namespace

FlowGraph::FlowGraph(const ModuleSymbols& symbols, const Function& function)
    : function_(&function) {
    // By address: what is seldom run may lie before the rest.
    std::vector<FileRange> ranges = function.ranges;
    std::ranges::sort(ranges, {}, &FileRange::low);
    for (const FileRange& range : ranges) decode(symbols, range);
    connect();
    follow_slots(symbols);
    find_tables(symbols);
    is_caught_.resize(nodes_.size());
    end_calls(symbols);
    find_landings();
    if (!landings_.empty()) {
        find_landing_of_each_call(symbols);
        end_calls(symbols);  // those with a handler behind them
    }
    find_jumps_out();
}

std::uint32_t FlowGraph::at(FileAddress address) const {
    auto found = std::lower_bound(nodes_.begin(), nodes_.end(), address,
                                  [](const Node& node, FileAddress a) { return node.address < a; });
    return found != nodes_.end() && found->address == address
               ? static_cast<std::uint32_t>(found - nodes_.begin())
               : kNone;
}

std::uint32_t FlowGraph::around(FileAddress address) const {
    auto behind =
        std::upper_bound(nodes_.begin(), nodes_.end(), address,
                         [](FileAddress a, const Node& node) { return a < node.address; });
    if (behind == nodes_.begin() || std::prev(behind)->behind() <= address) return kNone;
    return static_cast<std::uint32_t>(behind - nodes_.begin() - 1);
}

bool FlowGraph::has_computed_jumps() const {
    return std::any_of(nodes_.begin(), nodes_.end(),
                       [](const Node& node) { return node.jumps_by_value(); });
}

void FlowGraph::decode(const ModuleSymbols& symbols, const FileRange& range) {
    ByteSpan bytes = symbols.elf().loaded_bytes(range.low, range.size());
    is_complete_ &= bytes.size() == range.size();
    for (std::uint64_t offset = 0; offset < bytes.size();) {
        FileAddress address = range.low + offset;
        auto instruction = decode_instruction(bytes.subspan(offset), RunAddress(address.value));
        if (!instruction) {
            is_complete_ = false;
            return;
        }
        Node node;
        node.address = address;
        node.length = static_cast<std::uint8_t>(instruction->length);
        node.kind = instruction->kind;
        node.is_filler = instruction->is_filler;
        if (instruction->target) node.target = FileAddress(instruction->target->value);
        bool goes_elsewhere = node.is_jump() || node.kind == Instruction::Kind::call;
        node.is_computed = goes_elsewhere && !node.target;
        take_memory(bytes.subspan(offset), *instruction, node);
        nodes_.push_back(node);
        offset += instruction->length;
    }
}

// What may be a table of jumps, and what may read one.
void FlowGraph::take_memory(ByteSpan bytes, const Instruction& instruction, const Node& node) {
    auto number = static_cast<std::uint32_t>(nodes_.size());
    for (const MemoryOperand& memory : instruction.memory) {
        bool is_relative = memory.base == kProgramCounterNumber && !memory.index;
        bool is_absolute = !memory.base && memory.displacement > 0;
        auto displacement = static_cast<std::uint64_t>(memory.displacement);
        if (is_relative)
            named_.push_back({number, node.behind() + displacement, loaded_register(bytes)});
        else if (is_absolute)
            named_.push_back({number, FileAddress(displacement), std::nullopt});
        else if (memory.base && memory.index && !memory.writes)
            indexed_reads_.push_back({number, *memory.base});
    }
}

void FlowGraph::connect() {
    for (std::size_t i = 0; i < nodes_.size(); ++i) {
        Node& node = nodes_[i];
        bool goes_on = node.kind != Instruction::Kind::jump &&
                       node.kind != Instruction::Kind::returns &&
                       node.kind != Instruction::Kind::stops;
        if (goes_on) node.next = at(node.behind());
        if (node.is_jump() && node.target) node.branch = at(*node.target);
    }
}

// Calls and jumps through what the loader fills in, without a linkage table.
void FlowGraph::follow_slots(const ModuleSymbols& symbols) {
    for (const Named& named : named_) {
        Node& node = nodes_[named.node];
        std::uint32_t here = at(named.address);
        names_own_code_ |= here != kNone && here != entry();
        if (!node.is_computed) continue;
        const Section* section = symbols.elf().section_at(named.address);
        if (!section || !section->name.starts_with(".got")) continue;
        if (node.kind == Instruction::Kind::call && never_returns_by_slot(symbols, named.address))
            node.next = kNone;
        node.goes_out = node.is_jump();
    }
}

// What has no table is a call, where all code is come to in other ways and no place of it is named:
//
//         mov  rax, [rdi+24]
//         pop  rbx
//         jmp  rax            return handler->finish(handler);
void FlowGraph::find_jumps_out() {
    if (names_own_code_ || !unclaimed_targets_.empty() || !is_complete_) return;
    if (!std::ranges::all_of(landings_, [&](std::uint32_t node) { return is_caught_[node]; }))
        return;
    for (std::uint32_t i = 0; i < nodes_.size(); ++i) {
        bool may_read_table = !tables_.empty() && indexed_read_before(i);
        if (nodes_[i].jumps_by_value() && !targets_of(nodes_[i]) && !may_read_table)
            nodes_[i].goes_out = true;
    }
}

// Fillers, and what jumps and exceptions lead to: behind a call that never returns is nothing else.
std::vector<bool> FlowGraph::code_of_others() const {
    std::vector<bool> is_of_others(nodes_.size());
    for (std::uint32_t i = 0; i < nodes_.size(); ++i) {
        if (nodes_[i].is_filler) is_of_others[i] = true;
        if (nodes_[i].branch != kNone) is_of_others[nodes_[i].branch] = true;
    }
    for (std::uint32_t target : computed_targets_) is_of_others[target] = true;
    for (std::uint32_t i = 0; i < nodes_.size(); ++i)
        if (is_caught_[i]) is_of_others[i] = true;
    return is_of_others;
}

void FlowGraph::end_calls(const ModuleSymbols& symbols) {
    std::vector<bool> is_of_others = code_of_others();
    auto may_end = [&](const Node& node) {
        return node.kind == Instruction::Kind::call && node.target && node.next != kNone;
    };
    std::set<FileAddress> come_back;  // some call of them is followed by code of its own
    for (const Node& node : nodes_)
        if (may_end(node) && !is_of_others[node.next]) come_back.insert(*node.target);
    for (Node& node : nodes_) {
        if (!may_end(node) || !is_of_others[node.next]) continue;
        if (never_returns(symbols, *node.target) ||
            (!come_back.contains(*node.target) &&
             seems_never_to_return(symbols, *function_, *node.target)))
            node.next = kNone;
    }
}

void FlowGraph::add_target(FileAddress address) {
    std::uint32_t node = at(address);
    // That somebody keeps the address of the whole function makes it no target in here.
    if (node != kNone && node != entry()) computed_targets_.push_back(node);
}

// Offsets of four bytes from the table's own begin, or addresses of eight bytes, for as long as
// they lead into the function and no further than to the next table.
std::vector<std::uint32_t> FlowGraph::read_table(const ModuleSymbols& symbols,
                                                 const FileRange& table) const {
    std::vector<std::uint32_t> targets;
    ByteSpan bytes = symbols.elf().loaded_bytes(table.low, table.size());
    for (std::uint64_t offset = 0; auto entry = read_at_offset<std::int32_t>(bytes, offset);
         offset += 4) {
        std::uint32_t target =
            at(table.low + static_cast<std::uint64_t>(static_cast<std::int64_t>(*entry)));
        if (target == kNone) break;
        targets.push_back(target);
    }
    for (std::uint64_t offset = 0; auto entry = read_at_offset<std::uint64_t>(bytes, offset);
         offset += 8) {
        std::uint32_t target = at(FileAddress(*entry));
        if (target == kNone) break;
        targets.push_back(target);
    }
    return targets;
}

std::uint32_t FlowGraph::table_at(FileAddress address) const {
    auto found = std::lower_bound(tables_.begin(), tables_.end(), address);
    return found != tables_.end() && *found == address
               ? static_cast<std::uint32_t>(found - tables_.begin())
               : kNone;
}

// By the jump itself, or shortly before it.
const FlowGraph::IndexedRead* FlowGraph::indexed_read_before(std::uint32_t jump) const {
    constexpr std::uint32_t kReadBefore = 6;
    auto behind = std::ranges::upper_bound(indexed_reads_, jump, {}, &IndexedRead::node);
    if (behind == indexed_reads_.begin() || std::prev(behind)->node + kReadBefore < jump)
        return nullptr;
    return &*std::prev(behind);
}

// It is named right before the jump, or is the only one that its register ever holds.
std::uint32_t FlowGraph::table_of(std::uint32_t jump) const {
    constexpr std::uint32_t kNamedBefore = 16;
    std::optional<unsigned> base;
    if (const IndexedRead* read = indexed_read_before(jump)) base = read->base;
    std::uint32_t near = kNone, only = kNone;
    bool are_several = false;
    for (const Named& named : named_) {
        std::uint32_t table = table_at(named.address);
        if ((named.into && base && *named.into != *base)) continue;
        if (named.node <= jump && named.node + kNamedBefore >= jump) near = table;
        if (!named.into) continue;
        are_several |= only != kNone && only != table;
        only = table;
    }
    if (near != kNone) return near;
    return base && !are_several ? only : kNone;
}

void FlowGraph::find_table_of_each_jump() {
    std::erase_if(named_, [&](const Named& named) { return table_at(named.address) == kNone; });
    for (std::uint32_t i = 0; i < nodes_.size(); ++i)
        if (nodes_[i].is_jump() && nodes_[i].is_computed) nodes_[i].table = table_of(i);
}

void FlowGraph::find_unclaimed_targets() {
    std::vector<bool> is_claimed(nodes_.size());
    for (const Node& node : nodes_)
        if (const auto* targets = targets_of(node))
            for (std::uint32_t target : *targets) is_claimed[target] = true;
    for (std::uint32_t target : computed_targets_)
        if (!is_claimed[target]) unclaimed_targets_.push_back(target);
}

void FlowGraph::find_tables(const ModuleSymbols& symbols) {
    if (!has_computed_jumps()) return;
    std::vector<FileAddress> addresses;
    for (const Named& named : named_) addresses.push_back(named.address);
    std::sort(addresses.begin(), addresses.end());
    addresses.erase(std::unique(addresses.begin(), addresses.end()), addresses.end());
    FileAddress next_table(~std::uint64_t{0});
    for (FileAddress address : std::views::reverse(addresses)) {
        const Section* section = symbols.elf().section_at(address);
        if (!section || section->is_code()) continue;
        FileAddress end = std::min(next_table, address + 8 * kMostTableEntries);
        std::vector<std::uint32_t> targets = read_table(symbols, {address, end});
        if (targets.empty()) continue;
        computed_targets_.insert(computed_targets_.end(), targets.begin(), targets.end());
        tables_.push_back(address);
        table_targets_.push_back(std::move(targets));
        next_table = address;
    }
    std::ranges::reverse(tables_);
    std::ranges::reverse(table_targets_);
    find_table_of_each_jump();
    // Tables of addresses in a program that can lie anywhere are filled in by the loader.
    ByteSpan relocations = symbols.elf().bytes(".rela.dyn");
    for (std::uint64_t offset = 0;
         auto relocation = read_at_offset<Elf64_Rela>(relocations, offset);
         offset += sizeof(Elf64_Rela))
        if (ELF64_R_TYPE(relocation->r_info) == R_X86_64_RELATIVE)
            add_target(FileAddress(static_cast<std::uint64_t>(relocation->r_addend)));
    std::sort(computed_targets_.begin(), computed_targets_.end());
    computed_targets_.erase(std::unique(computed_targets_.begin(), computed_targets_.end()),
                            computed_targets_.end());
    find_unclaimed_targets();
}

void FlowGraph::mark_reached(std::uint32_t from, std::vector<bool>& reached) const {
    std::vector<std::uint32_t> waiting{from};
    while (!waiting.empty()) {
        std::uint32_t i = waiting.back();
        waiting.pop_back();
        for (; i != kNone && !reached[i]; i = nodes_[i].next) {
            reached[i] = true;
            if (nodes_[i].branch != kNone) waiting.push_back(nodes_[i].branch);
        }
    }
}

void FlowGraph::find_landings() {
    std::vector<bool> reached(nodes_.size());
    if (std::uint32_t first = entry(); first != kNone) mark_reached(first, reached);
    for (std::uint32_t target : computed_targets_) mark_reached(target, reached);
    for (std::uint32_t i = 0; i < nodes_.size(); ++i) {
        if (reached[i] || nodes_[i].is_filler) continue;
        landings_.push_back(i);
        mark_reached(i, reached);
    }
}

void FlowGraph::add_landing(const dwarf::GuardedCalls& guarded) {
    std::uint32_t landing = at(guarded.landing);
    if (landing == kNone) return;
    is_caught_[landing] = true;
    if (std::ranges::find(landings_, landing) == landings_.end()) landings_.push_back(landing);
    auto first = std::ranges::lower_bound(nodes_, guarded.calls.low, {}, &Node::address);
    for (auto node = first; node != nodes_.end() && node->address < guarded.calls.high; ++node)
        if (node->kind == Instruction::Kind::call) node->landing = landing;
}

// The tables of handlers of all the function's parts.
void FlowGraph::find_landing_of_each_call(const ModuleSymbols& symbols) {
    bool has_tables = false;
    try {
        for (const FileRange& range : function_->ranges) {
            auto description = symbols.frame_description(range.low);
            if (!description) return;
            if (!description->handlers) continue;
            ByteSpan bytes = symbols.elf().loaded_bytes(*description->handlers, kLongestHandlers);
            for (const dwarf::GuardedCalls& guarded :
                 dwarf::read_handler_table(bytes, *description->handlers, description->range.low))
                add_landing(guarded);
            has_tables = true;
        }
    } catch (const FormatError&) {
        return;  // a damaged table leads nowhere that is known
    }
    knows_landings_ = has_tables;
}

}  // namespace lantern
