// The arguments of a request, which a client may have left out or mistaken for something else.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "cli/protocol/wire.h"

namespace lantern::cli {

class Arguments {
  public:
    // The object is borrowed: what was handed in has to outlive this. Anything but an object has no
    // members.
    explicit Arguments(const Json& object) : object_(object) {}

    const Json& json() const { return object_; }
    bool has(const char* name) const { return find(name) != nullptr; }
    // Each throws RequestError where the member is of another kind; those that give an optional
    // give nothing where it is missing, those with a default give that.
    std::string text(const char* name) const;  // throws where it is missing too
    std::string text_or(const char* name, std::string otherwise) const;
    std::optional<std::int64_t> number(const char* name) const;
    std::int64_t needed_number(const char* name) const;      // throws where it is missing too
    bool is_true(const char* name) const;                    // false where it is missing
    std::vector<std::string> texts(const char* name) const;  // none where it is missing
    Arguments object(const char* name) const;                // an empty one where it is missing
    std::vector<Arguments> objects(const char* name) const;  // none where it is missing

  private:
    const Json* find(const char* name) const;  // null: missing, or null

    const Json& object_;
};

}  // namespace lantern::cli
