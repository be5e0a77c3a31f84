// Which types are drawn as arrows, and which hold something that is.
#pragma once

#include <map>
#include <string>

#include "core/symbols/type.h"

namespace lantern {

bool is_pointer_type(const Type& plain_type);
// A pointer whose target is drawn, not written: not to text, code, or what has no known layout.
bool is_followed(const Type& plain_type);
// The name of the type itself, where it has one: "Keeper", not what a library calls it.
std::string title_of(const Type& type);

class FollowedTypes {
  public:
    explicit FollowedTypes(bool as_they_lie) : as_they_lie_(as_they_lie) {}
    // Whether something in a value of the type is drawn as an arrow. What is asked is kept.
    bool leads(const Type& type) { return leads(type, 0); }

  private:
    bool leads(const Type& given, unsigned depth);
    bool leads_by_meaning(const Type& type, unsigned depth);

    bool as_they_lie_;  // library types too
    std::map<const Type*, bool> known_;
};

}  // namespace lantern
