// Where control can go from each instruction of a function, as its file says it: jumps, tables of
// jumps, and what only an exception leads to.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "core/dwarf/handler_table.h"
#include "core/machine/instruction.h"
#include "core/symbols/module_symbols.h"

namespace lantern {

class FlowGraph {
  public:
    static constexpr std::uint32_t kNone = ~std::uint32_t{0};

    struct Node {
        FileAddress address;
        std::uint8_t length = 1;
        Instruction::Kind kind = Instruction::Kind::ordinary;
        bool is_computed = false;  // a jump or call whose target is in a register or in memory
        bool goes_out = false;     // a computed jump that is a call: nothing in here can be meant
        bool is_filler = false;
        // By falling through; behind a call: where it returns to, if it does.
        std::uint32_t next = kNone;
        std::uint32_t branch = kNone;       // a jump inside of the function
        std::optional<FileAddress> target;  // of a direct jump or call, wherever it leads
        std::uint32_t table = kNone;        // of a computed jump, see targets_of
        std::uint32_t landing = kNone;  // of a call: where it goes on when it throws, if in here

        bool is_jump() const {
            return kind == Instruction::Kind::jump || kind == Instruction::Kind::conditional_jump;
        }
        // To one of the computed targets, or nobody knows where to.
        bool jumps_by_value() const { return is_jump() && is_computed && !goes_out; }
        bool leaves() const {
            return is_jump() && target && branch == kNone;
        }  // a call that is a jump
        FileAddress behind() const { return address + length; }
    };

    // From the bytes of the file; nothing of a process is read. Its callees' graphs may be made and
    // kept with the symbols: from one thread only.
    FlowGraph(const ModuleSymbols& symbols, const Function& function);

    const std::vector<Node>& nodes() const { return nodes_; }  // by address
    std::uint32_t at(FileAddress address) const;               // kNone where no instruction begins
    std::uint32_t around(
        FileAddress address) const;  // the instruction that the byte is of; kNone: of none
    std::uint32_t entry() const { return at(function_->low()); }
    const Function& function() const { return *function_; }
    // False: some bytes are no instruction, so there may be ways that are not known.
    bool is_complete() const { return is_complete_; }
    bool has_computed_jumps() const;
    // Where jumps through tables and registers can lead, as far as tables are found; code that
    // nothing known leads to is taken for such where there are jumps like that.
    const std::vector<std::uint32_t>& computed_targets() const { return computed_targets_; }
    // What is in the table of no jump is where any of them may lead.
    const std::vector<std::uint32_t>& unclaimed_targets() const { return unclaimed_targets_; }
    // Of one computed jump: those of the table that it reads; null where it is not known which.
    const std::vector<std::uint32_t>* targets_of(const Node& node) const {
        return node.table == kNone ? nullptr : &table_targets_[node.table];
    }
    // Code that nothing known leads to: handlers of exceptions, and what cleans up behind one.
    const std::vector<std::uint32_t>& landings() const { return landings_; }
    // False: which call leads to which of them is not known, each call may lead to any.
    bool knows_landings() const { return knows_landings_; }

  private:
    void decode(const ModuleSymbols& symbols, const FileRange& range);
    void take_memory(ByteSpan bytes, const Instruction& instruction, const Node& node);
    void connect();
    void follow_slots(const ModuleSymbols& symbols);
    void find_jumps_out();
    void end_calls(const ModuleSymbols& symbols);
    std::vector<bool> code_of_others() const;
    void find_tables(const ModuleSymbols& symbols);
    std::vector<std::uint32_t> read_table(const ModuleSymbols& symbols,
                                          const FileRange& table) const;
    void find_table_of_each_jump();
    void find_unclaimed_targets();
    std::uint32_t table_at(FileAddress address) const;
    void add_target(FileAddress address);
    void find_landings();
    void find_landing_of_each_call(const ModuleSymbols& symbols);
    void add_landing(const dwarf::GuardedCalls& guarded);
    void mark_reached(std::uint32_t from, std::vector<bool>& reached) const;

    const Function* function_;
    std::vector<Node> nodes_;
    // Addresses of data that the code names, in the order of the code.
    struct Named {
        std::uint32_t node;
        FileAddress address;
        std::optional<unsigned> into;  // the register it is put into, by its DWARF number
    };
    std::vector<Named> named_;
    // Instructions that read memory by a register and an index.
    struct IndexedRead {
        std::uint32_t node;
        unsigned base;
    };
    const IndexedRead* indexed_read_before(std::uint32_t jump) const;
    std::uint32_t table_of(std::uint32_t jump) const;
    std::vector<IndexedRead> indexed_reads_;
    std::vector<FileAddress> tables_;  // of those, what are tables of jumps, by address
    std::vector<std::vector<std::uint32_t>> table_targets_;  // of each
    std::vector<std::uint32_t> computed_targets_, unclaimed_targets_, landings_;
    std::vector<bool> is_caught_;  // by node: a table of handlers names it
    bool is_complete_ = true, knows_landings_ = false, names_own_code_ = false;
};

}  // namespace lantern
