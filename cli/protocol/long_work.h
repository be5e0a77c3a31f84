// Work that takes long, told to a client that shows it, and given up when it asks for that.
#pragma once

#include <functional>
#include <string>

namespace lantern::cli {

class Conversation;

// Called with how far it has come, 0 to 1. Throws RequestError to give it up. The conversation is
// borrowed.
std::function<void(const std::string& file, double done)> long_work(Conversation& conversation,
                                                                    std::string title);

}  // namespace lantern::cli
