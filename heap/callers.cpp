#include "heap/callers.h"

#include <dlfcn.h>
#include <pthread.h>

#include <initializer_list>

// Of the C library: where the stack of the first thread begins.
extern "C" void* __libc_stack_end;

namespace lantern::heap_library {
namespace {

// How to get from an address in a function to its caller. In one word, so that it can be kept
// without a lock:
//     bits 0-1   the frame's address is counted from: 0 not known, 1 rsp, 2 rbp; 3: the outermost
//     bit  2     rbp is kept on the stack
//     bit  3     a signal came there: the kernel has laid down what ran
//     8-31       where, in words below the frame's address
//     32-63      what is added, in bytes
struct Rule {
    enum From : unsigned { unknown, stack, base, outermost };
    std::uint64_t word = 0;

    static Rule of(From from, std::uint64_t offset, bool keeps_base, std::uint64_t words_below) {
        return {from | (keeps_base ? 4u : 0u) | words_below << 8 | offset << 32};
    }
    static Rule of_signal() { return {8}; }
    bool is_signal() const { return word & 8; }
    From from() const { return static_cast<From>(word & 3); }
    bool keeps_base() const { return word & 4; }
    std::uint64_t words_below() const { return word >> 8 & 0xffffff; }
    std::uint64_t offset() const { return word >> 32; }
};

// What was found out, by address. The two words of an entry are written one after the other: the
// first is mixed with the second, so that halves of two entries do not pass for one.
struct KeptRules {
    static constexpr std::size_t kEntries = 1 << 15;
    struct Entry {
        std::uint64_t mixed, rule;
    } entries[kEntries];

    static std::size_t place(std::uint64_t address) {
        return (address * 0x9e3779b97f4a7c15) >> (64 - 15);
    }
    bool find(std::uint64_t address, Rule& rule) const {
        const Entry& entry = entries[place(address)];
        rule.word = __atomic_load_n(&entry.rule, __ATOMIC_RELAXED);
        return (__atomic_load_n(&entry.mixed, __ATOMIC_RELAXED) ^ rule.word) == address;
    }
    void keep(std::uint64_t address, Rule rule) {
        Entry& entry = entries[place(address)];
        __atomic_store_n(&entry.rule, rule.word, __ATOMIC_RELAXED);
        __atomic_store_n(&entry.mixed, address ^ rule.word, __ATOMIC_RELAXED);
    }
};
constinit KeptRules kept{};
constinit std::uint32_t generation = 0;

constexpr unsigned kBase = 6, kStack = 7, kBack = 16;  // System V ABI x86-64, figure 3.36

// The bytes of call-frame information, from there up to an end that is checked.
struct Bytes {
    const unsigned char *at, *end;

