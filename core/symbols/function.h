// Functions, the scopes inside them, and the variables those declare.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/dwarf/location_list.h"
#include "core/symbols/type.h"

namespace lantern {

struct Function {
    std::string name;          // qualified, as the source writes it
    std::string linkage_name;  // what the linker sees; empty where it is the same
    std::vector<FileRange>
        ranges;  // empty: only inlined copies exist. The first range holds the entry.
    dwarf::Position entry_offset = 0;
    const dwarf::Unit* unit = nullptr;
    std::string declared_in;  // source file, as the compiler recorded it
    std::uint32_t declared_line = 0;
    // It stands inside of another function, so that not all lines behind its first are its own.
    bool is_closure = false;

    bool has_code() const { return !ranges.empty(); }
    FileAddress low() const { return ranges.front().low; }
};

struct Variable {
    std::string name;
    const Type* type = nullptr;
    std::string declared_in;
    std::uint32_t declared_line = 0;
    bool is_parameter = false;
    bool is_external = false;
    bool is_artificial = false;  // the compiler's own; "this" is one too
    std::vector<dwarf::LocationRange> locations;
    std::optional<dwarf::FormValue> constant;  // DW_AT_const_value: it is the same everywhere
    const dwarf::Unit* unit = nullptr;
    std::uint64_t entry_offset = 0;
};

// A call that the compiler replaced by the body of the function.
struct InlinedCall {
    std::string name;
    std::uint64_t origin = 0;  // entry of the abstract function
    std::string call_file;
    std::uint32_t call_line = 0, call_column = 0;
    std::optional<FileAddress> entry;  // where control comes into this copy, as far as it is said
    bool is_recorded = true;  // false: only the lines of its source tell that it runs; where it was
                              // called is not known
    std::optional<std::uint32_t> entry_view;  // and before which row of the line table there, where
                                              // the compiler numbers them (gcc)
};

// What a caller's debug information says of one call: where the parameters' values can still be
// found while the callee runs (DWARF 5 §3.4). Expressions are borrowed from the section.
struct CallSite {
    struct Parameter {
        ByteSpan location;  // where the callee gets it: a register, say
        ByteSpan value;     // computes it in the caller's frame
    };
    std::vector<Parameter> parameters;
    std::optional<dwarf::Position>
        callee;       // the entry of the function that is called, where that is known
    ByteSpan target;  // else computes its address in the caller's frame; may be empty
    const dwarf::Unit* unit = nullptr;
};

// A call that is a jump: the function is gone when the other one runs.
struct TailCall {
    FileAddress at;                         // of the jump, as far as it is said
    std::optional<dwarf::Position> callee;  // nothing: computed
};

struct Scope {
    std::vector<FileRange> ranges;  // empty for a block without code
    std::vector<Variable> variables;
    std::unique_ptr<Variable> unnamed;  // the first parameter that has no name; null: each has one
    std::vector<std::unique_ptr<Scope>> inner;
    std::optional<InlinedCall> inlined;  // set where the scope is the body of an inlined call
    const Scope* parent = nullptr;       // the scope it lies in; null: the function's outermost
    const Scope* around =
        nullptr;  // the innermost inlined call it lies in; null: the function itself
};

struct FunctionBody {
    Scope outermost;
    std::vector<dwarf::LocationRange> frame_base;
    const Type* returned = nullptr;
    bool is_external = false;  // called from other units too, so by the platform's convention
    // It is a part of a coroutine, or the body of an async function, whose source begins there;
    // empty and 0 where that is not known.
    struct WrittenAt {
        std::string file;
        std::uint32_t line = 0;
        WrittenAt() = default;
        WrittenAt(std::string in, std::uint32_t at) : file(std::move(in)), line(at) {}
    };
    std::optional<WrittenAt> coroutine;
    bool is_called_otherwise = false;      // the compiler changed how it is called (DW_CC_nocall)
    bool is_recorded_unoptimised = false;  // its unit was compiled with -O0, as the compiler says
};

// A variable that lives in different places is what only an optimiser leaves behind. One without
// a place, or a call that was inlined, tells as much where the compiler does not say -O0: gcc gives
// no place to a variable that nothing uses, and inlines what the source insists on.
bool looks_optimised(const FunctionBody& body);

// One frame's worth of scopes at an address: the function itself or one inlined call in it.
struct ScopeChain {
    const InlinedCall* inlined = nullptr;  // null for the function itself
    std::vector<const Scope*> scopes;      // innermost first
};

// The chains that hold `pc`, the innermost inlined call first, the function itself last.
std::vector<ScopeChain> chains_at(const FunctionBody& body, FileAddress pc);
// The same down to the inlined call `innermost` (null: the function itself) and no deeper, whether
// or not its code holds `pc`.
std::vector<ScopeChain> chains_down_to(const FunctionBody& body, FileAddress pc,
                                       const Scope* innermost);

}  // namespace lantern
