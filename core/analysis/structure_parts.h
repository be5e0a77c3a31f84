// Parts of objects that were drawn as boxes of their own.
#pragma once

#include <vector>

#include "core/analysis/structure_report.h"

namespace lantern {

// A pointer to a part of an object may be met before the object: what leads to the part leads into
// the object then, and the part has no box of its own. `values` are those of the boxes.
std::vector<StructureBox> without_parts(std::vector<StructureBox> boxes,
                                        const std::vector<Value>& values);

}  // namespace lantern
