#include "core/analysis/disassembly_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <filesystem>
#include <map>
#include <utility>

#include "core/analysis/address_note.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/symbols/code_query.h"
#include "core/target/code_at.h"
#include "core/values/register_types.h"
#include "core/values/value_view.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr std::size_t kMostRows = 20'000;
constexpr unsigned kMostLanes = 6;
constexpr std::size_t kUsualCount = 24;

struct StretchOfCode {
    RunRange range;
    std::string name;  // empty: the function itself
};

std::vector<StretchOfCode> parts_of(const Module& module, const Function& function) {
    std::vector<StretchOfCode> parts;
    for (const FileRange& range : function.ranges) {
        const ElfSymbol* symbol = module.symbols().symbol_table().covering(range.low);
        bool is_cold = symbol && symbol->name.find(".cold") != std::string::npos;
        parts.push_back({{module.to_run(range.low), module.to_run(range.high)},
                         parts.empty() ? ""
                         : is_cold     ? "cold part"
                                       : "detached part"});
    }
    std::sort(parts.begin(), parts.end(), [](const StretchOfCode& a, const StretchOfCode& b) {
        return a.range.low < b.range.low;
    });
    return parts;
}

// The code around an address that no debug information claims: what the linker's symbol spans.
std::optional<RunRange> range_of_symbol(const Module& module, RunAddress address) {
    auto nearest = module.symbols().nearest_name(module.to_file(address));
    const ElfSymbol* symbol =
        nearest ? module.symbols().symbol_table().named(nearest->name) : nullptr;
    if (!symbol || !symbol->size || nearest->offset >= symbol->size) return std::nullopt;
    return RunRange{module.to_run(symbol->address), module.to_run(symbol->address) + symbol->size};
}

class Reporter {
  public:
    Reporter(const Moment& moment, const DisassemblyQuery& query,
             const std::list<Breakpoint>& breakpoints)
        : moment_(moment),
          breakpoints_(breakpoints),
          target_(moment.target()),
          query_(query),
          disassembler_(query.syntax,
                        [this](RunAddress address) { return symbol_note(target_, address); }) {
        report_.shows_bytes = query.bytes;
        if (const Frame* frame = moment.selected_frame()) next_ = frame->program_counter;
    }

    DisassemblyReport make() {
        choose();
        for (const StretchOfCode& part : parts_) decode(part);
        if (report_.rows.empty()) throw RequestError("there is no code to show there");
        if (query_.counts) count_lines();
        if (query_.by_source) order_by_source();
        cut();
        mark_blocks();
        if (!query_.by_source) draw_arrows();
        look_at_operands();
        return std::move(report_);
    }

  private:
    // ---- what to show

    void choose() {
        if (query_.range) {
            parts_.push_back({*query_.range, ""});
            const Module* module = target_.module_at(query_.range->low);
            if (module) report_.module = module->path();
            report_.function = symbol_note(target_, query_.range->low);
            return;
        }
        if (!query_.place) {
            if (!next_.value) return choose_function("main");
            return choose_around(next_);
        }
        const Place& place = *query_.place;
        auto sites = resolve_place(place, moment_.context());
        if (place.kind == Place::Kind::address) return choose_around(sites.front().address);
        if (place.kind == Place::Kind::line) return choose_line(sites.front());
        choose_function_of(sites.front());
    }

    void choose_function(const std::string& name) {
        choose_function_of(resolve_place(parse_place(name, ""), moment_.context()).front());
    }

    void choose_function_of(const PlaceSite& site) {
        const Function* function =
            site.module ? site.module->symbols().function_at(site.code.address) : nullptr;
        if (!function) return choose_around(site.address);
        take(*site.module, *function);
        anchor_.reset();
    }

    void take(const Module& module, const Function& function) {
        report_.function = function.name;
        report_.file = function.declared_in;
        report_.module = module.path();
        parts_ = parts_of(module, function);
    }

    void choose_line(const PlaceSite& site) {
        report_.module = site.module->path();
        report_.function = site.code.function;
        for (const LineBlock& block :
             blocks_of_line(site.module->symbols(), site.code.file, site.code.line))
            parts_.push_back(
                {{site.module->to_run(block.range.low), site.module->to_run(block.range.high)},
                 ""});
        for (std::size_t i = 0; parts_.size() > 1 && i < parts_.size(); ++i)
            parts_[i].name = fmt::format("block {} of {}", i + 1, parts_.size());
        anchor_.reset();
    }

