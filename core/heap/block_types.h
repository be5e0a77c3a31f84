// What the blocks of the heap hold, as the types of the program's variables tell it: a pointer's
// type is that of the block it leads to, and so on from its members.
//
//     canal::Barge* first  ──> block: canal::Barge
//                                 next ──> block: canal::Barge
//                                 crew ──> block: element of std::vector<canal::Hand>
#pragma once

#include <unordered_map>

#include "core/heap/heap.h"

namespace lantern {

// By number of the block: what it holds, empty where nothing with a type leads to it. Variables of
// all threads' frames are looked at, and those of the program and its own libraries.
struct BlockTypes {
    std::vector<std::uint32_t> of;   // index into the names; 0: not known
    std::vector<std::string> names;  // the first is empty
    // Of blocks that a pointer of one type leads to the beginning of.
    std::unordered_map<std::uint32_t, const Type*> types;
    void name_none(std::size_t blocks);
    const std::string& name(std::size_t block) const { return names[of[block]]; }
    const Type* type(std::size_t block) const;  // null: not known
};
// `progress` is told the share of the blocks that are done; it may throw to give up.
BlockTypes find_block_types(Target& target, const Heap& heap,
                            const std::function<void(double done)>& progress = {});

}  // namespace lantern
