// A fixture as a process of its own, without a session.
#pragma once

#include "core/target/live_process.h"
#include "tests/testing/command.h"

namespace lantern::testing {

inline std::shared_ptr<const ModuleSymbols> open_symbols(const std::string& path) {
    return std::make_shared<ModuleSymbols>(path);
}

inline LaunchOptions quiet_launch(const std::string& program,
                                  std::vector<std::string> arguments = {}) {
    LaunchOptions options;
    options.program = program;
    options.arguments = std::move(arguments);
    options.output_file = options.input_file = "/dev/null";
    return options;
}

inline RunAddress address_of(LiveProcess& process, const std::string& symbol) {
    const Module& main = process.main_module();
    return main.to_run(main.symbols().symbol_table().named(symbol)->address);
}

}  // namespace lantern::testing
