#include "core/session/session.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <utility>

#include "core/session/events.h"
#include "core/session/meanwhile.h"
#include "core/target/core_file.h"
#include "core/target/live_process.h"
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
    open_program();
}

namespace {

// The words of a file that parts them by zero bytes, from the given one on (proc(5)).
std::vector<std::string> words_of(const std::string& path, std::size_t first) {
    std::ifstream file(path, std::ios::binary);
    std::vector<std::string> words;
    for (std::string word; std::getline(file, word, '\0');) words.push_back(std::move(word));
    words.erase(words.begin(), words.begin() + static_cast<std::ptrdiff_t>(std::min(first, words.size())));
    return words;
}

}  // namespace

Session::Session(pid_t process, std::vector<SourceMapping> mappings, SymbolSearch search)
    : search_(std::move(search)), sources_(std::move(mappings)) {
    attached_to_ = process;
    launch_.arguments = words_of(fmt::format("/proc/{}/cmdline", process), 1);
    launch_.environment = words_of(fmt::format("/proc/{}/environ", process), 0);
    process_ = std::make_unique<LiveProcess>(process, events_, tracer_, [this](const std::string& path) { return open_symbols(path); });
    launch_.program = process_->program();
    // Where the file has been replaced since, the kernel still has the one that runs.
    std::string running = fmt::format("/proc/{}/exe", process);
    auto same = stamp_of(launch_.program), held = stamp_of(running);
    if (held && (!same || same->inode != held->inode)) {
        auto symbols = std::make_shared<ModuleSymbols>(running, search_);
        open_[launch_.program] = symbols;
        kept_open_.insert(launch_.program);
    }
    open_program();
    thread_ = process;
    if (process_->thread_number(thread_) == 0) thread_ = process_->threads().front();
    has_run_ = true;
    last_stop_.reason = StopReason::attached;
    last_stop_.thread = thread_;
    for (const Module& module : process_->modules()) known_libraries_.insert(module.path());
    selected_level_ = level_of_users_code();
}

Session::Session(const CoreRequest& request, std::vector<SourceMapping> mappings, SymbolSearch search)
    : search_(std::move(search)), sources_(std::move(mappings)) {
    core_ = std::make_unique<CoreFile>(request.core, request.program, search_.folders, [this](const std::string& path) { return open_symbols(path); });
    launch_.program = core_->program();
    open_[launch_.program] = core_->modules().front().shared_symbols();
    open_program();
    const CoreImage& image = core_->image();
    thread_ = image.threads.front().id;
    has_run_ = true;
    last_stop_.reason = image.signal ? StopReason::signal : StopReason::kept;
    last_stop_.thread = thread_;
    last_stop_.signal = image.signal;
    last_stop_.is_fault = image.fault_address.has_value();
    last_stop_.fault_address = image.fault_address.value_or(RunAddress());
    last_stop_.origin = image.origin;
    if (image.signal == SIGABRT) last_stop_.facts = facts_of_giving_up(*this, thread_);
    selected_level_ = level_of_users_code();
}

void Session::open_program() {
    symbols_ = open_symbols(launch_.program);
    file_ = std::make_unique<ProgramFile>(launch_.program, symbols_);
    surroundings_ = std::make_unique<MomentSurroundings>([this] { return moment(); }, presentation_.views);
}

Session::~Session() = default;

std::shared_ptr<const ModuleSymbols> Session::open_symbols(const std::string& path) {
    auto& slot = open_[path];
    // A library that was built anew and loaded again; what came of the old one still points into it.
    if (slot && !kept_open_.count(path) && stamp_of(path) && stamp_of(path) != slot->elf().stamp()) retired_.push_back(std::exchange(slot, nullptr));
    if (!slot) slot = std::make_shared<ModuleSymbols>(path, search_);
    return slot;
}

bool Session::is_running() const {
    return process_ && process_->is_alive();
}

bool Session::has_threads() const {
    return is_running() || core_;
}

bool Session::is_moving() const {
    return is_running() && process_->is_moving();
}

unsigned Session::thread_number() const {
    return process_ ? process_->thread_number(thread_) : core_ ? core_->thread_number(thread_) : 0;
}

void Session::refuse_while_moving() const {
    if (is_moving()) throw RequestError("the program runs", "pause stops it; wait waits until something else does");
}

