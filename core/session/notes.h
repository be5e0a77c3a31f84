// Values recorded at places without stopping there: one row for each hit.
#pragma once

#include <cstdint>
#include <string>
#include <variant>
#include <vector>

namespace lantern {

// What an expression gave. Numbers stay numbers, for plots; everything else is its text.
using NotedValue = std::variant<std::monostate, std::int64_t, std::uint64_t, double,
                                std::string>;  // monostate: it had none

struct NoteRow {
    unsigned note = 0;   // the number of the breakpoint that made it
    double seconds = 0;  // since the first row
    unsigned process =
        0;  // its number, where the program has forked and we stayed with both; else 0
    unsigned thread = 0;             // its number in the process
    std::uint64_t hit = 0;           // of this note, from 1
    std::vector<NotedValue> values;  // one for each expression of the note
};

class NoteTable {
  public:
    void add(NoteRow row);
    const std::vector<NoteRow>& rows() const { return rows_; }
    void clear() {
        rows_.clear();
        is_of_several_ = false;
    }
    bool is_of_several_processes() const { return is_of_several_; }
    // Now, on the clock of `seconds`.
    double clock();

  private:
    std::vector<NoteRow> rows_;
    bool is_of_several_ = false;
    double started_ = -1;
};

std::string noted_text(const NotedValue& value);

}  // namespace lantern
