#include "tests/testing/witness.h"

#include <regex>
#include <sstream>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

std::vector<std::string> words_of(const std::string& line) {
    std::istringstream in(line);
    std::vector<std::string> words;
    for (std::string word; in >> word;) words.push_back(word);
    return words;
}

std::uint64_t hex(const std::string& text) {
    return std::stoull(text, nullptr, 16);
}

}  // namespace

std::multiset<LineFact> witness_lines(const std::string& program) {
    std::multiset<LineFact> rows;
    for (const std::string& line :
         lines_of(run({"readelf", "-W", "--debug-dump=decodedline", program}).output)) {
        auto words = words_of(line);
        // FILE LINE 0xADDRESS [VIEW] [x], address 0 without its 0x; the end of a sequence has "-"
        // for its line or END behind it
        if (words.size() < 3 || !(words[2].starts_with("0x") || words[2] == "0") ||
            words[1] == "-" || words.back() == "END")
            continue;
        if (words[1].find_first_not_of("0123456789") != std::string::npos) continue;
        rows.emplace(hex(words[2]), std::stoul(words[1]), words.back() == "x");
    }
    return rows;
}

std::map<std::string, WitnessFunction> witness_functions(const std::string& program) {
    std::map<std::string, WitnessFunction> functions;
    static const std::regex attribute(R"(DW_AT_(\w+)\s*:\s*(.*))");
    bool inside = false;
    std::string name;
    WitnessFunction current;
    bool has_low = false;
    auto finish = [&] {
        if (inside && has_low && !name.empty()) functions[name] = current;
        inside = has_low = false;
        name.clear();
        current = {};
    };
    for (const std::string& line :
         lines_of(run({"readelf", "--debug-dump=info", program}).output)) {
        if (line.find("Abbrev Number") != std::string::npos) {
            finish();
            inside = line.find("(DW_TAG_subprogram)") != std::string::npos;
            continue;
        }
        std::smatch match;
        if (!inside || !std::regex_search(line, match, attribute)) continue;
        std::string value = match[2];
        if (match[1] == "name") {
            // "(indirect string, offset: 0x1f): main" or "main"
            std::size_t colon = value.rfind("): ");
            name = colon == std::string::npos ? value : value.substr(colon + 3);
            while (!name.empty() && (name.back() == ' ' || name.back() == '\t')) name.pop_back();
        } else if (match[1] == "low_pc") {
            std::size_t colon = value.rfind("): ");  // "(index: 0x1): 0x1139" with address indexes
            current.low = hex(colon == std::string::npos ? value : value.substr(colon + 3));
            has_low = true;
        } else if (match[1] == "high_pc") {
            current.high = hex(value);
        }
    }
    finish();
    for (auto& [key, function] : functions)
        if (function.high < function.low) function.high += function.low;
    return functions;
}

std::multiset<std::string> witness_locations(const std::string& program) {
    std::multiset<std::string> found;
    static const std::regex block(R"(DW_AT_location\s*:\s*\d+ byte block: ((?:[0-9a-f]{1,2} )+))");
    // Of an address by index readelf prints the operation and no bytes.
    static const std::regex indexed(R"(DW_AT_location\s*:\s*\(DW_OP_addrx <0?x?([0-9a-f]+)>\))");
    bool inside = false;
    for (const std::string& line :
         lines_of(run({"readelf", "--debug-dump=info", program}).output)) {
        if (line.find("Abbrev Number") != std::string::npos)
            inside = line.find("(DW_TAG_variable)") != std::string::npos ||
                     line.find("(DW_TAG_formal_parameter)") != std::string::npos;
        std::smatch match;
        if (inside && std::regex_search(line, match, indexed))
            found.insert("a1" + std::string(match[1].length() == 1 ? "0" : "") + match[1].str());
        if (!inside || !std::regex_search(line, match, block)) continue;
        std::string bytes;
        for (const std::string& byte : words_of(match[1]))
            bytes += byte.size() == 1 ? "0" + byte : byte;
        found.insert(bytes);
    }
    return found;
}

std::set<RowRange> witness_location_ranges(const std::string& program, std::uint64_t base) {
    std::set<RowRange> ranges;
    // Lists that are reached by index are printed as they are stored, as offsets from the unit's
    // base and without the brackets.
    static const std::regex row(R"(([0-9a-f]{16}) ([0-9a-f]{16}) (\(?)DW_OP)");
    static const std::regex views(R"(v([0-9a-f]{15}) v([0-9a-f]{15}) views at)");
    std::uint64_t low_row = 0, high_row = 0;
    for (const std::string& line : lines_of(run({"readelf", "--debug-dump=loc", program}).output)) {
        std::smatch match;
        if (std::regex_search(line, match, views)) {
            low_row = hex(match[1]);
            high_row = hex(match[2]);
            continue;
        }
        if (!std::regex_search(line, match, row)) continue;
        std::uint64_t from = match[3].length() ? 0 : base;
        RowRange range{from + hex(match[1]), low_row, from + hex(match[2]), high_row};
        low_row = high_row = 0;
        if (range[0] != range[2] || range[1] < range[3]) ranges.insert(range);
    }
    return ranges;
}

std::map<std::string, std::uint64_t> witness_symbols(const std::string& program) {
    std::map<std::string, std::uint64_t> symbols;
    for (const std::string& line : lines_of(run({"nm", program}).output)) {
        auto words = words_of(line);
        if (words.size() == 3) symbols[words[2]] = hex(words[0]);
    }
    return symbols;
}

}  // namespace lantern::testing
