// Cuts a stream of bytes into the messages of the Debug Adapter Protocol (its specification, "Base
// Protocol"):
//
//     Content-Length: 119\r\n
//     \r\n
//     {"seq":153,"type":"request", …}
//
// Whoever writes may be mistaken: what is no message is passed over up to the next header, and
// told.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>

namespace lantern::cli {

class MessageReader {
  public:
    static constexpr std::size_t kLongestMessage = 16 << 20;  // bytes
    static constexpr std::size_t kLongestHeader = 4096;

    void feed(std::string_view bytes) { waiting_ += bytes; }

    struct Read {
        std::string content;  // of a message, as it came
        std::string problem;  // not empty: there is no content, and this says why
    };
    // The next message that is whole, or the next problem; nothing until more is fed.
    std::optional<Read> next();
    // Bytes that are no whole message yet.
    std::size_t waiting() const { return waiting_.size() - at_; }

  private:
    std::string waiting_;
    std::size_t at_ = 0;       // what lies before it has been read
    std::size_t to_skip_ = 0;  // bytes of a message that is too long
};

}  // namespace lantern::cli
