// How the user wants things shown: forms of variables, pins, results by number, how much source.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "core/expressions/declared_view.h"
#include "core/expressions/evaluator.h"
#include "core/values/value_view.h"

namespace lantern {

struct Pin {
    unsigned number = 0;
    std::string text;
};

struct Presentation {
    Results results;
    std::map<std::string, Form> forms;  // of variables, by name
    std::vector<Pin> pins;
    DeclaredViews views{{}};        // the user's own
    unsigned source_lines = 6;      // shown at a stop, the current one included
    bool wants_code_parts = false;  // source lines are to tell their words, texts and comments
    // Where the user has written: what lies there is shown, whether or not the program has set it.
    std::vector<RunAddress> written_by_hand;

    Pin& add_pin(std::string pinned) {
        pins.push_back({next_pin++, std::move(pinned)});
        return pins.back();
    }
    unsigned next_pin = 1;
};

}  // namespace lantern
