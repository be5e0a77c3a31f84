// The margins of blocks and the fills of freed ones: what differs from them was written by mistake.
#include "heap/shared.h"

#include <emmintrin.h>

namespace lantern::heap_library {

void fill_margins(const Block& block, std::uint64_t begin, std::uint64_t end) {
    auto* at = reinterpret_cast<unsigned char*>(block.address);
    std::uint64_t before = block.address - begin < heap_tables::kMarginChecked
                               ? block.address - begin
                               : heap_tables::kMarginChecked;
    fill(at - before, before, heap_tables::kMarginFill);
    std::uint64_t behind = end - block.address - block.size;
    if (behind > heap_tables::kMarginChecked) behind = heap_tables::kMarginChecked;
    fill(at + block.size, behind, heap_tables::kMarginFill);
}

namespace {

// Whether memory is all of one byte, quickly.
bool is_all(const unsigned char* at, std::uint64_t count, unsigned char byte) {
    __m128i pattern = _mm_set1_epi8(static_cast<char>(byte)), same = _mm_set1_epi8(-1);
    auto compare = [&](std::uint64_t i) {
        __m128i found = _mm_loadu_si128(reinterpret_cast<const __m128i*>(at + i));
        same = _mm_and_si128(same, _mm_cmpeq_epi8(found, pattern));
    };
    std::uint64_t i = 0;
    for (; i + 64 <= count; i += 64) {
        compare(i);
        compare(i + 16);
        compare(i + 32);
        compare(i + 48);
    }
    for (; i + 16 <= count; i += 16) compare(i);
    if (_mm_movemask_epi8(same) != 0xffff) return false;
    for (; i < count; ++i)
        if (at[i] != byte) return false;
    return true;
}

Written what_was_written(const unsigned char* at, std::uint64_t count, unsigned char byte) {
    Written written;
    for (std::uint64_t i = 0; i < count; ++i) {
        if (at[i] == byte) continue;
        if (!written.bytes) written.at = reinterpret_cast<std::uint64_t>(at + i);
        written.bytes = reinterpret_cast<std::uint64_t>(at + i) + 1 - written.at;
    }
    return written;
}

// Where the memory begins and ends that a block has for itself.
struct Room {
    std::uint64_t begin, end;
};
Room room_of(std::uint32_t number, const Span& span) {
    if (span.is_alone) return {span.begin, span.begin + span.bytes};
    std::uint64_t begin = span.slot_begin(number - span.first);
    return {begin, begin + span.slot};
}

}  // namespace

void check_margins(std::uint32_t number, Block& block, const Span& span, Way way) {
    Room room = room_of(number, span);
    auto* at = reinterpret_cast<unsigned char*>(block.address);
    std::uint64_t before = block.address - room.begin,
                  behind = room.end - block.address - block.size;
    if (before > heap_tables::kMarginChecked) before = heap_tables::kMarginChecked;
    if (behind > heap_tables::kMarginChecked) behind = heap_tables::kMarginChecked;
    bool is_whole_before = is_all(at - before, before, heap_tables::kMarginFill);
    bool is_whole_behind = is_all(at + block.size, behind, heap_tables::kMarginFill);
    if (is_whole_before && is_whole_behind) return;
    if (!is_whole_behind)
        tell(Fault::Kind::behind_end, number, block.address,
             what_was_written(at + block.size, behind, heap_tables::kMarginFill), kNoSize, way);
    if (!is_whole_before)
        tell(Fault::Kind::before_start, number, block.address,
             what_was_written(at - before, before, heap_tables::kMarginFill), kNoSize, way);
    fill_margins(block, room.begin, room.end);
}

void check_fill(std::uint32_t number, Block& block) {
    auto* at = reinterpret_cast<unsigned char*>(block.address);
    std::uint64_t count = filled_at_death(block);
    if (is_all(at, count, heap_tables::kDeathFill)) return;
    tell(Fault::Kind::written_after, number, block.address,
         what_was_written(at, count, heap_tables::kDeathFill), kNoSize, Way::none);
}

}  // namespace lantern::heap_library
