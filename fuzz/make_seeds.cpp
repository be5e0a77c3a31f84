// make_seeds FOLDER PROGRAM...: cuts the sections out of real programs and lays them down as first
// inputs for each target.
#include <fmt/format.h>

#include <filesystem>
#include <fstream>

#include "core/symbols/index_file.h"
#include "core/symbols/symbol_files.h"
#include "fuzz/fuzzing.h"

using namespace lantern;

namespace {

void append_parts(std::string& out, const dwarf::Sections& sections, std::uint8_t added,
                  std::size_t most) {
    for (std::size_t i = 0; i < std::size(fuzzing::kParts); ++i) {
        ByteSpan bytes =
            std::visit([&](auto part) -> ByteSpan { return sections.*part; }, fuzzing::kParts[i]);
        if (bytes.empty()) continue;
        std::uint32_t size = static_cast<std::uint32_t>(std::min(bytes.size(), most));
        out += static_cast<char>(i + added);
        out.append(reinterpret_cast<const char*>(&size), 4);
        out.append(reinterpret_cast<const char*>(bytes.data()), size);
    }
}

void write(const std::filesystem::path& folder, const std::string& name, std::string_view bytes) {
    std::filesystem::create_directories(folder);
    std::ofstream(folder / name, std::ios::binary)
        .write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
}

std::string_view text(ByteSpan bytes) {
    return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

void seeds_of(const std::filesystem::path& folder, const std::filesystem::path& program) {
    ElfFile file(program);
    std::string name = program.filename();
    std::vector<std::string> problems;
    dwarf::Sections sections = dwarf_sections(file, "", problems);
    constexpr std::size_t kMost = 64 << 10;
    std::string parts;
    append_parts(parts, sections, 0, kMost);
    for (const char* target : {"units", "lines", "lists", "macros"})
        write(folder / target, name, parts);
    if (text(file.whole_file()).size() < (128 << 10))
        write(folder / "elf", name, text(file.whole_file()));
    for (const char* section : {".eh_frame", ".debug_frame"})
        if (ByteSpan bytes = file.bytes(section); !bytes.empty())
            write(folder / "frames", name + section, text(bytes));
    SymbolSearch search;
    SymbolFiles files(file, search);
    dwarf::DebugInfoInput input;
    input.sections = sections;
    input.find_split = [&](const dwarf::Unit& skeleton, std::string& problem) {
        const dwarf::SplitFile* split = files.split_file(skeleton, problem);
        if (split) {
            std::string both = parts;
            append_parts(both, split->sections, fuzzing::kSplit, kMost);
            write(folder / "split", name, both);
        }
        return split;
    };
    dwarf::DebugInfo info(input);
    SymbolIndex index = SymbolIndex::build(info, CodeAreas());
    SymbolIndex::Tables tables = index.tables();
    std::vector<UnitSlice> units(tables.units.begin(), tables.units.end());
    UnitSlice last = units.back();
    units.resize(fuzzing::kIndexUnits + 1, last);
    tables.units = units;
    write(folder / "index", name, index_bytes(SymbolIndex(info, tables, nullptr), 7));
}

}  // namespace

int main(int count, char** arguments) {
    for (int i = 2; i < count; ++i) {
        try {
            seeds_of(arguments[1], arguments[i]);
        } catch (const Error& error) {
            fmt::print(stderr, "{}\n", error.what());
            return 1;
        }
    }
}