    bool has(std::size_t count) const { return static_cast<std::size_t>(end - at) >= count; }
    template <class T>
    T take() {
        if (!has(sizeof(T))) return at = end, T{};
        T value;
        __builtin_memcpy(&value, at, sizeof value);
        at += sizeof value;
        return value;
    }
    std::uint64_t number() {  // ULEB128
        std::uint64_t value = 0;
        for (unsigned shift = 0; at < end && shift < 64; shift += 7) {
            unsigned char byte = *at++;
            value |= std::uint64_t{byte & 0x7fu} << shift;
            if (!(byte & 0x80)) break;
        }
        return value;
    }
    std::int64_t signed_number() {  // SLEB128
        std::uint64_t value = 0;
        unsigned shift = 0;
        while (at < end && shift < 64) {
            unsigned char byte = *at++;
            value |= std::uint64_t{byte & 0x7fu} << shift;
            shift += 7;
            if (!(byte & 0x80)) {
                if (shift < 64 && byte & 0x40) value |= ~std::uint64_t{0} << shift;
                break;
            }
        }
        return static_cast<std::int64_t>(value);
    }
    void pass(std::uint64_t count) { at = has(count) ? at + count : end; }
};

// What the instructions have said up to an address.
struct Row {
    unsigned from = kStack;
    std::int64_t offset = 8;
    bool by_expression = false, base_by_expression = false, keeps_base = false;
    std::int64_t base_at = 0;  // from the frame's address
    bool is_outermost = false;
};

// What a whole function shares (its CIE).
struct Common {
    std::uint64_t code_unit = 1;
    std::int64_t data_unit = -8;
    unsigned char encoding = 0;
    bool is_signal = false, is_known = false;
    bool has_augmentation = false;
    Bytes instructions{};
};

constexpr int kRowsRemembered = 8;

void set_base(Row& row, unsigned reg, std::int64_t at) {
    if (reg == kBase) {
        row.keeps_base = true;
        row.base_by_expression = false;
        row.base_at = at;
    }
}

void forget_base(Row& row, unsigned reg) {
    if (reg == kBase) row.keeps_base = row.base_by_expression = false;
}

// Runs the instructions up to an address. False: one of them is not known.
bool run(Bytes bytes, const Common& common, std::uint64_t location, std::uint64_t address, Row& row,
         const Row& at_begin) {
    Row remembered[kRowsRemembered];
    int depth = 0;
    while (bytes.at < bytes.end) {
        unsigned char code = bytes.take<unsigned char>();
        unsigned low = code & 0x3f;
        switch (code >> 6) {
            case 1:  // DW_CFA_advance_loc
                location += low * common.code_unit;
                if (location > address) return true;
                continue;
            case 2:  // DW_CFA_offset
                set_base(row, low, static_cast<std::int64_t>(bytes.number()) * common.data_unit);
                continue;
            case 3:  // DW_CFA_restore
                if (low == kBase) {
                    row.keeps_base = at_begin.keeps_base;
                    row.base_at = at_begin.base_at;
                    row.base_by_expression = at_begin.base_by_expression;
                }
                continue;
            default: break;
        }
        switch (code) {
            case 0x00: break;         // nop
            case 0x01: return false;  // set_loc: not used where pages are shared
            case 0x02: location += bytes.take<std::uint8_t>() * common.code_unit; break;
            case 0x03: location += bytes.take<std::uint16_t>() * common.code_unit; break;
            case 0x04: location += bytes.take<std::uint32_t>() * common.code_unit; break;
            case 0x05: {  // offset_extended
                unsigned reg = static_cast<unsigned>(bytes.number());
                set_base(row, reg, static_cast<std::int64_t>(bytes.number()) * common.data_unit);
                break;
            }
            case 0x06: {  // restore_extended
                if (bytes.number() == kBase) row.keeps_base = at_begin.keeps_base;
                break;
            }
            case 0x07: {  // undefined
                std::uint64_t reg = bytes.number();
                if (reg == kBack) row.is_outermost = true;
                forget_base(row, static_cast<unsigned>(reg));
                break;
            }
            case 0x08:
                forget_base(row, static_cast<unsigned>(bytes.number()));
                break;    // same_value
            case 0x09: {  // register
                if (bytes.number() == kBase) row.base_by_expression = true;
                bytes.number();
                break;
            }
            case 0x0a:  // remember_state
                if (depth == kRowsRemembered) return false;
                remembered[depth++] = row;
                break;
            case 0x0b:  // restore_state
                if (depth == 0) return false;
                row = remembered[--depth];
                break;
            case 0x0c:  // def_cfa
                row.from = static_cast<unsigned>(bytes.number());
                row.offset = static_cast<std::int64_t>(bytes.number());
                row.by_expression = false;
                break;
            case 0x0d: row.from = static_cast<unsigned>(bytes.number()); break;
            case 0x0e: row.offset = static_cast<std::int64_t>(bytes.number()); break;
            case 0x0f:  // def_cfa_expression
                bytes.pass(bytes.number());
                row.by_expression = true;
                break;
            case 0x10:    // expression
            case 0x16: {  // val_expression
                if (bytes.number() == kBase) row.base_by_expression = true;
                bytes.pass(bytes.number());
                break;
            }
            case 0x11: {  // offset_extended_sf
                unsigned reg = static_cast<unsigned>(bytes.number());
                set_base(row, reg, bytes.signed_number() * common.data_unit);
                break;
            }
            case 0x12:  // def_cfa_sf
                row.from = static_cast<unsigned>(bytes.number());
                row.offset = bytes.signed_number() * common.data_unit;
                row.by_expression = false;
                break;
            case 0x13: row.offset = bytes.signed_number() * common.data_unit; break;
            case 0x2e: bytes.number(); break;  // GNU_args_size
            default: return false;
        }
        if (code >= 0x02 && code <= 0x04 && location > address) return true;
    }
    return true;
}

Common common_at(const unsigned char* at) {
    Common common;
    std::uint32_t length;
    __builtin_memcpy(&length, at, 4);
    if (length == 0 || length == 0xffffffff) return common;
    Bytes bytes{at + 4, at + 4 + length};
    if (bytes.take<std::uint32_t>() != 0) return common;
    unsigned char version = bytes.take<unsigned char>();
    if (version != 1 && version != 3) return common;
    const unsigned char* letters = bytes.at;
    while (bytes.at < bytes.end && *bytes.at) ++bytes.at;
    bytes.pass(1);
    common.code_unit = bytes.number();
    common.data_unit = bytes.signed_number();
    std::uint64_t back = version == 1 ? bytes.take<unsigned char>() : bytes.number();
    if (back != kBack) return common;
    if (*letters == 'z') {
        common.has_augmentation = true;
        std::uint64_t size = bytes.number();
        Bytes data{bytes.at, bytes.at};
        bytes.pass(size);
        data.end = bytes.at;
        for (const unsigned char* letter = letters + 1; *letter; ++letter) {
            if (*letter == 'R') {
                common.encoding = data.take<unsigned char>();
            } else if (*letter == 'S') {
                common.is_signal = true;
            } else if (*letter == 'L') {
                data.pass(1);
            } else if (*letter == 'P') {
                unsigned char form = data.take<unsigned char>() & 0x0f;
                data.pass(form == 0x0b || form == 0x03 ? 4 : form == 0x02 || form == 0x0a ? 2 : 8);
            } else {
                return common;
            }
        }
    } else if (*letters) {
        return common;
    }
    common.instructions = bytes;
    common.is_known = true;
    return common;
}

// The description that begins at or before an address, by the sorted table (LSB 5 §10.6.2).
const unsigned char* description(const unsigned char* header, std::uint64_t address,
                                 std::uint64_t& begin) {
    // As every linker writes it: a pointer relative to here, a count, pairs relative to the header.
    if (header[0] != 1 || (header[1] & 0x0f) != 0x0b || header[2] != 0x03 || header[3] != 0x3b)
        return nullptr;
    std::uint32_t count;
    __builtin_memcpy(&count, header + 8, 4);
    const unsigned char* table = header + 12;
    auto place = [&](std::uint32_t i, unsigned part) {
        std::int32_t value;
        __builtin_memcpy(&value, table + 8ul * i + 4ul * part, 4);
        return reinterpret_cast<std::uint64_t>(header) +
               static_cast<std::uint64_t>(static_cast<std::int64_t>(value));
    };
    if (count == 0 || place(0, 0) > address) return nullptr;
    std::uint32_t low = 0, high = count;  // place(low) <= address
    while (high - low > 1) {
        std::uint32_t middle = low + (high - low) / 2;
        (place(middle, 0) <= address ? low : high) = middle;
    }
    begin = place(low, 0);
    return reinterpret_cast<const unsigned char*>(place(low, 1));
}

Rule read_rule(std::uint64_t address) {
    dl_find_object found;
    if (_dl_find_object(reinterpret_cast<void*>(address), &found) != 0 || !found.dlfo_eh_frame)
        return {};
    std::uint64_t begin = 0;
    const unsigned char* at =
        description(static_cast<const unsigned char*>(found.dlfo_eh_frame), address, begin);
    if (!at) return {};
    std::uint32_t length, to_common;
    __builtin_memcpy(&length, at, 4);
    if (length == 0 || length == 0xffffffff) return {};
    Bytes bytes{at + 4, at + 4 + length};
    const unsigned char* here = bytes.at;
    to_common = bytes.take<std::uint32_t>();
    Common common = common_at(here - to_common);
    // The pointers are four bytes (pcrel sdata4) or eight.
    if (!common.is_known) return {};
    if (common.is_signal) return Rule::of_signal();
    std::uint64_t range;
    if ((common.encoding & 0x0f) == 0x0b) {
        bytes.pass(4);
        range = bytes.take<std::uint32_t>();
    } else if ((common.encoding & 0x0f) == 0x00 || (common.encoding & 0x0f) == 0x0c) {
        bytes.pass(8);
        range = bytes.take<std::uint64_t>();
    } else {
        return {};
    }
    if (address >= begin + range) return {};
    if (common.has_augmentation) bytes.pass(bytes.number());
    Row row, at_begin;
    if (!run(common.instructions, common, begin, ~std::uint64_t{0}, row, row)) return {};
    at_begin = row;
    if (!run(bytes, common, begin, address, row, at_begin)) return {};
    if (row.is_outermost) return Rule::of(Rule::outermost, 0, false, 0);
    bool is_plain = !row.by_expression && !row.base_by_expression &&
                    (row.from == kStack || row.from == kBase) && row.offset >= 0 &&
                    row.offset <= 0x7fffffff && (!row.keeps_base || row.base_at <= 0);
    if (!is_plain) return {};
    return Rule::of(row.from == kStack ? Rule::stack : Rule::base,
                    static_cast<std::uint64_t>(row.offset), row.keeps_base,
                    static_cast<std::uint64_t>(-row.base_at) / 8 & 0xffffff);
}

// The end of the stack that an address is on; 0: it is on no stack of a thread's own.
std::uint64_t stack_end(std::uint64_t address) {
    constexpr std::uint64_t kLargest = 64 << 20;
    // The library puts a thread's own block at the end of its stack; the first one's lies
    // elsewhere.
    for (std::uint64_t end : {reinterpret_cast<std::uint64_t>(__libc_stack_end),
                              static_cast<std::uint64_t>(pthread_self())})
        if (address < end && end - address < kLargest) return end;
    return 0;
}

// What a signal has interrupted, as the kernel lays it down where the handler returns to
// (ucontext_t of x86-64: the registers begin behind 40 bytes, in the order of <sys/ucontext.h>).
struct Interrupted {
    static constexpr std::uint64_t kRegisters = 40, kBaseAt = kRegisters + 10 * 8,
                                   kStackAt = kRegisters + 15 * 8, kCodeAt = kRegisters + 16 * 8;
    std::uint64_t base, stack, code;
};
Interrupted interrupted_at(std::uint64_t context, WayUp& way) {
    auto word = [&](std::uint64_t offset) {
        std::uint64_t value = *reinterpret_cast<const std::uint64_t*>(context + offset);
        way.read(context + offset, value);
        return value;
    };
    return {word(Interrupted::kBaseAt), word(Interrupted::kStackAt), word(Interrupted::kCodeAt)};
}

}  // namespace

void find_way_up(const Caller& caller, WayUp& way) {
    way.calls[0] = caller.back;
    way.count = 1;
    way.words_count = 0;
    way.needs_base = false;
    std::uint64_t end = stack_end(caller.stack), stack = caller.stack, base = caller.base;
    std::uint64_t base_at = 0;  // where it was read; 0: it is the caller's still
    while (way.count < WayUp::kMost && end) {
        std::uint64_t address =
            way.calls[way.count - 1] - 1;  // of the call, not of what follows it
        Rule rule;
        if (!kept.find(address, rule)) {
            rule = read_rule(address);
            kept.keep(address, rule);
        }
        if (rule.is_signal()) {
            if (end - stack < Interrupted::kCodeAt + 8) break;
            Interrupted was = interrupted_at(stack, way);
            base_at = stack + Interrupted::kBaseAt;
            base = was.base;
            stack = was.stack;
            end = stack_end(stack);
            // Not behind a call: the instruction itself is meant.
            way.calls[way.count++] = was.code + 1;
            continue;
        }
        if (rule.from() != Rule::stack && rule.from() != Rule::base) break;
        if (rule.from() == Rule::base) {
            // Most functions use rbp for something else: only here it decides.
            if (base_at)
                way.read(base_at, base);
            else
                way.needs_base = true;
        }
        std::uint64_t frame = (rule.from() == Rule::stack ? stack : base) + rule.offset();
        if (frame <= stack || frame > end || frame % 8 != 0) break;
        std::uint64_t back = *reinterpret_cast<const std::uint64_t*>(frame - 8);
        way.read(frame - 8, back);
        if (back < 4096) break;
        if (rule.keeps_base()) {
            std::uint64_t at = frame - 8 * rule.words_below();
            if (at < stack || at >= frame) break;
            base = *reinterpret_cast<const std::uint64_t*>(at);
            base_at = at;
        }
        stack = frame;
        way.calls[way.count++] = back;
    }
}

std::uint32_t rules_generation() {
    return __atomic_load_n(&generation, __ATOMIC_RELAXED);
}

void forget_rules() {
    __atomic_add_fetch(&generation, 1, __ATOMIC_RELAXED);
    for (KeptRules::Entry& entry : kept.entries) {
        __atomic_store_n(&entry.mixed, 0, __ATOMIC_RELAXED);
        __atomic_store_n(&entry.rule, 1, __ATOMIC_RELAXED);
    }
}

}  // namespace lantern::heap_library
