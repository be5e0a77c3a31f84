// The views of the machine as JSON; see json.h.
#pragma once

#include <nlohmann/json.hpp>

#include "cli/views/view.h"

namespace lantern::cli {

using Json = nlohmann::ordered_json;

std::string address_text(std::uint64_t address);
Json machine_json(const RegistersReport& report);
Json machine_json(const DisassemblyReport& report);
Json machine_json(const MemoryReport& report);
Json machine_json(const RegionsReport& report);
Json machine_json(const MemoryFindReport& report);
Json machine_json(const MemoryCompareReport& report);
Json machine_json(const WordsReport& report);

}  // namespace lantern::cli
