#include "cli/protocol/capabilities.h"

namespace lantern::cli {
namespace {

constexpr const char* kOffered[] = {
    "supportsConfigurationDoneRequest",
    "supportsFunctionBreakpoints",
    "supportsConditionalBreakpoints",
    "supportsHitConditionalBreakpoints",
    "supportsLogPoints",
    "supportsEvaluateForHovers",
    "supportsSetVariable",
    "supportsSetExpression",
    "supportsGotoTargetsRequest",
    "supportsStepInTargetsRequest",
    "supportsCompletionsRequest",
    "supportsModulesRequest",
    "supportsLoadedSourcesRequest",
    "supportsRestartRequest",
    "supportsTerminateRequest",
    "supportTerminateDebuggee",
    "supportsDelayedStackTraceLoading",
    "supportsValueFormattingOptions",
    "supportsExceptionInfoRequest",
    "supportsExceptionFilterOptions",
    "supportsDataBreakpoints",
    "supportsDataBreakpointBytes",
    "supportsInstructionBreakpoints",
    "supportsBreakpointLocationsRequest",
    "supportsReadMemoryRequest",
    "supportsWriteMemoryRequest",
    "supportsDisassembleRequest",
    "supportsSteppingGranularity",
    "supportsSingleThreadExecutionRequests",
    "supportsCancelRequest",
    "supportsClipboardContext",
};

Json filter(const char* name, const char* label, const char* description, bool is_default,
            const char* condition) {
    return {{"filter", name},
            {"label", label},
            {"description", description},
            {"default", is_default},
            {"supportsCondition", true},
            {"conditionDescription", condition}};
}

}  // namespace

Json capabilities() {
    Json all = Json::object();
    for (const char* each : kOffered) all[each] = true;
    all["completionTriggerCharacters"] = Json::array({".", ":", ">"});
    Json panic =
        filter("panic", "Rust: panics", "Stops where a Rust program begins to panic", true, "");
    panic["supportsCondition"] = false;
    panic.erase("conditionDescription");
    all["exceptionBreakpointFilters"] = Json::array(
        {filter("throw", "C++: thrown", "Stops where a C++ exception is thrown", false,
                "The name of the type, such as TollError; empty: any"),
         filter("catch", "C++: caught", "Stops where a C++ exception is caught", false,
                "The name of the type, such as TollError; empty: any"),
         std::move(panic),
         filter("signal", "Signals", "Stops when a signal comes that would not end the program",
                false, "The names of the signals, such as SIGUSR1 SIGALRM")});
    return all;
}

}  // namespace lantern::cli