    void choose_around(RunAddress address) {
        anchor_ = address;
        auto [module, function] = function_at(target_, address);
        if (function) return take(*module, *function);
        if (module) report_.module = module->path();
        report_.function = symbol_note(target_, address);
        auto range = module ? range_of_symbol(*module, address) : std::nullopt;
        std::size_t count = query_.count.value_or(kUsualCount);
        parts_.push_back(
            {range.value_or(RunRange{address, address + count * kLongestInstruction}), ""});
        if (!range) limit_ = count;
    }

    // ---- decoding

    void decode(const StretchOfCode& part) {
        std::vector<std::byte> bytes(
            std::min<std::uint64_t>(part.range.size(), kMostRows * kLongestInstruction));
        bytes.resize(target_.read_available(part.range.low, bytes));
        const Module* module = target_.module_at(part.range.low);
        bool is_first = true;
        for (std::size_t at = 0; at < bytes.size() && report_.rows.size() < kMostRows &&
                                 report_.rows.size() < limit_;) {
            RunAddress address = part.range.low + at;
            ByteSpan rest = ByteSpan(bytes).subspan(
                at, std::min<std::size_t>(kLongestInstruction, bytes.size() - at));
            Disassembler::Line line = disassembler_.at(rest, address);
            DisassemblyRow row;
            row.address = address.value;
            row.bytes.assign(rest.begin(), rest.begin() + line.length);
            row.text = line.text;
            row.is_next = address == next_;
            if (std::exchange(is_first, false) && (!part.name.empty() || !report_.rows.empty()))
                row.part = part.name.empty() ? "main part" : part.name;
            if (module) describe(row, *module, address);
            describe_references(row, rest, address);
            report_.rows.push_back(std::move(row));
            at += line.length;
        }
    }

    void describe(DisassemblyRow& row, const Module& module, RunAddress address) {
        auto frames = frames_at(module.symbols(), module.to_file(address));
        if (frames.empty()) {
            if (auto line = module.symbols().line_at(module.to_file(address))) {
                row.file = line->file;
                row.line = line->line;
            }
        } else {
            row.function = frames.front().function;
            row.file = frames.front().file;
            row.line = frames.front().line;
            row.inlined_depth = static_cast<unsigned>(frames.size() - 1);
            if (frames.size() > 1) row.inlined_into = frames.back().function;
        }
        const SourceText* text = row.line ? source(row.file) : nullptr;
        if (text && row.line <= text->lines.size()) row.source = text->lines[row.line - 1];
        for (const Breakpoint& breakpoint : breakpoints_)
            for (const Breakpoint::Site& site : breakpoint.sites)
                if (site.address == address) row.breakpoints.push_back(breakpoint.number);
    }

    const SourceText* source(const std::string& file) {
        auto [found, is_new] = sources_.try_emplace(file, nullptr);
        if (is_new) found->second = moment_.sources().find(file);
        return found->second;
    }

    // What the addresses in an instruction mean wherever the program is: targets, and data found
    // from the program counter.
    void describe_references(DisassemblyRow& row, ByteSpan bytes, RunAddress address) {
        for (const OperandFact& fact : operands_of(bytes, address, query_.syntax,
                                                   [](std::string_view) { return std::nullopt; })) {
            if (!fact.address) continue;
            if (fact.kind == OperandFact::Kind::target) row.target = fact.address->value;
            if (fact.kind != OperandFact::Kind::memory || !fact.is_relative) continue;
            std::string name = symbol_note(target_, *fact.address);
            bool is_touched = fact.is_read || fact.is_written;
            std::string text = is_touched ? "" : text_at_address(moment_, *fact.address);
            std::string value = is_touched ? memory_text(*fact.address, fact) : text;
            if (value.empty()) continue;  // the text has the name already
            row.refers_to =
                name.empty() || !is_touched ? value : fmt::format("{} = {}", name, value);
        }
    }

    // As the instruction takes it: floating numbers as such.
    std::string memory_text(RunAddress address, const OperandFact& fact) {
        if (fact.real_size) return real_text(address, fact);
        std::uint64_t word = 0;
        unsigned size = fact.size;
        if (size == 0 || size > sizeof word ||
            target_.read_available(address,
                                   std::as_writable_bytes(std::span(&word, 1)).first(size)) != size)
            return {};
        std::string number = word < 4096 ? std::to_string(word) : fmt::format("{:#x}", word);
        std::string note = size == 8 ? address_note(moment_, RunAddress(word)) : "";
        return note.empty() ? number : fmt::format("{} ({})", number, note);
    }

