// A text that was passed to an inlined function: the pointer to it is nowhere, the text is known.
#include <gtest/gtest.h>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

constexpr const char* kSource = R"(#include <stdio.h>
#include <stdlib.h>
#include <string.h>
struct boat { char name[16]; int tons; };
static struct boat* add(const char* name, int tons) {
    struct boat* boat = malloc(sizeof *boat);
    strncpy(boat->name, name, sizeof boat->name - 1);
    boat->tons = tons;
    return boat;
}
int main(void) {
    struct boat* heron = add("Heron", 40);
    struct boat* teal = add("Teal", 12);
    printf("%s %s %d\n", heron->name, teal->name, heron->tons + teal->tons);
    return 0;
}
)";

TEST(RemovedText, IsShownByItsPointer) {
    TemporaryFolder folder;
    std::string source = folder.write("texts.c", kSource).string();
    std::string program = (folder.path() / "texts").string();
    ASSERT_EQ(run({"gcc", "-g", "-O2", "-o", program, source}).status, 0);
    std::string output = debug(program, {"pause at add", "launch", "value name", "value name[1]",
                                         "value *name", "value name[9]", "continue", "value name"})
                             .output;
    EXPECT_NE(output.find("name = a pointer that is kept nowhere, to \"Heron\"  const char *"),
              std::string::npos)
        << output;
    EXPECT_NE(output.find("name[1] = 101 'e'"), std::string::npos) << output;
    EXPECT_NE(output.find("*name = 72 'H'"), std::string::npos) << output;
    EXPECT_NE(output.find("name[9]: no value"), std::string::npos) << output;
    EXPECT_NE(output.find("to \"Teal\""), std::string::npos) << output;
}

}  // namespace
}  // namespace lantern::testing
