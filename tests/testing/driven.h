// A session on a fixture, driven from a test.
#pragma once

#include "core/session/session.h"
#include "core/support/error.h"
#include "core/values/value_view.h"
#include "tests/testing/command.h"

namespace lantern::testing {

struct Driven {
    explicit Driven(const std::string& program, std::string output = "/dev/null")
        : session(options(fixture(program), std::move(output)), {}) {}
    static LaunchOptions options(const std::string& program, std::string output) {
        LaunchOptions made;
        made.program = program;
        made.input_file = "/dev/null";
        made.output_file = std::move(output);
        return made;
    }
    // Runs to where the function is called, and selects its caller.
    void stop_above(const std::string& function) {
        session.reach(session.place(function));
        session.select_frame(1);
    }
    ValueView view(const std::string& expression, const ViewLimits& limits = {}) {
        return make_view(ValueReader(session.target()), expression,
                         evaluate(expression, session.context()), Form::natural, limits);
    }
    // The value in one line, or the reason why there is none.
    std::string value(const std::string& expression) {
        try {
            ValueView found = view(expression, session.moment().view_limits());
            return found.unavailable.empty() ? one_line(found, 100'000) : found.unavailable;
        } catch (const Error& error) {
            return error.what();
        }
    }
    Session session;
};

}  // namespace lantern::testing
