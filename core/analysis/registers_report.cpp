#include "core/analysis/registers_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

#include "core/analysis/address_note.h"
#include "core/machine/extended_state.h"
#include "core/support/error.h"
#include "core/support/pattern.h"
#include "core/support/text.h"

namespace lantern {
namespace {

struct Flag {
    unsigned bit;
    std::string_view name;
};
// Intel SDM 1, §3.4.3
constexpr Flag kFlags[] = {{0, "CF"},  {2, "PF"},   {4, "AF"},   {6, "ZF"},  {7, "SF"},  {8, "TF"},
                           {9, "IF"},  {10, "DF"},  {11, "OF"},  {14, "NT"}, {16, "RF"}, {17, "VM"},
                           {18, "AC"}, {19, "VIF"}, {20, "VIP"}, {21, "ID"}};

constexpr std::pair<std::string_view, RegisterGroup> kGroups[] = {
    {"general", RegisterGroup::general},   {"flags", RegisterGroup::flags},
    {"segments", RegisterGroup::segments}, {"vectors", RegisterGroup::vectors},
    {"floating", RegisterGroup::floating}, {"masks", RegisterGroup::masks},
    {"debug", RegisterGroup::debug}};

// In the order people name them, not in the order of their DWARF numbers.
constexpr unsigned kOrder[] = {0, 3, 2, 1, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16};

std::string lanes_text(ByteSpan bytes) {
    bool zero =
        std::all_of(bytes.begin(), bytes.end(), [](std::byte b) { return b == std::byte{}; });
    if (zero) return "zero";
    // What lies behind the last lane in use is left out.
    std::size_t used = bytes.size();
    while (used > 16 && std::all_of(bytes.begin() + static_cast<std::ptrdiff_t>(used - 16),
                                    bytes.begin() + static_cast<std::ptrdiff_t>(used),
                                    [](std::byte b) { return b == std::byte{}; }))
        used -= 16;
    bytes = bytes.first(used);
    std::vector<std::string> doubles, floats;
    for (std::size_t at = 0; at + 8 <= bytes.size(); at += 8) {
        double number;
        std::memcpy(&number, bytes.data() + at, sizeof number);
        doubles.push_back(fmt::format("{:.6g}", number));
    }
    for (std::size_t at = 0; at + 4 <= bytes.size(); at += 4) {
        float number;
        std::memcpy(&number, bytes.data() + at, sizeof number);
        floats.push_back(fmt::format("{:.5g}", number));
    }
    return fmt::format("f64 {}  f32 {}", fmt::join(doubles, " "), fmt::join(floats, " "));
}

long double extended_number(ByteSpan bytes) {
    long double number = 0;
    std::memcpy(&number, bytes.data(), std::min<std::size_t>(bytes.size(), 10));
    return number;
}

class Collector {
  public:
    Collector(const Moment& moment, const Frame& frame, const RegisterSnapshot* before)
        : moment_(moment), frame_(frame) {
        is_innermost_ = frame.registers.stack_pointer() ==
                        moment.target().registers(moment.thread()).stack_pointer();
        if (before && is_innermost_) before_ = before;
    }

    std::vector<RegisterRow> all() {
        for (unsigned number : kOrder) add_general(number, RegisterGroup::general);
        add_general(kFlagsRegister, RegisterGroup::flags);
        add_system();
        if (is_innermost_) add_extended();
        return std::move(rows_);
    }

  private:
    void add_general(unsigned number, RegisterGroup group) {
        RegisterRow row;
        row.name = register_name(number);
        row.group = group;
        row.number = frame_.registers.get(number);
        if (!row.number)
            row.unknown = number == kFlagsRegister ? "a call does not keep them"
                                                   : "the functions called since did not keep them";
        else if (number == kFlagsRegister)
            row.text = flags_text(*row.number);
        else
            row.points_at = pointed_at(*row.number);
        auto old = before_ ? before_->registers.get(number) : std::nullopt;
        if (old && row.number && *old != *row.number)
            row.before = number == kFlagsRegister ? flags_text(*old) : fmt::format("{:#x}", *old);
        rows_.push_back(std::move(row));
    }

