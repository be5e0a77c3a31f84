// All units of one .debug_info section. A damaged unit is left out and remembered; the rest stays usable.
#pragma once

#include <memory>
#include <string>
#include <unordered_map>
#include <vector>

#include "core/dwarf/entry.h"

namespace lantern::dwarf {

class DebugInfo {
  public:
    // `sections` is borrowed and must outlive this. Never throws for damaged data: see problems().
    explicit DebugInfo(const Sections& sections);

    const std::vector<std::unique_ptr<Unit>>& units() const { return units_; }
    // What could not be read, one sentence each, with section and offset.
    const std::vector<std::string>& problems() const { return problems_; }

    const Unit* unit_holding(std::uint64_t info_offset) const;  // null if it lies in no sound unit
    std::optional<Entry> entry_at(std::uint64_t info_offset) const;
    // The entry an attribute refers to, within the file or by type signature.
    std::optional<Entry> referred(const FormValue& value) const;
    std::optional<Entry> referred(const Entry& from, At name) const;

  private:
    std::vector<std::unique_ptr<Unit>> units_;
    std::unordered_map<std::uint64_t, std::uint64_t> type_by_signature_;
    std::vector<std::string> problems_;
};

}  // namespace lantern::dwarf