LiveProcess& Session::process() {
    if (core_) throw RequestError("a core file tells what was: nothing in it can run or be changed", fmt::format("elm-lantern debug {} runs the program", launch_.program));
    if (!is_running()) {
        if (last_stop_.is_end()) throw RequestError("the program has ended", "restart runs it again");
        throw RequestError("the program is not running", "launch starts it");
    }
    return *process_;
}

pid_t Session::process_id() {
    return process().id();
}

const std::vector<LandingHook>& Session::landing_hooks() {
    std::size_t count = process().modules().size();
    if (count != landing_hooks_for_) {
        landing_hooks_ = find_landing_hooks(*process_);
        landing_hooks_for_ = count;
    }
    return landing_hooks_;
}

Target& Session::target() {
    if (is_running()) return *process_;
    if (core_) return *core_;
    return *file_;
}

Moment Session::moment() {
    Moment::Parts parts;
    parts.target = &target();
    parts.thread = thread_;
    try {
        parts.stack = &stack();
    } catch (const RequestError&) {
        parts.why_no_stack = std::current_exception();
    }
    parts.level = selected_level_;
    parts.results = &presentation_.results;
    parts.forms = &presentation_.forms;
    parts.surroundings = surroundings_.get();
    parts.sources = &sources_;
    parts.libraries = &libraries_;
    if (may_call) parts.call = [this](const FunctionCall& call) { return call_function(call); };
    return Moment(std::move(parts));
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
    going_.reset();
    held_.clear();
    process_.reset();
    forget_sites();
}

void Session::give_own_terminal(int keyboard, OwnTerminal::Output output) {
    keyboard_ = keyboard;
    terminal_output_ = std::move(output);
}

void Session::release() {
    if (is_moving()) pause();
    process();
    for (Breakpoint& breakpoint : breakpoints_.all()) remove_sites(breakpoint);
    process_->release();
    for (auto& [number, held] : held_) held->release();
    kill();
    last_stop_ = Stop{};
    last_stop_.reason = StopReason::released;
}

void Session::follow(Follow whom) {
    follow_ = whom;
    if (process_) process_->follow(whom);
}

void Session::select_thread(unsigned number) {
    if (!core_) process();
    auto id = target().thread_numbered(number);
    refuse_while_moving();
    if (!id) throw RequestError(fmt::format("there is no thread {}", number), "threads lists them");
    thread_ = *id;
    stack_.reset();
    selected_level_ = level_of_users_code();
}

bool Session::is_stale(const std::string& recorded) {
    SourceState state = source_state(moment(), recorded);
    return state == SourceState::newer || state == SourceState::different;
}

std::string Session::current_file() {
    if (const Frame* frame = selected_frame(); frame && frame->line) return frame->line->file;
    if (has_threads() && !is_moving())
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
    if (!core_) process();
    refuse_while_moving();
    if (!stack_) stack_ = std::make_unique<Unwinder>(target(), thread_, standing());
    return *stack_;
}

const CodePosition* Session::standing() const {
    bool holds = standing_ && process_ && standing_->thread == thread_ && process_->registers(thread_).program_counter() == standing_->at;
    return holds ? &standing_->position : nullptr;
}

void Session::stand_at(const CodePosition& position) {
    standing_ = Standing{thread_, process_->registers(thread_).program_counter(), position};
    stack_.reset();
}

const FlowGraph& Session::flow_of(const Module& module, const Function& function) {
    auto& slot = flows_[&function];
    if (!slot) slot = std::make_unique<FlowGraph>(module.symbols(), function);
    return *slot;
}

const Frame* Session::selected_frame() {
    if (!has_threads() || is_moving()) return nullptr;
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

const RegisterSnapshot* Session::registers_before() const {
    return registers_before_ && registers_before_->thread == thread_ ? &*registers_before_ : nullptr;
}

// The innermost frame with source of the user's own; the innermost of all where there is none.
unsigned Session::level_of_users_code() {
    constexpr unsigned kFramesLookedAt = 64;
    for (unsigned level = 0; level < kFramesLookedAt; ++level) {
        const Frame* frame = stack().frame(level);
        if (!frame) break;
        if (frame->line && frame->module && !libraries_.is_library(*frame->module) && !libraries_.is_library_source(frame->line->file)) return level;
    }
    return 0;
}

Assigned Session::assign(std::string_view left, std::string_view right) {
    process();
    Assigned result = lantern::assign(left, right, context());
    stack_.reset();  // a register or a saved word may have changed under the frames
    return result;
}

void Session::write_memory(RunAddress address, ByteSpan bytes) {
    process().write_memory(address, bytes);
    stack_.reset();
}

}  // namespace lantern
