// Where a value came from: from the instruction that used it back through registers, the frame's
// slots, moves and calls, frame by frame. Worked out from the code and from what the process or
// core holds; nothing is run.
//
//     admit          mov eax, [rax+20]     barge->next is null
//                    mov rax, [rax+16]     it is read from barge->next
//     open_flight    call admit            open_flight passes queue.first
#pragma once

#include <string>
#include <vector>

#include "core/analysis/origin_link.h"
#include "core/machine/effects.h"
#include "core/session/moment.h"

namespace lantern {

struct ValueOrigin {
    std::string name;  // what the source calls it where it was used: "barge->next"; may be empty
    const Type* type = nullptr;    // of the name; null where there is none
    bool name_is_checked = false;  // the name has that value in the frame now
    std::uint64_t value = 0;
    std::string index_of;           // the name is an index, and this the pointer it is used with
    std::vector<OriginLink> links;  // the last thing that happened first
    std::string end;                // why it goes no further
    bool others_may_write = false;  // its address was given away: what the code shows is not all
};

// Of what a register (DWARF number), or the memory that an operand reads, held when the instruction
// was about to run at which the frame stands; of an outer frame: its call. `value` is what it was.
ValueOrigin origin_of_register(const Moment& moment, unsigned level, unsigned dwarf_number,
                               std::uint64_t value);
ValueOrigin origin_of_memory(const Moment& moment, unsigned level, const MemoryAccess& access,
                             std::uint64_t value);
// Of what the source names so in the frame.
ValueOrigin origin_of_name(const Moment& moment, unsigned level, const std::string& name,
                           const Type& type, std::uint64_t value);
// Of what the frame passes to the function that it stands in the call of: the one pointer among the
// arguments that is that number; without links where there is none or several.
ValueOrigin origin_of_argument(const Moment& moment, unsigned level, std::uint64_t value,
                               const Frame& called);

}  // namespace lantern
