// What the C library lays down, held against a program that uses it: control.c's longjmp, and a
// mutex that a thread holds.
#include <gtest/gtest.h>

#include "core/runtime/c_library.h"
#include "tests/testing/launching.h"

namespace lantern {
namespace {

using testing::fixture, testing::open_symbols, testing::quiet_launch;

TEST(CLibrary, AJumpGoesWhereTheProgramSavedIt) {
    EventLoop events;
    Tracer tracer{real_kernel()};
    LiveProcess process(quiet_launch(fixture("control-gcc-O0"), {"jump"}), events, tracer,
                        open_symbols);
    process.insert_trap(testing::address_of(process, "main"));
    ASSERT_EQ(process.run().kind, TargetEvent::Kind::trap);
    for (const Module& module : process.modules())
        for (const char* name : {"longjmp", "_longjmp", "__longjmp_chk"})
            if (const ElfSymbol* symbol = module.symbols().symbol_table().named(name);
                symbol && symbol->is_function)
                process.insert_trap(module.to_run(symbol->address));
    TargetEvent event = process.run();
    ASSERT_EQ(event.kind, TargetEvent::Kind::trap) << "it comes to longjmp";
    auto target =
        c_library::jump_target([&](RunAddress word) { return process.read<std::uint64_t>(word); },
                               process.registers(event.thread));
    ASSERT_TRUE(target);
    process.insert_trap(target->program_counter);
    event = process.run();
    ASSERT_EQ(event.kind, TargetEvent::Kind::trap);
    EXPECT_EQ(process.registers(event.thread).program_counter(), target->program_counter);
    EXPECT_EQ(process.registers(event.thread).stack_pointer(), target->stack_pointer);
}

}  // namespace
}  // namespace lantern
