// Memory as a person wants to read it, the map of it, and what was found in it.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/session/moment.h"
#include "core/values/value_view.h"

namespace lantern {

struct MemoryRow {
    std::uint64_t address = 0;
    std::uint64_t size = 0;  // bytes
    std::vector<std::byte> bytes;
    std::vector<std::string> cells;  // the elements, in the form that was asked for
    std::string text;                // of a row of bytes: what can be printed, points for the rest
    std::string note;                // what a pointer points at
    std::uint64_t repeats = 1;       // rows like this one that follow each other, itself included
    bool is_unreadable = false;      // `size` bytes that cannot be read
};

struct MemoryReport {
    std::uint64_t address = 0, size = 0;
    std::string region;  // what the first address belongs to
    std::string form;    // "bytes", "hex", or a type's name
    std::vector<MemoryRow> rows;
    std::uint64_t unreadable = 0;  // bytes
};

// What of the bytes can be printed, points for the rest.
std::string printable(ByteSpan bytes);

struct MemoryQuery {
    RunAddress address;
    std::uint64_t count = 0;  // elements; 0: as many as are usual
    Form form = Form::bytes;
    const Type* type = nullptr;  // instead of the form
};
MemoryReport report_memory(const Moment& moment, const MemoryQuery& query);

struct RegionRow {
    std::uint64_t begin = 0, end = 0;
    std::string permissions, what, file;
    std::optional<std::uint64_t> resident;  // bytes in physical memory
};
struct RegionsReport {
    std::vector<RegionRow> rows;
    std::uint64_t total = 0, resident = 0;
};
// Throws RequestError when nothing runs.
RegionsReport report_regions(const Moment& moment);

// `find bytes|text|value … in REGION`
struct FoundMemory {
    std::uint64_t address = 0;
    std::string note;               // whose memory it is
    std::vector<std::byte> around;  // from the find on
    std::string text;               // what of it can be printed, points for the rest
};
struct MemoryFindReport {
    std::string what, within;
    std::vector<FoundMemory> found;
    std::uint64_t total = 0, searched = 0, unreadable = 0;  // finds; bytes
};
struct MemoryFindQuery {
    std::string what;  // as it was asked for
    std::vector<std::byte> bytes;
    std::string within;             // "heap", "stack", "all", a part of a region's name
    std::optional<RunRange> range;  // instead of it
    std::size_t limit = 50;
    std::function<void(double done)> progress;  // 0 to 1; may throw to give up
};
// Throws RequestError.
MemoryFindReport report_memory_find(const Moment& moment, const MemoryFindQuery& query);

// What differs between memory as it was kept and as it is: ranges, with the bytes of both.
struct MemoryChange {
    std::uint64_t address = 0;
    std::vector<std::byte> before, after;  // the first bytes of the range
    std::uint64_t size = 0;
    std::string note;
};
struct MemoryCompareReport {
    std::string name;
    std::uint64_t address = 0, size = 0, changed = 0;
    std::vector<MemoryChange> changes;
    std::uint64_t unreadable = 0;  // bytes that can be read no more
};
struct KeptMemory {
    RunAddress address;
    std::vector<std::byte> bytes;
};
MemoryCompareReport report_memory_compare(const Moment& moment, const std::string& name,
                                          const KeptMemory& kept);

}  // namespace lantern
