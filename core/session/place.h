// What a person types as a place, and the addresses it stands for in the loaded modules.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/code/sites.h"
#include "core/expressions/evaluator.h"

namespace lantern {

struct Place {
    enum class Kind { line, function, address, code, blocks } kind = Kind::function;
    std::string file;  // of a line; as typed, or the current file
    std::uint32_t line = 0;
    std::string name;        // of a function; of blocks: of the function they are of
    std::string expression;  // of an address
    FileAddress in_program;  // of code: in the program's own file
    std::string text;        // the whole, in a form that means the same later
};

struct PlaceSite {
    const Module* module = nullptr;
    RunAddress address;
    CodeSite code;
};

// Reads FILE:LINE, LINE, a function's name or `address EXPR`. `current_file` is what LINE alone
// counts in; it may be empty. Throws RequestError.
Place parse_place(std::string_view text, const std::string& current_file);

// The beginning of every block of the functions of that name.
Place blocks_of(std::string_view function);

// Every site of the place in the modules of `context.target`. Throws RequestError when there is
// none, with the nearest lines that have code or the names that come near.
std::vector<PlaceSite> resolve_place(const Place& place, const EvaluationContext& context);

}  // namespace lantern
