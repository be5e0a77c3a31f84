// What blocks hold, held against what the program says that it made.
#include "core/heap/block_types.h"

#include <gtest/gtest.h>

#include <map>
#include <sstream>

#include "tests/testing/driven.h"

namespace lantern {
namespace {

TEST(BlockTypes, AreAsManyOfEachAsTheProgramMade) {
    testing::TemporaryFolder folder;
    testing::Driven driven("heapkinds", (folder.path() / "out").string());
    driven.session.reach(driven.session.place("look_here"));
    Heap heap = read_heap(driven.session.target());
    BlockTypes types = find_block_types(driven.session.target(), heap);
    std::map<std::string, std::size_t> found;
    for (std::size_t i = 0; i < heap.blocks.size(); ++i)
        if (heap.blocks[i].is_in_use()) ++found[types.name(i)];
    std::size_t compared = 0;
    for (const std::string& line : testing::lines_of(folder.read("out"))) {
        std::istringstream words(line);
        std::size_t wanted = 0;
        words >> wanted;
        std::string what = line.substr(line.find(' ') + 1);
        std::size_t counted = 0;
        std::string all;
        for (const auto& [name, count] : found) {
            all += "\n" + std::to_string(count) + " " + name;
            bool is_it = name == what || name.starts_with(what + "<");
            if (is_it) counted += count;
        }
        EXPECT_EQ(counted, wanted) << what << " among" << all;
        ++compared;
    }
    EXPECT_EQ(compared, 10u);
}

}  // namespace
}  // namespace lantern
