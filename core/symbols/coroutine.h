// The functions that a compiler makes of a C++ coroutine. What the user wrote becomes the function
// that is called, which only begins it, and parts that are resumed, later and by anybody. Debug
// information gives all of them the user's name; the linker's names tell them apart:
//
//     gcc     …Frame.actor   …Frame.destroy            handed `frame_ptr`, a block of the heap
//     clang   ….resume   ….destroy   ….cleanup         handed it too, and say that they return
//                                                      what the coroutine returns: they do not
#pragma once

#include <string_view>
#include <vector>

#include "core/symbols/function.h"

namespace lantern {

bool is_part_of_coroutine(std::string_view linker_name);
// From its variables, quickly: what is not so is no part of one.
bool may_be_part_of_coroutine(const FunctionBody& body);
// What the user declared is to be shown and what the compiler did is not; it returns nothing.
// `begins` are the functions that may begin it, with what they declare.
struct CoroutineBeginning {
    const Function& function;
    const FunctionBody& body;
};
void take_as_part_of_coroutine(FunctionBody& body, const std::vector<CoroutineBeginning>& begins);

}  // namespace lantern
