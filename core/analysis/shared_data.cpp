#include "core/analysis/shared_data.h"

#include "core/expressions/scope_names.h"
#include "core/support/error.h"
#include "core/unwind/unwinder.h"
#include "core/values/value.h"
#include "core/values/variable_value.h"

namespace lantern {

std::string holder_in_thread(const Moment& moment, ThreadId thread, RunRange object) {
    constexpr unsigned kFramesLookedAt = 24, kOwnFrames = 3;
    Target& target = moment.target();
    ValueReader reader(target);
    Unwinder stack(target, thread);
    unsigned own = 0;
    for (unsigned level = 0; level < kFramesLookedAt && own < kOwnFrames; ++level) {
        const Frame* frame = stack.frame(level);
        if (!frame) break;
        if (!frame->line || !frame->module || moment.libraries().is_library(*frame->module))
            continue;
        ++own;
        for (const VisibleVariable& visible : visible_variables(*frame)) {
            const Type* type = visible.variable->type;
            bool leads = type && (plain(*type).kind == TypeKind::pointer ||
                                  plain(*type).kind == TypeKind::reference);
            if (!leads) continue;
            try {
                Value value = value_of_variable(target, thread, *frame, *visible.variable);
                if (value.is_available() && object.contains(reader.pointed_at(value)))
                    return visible.variable->name;
            } catch (const Error&) {  // it has no value there
            }
        }
    }
    return {};
}

}  // namespace lantern
