// The schema in docs/ is the one that the program writes, and what the program writes is described:
// names of all kinds, once each.
#include "cli/views/schema.h"
#include "cli/views/reports.h"

#include <gtest/gtest.h>

#include <fstream>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

#include "cli/views/view.h"
#include "tests/testing/command.h"

namespace lantern::cli {
namespace {

TEST(Schema, InTheDocumentsIsTheOneThatTheProgramWrites) {
    std::ifstream file(SOURCE_FOLDER "/docs/session.schema.json");
    std::stringstream text;
    text << file.rdbuf();
    EXPECT_EQ(text.str(), json_schema()) << "elm-lantern schema > docs/session.schema.json";
}

TEST(Schema, HasEachViewOnceAndEachReferenceLeadsSomewhere) {
    auto schema = nlohmann::ordered_json::parse(json_schema());
    std::set<std::string> kinds;
    for (const auto& choice : schema["oneOf"]) {
        std::string name = choice["$ref"].get<std::string>().substr(std::string("#/$defs/").size());
        ASSERT_TRUE(schema["$defs"].contains(name)) << name;
        EXPECT_TRUE(kinds.insert(schema["$defs"][name]["properties"]["kind"]["const"]).second)
            << name;
    }
    EXPECT_EQ(kinds.size(), AllReports::size + 2)
        << "the views, and what the record says of commands";
    std::function<void(const nlohmann::ordered_json&)> follow =
        [&](const nlohmann::ordered_json& part) {
            if (part.is_object() && part.contains("$ref") && part["$ref"].is_string()) {
                EXPECT_TRUE(schema["$defs"].contains(part["$ref"].get<std::string>().substr(8)))
                    << part["$ref"];
            }
            if (part.is_structured())
                for (const auto& inner : part) follow(inner);
        };
    follow(schema);
}

// What is left out where there is nothing to tell is not required, and what is there tells
// something.
TEST(Schema, KnowsWhatMayBeLeftOut) {
    auto definitions = nlohmann::ordered_json::parse(json_schema())["$defs"];
    auto requires_field = [&](const char* view, const char* field) {
        const auto& required = definitions[view]["required"];
        return std::find(required.begin(), required.end(), field) != required.end();
    };
    EXPECT_TRUE(requires_field("stop_view", "why"));
    EXPECT_FALSE(requires_field("stop_view", "warning"));
    EXPECT_FALSE(requires_field("stop_view", "line"));
    EXPECT_EQ(definitions["stop_view"]["properties"]["warning"]["minLength"], 1);
    EXPECT_EQ(definitions["stop_view"]["properties"]["stale"]["const"], true);
    EXPECT_EQ(definitions["value"]["properties"]["children"]["items"]["$ref"], "#/$defs/value");
}

}  // namespace
}  // namespace lantern::cli
