// What the notes of a run have gathered, as rows and columns.
#pragma once

#include <list>
#include <string>
#include <vector>

#include "core/session/breakpoint.h"
#include "core/session/notes.h"

namespace lantern {

struct NotesReport {
    struct Column {
        unsigned note = 0;
        std::string expression, place;
        std::string doubt;  // about what the note reads, at its first hit; empty: none
    };
    std::vector<Column> columns;  // in the order of the notes, and of their expressions
    std::vector<NoteRow> rows;    // the last ones
    bool is_of_several_processes = false;
    std::uint64_t total = 0;
};

NotesReport report_notes(const NoteTable& notes, const std::list<Breakpoint>& breakpoints,
                         std::size_t most_rows);

}  // namespace lantern
