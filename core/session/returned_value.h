// Where and what a function returns, right after it did (System V ABI x86-64 §3.2.3).
#pragma once

#include "core/machine/calling_convention.h"
#include "core/values/value.h"

namespace lantern {

bool returns_value(const ModuleSymbols& symbols, const Function& function);
// By C's convention; by that of the function's own language.
ReturnLocation location_of_returned(const Type& type);
ReturnLocation location_of_returned(const Module& module, const Function& function,
                                    const Type& type);
Value returned_in_registers(Target& target, ThreadId thread, const Type& type,
                            const ReturnLocation& location);

}  // namespace lantern