    std::string pointed_at(std::uint64_t value) {
        RunAddress address(value);
        std::string note = address_note(moment_, address), text = text_at_address(moment_, address);
        return text.empty() ? note : note.empty() ? text : note + ": " + text;
    }

    void add_number(std::string name, RegisterGroup group, std::uint64_t value,
                    std::string text = {}) {
        RegisterRow row;
        row.name = std::move(name);
        row.group = group;
        row.number = value;
        row.text = std::move(text);
        rows_.push_back(std::move(row));
    }

    void add_system() {
        SystemRegisters system = moment_.target().system_registers(moment_.thread());
        add_number("fs_base", RegisterGroup::segments, system.fs_base, "the thread's own block");
        add_number("gs_base", RegisterGroup::segments, system.gs_base);
        for (auto [name, value] : {std::pair{"cs", system.cs},
                                   {"ss", system.ss},
                                   {"ds", system.ds},
                                   {"es", system.es},
                                   {"fs", system.fs},
                                   {"gs", system.gs}})
            add_number(name, RegisterGroup::segments, value);
        if (!system.debug) return;
        for (unsigned i : {0u, 1u, 2u, 3u, 6u, 7u}) {
            std::uint64_t value = (*system.debug)[i];
            add_number(fmt::format("dr{}", i), RegisterGroup::debug, value,
                       i < 4 && value ? address_note(moment_, RunAddress(value)) : "");
        }
    }

    void add_bytes(std::string name, RegisterGroup group, ByteSpan bytes, std::string text,
                   ByteSpan old) {
        RegisterRow row;
        row.name = std::move(name);
        row.group = group;
        row.bytes.assign(bytes.begin(), bytes.end());
        row.text = std::move(text);
        if (!old.empty() && !std::equal(bytes.begin(), bytes.end(), old.begin(), old.end()))
            row.before = group == RegisterGroup::floating
                             ? fmt::format("{:.18g}", extended_number(old))
                             : lanes_text(old);
        rows_.push_back(std::move(row));
    }

    void add_extended() {
        auto state = read_extended_state(moment_.target().extended_state(moment_.thread()));
        auto old = before_ ? read_extended_state(before_->extended) : std::nullopt;
        if (!state) return;
        const char* prefix = state->vector_size == 64   ? "zmm"
                             : state->vector_size == 32 ? "ymm"
                                                        : "xmm";
        for (std::size_t i = 0; i < state->vectors.size(); ++i) {
            ByteSpan bytes = ByteSpan(state->vectors[i]).first(state->vector_size);
            ByteSpan was = old && old->vector_size == state->vector_size
                               ? ByteSpan(old->vectors[i]).first(state->vector_size)
                               : ByteSpan();
            add_bytes(fmt::format("{}{}", prefix, i), RegisterGroup::vectors, bytes,
                      lanes_text(bytes), was);
        }
        add_number("mxcsr", RegisterGroup::vectors, state->vector_control);
        if (state->masks)
            for (std::size_t i = 0; i < state->masks->size(); ++i)
                add_number(fmt::format("k{}", i), RegisterGroup::masks, (*state->masks)[i]);
        for (std::size_t i = 0; i < state->stack.size(); ++i) {
            std::string text = state->stack_in_use[i]
                                   ? fmt::format("{:.18g}", extended_number(state->stack[i]))
                                   : "empty";
            add_bytes(fmt::format("st{}", i), RegisterGroup::floating, state->stack[i], text,
                      old ? ByteSpan(old->stack[i]) : ByteSpan());
        }
        add_number("x87 instruction", RegisterGroup::floating, state->last_instruction,
                   fmt::format("the last one that could fail, opcode {:#x}", state->last_opcode));
        add_number("x87 operand", RegisterGroup::floating, state->last_operand);
        add_number("x87 control", RegisterGroup::floating, state->control);
        add_number("x87 status", RegisterGroup::floating, state->status,
                   fmt::format("top {}", state->status >> 11 & 7));
    }

