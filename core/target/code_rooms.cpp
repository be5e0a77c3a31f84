#include "core/target/code_rooms.h"

#include <algorithm>

#include "core/machine/moved_instruction.h"
#include "core/machine/page.h"

namespace lantern {
namespace {

constexpr std::uint64_t kRoomSize = 4 * kPageSize;
constexpr std::uint64_t kReach = std::uint64_t{1}
                                 << 30;  // half of what a relative address can bridge
constexpr std::uint64_t kDistance = std::uint64_t{1}
                                    << 20;  // from what the program has: heaps and mappings grow

}  // namespace

std::optional<RunAddress> CodeRooms::Room::next() const {
    if (used + kLongestMovedCode + kLongestInstruction > range.size()) return std::nullopt;
    return range.low + used;
}

const CodeRooms::Copy* CodeRooms::find(RunAddress original) const {
    auto found = copies_.find(original);
    return found == copies_.end() ? nullptr : &found->second;
}

std::optional<std::pair<RunAddress, CodeRooms::Copy>> CodeRooms::around(RunAddress address) const {
    for (const auto& [original, copy] : copies_)
        if (copy.address.value && copy.address <= address &&
            address < copy.address + kLongestMovedCode)
            return std::pair(original, copy);
    return std::nullopt;
}

bool CodeRooms::holds(RunAddress address) const {
    return std::ranges::any_of(rooms_,
                               [&](const Room& room) { return room.range.contains(address); });
}

bool CodeRooms::is_mapped_for_us(RunAddress address) const {
    return std::ranges::any_of(
        rooms_, [&](const Room& room) { return room.is_mapped() && room.range.contains(address); });
}

CodeRooms::Room* CodeRooms::room_from(RunAddress low) {
    auto found =
        std::ranges::find_if(rooms_, [&](const Room& room) { return room.range.low == low; });
    return found == rooms_.end() ? nullptr : &*found;
}

void CodeRooms::put_back(KernelMemory& memory) const {
    for (const Room& room : rooms_)
        if (!room.is_mapped()) memory.write(room.range.low, room.before);
}

void CodeRooms::forget_those_of(const Module& module) {
    RunRange end = unused_end_of_code(module);
    std::erase_if(copies_, [&](const auto& each) {
        return module.holds(each.first) || end.contains(each.second.address);
    });
    std::erase_if(rooms_,
                  [&](const Room& room) { return room.range.low == end.low && !room.is_mapped(); });
}

void CodeRooms::forget_mapped() {
    std::erase_if(copies_, [&](const auto& each) { return is_mapped_for_us(each.second.address); });
    std::erase_if(rooms_, [](const Room& room) { return room.is_mapped(); });
}

RunRange unused_end_of_code(const Module& module) {
    RunRange largest{};
    for (const Segment& segment : module.symbols().elf().segments()) {
        if (!segment.executable || segment.writable) continue;
        RunAddress end = module.to_run(segment.range.high);
        RunRange room{RunAddress((end.value + 15) & ~std::uint64_t{15}),
                      RunAddress((end.value + kPageSize - 1) & ~(kPageSize - 1))};
        if (room.low < room.high && room.size() > largest.size()) largest = room;
    }
    return largest;
}

// In the nearest gap below: above the code lie the program's data and the heap that grows.
std::optional<RunRange> place_for_room(const std::vector<MemoryRegion>& regions, RunAddress near) {
    constexpr std::uint64_t kLowest = 1 << 16;  // the kernel keeps the first pages
    std::optional<RunRange> place;
    std::uint64_t low = kLowest;
    for (const MemoryRegion& region : regions) {
        if (region.begin > near) break;
        std::uint64_t high = region.begin.value;
        std::uint64_t free = high > low ? high - low : 0;
        std::uint64_t distance = std::min(kDistance, free / 2 & ~(kPageSize - 1));
        if (free >= kRoomSize + 2 * kPageSize && near.value - high < kReach) {
            std::uint64_t begin = high - std::max(distance, kRoomSize + kPageSize);
            place = {RunAddress(begin), RunAddress(begin + kRoomSize)};
        }
        low = std::max(low, region.end.value);
    }
    return place;
}

}  // namespace lantern
