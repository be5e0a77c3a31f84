// What our library in front of the allocator tells beyond the heap as it is: the life of a block,
// where what lives was born, memory over time, and what was found in a whole run.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/analysis/heap_report.h"
#include "core/session/heap_events.h"

namespace lantern {

// Who points to a block: "berth in main", "the block of 24 bytes at 0x…".
struct HeapPointers {
    std::vector<std::string> named;
    std::uint64_t more = 0;
};

struct HeapLifeReport {
    HeapLife life;
    std::string note;  // of the address that was asked for
    HeapPointers pointers;
};
// Throws RequestError where the library is not there, or the address is in no block.
HeapLifeReport report_heap_life(const Moment& moment, RunAddress address, const Progress& progress);

// Where what lives was born; calls that lead to the same line of the user's own are one place.
struct HeapPlaceRow {
    std::string place;            // "moor, wharf.cpp:31"
    std::vector<HeapCall> calls;  // of one of its births, the innermost first
    HeapCount now;
    std::uint64_t at_peak = 0;  // bytes; 0: less than those of the others, or none
};
struct HeapMoment {
    double seconds = 0;
    std::uint64_t total = 0;           // bytes that lived
    std::vector<std::uint64_t> bytes;  // by the rows of the report; the rest is of others
};
struct HeapPlacesReport {
    std::vector<HeapPlaceRow> rows;  // those with most, now or at the peak, first
    std::size_t total = 0;           // places
    HeapCount now;
    std::uint64_t births = 0, peak_bytes = 0;
    double peak_seconds = 0;
    std::vector<HeapMoment> over_time;
};
HeapPlacesReport report_heap_places(const Moment& moment, std::size_t limit,
                                    const Progress& progress);

// One thing that was found while the program ran.
struct HeapFinding {
    HeapFault fault;
    std::string function, file;  // of the user's own code; empty: not known
    std::uint32_t line = 0;
    std::string statement;        // the text of the line
    std::string expression;       // of the statement: what was freed, or led there; may be empty
    std::vector<HeapCall> calls;  // that led there, the innermost first
    HeapPointers pointers;        // to the block
    std::uint64_t times = 1;
};
// Of the stop that is looked at; nothing where nothing is wrong with the heap there.
std::optional<HeapFinding> heap_finding(const Moment& moment);
// Reads the whole heap.
void add_pointers(const Moment& moment, HeapFinding& finding);
// They are told as one.
bool are_alike(const HeapFinding& a, const HeapFinding& b);

struct HeapRunReport {
    std::string program, ended;  // "it ended by itself, with the exit status 0"
    std::vector<HeapFinding> findings;
    std::uint64_t more_findings = 0;
    bool has_end = false;  // it was looked at when it was about to end; else what follows is empty
    HeapCheckReport check;
    HeapLeaksReport leaks;
    HeapPlacesReport places;
    std::vector<std::string> notes;  // what should be known of the run
    bool has_failed() const {
        return !findings.empty() || leaks.lost.blocks || !check.rows.empty();
    }
};

// What should be known of how blocks were watched: guards that ran out, an allocator of its own.
std::vector<std::string> heap_notes(const Moment& moment);

}  // namespace lantern
