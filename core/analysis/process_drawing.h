// What there is to draw of a process: its stack to scale, its threads by whom they wait for, its
// address space with the pointers of a frame, the code of a function.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/analysis/memory_report.h"
#include "core/analysis/threads_report.h"
#include "core/session/moment.h"
#include "core/session/place.h"

namespace lantern {

struct StackDrawing {
    struct Row {
        unsigned level = 0, repeats = 1;  // the same function that often in a row
        std::string function, file;
        std::uint32_t line = 0;
        std::uint64_t bytes = 0;  // of all of them; 0 with an inlined call: it has none of its own
        bool is_inlined = false, is_selected = false;
        bool has_left = false;  // by a jump: nothing of it is on the stack
    };
    std::vector<Row> rows;    // innermost first
    std::uint64_t bytes = 0;  // of all frames
    std::uint64_t room =
        0;  // from the first frame's end down to where the stack ends now; 0: not known
    unsigned thread = 0;
    bool is_cut = false;  // there are more frames
    std::string caption;
};
StackDrawing report_stack_drawing(const Moment& moment);

struct ThreadsDrawing {
    ThreadsReport threads;
    std::string caption;
};
ThreadsDrawing report_threads_drawing(const Moment& moment);

struct RegionsDrawing {
    RegionsReport regions;
    struct Pointer {
        std::string name;
        std::uint64_t to = 0;  // run address
    };
    std::vector<Pointer> pointers;  // of the selected frame
    std::string function;           // whose they are
    std::string caption;
};
RegionsDrawing report_regions_drawing(const Moment& moment);

struct CodeDrawing {
    struct Line {
        std::uint32_t line = 0;
        std::string text;
    };
    struct Block {
        std::uint64_t address = 0;  // run address
        std::size_t instructions = 0;
        std::vector<Line> lines;  // in the order of the code, each once
        std::string ending;       // "returns", "calls toll_for and does not come back" …
        bool is_entry = false, is_here = false;
        bool is_apart = false;  // it lies in another part of the function: what is seldom run
        unsigned loop_depth = 0;
        // How often it was run, where a breakpoint or note with this one site has counted it.
        // With `note blocks of` also since the last stop.
        std::optional<std::uint64_t> runs, runs_since_stop;
        unsigned counted_by = 0;  // its number
    };
    struct Way {
        std::size_t from = 0, to = 0;                 // blocks, from 0
        bool is_jump = false;                         // else: falls through
        bool is_back = false;                         // of a loop
        std::uint64_t runs = 0, runs_since_stop = 0;  // where they are counted
    };
    std::string function;
    unsigned counted_by = 0;  // the note that counts blocks and ways; 0: it is not known which were
                              // gone
    // Of a large function whose blocks are counted only those that have run are here.
    std::size_t blocks_left_out = 0;
    std::vector<Block> blocks;
    std::vector<Way> ways;
    std::string caption;
};
// Of the function at the place, or of the selected frame's. Throws RequestError as report_became.
CodeDrawing report_code_drawing(const Moment& moment, const std::optional<Place>& place);

}  // namespace lantern
