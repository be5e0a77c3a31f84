// Parts of objects that were drawn as boxes of their own.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/analysis/structure_report.h"

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

}  // namespace lantern
