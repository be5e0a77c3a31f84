#include "core/session/session.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "core/session/surroundings.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/symbols/places.h"

namespace lantern {

Session::Session(LaunchOptions launch, std::vector<SourceMapping> mappings, SymbolSearch search)
    : launch_(std::move(launch)), search_(std::move(search)), sources_(std::move(mappings)) {
    std::error_code ignored;
    auto full = std::filesystem::absolute(launch_.program, ignored);
    if (!ignored) launch_.program = full.lexically_normal().string();
    symbols_ = open_symbols(launch_.program);
    file_ = std::make_unique<ProgramFile>(launch_.program, symbols_);
    surroundings_ = std::make_unique<SessionSurroundings>(*this, declared_views_);
}

Session::~Session() = default;

std::shared_ptr<const ModuleSymbols> Session::open_symbols(const std::string& path) {
    auto& slot = open_[path];
    if (!slot) slot = std::make_shared<ModuleSymbols>(path, search_);
    return slot;
}

LiveProcess& Session::process() {
    if (!is_running()) {
        if (last_stop_.is_end()) throw RequestError("the program has ended", "restart runs it again");
        throw RequestError("the program is not running", "launch starts it");
    }
    return *process_;
}

Target& Session::target() {
    if (is_running()) return *process_;
    return *file_;
}

EvaluationContext Session::context() {
    EvaluationContext context;
    context.target = &target();
    context.thread = thread_;
    context.frame = selected_frame();
    context.results = &results_;
    if (may_call) context.call = [this](const FunctionCall& call) { return call_function(call); };
    return context;
}

// ---- how values are shown ------------------------------------------------------------------------------------------

void Session::declare_views(std::vector<DeclaredView> views) {
    declared_views_ = DeclaredViews(std::move(views));
}

ViewLimits Session::view_limits() const {
    ViewLimits limits;
    limits.around = surroundings_.get();
    return limits;
}

Form Session::form_of(const std::string& name) const {
    auto found = forms_.find(name);
    return found == forms_.end() ? Form::natural : found->second;
}

void Session::set_arguments(std::vector<std::string> arguments) {
    launch_.arguments = std::move(arguments);
}

void Session::set_redirections(std::string input_file, std::string output_file) {
    launch_.input_file = std::move(input_file);
    launch_.output_file = std::move(output_file);
}

void Session::kill() {
    stack_.reset();
    process_.reset();
}

bool Session::is_stale(const std::string& recorded) {
    SourceState state = source_state(recorded);
    return state == SourceState::newer || state == SourceState::different;
}

SourceState Session::source_state(const std::string& recorded) {
    std::optional<std::array<std::uint8_t, 16>> md5;
    for (const dwarf::Unit* unit : units_mentioning(*symbols_, recorded))
        for (const dwarf::LineFile& file : symbols_->files_of(*unit))
            if (file.path == recorded && file.md5) md5 = file.md5;
    return sources_.state(recorded, md5, symbols_->elf().modified_at());
}

std::string Session::current_file() {
    if (const Frame* frame = selected_frame(); frame && frame->line) return frame->line->file;
    if (is_running())
        for (unsigned level = 0; const Frame* frame = stack().frame(level); ++level) {
            if (frame->line) return frame->line->file;
            if (level > 50) break;
        }
    for (const Function* function : symbols_->functions_named("main"))
        if (function->has_code())
            if (auto line = symbols_->line_at(function->low())) return line->file;
    return {};
}

// ---- frames ------------------------------------------------------------------------------------------------------

Unwinder& Session::stack() {
    LiveProcess& live = process();
    if (!stack_) stack_ = std::make_unique<Unwinder>(live, thread_);
    return *stack_;
}

const Frame* Session::selected_frame() {
    if (!is_running()) return nullptr;
    return stack().frame(selected_level_);
}

void Session::select_frame(unsigned level) {
    if (!stack().frame(level)) {
        unsigned count = 0;
        while (stack().frame(count)) ++count;
        throw RequestError(fmt::format("there is no frame {}: the stack has {}", level, counted(count, "frame")), "stack lists them");
    }
    selected_level_ = level;
}

Assigned Session::assign(std::string_view left, std::string_view right) {
    process();
    Assigned result = lantern::assign(left, right, context());
    stack_.reset();  // a register or a saved word may have changed under the frames
    return result;
}

Pin& Session::add_pin(std::string text) {
    pins_.push_back({next_pin_++, std::move(text)});
    return pins_.back();
}

}  // namespace lantern
