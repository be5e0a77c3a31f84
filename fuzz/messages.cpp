// The reader of protocol messages, fed in pieces of any size: the first byte says how large.
// Whatever comes, each call of it must use up bytes or wait for more, and it must not keep more
// than a message.
#include <cstdlib>

#include "cli/protocol/message_reader.h"
#include "fuzz/fuzzing.h"

using lantern::cli::MessageReader;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    if (size == 0) return 0;
    std::size_t piece = 1 + data[0];
    std::string_view bytes(reinterpret_cast<const char*>(data) + 1, size - 1);
    MessageReader reader;
    for (std::size_t at = 0; at < bytes.size(); at += piece) {
        reader.feed(bytes.substr(at, piece));
        std::size_t before = reader.waiting() + 1;
        while (auto read = reader.next()) {
            if (reader.waiting() >= before) std::abort();  // it would go on like this for ever
            if (!read->problem.empty() && !read->content.empty()) std::abort();
            before = reader.waiting();
        }
        if (reader.waiting() > MessageReader::kLongestMessage + 2 * MessageReader::kLongestHeader)
            std::abort();
    }
    return 0;
}
