#include "core/session/debuggee.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <utility>

#include "core/code/kept_code.h"
#include "core/session/sanitizer_reports.h"
#include "core/support/error.h"
#include "core/support/fibre.h"
#include "core/target/core_file.h"
#include "core/target/live_process.h"

namespace lantern {
namespace {

// The words of a file that parts them by zero bytes, from the given one on (proc(5)).
std::vector<std::string> words_of(const std::string& path, std::size_t first) {
    std::ifstream file(path, std::ios::binary);
    std::vector<std::string> words;
    for (std::string word; std::getline(file, word, '\0');) words.push_back(std::move(word));
    words.erase(words.begin(),
                words.begin() + static_cast<std::ptrdiff_t>(std::min(first, words.size())));
    return words;
}

}  // namespace

Debuggee::Debuggee(Host& host, LaunchOptions launch) : host_(host), launch_(std::move(launch)) {
    std::error_code ignored;
    auto full = std::filesystem::absolute(launch_.program, ignored);
    if (!ignored) launch_.program = full.lexically_normal().string();
    open_program();
}

Debuggee::Debuggee(Host& host, pid_t process) : host_(host), attached_to_(process) {
    launch_.arguments = words_of(fmt::format("/proc/{}/cmdline", process), 1);
    launch_.environment = words_of(fmt::format("/proc/{}/environ", process), 0);
    process_ = std::make_unique<LiveProcess>(process, host_.events, host_.tracer, opener());
    launch_.program = process_->program();
    // Where the file has been replaced since, the kernel still has the one that runs.
    std::string running = fmt::format("/proc/{}/exe", process);
    auto same = stamp_of(launch_.program), held = stamp_of(running);
    if (held && same != held)
        host_.files.keep_open(launch_.program,
                              std::make_shared<ModuleSymbols>(running, host_.files.search()));
    open_program();
}

Debuggee::Debuggee(Host& host, const CoreRequest& request) : host_(host) {
    core_ = std::make_unique<CoreFile>(request.core, request.program, host_.files.search().folders,
                                       opener());
    launch_.program = core_->program();
    host_.files.take(launch_.program, core_->modules().front().shared_symbols());
    open_program();
}

Debuggee::Debuggee(const Debuggee& parent, std::unique_ptr<LiveProcess> child)
    : host_(parent.host_),
      launch_(parent.launch_),
      symbols_(parent.symbols_),
      process_(std::move(child)),
      attached_to_(parent.attached_to_) {
    file_ = std::make_unique<ProgramFile>(launch_.program, symbols_);
    process_->follow(host_.follow);
    step_back();
}

Debuggee::~Debuggee() = default;

// ---- files

void Debuggee::open_program() {
    symbols_ = host_.files.open(launch_.program);
    file_ = std::make_unique<ProgramFile>(launch_.program, symbols_);
}

std::function<std::shared_ptr<const ModuleSymbols>(const std::string&)> Debuggee::opener() {
    return [&files = host_.files](const std::string& path) { return files.open(path); };
}

bool Debuggee::is_rebuilt() const {
    return stamp_of(launch_.program) != symbols_->elf().stamp();
}

void Debuggee::read_program_again() {
    host_.files.open_again(launch_.program);
    open_program();
}

void Debuggee::take_on_what_runs() {
    forget_landing_hooks();
    const std::string& running = process_->program();
    if (running == launch_.program || running.empty()) return;
    try {
        symbols_ = host_.files.open(running);
        launch_.program = running;
        file_ = std::make_unique<ProgramFile>(launch_.program, symbols_);
    } catch (const Error&) {  // it goes on without names
    }
}

const FlowGraph& Debuggee::flow_of(const Module& module, const Function& function) {
    return kept_code(module.symbols(), function).flow();
}

// ---- what runs

bool Debuggee::is_running() const {
    return process_ && process_->is_alive();
}

bool Debuggee::is_moving() const {
    bool is_under_way =
        host_.goes_meanwhile && !Fibre::current();  // the movement itself may ask in between
    return is_running() && (process_->is_moving() || is_under_way);
}

void Debuggee::refuse_while_moving() const {
    if (is_moving()) throw RequestError("the program runs", Next::pause_or_wait);
}

LiveProcess& Debuggee::process() {
    if (core_)
        throw RequestError("a core file tells what was: nothing in it can run or be changed",
                           {Next::run_live, launch_.program});
    if (!is_running()) {
        if (has_ended_) throw RequestError("the program has ended", Next::restart);
        throw RequestError("the program is not running", Next::launch);
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
    host_.files.end_keeping();
    attached_to_ = 0;
    has_ended_ = false;
    host_.own_terminal.reset();
    if (host_.terminal_output)
        host_.own_terminal =
            std::make_unique<OwnTerminal>(host_.events, host_.keyboard, host_.terminal_output);
    launch_.terminal = host_.own_terminal ? host_.own_terminal->path() : "";
    LaunchOptions launch = launch_;
    if (const Sanitizer* sanitizer = sanitizer_of(symbols_->elf()))
        leave_out_leak_check(*sanitizer, launch.environment);
    process_ = std::make_unique<LiveProcess>(launch, host_.events, host_.tracer, opener());
    process_->set_own_terminal(host_.own_terminal.get());
    process_->follow(host_.follow);
}

void Debuggee::end() {
    process_.reset();
    forget_landing_hooks();
}

void Debuggee::forget_what_ended() {
    end();
    has_ended_ = true;
}

void Debuggee::release() {
    process().release();
    end();
}

void Debuggee::come_to_front() {
    if (!process_) return;
    process_->set_own_terminal(host_.own_terminal.get());
    process_->lend_terminals(true);
}

void Debuggee::step_back() {
    if (!process_) return;
    process_->set_own_terminal(nullptr);
    process_->lend_terminals(false);
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
