// Parts of objects that were drawn as boxes of their own.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/analysis/structure_report.h"
#include "core/heap/heap.h"

namespace lantern {

// The box, by its index, in which something is drawn already, and which part of that it is.
struct WholeOfPart {
    std::size_t box = 0;
    std::string part;
};

// A pointer to a part of an object may be met before the object: what leads to the part leads into
// the object then, and the part has no box of its own. `values` are those of the boxes; `listed`
// are the containers among them whose elements some of the boxes are.
std::vector<StructureBox> without_parts(std::vector<StructureBox> boxes,
                                        const std::vector<Value>& values,
                                        const std::vector<std::optional<WholeOfPart>>& listed);

// The heap, for what is freed: read whole, however large. Nothing where there is none that can be
// read, or a thread is changing it; then the remark says so.
std::optional<Heap> heap_to_draw(Target& target, const StructureWish& wish, std::string& remark);

}  // namespace lantern
