// What a program offers a debugger: is there symbol information and where from, who compiled what
// and how, which sources are here and still the same, what the optimiser left. And for each
// weakness, what to do about it.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/support/advice.h"
#include "core/symbols/module_symbols.h"
#include "core/symbols/source_files.h"

namespace lantern {

struct SurveySection {
    std::string name, compression;
    std::uint64_t stored = 0, size = 0;  // bytes in the file, and decompressed
    bool is_debug = false;
};

// Units of one language, compiler, version and way of compiling.
struct SurveyGroup {
    std::string language, compiler, optimisation,
        optimisation_source;  // "-O2", "recorded by the compiler"
    bool is_optimised = false, is_inferred = false;
    unsigned dwarf_version = 0;
    std::uint64_t units = 0, functions = 0, code_bytes = 0;
};

struct SurveySource {
    std::string path;
    SourceState state = SourceState::good;
    bool has_checksum = false;
};

struct Survey {
    std::string path, build_id;
    std::uint64_t file_size = 0;
    std::int64_t built_at = 0;  // seconds since 1970
    std::string
        kind;  // "position-independent program", "program at fixed addresses", "shared library"
    std::string sanitizer;    // that it is built with; empty: none
    bool is_dynamic = false;  // a shared library always is
    bool has_symbol_table = false;
    std::string symbols_from;  // a sentence
    bool has_symbols = false;
    std::string separate_file, shared_file, package;  // empty where there is none
    std::uint64_t split_files = 0, missing_split_files = 0;
    std::vector<std::string> refused, problems;

    std::vector<SurveyGroup> groups;
    std::uint64_t units = 0, type_units = 0, partial_units = 0;
    std::vector<std::string> address_indexes;  // ".debug_aranges: used", ".debug_names: …"

    std::vector<SurveySection> sections;  // the debug ones, by size, then the rest together
    std::uint64_t debug_bytes = 0;        // in the program's file
    std::uint64_t separate_bytes = 0;     // in its separate file

    std::vector<SurveySource> sources;  // troubled ones first
    std::uint64_t sources_good = 0, sources_missing = 0, sources_newer = 0, sources_different = 0,
                  sources_checked_by_sum = 0;

    std::uint64_t functions = 0, names = 0;  // with code; of the index
    std::uint64_t inlined_away =
        0;  // functions that have no code of their own and at least one inlined copy
    std::uint64_t inlined_calls = 0;
    std::uint64_t frame_pointer_looked_at = 0, frame_pointer_kept = 0;  // functions

    std::uint64_t variables = 0;  // locals and parameters of functions with code
    std::uint64_t variables_everywhere = 0, variables_partly = 0, variables_nowhere = 0;
    double variable_coverage =
        0;  // mean share of the scope's bytes over which a variable has a location

    std::vector<Finding> weaknesses;
};

// One program, or two side by side.
struct SurveyReport {
    std::vector<Survey> programs;
};

// Who compiled most of the program's own units, and how: "gcc 12.2.0 -O2".
std::string compiler_of(const ModuleSymbols& symbols);

// Reads everything; `progress` is told 0 to 1 from this thread. Throws FileError.
Survey survey_program(const std::filesystem::path& path, const SymbolSearch& search,
                      const std::vector<SourceMapping>& mappings,
                      const std::function<void(double)>& progress = {});

}  // namespace lantern