    const Moment& moment_;
    const Frame& frame_;
    const RegisterSnapshot* before_ = nullptr;
    bool is_innermost_ = false;
    std::vector<RegisterRow> rows_;
};

// "xmm3" means the row of zmm3, "eax" that of rax.
bool names_row(const std::string& word, const RegisterRow& row) {
    if (word == row.name) return true;
    auto found = find_register(word), held = find_register(row.name);
    return found && held && found->dwarf_number == held->dwarf_number;
}

// Which rows one word asks for. Throws RequestError.
std::vector<bool> asked_for(const std::string& word, const std::vector<RegisterRow>& rows,
                            unsigned level) {
    std::vector<bool> chosen(rows.size(), word == "all");
    auto group = std::find_if(std::begin(kGroups), std::end(kGroups),
                              [&](const auto& each) { return each.first == word; });
    bool is_pattern = word.find_first_of("*?") != std::string::npos;
    bool any = word == "all";
    for (std::size_t i = 0; i < rows.size(); ++i) {
        bool fits = group != std::end(kGroups) ? rows[i].group == group->second
                    : is_pattern               ? Pattern(word).matches(rows[i].name)
                                               : names_row(word, rows[i]);
        if (fits) chosen[i] = any = true;
    }
    if (any) return chosen;
    if (level > 0 && (group != std::end(kGroups) || find_register(word)))
        throw RequestError(
            fmt::format("{} is not known in frame {}: the functions called since did not keep it",
                        word, level),
            Next::select_innermost_frame);
    if (group != std::end(kGroups))
        throw RequestError(
            fmt::format("this processor, or this core file, has no {} registers", word));
    std::vector<std::string> words{"all"};
    for (const auto& each : kGroups) words.emplace_back(each.first);
    for (const RegisterRow& row : rows) words.push_back(row.name);
    auto near = nearest_names(word, words);
    throw RequestError(fmt::format("there is no register {}", quote(word)),
                       did_you_mean(near, Next::name_registers));
}

bool is_usual(const RegisterRow& row) {
    return row.group == RegisterGroup::general || row.group == RegisterGroup::flags ||
           row.name == "fs_base" || row.name == "gs_base";
}

}  // namespace

std::string_view group_word(RegisterGroup group) {
    return kGroups[static_cast<std::size_t>(group)].first;
}

std::string flags_text(std::uint64_t flags) {
    std::string text;
    for (const Flag& flag : kFlags)
        if (flags >> flag.bit & 1) text += (text.empty() ? "" : " ") + std::string(flag.name);
    return text.empty() ? "none set" : text;
}

RegistersReport report_registers(const Moment& moment, const std::vector<std::string>& wanted,
                                 const RegisterSnapshot* before) {
    moment.stack();  // throws where there is none
    const Frame* frame = moment.selected_frame();
    if (!frame) throw RequestError("no frame is selected");
    RegistersReport report;
    report.thread = moment.thread();
    if (moment.target().threads().size() > 1) report.thread_number = moment.thread_number();
    report.level = frame->level;
    report.function = frame_function_name(*frame);
    std::vector<RegisterRow> rows = Collector(moment, *frame, before).all();
    std::vector<bool> chosen(rows.size(), false);
    if (wanted.empty())
        for (std::size_t i = 0; i < rows.size(); ++i) chosen[i] = is_usual(rows[i]);
    for (const std::string& word : wanted) {
        auto more = asked_for(word, rows, frame->level);
        for (std::size_t i = 0; i < rows.size(); ++i) chosen[i] = chosen[i] || more[i];
    }
    for (std::size_t i = 0; i < rows.size(); ++i) {
        if (!chosen[i]) continue;
        report.changed += !rows[i].before.empty();
        report.rows.push_back(std::move(rows[i]));
    }
    return report;
}

}  // namespace lantern
