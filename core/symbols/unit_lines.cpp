#include "core/symbols/unit_lines.h"

#include "core/support/error.h"

namespace lantern {

using namespace dwarf;

namespace {

bool is_definition_of(std::string_view text, std::string_view name) {
    return text.starts_with(name) &&
           (text.size() == name.size() || text[name.size()] == ' ' || text[name.size()] == '(');
}

}  // namespace

const LineTable& UnitLines::lines_of(const Unit& unit) {
    auto& slot = lines_[unit.index];
    if (!slot) {
        LineProgram program;
        try {
            program = read_line_program(unit);
        } catch (const FormatError& error) {
            problems_.push_back(error.what());
        }
        slot = std::make_unique<LineTable>(std::move(program), areas_);
    }
    return *slot;
}

const std::vector<LineFile>& UnitLines::files_of(const Unit& unit) {
    if (lines_[unit.index]) return lines_[unit.index]->files();
    auto& slot = files_[unit.index];
    if (slot) return *slot;
    slot = std::make_unique<std::vector<LineFile>>();
    try {
        *slot = read_line_header(unit).files;
    } catch (const FormatError& error) {
        problems_.push_back(error.what());
    }
    return *slot;
}

std::string UnitLines::file_name(const Unit& unit, std::uint64_t index) {
    const auto& files = files_of(unit);
    return index < files.size() ? files[index].path : std::string();
}

std::optional<dwarf::MacroDefinition> UnitLines::macro_at(const dwarf::Unit& unit,
                                                          std::string_view name,
                                                          const std::string& file,
                                                          std::uint32_t line) {
    auto [found, is_new] = macros_.try_emplace(&unit);
    if (is_new) {
        try {
            found->second = dwarf::macros_of(unit);
        } catch (const FormatError&) {  // what cannot be read is not known
        }
    }
    if (found->second.empty()) return std::nullopt;
    const auto& files = files_of(unit);
    auto is_wanted_file = [&](std::uint32_t number) {
        return !file.empty() && number < files.size() && files[number].path == file;
    };
    std::optional<dwarf::MacroDefinition> defined;
    std::vector<std::uint32_t> open;  // the files that are being read
    auto is_in_wanted_file = [&] { return !open.empty() && is_wanted_file(open.back()); };
    for (const dwarf::MacroEntry& entry : found->second) {
        bool is_beyond = is_in_wanted_file() && entry.kind != dwarf::MacroEntry::Kind::end_file &&
                         entry.line > line;
        if (is_beyond) break;
        switch (entry.kind) {
            case dwarf::MacroEntry::Kind::start_file: open.push_back(entry.file); break;
            case dwarf::MacroEntry::Kind::end_file:
                if (is_in_wanted_file() && open.size() > 1)
                    return defined;  // a header has been read up to its end
                if (!open.empty()) open.pop_back();
                break;
            case dwarf::MacroEntry::Kind::define:
                if (is_definition_of(entry.text, name))
                    defined = {entry.text,
                               !open.empty() && entry.line && open.back() < files.size()
                                   ? files[open.back()].path
                                   : "",
                               entry.line};
                break;
            case dwarf::MacroEntry::Kind::undefine:
                if (entry.text == name) defined.reset();
                break;
        }
    }
    return defined;
}

}  // namespace lantern
