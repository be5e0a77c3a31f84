// What a function of the program would have called without us.
#pragma once

#include <dlfcn.h>

namespace lantern::heap_library {

// Null where no library has it.
template <class Function>
Function next(const char* name) {
    return reinterpret_cast<Function>(dlsym(RTLD_NEXT, name));
}

}  // namespace lantern::heap_library
