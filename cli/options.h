// The arguments of the command.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cli/compare_options.h"
#include "cli/format.h"
#include "core/session/heap_launch.h"
#include "core/symbols/source_files.h"

namespace lantern::cli {

struct Options {
    enum class Work {
        debug,
        attach,
        became,
        survey,
        postmortem,
        diagnose,
        heap,
        compare,
        disassembly,
        settings,
        serve
    } work = Work::debug;
    std::optional<HeapWish> heap;  // our library is put in front of the allocator
    bool own_terminal = false;
    int process = 0;                  // to attach to
    std::string core;                 // to look into
    unsigned confirm = 0;             // how often a diagnosis is to run the program again
    double hang_after = 0;            // seconds; 0: never
    std::vector<std::string> places;  // of a file, to disassemble
    std::string program;
    std::string records;                // what a compiler wrote about its work: a file or folder
    std::vector<std::string> surveyed;  // programs: one, or two to compare
    CompareWish compare;
    std::vector<std::string> symbol_folders;
    bool ask_servers = false;
    bool allow_calls = false;
    std::vector<std::string> arguments;
    std::vector<std::string> scripts;
    std::vector<std::string> commands;  // --do
    bool stay = false;
    std::string record_folder;
    Format format = Format::text;
    std::string input_file, output_file, folder;
    std::vector<std::string> environment;
    std::vector<SourceMapping> source_map;
    std::string log_file;
    bool randomise = false;
    std::string hold_terminal;  // serve: for another one of us, which waits at that socket
    unsigned port = 0;          // serve: of the loopback address; 0: standard input and output
};

// What was asked for instead of a session.
struct Answer {
    int exit_status = 0;
    std::string text;
};

// Fills `options`, or gives the text to print and the exit status: for --help, --version and wrong
// usage (status 2).
std::optional<Answer> read_options(int argument_count, char** arguments, Options& options);

}  // namespace lantern::cli
