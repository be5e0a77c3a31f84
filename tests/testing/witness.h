// What the toolchain's own dumpers say about a file: independent witnesses for what our readers
// found.
#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <set>
#include <string>
#include <tuple>
#include <vector>

namespace lantern::testing {

using LineFact = std::tuple<std::uint64_t, std::uint32_t, bool>;  // address, line, is a statement

// Every row of readelf --debug-dump=decodedline, without the ends of sequences.
std::multiset<LineFact> witness_lines(const std::string& program);

struct WitnessFunction {
    std::uint64_t low = 0, high = 0;
};
// readelf --debug-dump=info: functions with a name and a low pc.
std::map<std::string, WitnessFunction> witness_functions(const std::string& program);

// Every expression given in place for a variable or parameter: its bytes as hex, as readelf dumps
// them.
std::multiset<std::string> witness_locations(const std::string& program);
// Address and row where it begins and where it ends.
using RowRange = std::array<std::uint64_t, 4>;
// Every range of every location list that is not empty (readelf --debug-dump=loc).
// `base` is the low pc of the program's unit.
std::set<RowRange> witness_location_ranges(const std::string& program, std::uint64_t base);

// nm: symbol → address.
std::map<std::string, std::uint64_t> witness_symbols(const std::string& program);

}  // namespace lantern::testing
