// What `find` answers: names by pattern, the code of a place, and whatever claims an address.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/session/moment.h"
#include "core/symbols/code_query.h"

namespace lantern {

struct FoundName {
    std::string name;
    std::string detail;  // type of a global, what kind of a type, what is wrong with a file
    std::string file;    // where it is declared, as recorded; else the module
    std::uint32_t line = 0;
    std::vector<std::uint64_t>
        addresses;  // run addresses of its code; of a template or an inlined function several
    bool has_no_own_code = false;  // a function of which at most inlined copies exist
};

struct FindReport {
    std::string what;  // "functions", "globals", "types", "files"
    std::string pattern;
    std::string
        within;  // the file or module that was asked for; empty: the program and its own libraries
    std::vector<FoundName> found;
    std::size_t total = 0;
    std::string note;           // what was left out, and how to see it
    bool with_library = false;  // it was asked for
    std::size_t of_library =
        0;  // names of the languages' own libraries that fit too and are not listed
};

struct FindQuery {
    std::string what, pattern, within;
    std::size_t limit = 50;
    bool with_library = false;  // those of the languages' own libraries too, behind the others
};

// Throws RequestError for a pattern that does not parse or a file or module that is not there.
FindReport report_found(const Moment& moment, const FindQuery& query);

// `find code PLACE`
struct CodeReport {
    std::string place;
    bool is_line = false;  // it is about a line of source
    struct Site {
        std::uint64_t address = 0;  // run address
        std::string function, inlined_into, file, module;
        std::uint32_t line = 0;
    };
    std::vector<Site> sites;  // where a breakpoint at the place would stand
    struct Block {
        std::uint64_t low = 0, high = 0;  // run addresses
        std::string function, inlined_into;
    };
    std::vector<Block> blocks;  // of a line: all code that belongs to it
};
CodeReport report_code(const Moment& moment, const Place& place);

// `find address EXPR`
struct AddressReport {
    std::uint64_t address = 0;
    std::string module, section;
    std::uint64_t file_address = 0;
    std::string symbol;  // function or linker's symbol
    std::uint64_t offset = 0;
    std::vector<CodeFrame> frames;
};
AddressReport report_address(const Moment& moment, RunAddress address);

}  // namespace lantern
