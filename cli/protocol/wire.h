// The connection to a client of the Debug Adapter Protocol: messages that come, messages that go.
#pragma once

#include <cstdint>
#include <deque>
#include <functional>
#include <optional>
#include <string>

#include <nlohmann/json.hpp>

#include "cli/protocol/message_reader.h"

namespace lantern::cli {

using Json = nlohmann::ordered_json;

// Of a request as it came, which may lack anything: 0 and "".
std::int64_t request_number(const Json& request);
std::string request_command(const Json& request);

// What came: a message, or why it is none.
struct Received {
    Json message;  // an object
    std::string problem;
};

class Wire {
  public:
    // Both descriptors are borrowed; they may be the same.
    Wire(int input, int output) : input_(input), output_(output) {}

    int input() const { return input_; }
    // Takes what has come, and waits for nothing. False: the other side is gone.
    bool take();
    bool is_gone() const { return is_gone_; }
    std::optional<Received> next();
    // The first that is `wanted`, before those that came earlier and that it `may_pass`.
    std::optional<Received> next_of(const std::function<bool(const Received&)>& wanted,
                                    const std::function<bool(const Received&)>& may_pass);
    // What waits to be handled, the first first.
    const std::deque<Received>& waiting() const { return received_; }

    // Each gives the message its number. Where nobody reads any more, nothing is written.
    void respond(const Json& request, Json body);
    // `message`: in a word or short; `details` for the user to read.
    void refuse(const Json& request, const std::string& message, const std::string& details);
    void tell(const std::string& event, Json body);
    // The number of the request.
    unsigned ask(const std::string& command, Json arguments);

  private:
    void send(Json message);

    int input_, output_;
    MessageReader reader_;
    std::deque<Received> received_;
    unsigned sent_ = 0;
    bool is_gone_ = false;
};

}  // namespace lantern::cli