    std::string real_text(RunAddress address, const OperandFact& fact) {
        constexpr std::size_t kWidest = 64;
        std::vector<std::byte> bytes(std::min<std::size_t>(fact.size, kWidest));
        if (bytes.empty() || target_.read_available(address, bytes) != bytes.size()) return {};
        Type type;
        type.kind = TypeKind::floating;
        type.size = fact.real_size == 10 ? 16 : fact.real_size;
        std::string text;
        for (std::size_t at = 0; at + fact.real_size <= bytes.size(); at += fact.real_size)
            text +=
                (at ? ", " : "") + float_text(ByteSpan(bytes).subspan(at, fact.real_size), type);
        return fact.size > fact.real_size ? "{" + text + "}" : text;
    }

    // ---- arrangement

    void count_lines() {
        std::map<std::pair<std::string, std::uint32_t>, LineCount> counts;
        const DisassemblyRow* before = nullptr;
        for (const DisassemblyRow& row : report_.rows) {
            LineCount& count = counts[{row.file, row.line}];
            count.file = row.file;
            count.line = row.line;
            ++count.instructions;
            count.bytes += row.bytes.size();
            count.blocks += !before || before->line != row.line || before->file != row.file;
            before = &row;
        }
        for (auto& [key, count] : counts) report_.counts.push_back(count);
    }

    // Each line's stretches one after the other, lines as they stand in the source.
    void order_by_source() {
        struct Block {
            std::string file;
            std::uint32_t line = 0;
            std::size_t begin = 0, end = 0;
        };
        std::vector<Block> blocks;
        std::map<std::pair<std::string, std::uint32_t>, unsigned> counts;
        for (std::size_t i = 0; i < report_.rows.size(); ++i) {
            const DisassemblyRow& row = report_.rows[i];
            bool continues = !blocks.empty() && blocks.back().file == row.file &&
                             blocks.back().line == row.line && row.part.empty();
            if (continues)
                blocks.back().end = i + 1;
            else
                blocks.push_back({row.file, row.line, i, i + 1}), ++counts[{row.file, row.line}];
        }
        std::stable_sort(blocks.begin(), blocks.end(), [this](const Block& a, const Block& b) {
            bool a_is_foreign = a.file != report_.file, b_is_foreign = b.file != report_.file;
            return std::tie(a_is_foreign, a.file, a.line) < std::tie(b_is_foreign, b.file, b.line);
        });
        std::vector<DisassemblyRow> ordered;
        std::map<std::pair<std::string, std::uint32_t>, unsigned> seen;
        for (const Block& block : blocks) {
            unsigned number = ++seen[{block.file, block.line}];
            for (std::size_t i = block.begin; i < block.end; ++i) {
                ordered.push_back(std::move(report_.rows[i]));
                ordered.back().block = number;
                ordered.back().blocks = counts[{block.file, block.line}];
                ordered.back().part.clear();
            }
        }
        report_.rows = std::move(ordered);
    }

    // A window around the program counter, or as many rows as were asked for.
    void cut() {
        auto& rows = report_.rows;
        std::size_t begin = 0, end = rows.size();
        auto at = anchor_ ? std::find_if(rows.begin(), rows.end(),
                                         [&](const DisassemblyRow& row) {
                                             return row.address <= anchor_->value &&
                                                    anchor_->value < row.address + row.bytes.size();
                                         })
                          : rows.end();
        if (at != rows.end() && !query_.whole && !query_.by_source && !query_.counts) {
            auto index = static_cast<std::size_t>(at - rows.begin());
            begin = query_.place ? index : index - std::min(index, query_.rows_before);
            end = std::min(end, query_.count ? begin + *query_.count : index + query_.rows_after);
        } else if (query_.count) {
            end = std::min(end, *query_.count);
        }
        report_.before = begin;
        report_.after = rows.size() - end;
        rows.erase(rows.begin() + static_cast<std::ptrdiff_t>(end), rows.end());
        rows.erase(rows.begin(), rows.begin() + static_cast<std::ptrdiff_t>(begin));
    }

    void mark_blocks() {
        const DisassemblyRow* before = nullptr;
        for (DisassemblyRow& row : report_.rows) {
            row.starts_block = !before || before->line != row.line || before->file != row.file ||
                               before->function != row.function || before->block != row.block ||
                               !row.part.empty();
            before = &row;
        }
    }

