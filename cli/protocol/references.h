// What the numbers stand for that a client is given at a stop: frames, and what has variables in
// it. They hold until the program moves; later ones are others, so that an old number is refused
// and never taken for a new one.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "core/values/value.h"

namespace lantern::cli {

struct FrameAt {
    ThreadId thread = 0;
    unsigned level = 0;
    auto operator<=>(const FrameAt&) const = default;
};

// What has variables in it.
struct Holder {
    enum class Kind {
        parameters,
        locals,
        returned,
        changed,
        statics,  // of the frame's source file
        registers,
        register_group,
        parts,  // of a value
    } kind = Kind::parts;
    FrameAt frame;
    std::string group;         // of registers
    Value value{};             // of `parts`
    std::string expression{};  // that stands for the value in the frame; empty: there is none
};

// A place in a source, for whoever wants to go there.
struct Location {
    std::string file;  // as the compiler recorded it
    std::uint32_t line = 0;
};

class References {
  public:
    int add_frame(FrameAt frame);  // the same for the same frame
    int add(Holder holder);
    int add(Location location);
    // Each throws RequestError for a number that stands for nothing now.
    FrameAt frame(std::int64_t number) const;
    const Holder& holder(std::int64_t number) const;
    const Location& location(std::int64_t number) const;
    void forget();  // the program moves

  private:
    int next_ = 1;
    std::map<FrameAt, int> numbers_;
    std::map<std::int64_t, FrameAt> frames_;
    std::map<std::int64_t, Holder> holders_;
    std::map<std::int64_t, Location> locations_;
};

}  // namespace lantern::cli
