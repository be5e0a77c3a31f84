// What the variables of one call held, line by line, and where two builds' accounts of it part.
//
//     A   line 12 sum 0   line 14 sum 3   line 14 sum 7
//     B   line 12 sum 0                   line 14 sum 9    <- 9 is none of what A has from here on
//
// Optimised code shows fewer of the values, and passes lines in another order; so of B only is
// asked that what a variable holds is something that A's holds too, later than what was found
// before.
#pragma once

#include <array>
#include <map>
#include <optional>

#include "core/comparison/parting_report.h"

namespace lantern {

class LineHistory {
  public:
    void add(const LocalsReport& locals);
    const std::optional<LocalsReport>& last() const { return last_; }

    struct Held {
        std::string value;
        std::uint32_t line = 0;
        std::size_t step = 0;
    };
    const std::map<std::string, std::vector<Held>>& variables() const { return variables_; }
    const std::string& file() const { return file_; }

  private:
    std::map<std::string, std::vector<Held>> variables_;
    std::optional<LocalsReport> last_;
    std::string file_;
    std::size_t steps_ = 0;
};

std::optional<LinePart> where_lines_part(const std::array<LineHistory, 2>& histories);

}  // namespace lantern