    // Short jumps lie nearest to the text; a lane is used again where nothing in it overlaps.
    void draw_arrows() {
        std::map<std::uint64_t, std::size_t> row_at;
        for (std::size_t i = 0; i < report_.rows.size(); ++i) row_at[report_.rows[i].address] = i;
        for (std::size_t i = 0; i < report_.rows.size(); ++i) {
            const DisassemblyRow& row = report_.rows[i];
            auto to = row.target ? row_at.find(*row.target) : row_at.end();
            bool is_call = row.text.starts_with("call");
            if (to != row_at.end() && !is_call) report_.arrows.push_back({i, to->second, 0});
        }
        auto low = [](const JumpArrow& a) { return std::min(a.from, a.to); };
        auto high = [](const JumpArrow& a) { return std::max(a.from, a.to); };
        std::stable_sort(
            report_.arrows.begin(), report_.arrows.end(),
            [&](const auto& a, const auto& b) { return high(a) - low(a) < high(b) - low(b); });
        std::vector<JumpArrow> placed;
        for (JumpArrow arrow : report_.arrows) {
            for (arrow.lane = 0; arrow.lane < kMostLanes; ++arrow.lane) {
                bool is_free =
                    std::none_of(placed.begin(), placed.end(), [&](const JumpArrow& other) {
                        // Arrows to the same place may share its last stretch.
                        return other.lane == arrow.lane && low(other) <= high(arrow) &&
                               low(arrow) <= high(other) && other.to != arrow.to;
                    });
                if (is_free) break;
            }
            if (arrow.lane < kMostLanes) placed.push_back(arrow);
        }
        report_.arrows = std::move(placed);
    }

    // ---- the instruction that runs next

    void look_at_operands() {
        auto next = std::find_if(report_.rows.begin(), report_.rows.end(),
                                 [](const DisassemblyRow& row) { return row.is_next; });
        const Frame* frame = moment_.selected_frame();
        if (next == report_.rows.end() || !frame) return;
        SystemRegisters system = target_.system_registers(moment_.thread());
        auto value = [&](std::string_view name) -> std::optional<std::uint64_t> {
            if (name == "fs_base") return system.fs_base;
            if (name == "gs_base") return system.gs_base;
            auto found = find_register(name);
            auto whole = found ? frame->registers.get(found->dwarf_number) : std::nullopt;
            if (!whole || found->size > 8) return std::nullopt;
            std::uint64_t part = *whole >> (8 * found->offset);
            return found->size == 8 ? part : part & ((std::uint64_t{1} << (8 * found->size)) - 1);
        };
        ByteSpan bytes(next->bytes);
        for (const OperandFact& fact :
             operands_of(bytes, RunAddress(next->address), query_.syntax, value))
            if (fact.kind == OperandFact::Kind::in_register ||
                fact.kind == OperandFact::Kind::memory)
                report_.operands.push_back(operand_now(fact, value, *frame));
        if (frame->level > 0) return;  // it waits for its call to return; nothing is decided
        if (auto jump = jump_fact(bytes, RunAddress(next->address), value))
            report_.jump = fmt::format(
                "{}: {}", jump->is_taken ? "it will jump" : "it will not jump", jump->because);
    }

    OperandNow operand_now(const OperandFact& fact, const RegisterValue& value,
                           const Frame& frame) {
        OperandNow now;
        now.text = fact.text;
        if (fact.kind == OperandFact::Kind::in_register) {
            if (auto number = value(fact.name)) {
                now.value = fmt::format("{:#x}", *number);
                if (*number < 10'000'000 && *number > 9) now.value += fmt::format(" ({})", *number);
                now.note = address_note(moment_, RunAddress(*number));
                return now;
            }
            auto found = find_register(fact.name);
            if (!found) return now;
            Value wide = value_of_register(target_, moment_.thread(), frame, *found,
                                           type_of_register(*found));
            now.value = one_line(make_view(ValueReader(target_), fact.name, wide));
        } else if (fact.kind == OperandFact::Kind::memory && fact.address) {
            now.address = fact.address->value;
            now.note = address_note(moment_, *fact.address);
            if (!fact.is_read && !fact.is_written) return now;
            std::byte probe;
            if (target_.read_available(*fact.address, std::span(&probe, 1)) == 0)
                now.value = "nothing can be read there";
            else
                now.value = memory_text(*fact.address, fact);
        }
        return now;
    }

    const Moment& moment_;
    const std::list<Breakpoint>& breakpoints_;
    Target& target_;
    const DisassemblyQuery& query_;
    Disassembler disassembler_;
    DisassemblyReport report_;
    RunAddress next_{};
    std::optional<RunAddress> anchor_;
    std::size_t limit_ = kMostRows;
    std::vector<StretchOfCode> parts_;
    std::map<std::string, const SourceText*> sources_;
};

}  // namespace

DisassemblyReport report_disassembly(const Moment& moment, const DisassemblyQuery& query,
                                     const std::list<Breakpoint>& breakpoints) {
    return Reporter(moment, query, breakpoints).make();
}

}  // namespace lantern
