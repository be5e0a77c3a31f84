// What lives, by the stack it was born at: now and then, and at each new peak.
#pragma once

#include "heap/stacks.h"

namespace lantern::heap_library {

bool begin_pictures(heap_tables::Head& head);
// `live`: bytes. Called often: most times nothing is due.
void take_picture_if_due(heap_tables::Head& head, Stacks& stacks, std::uint64_t live,
                         std::uint64_t (*now_ns)());
Lock& pictures_lock();

}  // namespace lantern::heap_library
