// Where blocks were born, as our library in front of the allocator has written it down.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "core/analysis/heap_history_report.h"

namespace lantern {

// One row for each line of the user's own code; stacks that lead to one are told together.
class Places {
  public:
    Places(const Moment& moment, const HeapHistory& history) : moment_(moment), history_(history) {}
    std::size_t of_stack(std::uint32_t stack);  // index into the rows

    std::vector<HeapPlaceRow> rows;

  private:
    const Moment& moment_;
    const HeapHistory& history_;
    std::map<std::uint32_t, std::size_t> by_stack_;
    std::map<std::string, std::size_t> by_place_;
};

// The place of a block by its address; empty where it is not known.
class BirthPlaces {
  public:
    explicit BirthPlaces(const Moment& moment);
    std::string of(std::uint64_t address);

  private:
    std::optional<HeapHistory> history_;
    std::vector<HeapHistory::Block> blocks_;
    std::optional<Places> places_;
};

}  // namespace lantern
