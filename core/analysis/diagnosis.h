// Why it stands here: what happened, in which statement, which part of it, and where the value came
// from that made it happen. Everything is read; nothing is run.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/analysis/hang.h"
#include "core/analysis/value_origin.h"
#include "core/session/moment.h"
#include "core/target/process_state.h"

namespace lantern {

struct DiagnosisFrame {
    unsigned level = 0;
    std::string function, file;
    std::uint32_t line = 0;
};

struct DiagnosisThread {
    unsigned number = 0;
    std::string name, function, file;
    std::string state, waits_for;  // see ThreadRow
    std::string shares;            // a variable of it that leads to the object of the part
    std::uint32_t line = 0;
};

struct Diagnosis {
    std::string program;          // the name of its file
    bool has_failed = false;      // false: nothing went wrong here, and `what` says how it stands
    std::string headline;         // "SIGSEGV"
    std::string what;             // a sentence
    std::vector<StopFact> facts;  // what was thrown, or said before it gave up

    std::string function, file;  // of the user's own code, where there is some
    std::uint32_t line = 0;
    unsigned level = 0;     // of that frame
    unsigned thread = 0;    // its number
    std::string statement;  // the text of the line

    unsigned part_level = 0;  // of the frame in which the part has its name
    std::string part;         // of the statement: "barge->next"; may be empty
    std::string part_is;      // what is wrong with it: "is null"
    Certainty part_certainty = Certainty::certain;
    std::string part_because;  // why it is not certain
    // Where it lies (run address), where it is a word of the stack that has no name; 0: not so.
    std::uint64_t part_at = 0;
    std::vector<OriginLink> origin;  // the last thing first
    std::string origin_end;          // why it goes no further
    std::vector<OriginLink> writes;  // of a second run: the last ones to the part's place
    std::string confirmed;           // what the further runs showed; empty: there were none
    std::string at_address;          // whose memory the pointer leads to, where it leads to some
    std::string heap;                // what is damaged in the heap; empty: nothing, or not read
    // A run with our own allocator would tell whose block it is, and where it was born and freed.
    bool is_heap_worth_a_run = false;

    std::vector<DiagnosisFrame> stack;  // from where it failed outwards, a few
    unsigned more_frames = 0;
    std::vector<DiagnosisThread> threads;  // the others, where there are some
    std::uint64_t more_threads = 0;
    std::string threads_warning;  // they wait for each other
    std::vector<HangLoop> loops;  // of a program that does not end

    std::vector<std::string> oddities;  // see process_oddities
    std::vector<std::string> signals;   // see signal_words
    std::vector<OpenFile> files;        // the first that it has open
    std::uint64_t more_files = 0;
};

// Of where the moment's thread stands. Throws RequestError where there is nothing to look at.
Diagnosis diagnose(const Moment& moment);
// Of a program that still runs after so many seconds, and was looked at several times since.
Diagnosis diagnose_hang(const Moment& moment, const HangSamples& samples, double seconds);

}  // namespace lantern
