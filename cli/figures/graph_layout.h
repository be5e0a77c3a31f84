// Where the boxes of a graph go. Graphviz's library does it, and is loaded when the first graph is
// drawn: whoever draws none does not wait for it.
#pragma once

#include <vector>

#include "cli/figures/pen.h"

namespace lantern::cli {

struct GraphBox {
    double width = 0, height = 0;
};
struct GraphArrow {
    std::size_t from = 0, to = 0;
};
enum class Downstream { down, right };  // the way arrows go

// The upper left corner of each box, from (0, 0) on. Throws RequestError where the library is not
// there.
std::vector<Point> lay_out_graph(const std::vector<GraphBox>& boxes,
                                 const std::vector<GraphArrow>& arrows, Downstream direction);

// Of a tree, or of what is seen as one by each box's first arrow: columns from the first box to the
// right. Takes no library and no time.
std::vector<Point> lay_out_tree(const std::vector<GraphBox>& boxes,
                                const std::vector<GraphArrow>& arrows);

}  // namespace lantern::cli
