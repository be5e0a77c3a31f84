#include "core/unwind/frame.h"

#include <fmt/format.h>

#include <algorithm>

namespace lantern {

namespace {

// What headers and the library's own build put around a name.
std::string without_ornaments(std::string name) {
    for (std::string_view prefix : {"__isoc99_", "__isoc23_", "__GI_"})
        if (name.starts_with(prefix)) name.erase(0, prefix.size());
    if (name.starts_with("__") && name.ends_with("_chk")) name = name.substr(2, name.size() - 6);
    return name;
}

}  // namespace

std::string name_as_called(const ModuleSymbols& symbols, const Function& function) {
    std::string name = function.name;
    if (!name.starts_with("_") || !function.has_code() || name.find("::") != std::string::npos)
        return name;
    // Others of its names: the one without marks of the implementation (C17 §7.1.3).
    const auto& all = symbols.symbol_table().symbols();
    auto at = std::lower_bound(
        all.begin(), all.end(), function.low(),
        [](const ElfSymbol& symbol, FileAddress address) { return symbol.address < address; });
    for (; at != all.end() && at->address == function.low(); ++at) {
        std::string_view other = at->name.substr(0, at->name.find('@'));
        if (at->is_function && at->is_global && !other.empty() && other.front() != '_')
            return std::string(other);
    }
    return without_ornaments(name);
}

std::string frame_function_name(const Frame& frame) {
    if (frame.inlined) return frame.inlined->name;
    if (frame.function)
        return frame.module && frame.module->is_system_library()
                   ? name_as_called(frame.module->symbols(), *frame.function)
                   : frame.function->name;
    if (frame.module) {
        if (auto nearest = frame.module->symbols().nearest_name(frame.file_address()))
            return nearest->name;
    }
    return fmt::format("{:#x}", frame.program_counter.value);
}

std::optional<LineSpan> lines_of(const Frame& frame, std::span<const FileRange> ranges) {
    if (!frame.function || !frame.module) return std::nullopt;
    return frame.module->symbols()
        .positions_of(*frame.function)
        .lines_of(ranges, frame.inlined && !frame.scopes.empty() ? frame.scopes.back() : nullptr);
}

}  // namespace lantern
