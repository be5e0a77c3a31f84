// What is known around a value: whose stack, heap or library an address belongs to, and the user's
// own views.
#pragma once

#include "core/expressions/declared_view.h"
#include "core/heap/heap.h"
#include "core/session/moment.h"
#include "core/values/scalar_text.h"

namespace lantern {

class MomentValueContext final : public ValueContext {
  public:
    // `now` gives the moment that is looked at, `heap` its heap or null; all are borrowed.
    MomentValueContext(std::function<Moment()> now, std::function<const Heap*()> heap,
                       const DeclaredViews& views)
        : now_(std::move(now)), heap_(std::move(heap)), views_(views) {}
    std::string describe(RunAddress address) const override;
    std::string object_at(RunAddress address, const Type& pointee) const override;
    std::optional<Meaning> own_meaning(const ValueReader& reader,
                                       const Value& value) const override {
        return views_.meaning(reader, value);
    }

  private:
    std::string block_at(RunAddress address) const;  // empty where it is in none, or not known

    std::function<Moment()> now_;
    std::function<const Heap*()> heap_;
    const DeclaredViews& views_;
};

}  // namespace lantern
