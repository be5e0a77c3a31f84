#include "cli/views/machine_json.h"

#include <fmt/format.h>

namespace lantern::cli {
namespace {

std::string bytes_text(const std::vector<std::byte>& bytes) {
    std::string text;
    for (std::byte each : bytes) text += fmt::format("{:02x}", static_cast<unsigned>(each));
    return text;
}

void add(Json& out, const char* key, const std::string& text) {
    if (!text.empty()) out[key] = text;
}

}  // namespace

std::string address_text(std::uint64_t address) {
    return fmt::format("{:#x}", address);
}

Json machine_json(const RegistersReport& report) {
    Json rows = Json::array();
    for (const RegisterRow& row : report.rows) {
        Json made{{"name", row.name}, {"group", group_word(row.group)}};
        if (row.number) made["value"] = address_text(*row.number);
        if (!row.bytes.empty()) made["bytes"] = bytes_text(row.bytes);
        add(made, "text", row.text);
        add(made, "points_at", row.points_at);
        add(made, "unknown", row.unknown);
        add(made, "before", row.before);
        rows.push_back(std::move(made));
    }
    return {{"kind", "registers"}, {"thread", report.thread}, {"frame", report.level}, {"function", report.function}, {"registers", std::move(rows)}};
}

Json machine_json(const DisassemblyReport& report) {
    Json rows = Json::array(), arrows = Json::array(), operands = Json::array(), counts = Json::array();
    for (const DisassemblyRow& row : report.rows) {
        Json made{{"address", address_text(row.address)}, {"bytes", bytes_text(row.bytes)}, {"text", row.text}};
        add(made, "function", row.function);
        add(made, "inlined_into", row.inlined_into);
        if (row.inlined_depth) made["inlined_depth"] = row.inlined_depth;
        if (row.line) {
            made["file"] = row.file;
            made["line"] = row.line;
        }
        add(made, "part", row.part);
        if (row.blocks > 1) made["block"] = {{"number", row.block}, {"of", row.blocks}};
        if (row.target) made["target"] = address_text(*row.target);
        add(made, "refers_to", row.refers_to);
        if (row.is_next) made["next"] = true;
        if (!row.breakpoints.empty()) made["breakpoints"] = row.breakpoints;
        rows.push_back(std::move(made));
    }
    for (const JumpArrow& arrow : report.arrows) arrows.push_back({{"from", arrow.from}, {"to", arrow.to}, {"lane", arrow.lane}});
    for (const OperandNow& operand : report.operands) {
        Json made{{"text", operand.text}};
        if (operand.address) made["address"] = address_text(*operand.address);
        add(made, "value", operand.value);
        add(made, "note", operand.note);
        operands.push_back(std::move(made));
    }
    for (const LineCount& count : report.counts)
        counts.push_back({{"file", count.file}, {"line", count.line}, {"instructions", count.instructions}, {"bytes", count.bytes}, {"blocks", count.blocks}});
    Json out{{"kind", "disassembly"}, {"function", report.function}, {"module", report.module}, {"before", report.before}, {"after", report.after},
             {"instructions", std::move(rows)}, {"jumps", std::move(arrows)}, {"operands", std::move(operands)}};
    add(out, "jump", report.jump);
    if (!report.counts.empty()) out["counts"] = std::move(counts);
    return out;
}

Json machine_json(const MemoryReport& report) {
    Json rows = Json::array();
    for (const MemoryRow& row : report.rows) {
        Json made{{"address", address_text(row.address)}, {"size", row.size}};
        if (row.is_unreadable) made["unreadable"] = true;
        if (!row.bytes.empty()) made["bytes"] = bytes_text(row.bytes);
        if (!row.cells.empty()) made["values"] = row.cells;
        add(made, "note", row.note);
        if (row.repeats > 1) made["repeats"] = row.repeats;
        rows.push_back(std::move(made));
    }
    return {{"kind", "memory"}, {"address", address_text(report.address)}, {"size", report.size}, {"region", report.region}, {"form", report.form}, {"rows", std::move(rows)}};
}

Json machine_json(const RegionsReport& report) {
    Json rows = Json::array();
    for (const RegionRow& row : report.rows) {
        Json made{{"begin", address_text(row.begin)}, {"end", address_text(row.end)}, {"permissions", row.permissions}, {"what", row.what}};
        add(made, "file", row.file);
        if (row.resident) made["resident"] = *row.resident;
        rows.push_back(std::move(made));
    }
    return {{"kind", "regions"}, {"regions", std::move(rows)}, {"total", report.total}, {"resident", report.resident}};
}

Json machine_json(const MemoryFindReport& report) {
    Json rows = Json::array();
    for (const FoundMemory& found : report.found) rows.push_back({{"address", address_text(found.address)}, {"bytes", bytes_text(found.around)}, {"note", found.note}});
    return {{"kind", "memory-finds"}, {"what", report.what}, {"within", report.within}, {"total", report.total}, {"searched", report.searched}, {"unreadable", report.unreadable}, {"found", std::move(rows)}};
}

Json machine_json(const MemoryCompareReport& report) {
    Json rows = Json::array();
    for (const MemoryChange& change : report.changes)
        rows.push_back({{"address", address_text(change.address)}, {"size", change.size}, {"before", bytes_text(change.before)}, {"after", bytes_text(change.after)}, {"note", change.note}});
    return {{"kind", "memory-changes"}, {"name", report.name}, {"address", address_text(report.address)}, {"size", report.size}, {"changed", report.changed}, {"ranges", std::move(rows)}};
}

Json machine_json(const WordsReport& report) {
    Json frames = Json::array();
    for (const StackFrameWords& frame : report.frames) {
        Json words = Json::array();
        for (const StackWord& word : frame.words) {
            Json made{{"address", address_text(word.address)}, {"from_end", word.from_end}, {"value", address_text(word.value)}, {"what", word_of(word.kind)}};
            add(made, "name", word.name);
            add(made, "content", word.content);
            add(made, "warning", word.warning);
            words.push_back(std::move(made));
        }
        frames.push_back({{"frame", frame.level}, {"function", frame.function}, {"stack_pointer", address_text(frame.stack_pointer)}, {"end", address_text(frame.end)}, {"words", std::move(words)}, {"checks", frame.checks}});
    }
    return {{"kind", "words"}, {"thread", report.thread}, {"frames", std::move(frames)}, {"damage", report.damage}};
}

}  // namespace lantern::cli
