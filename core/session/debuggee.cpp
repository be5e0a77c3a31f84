#include "core/session/debuggee.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <utility>

#include "core/support/error.h"
#include "core/target/core_file.h"
#include "core/target/live_process.h"

namespace lantern {
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

Debuggee::Debuggee(LaunchOptions launch, SymbolSearch search) : launch_(std::move(launch)), search_(std::move(search)) {
    std::error_code ignored;
    auto full = std::filesystem::absolute(launch_.program, ignored);
    if (!ignored) launch_.program = full.lexically_normal().string();
    open_program();
}

Debuggee::Debuggee(pid_t process, SymbolSearch search) : search_(std::move(search)), attached_to_(process) {
    launch_.arguments = words_of(fmt::format("/proc/{}/cmdline", process), 1);
    launch_.environment = words_of(fmt::format("/proc/{}/environ", process), 0);
    process_ = std::make_unique<LiveProcess>(process, events_, tracer_, [this](const std::string& path) { return open_symbols(path); });
    launch_.program = process_->program();
    // Where the file has been replaced since, the kernel still has the one that runs.
    std::string running = fmt::format("/proc/{}/exe", process);
    auto same = stamp_of(launch_.program), held = stamp_of(running);
    if (held && (!same || same->inode != held->inode)) {
        open_[launch_.program] = std::make_shared<ModuleSymbols>(running, search_);
        kept_open_.insert(launch_.program);
    }
    open_program();
}

Debuggee::Debuggee(const CoreRequest& request, SymbolSearch search) : search_(std::move(search)) {
    core_ = std::make_unique<CoreFile>(request.core, request.program, search_.folders, [this](const std::string& path) { return open_symbols(path); });
    launch_.program = core_->program();
    open_[launch_.program] = core_->modules().front().shared_symbols();
    open_program();
}

Debuggee::~Debuggee() = default;

// ---- files -----------------------------------------------------------------------------------------------------------

void Debuggee::open_program() {
    symbols_ = open_symbols(launch_.program);
    file_ = std::make_unique<ProgramFile>(launch_.program, symbols_);
}

std::shared_ptr<const ModuleSymbols> Debuggee::open_symbols(const std::string& path) {
    auto& slot = open_[path];
    // A library that was built anew and loaded again; what came of the old one still points into it.
    if (slot && !kept_open_.count(path) && stamp_of(path) && stamp_of(path) != slot->elf().stamp()) retired_.push_back(std::exchange(slot, nullptr));
    if (!slot) slot = std::make_shared<ModuleSymbols>(path, search_);
    return slot;
}

bool Debuggee::is_rebuilt() const {
    return stamp_of(launch_.program) != symbols_->elf().stamp();
}

void Debuggee::read_program_again() {
    retired_.push_back(symbols_);
    open_[launch_.program] = std::make_shared<ModuleSymbols>(launch_.program, search_);
    open_program();
}

void Debuggee::take_on_what_runs() {
    forget_landing_hooks();
    const std::string& running = process_->program();
    if (running == launch_.program || running.empty()) return;
    retired_.push_back(symbols_);
    try {
        symbols_ = open_symbols(running);
        launch_.program = running;
        file_ = std::make_unique<ProgramFile>(launch_.program, symbols_);
    } catch (const Error&) {  // it goes on without names
    }
}

const FlowGraph& Debuggee::flow_of(const Module& module, const Function& function) {
    auto& slot = flows_[&function];
    if (!slot) slot = std::make_unique<FlowGraph>(module.symbols(), function);
    return *slot;
}

// ---- what runs -------------------------------------------------------------------------------------------------------

bool Debuggee::is_running() const {
    return process_ && process_->is_alive();
}

bool Debuggee::is_moving() const {
    return is_running() && process_->is_moving();
}

void Debuggee::refuse_while_moving() const {
    if (is_moving()) throw RequestError("the program runs", "pause stops it; wait waits until something else does");
}

LiveProcess& Debuggee::process() {
    if (core_) throw RequestError("a core file tells what was: nothing in it can run or be changed", fmt::format("elm-lantern debug {} runs the program", launch_.program));
    if (!is_running()) {
        if (has_ended_) throw RequestError("the program has ended", "restart runs it again");
        throw RequestError("the program is not running", "launch starts it");
    }
    return *process_;
}

Target& Debuggee::target() {
    if (is_running()) return *process_;
    if (core_) return *core_;
    return *file_;
}

void Debuggee::start() {
    if (core_) process();  // refuses
    end();
    kept_open_.clear();
    attached_to_ = 0;
    has_ended_ = false;
    process_number_ = processes_met_ = 1;
    own_terminal_.reset();
    if (terminal_output_) own_terminal_ = std::make_unique<OwnTerminal>(events_, keyboard_, terminal_output_);
    launch_.terminal = own_terminal_ ? own_terminal_->path() : "";
    process_ = std::make_unique<LiveProcess>(launch_, events_, tracer_, [this](const std::string& path) { return open_symbols(path); });
    process_->set_own_terminal(own_terminal_.get());
    process_->follow(follow_);
}

void Debuggee::end() {
    held_.clear();
    process_.reset();
    forget_landing_hooks();
}

void Debuggee::forget_what_ended() {
    process_.reset();
    has_ended_ = true;
    forget_landing_hooks();
}

void Debuggee::release() {
    process().release();
    for (auto& [number, held] : held_) held->release();
    end();
}

void Debuggee::follow(Follow whom) {
    follow_ = whom;
    if (process_) process_->follow(whom);
}

void Debuggee::give_own_terminal(int keyboard, OwnTerminal::Output output) {
    keyboard_ = keyboard;
    terminal_output_ = std::move(output);
}

const std::vector<LandingHook>& Debuggee::landing_hooks() {
    std::size_t count = process().modules().size();
    if (count != landing_hooks_for_) {
        landing_hooks_ = find_landing_hooks(*process_);
        landing_hooks_for_ = count;
    }
    return landing_hooks_;
}

void Debuggee::forget_landing_hooks() {
    landing_hooks_.clear();
    landing_hooks_for_ = 0;
}

}  // namespace lantern
