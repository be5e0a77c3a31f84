// What a session knows around a value: whose stack, heap or library an address belongs to, and the user's own views.
#pragma once

#include "core/expressions/declared_view.h"
#include "core/session/session.h"
#include "core/values/scalar_text.h"

namespace lantern {

class SessionSurroundings final : public Surroundings {
  public:
    SessionSurroundings(Session& session, const DeclaredViews& views) : session_(session), views_(views) {}
    std::string describe(RunAddress address) const override;
    std::string object_at(RunAddress address, const Type& pointee) const override;
    std::optional<Meaning> own_meaning(const ValueReader& reader, const Value& value) const override { return views_.meaning(reader, value); }

  private:
    std::string global_at(const Module& module, RunAddress address, const Type& pointee) const;
    std::string local_at(RunAddress address, const Type& pointee) const;

    Session& session_;
    const DeclaredViews& views_;
};

}  // namespace lantern
