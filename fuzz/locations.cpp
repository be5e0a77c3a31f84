// Location expressions that hold anything, asked in a real frame whose frame base holds anything
// too: every one ends, within its budget, in a value or in a reason. The first byte says how long
// the frame base is, the second how long the variable's expression; what follows both is registers
// and stack.
#include "core/values/value_view.h"
#include "core/values/variable_value.h"
#include "fuzz/any_stack.h"

using namespace lantern;
using namespace lantern::fuzzing;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    if (size < 2) return 0;
    ByteSpan input = as_bytes(data, size);
    auto take = [&](std::size_t wanted) {
        ByteSpan taken = input.first(std::min(wanted, input.size()));
        input = input.subspan(taken.size());
        return taken;
    };
    ByteSpan lengths = take(2);
    ByteSpan base = take(static_cast<std::uint8_t>(lengths[0])),
             expression = take(static_cast<std::uint8_t>(lengths[1]));
    AnyStack target(program(), input);
    Unwinder walk(target, 1);
    FunctionBody body;
    body.frame_base = {{std::nullopt, base}};
    Variable variable;
    variable.name = "anything";
    variable.locations = {{std::nullopt, expression}};
    for (const char* name : {"int", "long int", "double"}) {
        variable.type = program().modules().front().symbols().type_named(name);
        if (!variable.type) continue;
        for (unsigned level = 0; level < 3; ++level) {
            const Frame* walked = walk.frame(level);
            if (!walked) break;
            Frame frame = *walked;
            if (!frame.function) continue;
            frame.body = &body;
            variable.unit = frame.function->unit;
            try {
                Value value = value_of_variable(target, 1, frame, variable);
                make_view(ValueReader(target), "anything", value);
            } catch (const Error&) {
            }
        }
    }
    return 0;
}
