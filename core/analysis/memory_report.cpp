#include "core/analysis/memory_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <filesystem>

#include "core/analysis/address_note.h"
#include "core/machine/disassembler.h"
#include "core/machine/page.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/builtin_types.h"
#include "core/values/scalar_text.h"

namespace lantern {
namespace {

constexpr std::uint64_t kMostBytes = 64 << 20;
constexpr std::size_t kRow = 16, kMostChanges = 200, kBytesOfAChange = 16;

// How an element of a form looks: its size, how many stand in a row, how many are usual.
struct Shape {
    const Type* type;
    std::size_t per_row, usual;
};

Shape shape_of(Form form) {
    switch (form) {
        case Form::bytes: return {&char_type(), kRow, 128};
        case Form::character: return {&char_type(), kRow, 128};
        case Form::floating: return {&double_type(), 2, 16};
        case Form::pointer: return {&unsigned_long_type(), 1, 16};
        default: return {&unsigned_long_type(), 2, 16};
    }
}

// As many as go into sixteen bytes, eight at most.
Shape shape_of_number(const Type& type) {
    std::size_t size = plain(type).size;
    std::size_t per_row = std::clamp<std::size_t>(kRow / size, 1, 8);
    return {&type, per_row, per_row * 8};
}

// Reads what can be read and tells the gaps: each piece is a stretch that is readable, or is not.
struct Piece {
    std::uint64_t offset = 0, size = 0;
    bool is_readable = false;
};
std::vector<Piece> pieces_of(Target& target, RunAddress address, std::vector<std::byte>& bytes) {
    std::vector<Piece> pieces;
    for (std::uint64_t at = 0; at < bytes.size();) {
        std::uint64_t got = target.read_bulk(address + at, std::span(bytes).subspan(at));
        bool is_readable = got > 0;
        // Behind what cannot be read it may go on at the next page.
        std::uint64_t size =
            is_readable ? got
                        : std::min<std::uint64_t>(bytes.size() - at,
                                                  kPageSize - (address + at).value % kPageSize);
        if (!pieces.empty() && pieces.back().is_readable == is_readable)
            pieces.back().size += size;
        else
            pieces.push_back({at, size, is_readable});
        at += size;
    }
    return pieces;
}

class MemoryReporter {
  public:
    MemoryReporter(const Moment& moment, const MemoryQuery& query)
        : moment_(moment), target_(moment.target()), query_(query) {
        report_.address = query.address.value;
        report_.region = address_note(moment, query.address);
        report_.form = query.type ? type_text(*query.type) : std::string(name_of(query.form));
    }

    MemoryReport make() {
        bool is_number = query_.type && is_scalar(*query_.type) &&
                         plain(*query_.type).kind != TypeKind::pointer &&
                         plain(*query_.type).size <= 8 && plain(*query_.type).size;
        if (is_number)
            add_elements(shape_of_number(*query_.type));
        else if (query_.type)
            add_values();
        else if (query_.form == Form::instructions)
            add_instructions();
        else if (query_.form == Form::string)
            add_texts();
        else
            add_elements(shape_of(query_.form));
        for (const MemoryRow& row : report_.rows) report_.size += row.size * row.repeats;
        return std::move(report_);
    }

  private:
    void add_unreadable(RunAddress address, std::uint64_t size) {
        MemoryRow row;
        row.address = address.value;
        row.size = size;
        row.is_unreadable = true;
        report_.unreadable += size;
        report_.rows.push_back(std::move(row));
    }

    // A row like the one before is counted instead of shown, the last one excepted.
    void add_row(MemoryRow row) {
        bool same = !report_.rows.empty() && !row.bytes.empty() &&
                    report_.rows.back().bytes == row.bytes && !report_.rows.back().is_unreadable;
        if (same)
            ++report_.rows.back().repeats;
        else
            report_.rows.push_back(std::move(row));
    }

    void add_elements(const Shape& shape) {
        std::uint64_t count = query_.count ? query_.count : shape.usual,
                      unit = plain(*shape.type).size;
        if (count > kMostBytes / unit)
            throw RequestError(
                fmt::format("that is too much to show: at most {} elements of this form",
                            with_thousands(kMostBytes / unit)),
                Next::save_memory);
        std::vector<std::byte> bytes(count * unit);
        for (const Piece& piece : pieces_of(target_, query_.address, bytes)) {
            if (!piece.is_readable) {
                add_unreadable(query_.address + piece.offset, piece.size);
                continue;
            }
            for (std::uint64_t at = 0; at < piece.size; at += shape.per_row * unit) {
                MemoryRow row;
                row.address = (query_.address + piece.offset + at).value;
                row.size = std::min<std::uint64_t>(shape.per_row * unit, piece.size - at);
                auto first = bytes.begin() + static_cast<std::ptrdiff_t>(piece.offset + at);
                row.bytes.assign(first, first + static_cast<std::ptrdiff_t>(row.size));
                fill(row, shape);
                add_row(std::move(row));
            }
        }
    }

