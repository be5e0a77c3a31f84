// Calls that never come back: what a compiler puts behind one is other code, that somebody else
// leads to.
//
//         call __assert_fail            a way that went on here would lead into
//         nop                           the middle of a loop, with nothing of it set
//     L:  mov  rsi, [rsp+8]
#pragma once

#include "core/symbols/module_symbols.h"

namespace lantern {

// Of a function, or of an entry of the linkage table: certain by its name, or because no way
// through its code leads to a return. False where that cannot be told. From one thread only.
bool never_returns(const ModuleSymbols& symbols, FileAddress callee);

// Of what is called through a slot that the loader fills.
bool never_returns_by_slot(const ModuleSymbols& symbols, FileAddress slot);

// By how the unit of an optimised function uses one that none of this is known of: it calls it
// several times, and behind almost every call is a gap, or code that others lead to. (A program's
// own assert, whose macro tells the compiler that it ends there.)
bool seems_never_to_return(const ModuleSymbols& symbols, const Function& caller,
                           FileAddress callee);

}  // namespace lantern
