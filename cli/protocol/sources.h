// Source files between the client, which names them by where they lie, and the debug information,
// which names them by where they lay when they were compiled.
#pragma once

#include <string>
#include <vector>

#include "cli/protocol/conversation.h"

namespace lantern::cli {

// What the debug information calls the file that a client calls `path`; the path itself where it
// knows none.
struct RecordedSource {
    std::string file;
    std::string remark;  // not empty: it is only by its name that it is taken for that file
};
RecordedSource recorded_source(Conversation& conversation, const std::string& path);

}  // namespace lantern::cli