    void fill(MemoryRow& row, const Shape& shape) {
        if (!query_.type && query_.form == Form::bytes) {
            for (std::byte each : row.bytes)
                row.cells.push_back(fmt::format("{:02x}", static_cast<unsigned>(each)));
            row.text = printable(row.bytes);
            return;
        }
        for (std::size_t at = 0; at + plain(*shape.type).size <= row.bytes.size();
             at += plain(*shape.type).size) {
            Value value = value_of_bytes(*shape.type,
                                         ByteSpan(row.bytes).subspan(at, plain(*shape.type).size));
            row.cells.push_back(cell(value, shape));
        }
        if (query_.form != Form::pointer || row.bytes.size() != 8) return;
        std::uint64_t word;
        std::memcpy(&word, row.bytes.data(), sizeof word);
        row.note = address_note(moment_, RunAddress(word));
        std::string text = text_at_address(moment_, RunAddress(word));
        if (!text.empty()) row.note += (row.note.empty() ? "" : ": ") + text;
    }

    std::string cell(const Value& value, const Shape& shape) {
        if (query_.type) return one_line(make_view(ValueReader(target_), "", value));
        std::uint64_t word = 0;
        std::memcpy(&word, value.bytes.data(),
                    std::min<std::size_t>(sizeof word, plain(*shape.type).size));
        if (query_.form == Form::pointer || query_.form == Form::hex ||
            query_.form == Form::natural)
            return fmt::format("{:#018x}", word);
        return one_line(make_view(ValueReader(target_), "", value, query_.form));
    }

    void add_texts() {
        RunAddress at = query_.address;
        for (std::uint64_t i = 0; i < std::max<std::uint64_t>(query_.count, 1); ++i) {
            auto text = ValueReader(target_).text_at(at, kPageSize);
            MemoryRow row;
            row.address = at.value;
            if (text.bytes.empty() && !text.ended) {
                add_unreadable(at, 1);
                return;
            }
            row.size = text.bytes.size() + (text.ended ? 1 : 0);
            row.cells.push_back(quote(text.bytes) + (text.ended ? "" : "…"));
            at = at + row.size;
            report_.rows.push_back(std::move(row));
        }
    }

    void add_instructions() {
        constexpr std::uint64_t kUsual = 16;
        std::uint64_t count = std::min<std::uint64_t>(query_.count ? query_.count : kUsual,
                                                      kMostBytes / kLongestInstruction);
        std::vector<std::byte> bytes(count * kLongestInstruction);
        bytes.resize(target_.read_available(query_.address, bytes));
        Disassembler disassembler(
            Syntax::intel, [this](RunAddress address) { return symbol_note(target_, address); });
        std::size_t at = 0;
        for (std::uint64_t i = 0; i < count && at < bytes.size(); ++i) {
            auto line = disassembler.at(
                ByteSpan(bytes).subspan(
                    at, std::min<std::size_t>(kLongestInstruction, bytes.size() - at)),
                query_.address + at);
            MemoryRow row;
            row.address = (query_.address + at).value;
            row.size = line.length;
            row.cells.emplace_back(line.text);
            at += line.length;
            report_.rows.push_back(std::move(row));
        }
        if (bytes.empty()) add_unreadable(query_.address, 1);
    }

    void add_values() {
        std::uint64_t size = plain(*query_.type).size,
                      count = std::max<std::uint64_t>(query_.count, 1);
        if (!size)
            throw RequestError(fmt::format("{} has no size", type_text(*query_.type)),
                               "name a complete type");
        if (count > kMostBytes / size)
            throw RequestError("that is too much to show", Next::save_memory);
        for (std::uint64_t i = 0; i < count; ++i) {
            RunAddress at = query_.address + i * size;
            MemoryRow row;
            row.address = at.value;
            row.size = size;
            row.bytes.resize(std::min<std::uint64_t>(size, kPageSize));
            if (target_.read_available(at, row.bytes) != row.bytes.size()) {
                add_unreadable(at, size);
                continue;
            }
            row.cells.push_back(
                one_line(make_view(ValueReader(target_), "", value_in_memory(*query_.type, at),
                                   Form::natural, moment_.view_limits()),
                         2000));
            add_row(std::move(row));
        }
    }

    const Moment& moment_;
    Target& target_;
    const MemoryQuery& query_;
    MemoryReport report_;
};

// ---- regions

std::string role_of(const MemoryRegion& region, Target& target) {
    const Module* module = nullptr;
    for (const Module& each : target.modules())
        if (each.path() == region.name) module = &each;
    std::string whose = !module                               ? "mapped file"
                        : module == &target.modules().front() ? "program"
                                                              : "library";
    if (!module) return whose;
    if (region.permissions[2] == 'x') return whose + " text";
    return whose + (region.permissions[1] == 'w' ? " data" : " read-only data");
}

}  // namespace

std::string printable(ByteSpan bytes) {
    std::string text;
    for (std::byte each : bytes) {
        auto c = static_cast<char>(each);
        text += c >= ' ' && c < 127 ? c : '.';
    }
    return text;
}

MemoryReport report_memory(const Moment& moment, const MemoryQuery& query) {
    return MemoryReporter(moment, query).make();
}

RegionsReport report_regions(const Moment& moment) {
    moment.stack();  // throws where nothing can be looked at
    Target& target = moment.target();
    RegionsReport report;
    auto resident = target.resident_bytes();
    std::map<RunAddress, unsigned> stacks;
    for (ThreadId id : target.threads())
        if (const MemoryRegion* region = target.region_at(target.registers(id).stack_pointer()))
            stacks.try_emplace(region->begin, target.thread_number(id));
    const auto& regions = target.regions();
    for (std::size_t i = 0; i < regions.size(); ++i) {
        const MemoryRegion& region = regions[i];
        RegionRow row;
        row.begin = region.begin.value;
        row.end = region.end.value;
        row.permissions = region.permissions.substr(0, 3);
        auto stack = stacks.find(region.begin);
        bool no_rights = row.permissions == "---";
        auto above = i + 1 < regions.size() && regions[i + 1].begin == region.end
                         ? stacks.find(regions[i + 1].begin)
                         : stacks.end();
        if (stack != stacks.end())
            row.what = fmt::format("stack of thread {}", stack->second);
        else if (no_rights && above != stacks.end())
            row.what = fmt::format("guard of the stack of thread {}", above->second);
        else if (region.name.starts_with('/'))
            row.what = role_of(region, target);
        else if (region.name.starts_with('['))
            row.what = region.name.substr(1, region.name.size() - 2);
        else
            row.what = no_rights ? "kept free" : "anonymous";
        if (region.name.starts_with('/')) row.file = region.name;
        if (auto found = resident.find(region.begin); found != resident.end())
            row.resident = found->second;
        report.total += region.size();
        report.resident += row.resident.value_or(0);
        report.rows.push_back(std::move(row));
    }
    return report;
}

MemoryCompareReport report_memory_compare(const Moment& moment, const std::string& name,
                                          const KeptMemory& kept) {
    MemoryCompareReport report;
    report.name = name;
    report.address = kept.address.value;
    report.size = kept.bytes.size();
    std::vector<std::byte> now(kept.bytes.size());
    constexpr std::uint64_t kGap = 8;  // equal bytes that do not part two changes
    for (const Piece& piece : pieces_of(moment.target(), kept.address, now)) {
        if (!piece.is_readable) {
            report.unreadable += piece.size;
            continue;
        }
        for (std::uint64_t at = piece.offset; at < piece.offset + piece.size; ++at) {
            if (now[at] == kept.bytes[at]) continue;
            ++report.changed;
            if (!report.changes.empty() &&
                report.changes.back().address + report.changes.back().size + kGap >
                    (kept.address + at).value) {
                report.changes.back().size =
                    (kept.address + at).value + 1 - report.changes.back().address;
            } else if (report.changes.size() < kMostChanges) {
                MemoryChange change;
                change.address = (kept.address + at).value;
                change.size = 1;
                change.note = address_note(moment, RunAddress(change.address));
                report.changes.push_back(std::move(change));
            }
        }
    }
    for (MemoryChange& change : report.changes) {
        std::uint64_t offset = change.address - kept.address.value,
                      size = std::min<std::uint64_t>(change.size, kBytesOfAChange);
        change.before.assign(kept.bytes.begin() + static_cast<std::ptrdiff_t>(offset),
                             kept.bytes.begin() + static_cast<std::ptrdiff_t>(offset + size));
        change.after.assign(now.begin() + static_cast<std::ptrdiff_t>(offset),
                            now.begin() + static_cast<std::ptrdiff_t>(offset + size));
    }
    return report;
}

}  // namespace lantern
