// A kernel that plays a scenario: processes and threads that do, when they are let go, what the
// test has laid down for them. It keeps the rules of ptrace(2) that matter for the order of stops:
// news is told once; an interruption of a thread that stands already takes effect when it is let
// go; a thread that was killed has left its registers behind.
#pragma once

#include <sys/ptrace.h>
#include <sys/wait.h>

#include <algorithm>
#include <deque>
#include <functional>
#include <map>
#include <set>
#include <stdexcept>

#include "core/machine/instruction.h"
#include "core/object/elf_file.h"
#include "core/target/kernel.h"

namespace lantern::testing {

class PlayedKernel final : public Kernel {
  public:
    // What a thread does when it is let go, or while it is asked to stand. False: it did nothing,
    // the next one is looked at.
    using Act = std::function<bool(ThreadId)>;

    struct Task {
        pid_t process = 0;
        bool stands = true, is_gone = false, is_interrupted = false;
        user_regs_struct registers{};
        siginfo_t info{};
        std::uint64_t message = 0;
        std::deque<Act> next;  // in the order in which it comes to them
        Act when_interrupted;  // happens before an interruption does
        std::map<unsigned, std::uint64_t> debug;
        std::vector<int> given;  // signals that it was let go with
    };
    std::map<ThreadId, Task> tasks;
    std::map<ThreadId, unsigned> met;     // breakpoint bytes that it ran into
    std::map<ThreadId, unsigned> passed;  // places that it came to and that had none
    std::set<ThreadId> detached;
    std::vector<ThreadId> first_told;  // whose news is told before all others', in this order
    std::string program;
    unsigned calls_on_running = 0;  // that would have failed

    // A process of the program with its first thread, standing, and its memory as the file has it.
    void add_process(pid_t process, const std::string& file, std::uint64_t at) {
        program = file;
        memory_[process] = std::make_shared<Bytes>();
        ElfFile elf(file);
        for (const Segment& segment : elf.segments()) {
            std::uint64_t begin = segment.range.low.value & ~std::uint64_t{4095},
                          end = (segment.range.high.value + 4095) & ~std::uint64_t{4095};
            for (std::uint64_t each = begin; each < end; ++each)
                memory_[process]->try_emplace(each, std::byte{0});
        }
        for (const Segment& segment : elf.segments())
            for (std::uint64_t i = 0; i < segment.file_size; ++i)
                (*memory_[process])[segment.range.low.value + i] =
                    elf.whole_file()[segment.file_offset + i];
        original_ = *memory_[process];
        add_thread(process, process, at);
    }
    void add_thread(pid_t process, ThreadId thread, std::uint64_t at) {
        tasks[thread].process = process;
        tasks[thread].registers.rip = at;
    }
    void then(ThreadId thread, Act act) { tasks[thread].next.push_back(std::move(act)); }

    bool has_news_of(ThreadId thread) const {
        return std::any_of(news_.begin(), news_.end(),
                           [thread](const auto& each) { return each.first == thread; });
    }
    bool code_is_as_in_file(pid_t process) const { return *memory_.at(process) == original_; }
    std::byte byte_at(pid_t process, std::uint64_t at) const { return memory_.at(process)->at(at); }

    // ---- acts
    Act comes_to(std::uint64_t at) {
        return [this, at](ThreadId thread) {
            Task& task = tasks[thread];
            task.registers.rip = at;
            if ((*memory_.at(task.process))[at] != kTrapByte) {
                ++passed[thread];
                return false;
            }
            ++met[thread];
            task.registers.rip = at + 1;
            stop_for_signal(thread, SIGTRAP, SI_KERNEL);
            return true;
        };
    }
    Act gets(int signal, int code = SI_USER) {
        return
            [this, signal, code](ThreadId thread) { return stop_for_signal(thread, signal, code); };
    }
    Act tells_of_its_end(int exit_code) {
        return [this, exit_code](ThreadId thread) {
            return stop_for_event(thread, PTRACE_EVENT_EXIT,
                                  static_cast<std::uint64_t>(exit_code) << 8);
        };
    }
    Act ends(int exit_code) {
        return [this, exit_code](ThreadId thread) { return end(thread, exit_code << 8); };
    }
    Act is_killed() {
        return [this](ThreadId thread) { return end(thread, SIGKILL); };
    }
    Act process_ends(int exit_code) {
        return [this, exit_code](ThreadId thread) {
            pid_t process = tasks[thread].process;
            for (auto& [id, task] : tasks)
                if (task.process == process && id != process) end(id, exit_code << 8);
            return end(process, exit_code << 8);
        };
    }
    Act whole_process_is_killed() {
        return [this](ThreadId thread) {
            pid_t process = tasks[thread].process;
            for (auto& [id, task] : tasks)
                if (task.process == process && id != process) end(id, SIGKILL);
            return end(process, SIGKILL);
        };
    }
    Act makes_thread(ThreadId child, bool child_is_first = false) {
        return [=, this](ThreadId thread) {
            add_thread(tasks[thread].process, child, tasks[thread].registers.rip);
            if (child_is_first) stop_for_event(child, PTRACE_EVENT_STOP, 0);
            stop_for_event(thread, PTRACE_EVENT_CLONE, static_cast<std::uint64_t>(child));
            if (!child_is_first) stop_for_event(child, PTRACE_EVENT_STOP, 0);
            return true;
        };
    }
    Act makes_process(pid_t child, bool child_is_first = false, bool shares_memory = false) {
        return [=, this](ThreadId thread) {
            Task& parent = tasks[thread];
            memory_[child] = shares_memory ? memory_.at(parent.process)
                                           : std::make_shared<Bytes>(*memory_.at(parent.process));
            add_thread(child, child, parent.registers.rip);
            if (child_is_first) stop_for_event(child, PTRACE_EVENT_STOP, 0);
            stop_for_event(thread, shares_memory ? PTRACE_EVENT_VFORK : PTRACE_EVENT_FORK,
                           static_cast<std::uint64_t>(child));
            if (!child_is_first) stop_for_event(child, PTRACE_EVENT_STOP, 0);
            return true;
        };
    }
    Act goes_on_after_vfork() {
        return
            [this](ThreadId thread) { return stop_for_event(thread, PTRACE_EVENT_VFORK_DONE, 0); };
    }
    // Whichever thread does it, the process goes on in its first one, and the others are gone
    // without a word.
    Act becomes(std::uint64_t at) {
        return [this, at](ThreadId thread) {
            pid_t process = tasks[thread].process;
            for (auto& [id, task] : tasks) {
                if (task.process != process || id == process) continue;
                task.is_gone = true;
                forget_news_of(id);
            }
            memory_[process] = std::make_shared<Bytes>(original_);
            tasks[process].is_gone = false;
            tasks[process].registers.rip = at;
            if (id_of_acts_ != process) tasks[process].next = tasks[thread].next;
            return stop_for_event(process, PTRACE_EVENT_EXEC, static_cast<std::uint64_t>(thread));
        };
    }
    Act stops_with_its_group(int signal) {
        return [this, signal](ThreadId thread) {
            return tell(thread, (signal | PTRACE_EVENT_STOP << 8) << 8 | 0x7f);
        };
    }
    // Runs and has nothing to tell.
    Act runs_on() {
        return [](ThreadId) { return true; };
    }

    // ---- Kernel
    bool resume(ThreadId thread, Motion motion, int signal) override {
        Task* task = standing(thread);
        if (!task) return false;
        forget_news_of(thread);  // of a stop that nobody has waited for, nothing is told any more
        task->stands = false;
        task->info = {};
        if (signal) task->given.push_back(signal);
        if (std::exchange(task->is_interrupted, false))
            return stop_for_event(thread, PTRACE_EVENT_STOP, 0);
        if (motion == Motion::one_instruction) return step(thread);
        play(thread);
        return true;
    }
    bool detach(ThreadId thread, int signal) override {
        Task* task = standing(thread);
        if (!task) return false;
        if (signal) task->given.push_back(signal);
        task->stands = false;
        detached.insert(thread);
        return true;
    }
    bool read_registers(ThreadId thread, user_regs_struct& out) override {
        Task* task = standing(thread);
        if (task) out = task->registers;
        return task;
    }
    bool write_registers(ThreadId thread, const user_regs_struct& registers) override {
        Task* task = standing(thread);
        if (task) task->registers = registers;
        return task;
    }
    bool read_floating(ThreadId, user_fpregs_struct&) override { return false; }
    bool read_extended(ThreadId, std::vector<std::byte>&) override { return false; }
    bool write_extended(ThreadId, ByteSpan) override { return false; }
    bool read_signal(ThreadId thread, siginfo_t& out) override {
        Task* task = standing(thread);
        if (task) out = task->info;
        return task;
    }
    bool write_signal(ThreadId thread, const siginfo_t& info) override {
        Task* task = standing(thread);
        if (task) task->info = info;
        return task;
    }
    std::uint64_t event_message(ThreadId thread) override { return tasks[thread].message; }
    bool enters_system_call(ThreadId) override { return true; }
    std::uint64_t debug_register(ThreadId thread, unsigned number) override {
        return tasks[thread].debug[number];
    }
    bool set_debug_register(ThreadId thread, unsigned number, std::uint64_t value) override {
        tasks[thread].debug[number] = value;
        return true;
    }
    bool interrupt(ThreadId thread) override {
        auto found = tasks.find(thread);
        if (found == tasks.end() || found->second.is_gone) return false;
        Task& task = found->second;
        if (task.stands) {
            task.is_interrupted = true;
            return true;
        }
        if (auto act = std::exchange(task.when_interrupted, nullptr)) {
            id_of_acts_ = thread;
            if (act(thread)) {
                task.is_interrupted = !task.is_gone;
                return true;
            }
        }
        return stop_for_event(thread, PTRACE_EVENT_STOP, 0);
    }
    bool kill(pid_t process) override { return whole_process_is_killed()(process); }

    pid_t launch(const LaunchOptions&) override {
        throw std::logic_error("nothing is launched here");
    }
    std::vector<ThreadId> attach(pid_t process) override { return threads_of(process); }

    ThreadId look(ThreadId thread, int& status) override {
        if (thread < 0)
            for (ThreadId first : first_told)
                if (take(first, status)) {
                    first_told.erase(std::find(first_told.begin(), first_told.end(), first));
                    return first;
                }
        if (thread > 0) return take(thread, status) ? thread : has(thread) ? 0 : -1;
        if (news_.empty()) {
            if (++empty_looks_ > 5000) throw std::logic_error("nothing more happens");
            return std::any_of(tasks.begin(), tasks.end(),
                               [&](const auto& each) { return has(each.first); })
                       ? 0
                       : -1;
        }
        ThreadId told = news_.front().first;
        take(told, status);
        return told;
    }
    ThreadId wait(ThreadId thread, int& status) override {
        ThreadId got = look(thread, status);
        if (got == 0)
            throw std::logic_error("a wait for thread " + std::to_string(thread) +
                                   " that would never end");
        return got;
    }

    std::vector<ThreadId> threads_of(pid_t process) override {
        std::vector<ThreadId> threads;
        for (const auto& [id, task] : tasks)
            if (task.process == process && !task.is_gone) threads.push_back(id);
        return threads;
    }
    bool has_thread(pid_t process, ThreadId thread) override {
        return tasks.count(thread) && tasks[thread].process == process && !tasks[thread].is_gone;
    }
    pid_t process_of(ThreadId thread) override {
        return tasks.count(thread) && !tasks[thread].is_gone ? tasks[thread].process : 0;
    }
    bool has_other_mounts(pid_t) override { return false; }
    std::string program_of(pid_t) override { return program; }
    std::string file(pid_t, ThreadId, const char*) override { return {}; }
    std::unique_ptr<KernelMemory> memory(pid_t process) override {
        return std::make_unique<Memory>(memory_.at(process));
    }

  private:
    using Bytes = std::map<std::uint64_t, std::byte>;
    class Memory final : public KernelMemory {
      public:
        explicit Memory(std::shared_ptr<Bytes> bytes) : bytes_(std::move(bytes)) {}
        std::size_t read(RunAddress address, std::span<std::byte> out) override {
            std::size_t done = 0;
            for (; done < out.size(); ++done) {
                auto found = bytes_->find(address.value + done);
                if (found == bytes_->end()) break;
                out[done] = found->second;
            }
            return done;
        }
        std::size_t write(RunAddress address, ByteSpan bytes) override {
            std::size_t done = 0;
            for (; done < bytes.size() && bytes_->count(address.value + done); ++done)
                (*bytes_)[address.value + done] = bytes[done];
            return done;
        }

      private:
        std::shared_ptr<Bytes> bytes_;
    };

    bool has(ThreadId thread) const {
        auto found = tasks.find(thread);
        return found != tasks.end() && !found->second.is_gone && !detached.count(thread);
    }
    Task* standing(ThreadId thread) {
        auto found = tasks.find(thread);
        if (found == tasks.end() || found->second.is_gone || detached.count(thread) ||
            !found->second.stands) {
            calls_on_running += found != tasks.end() && !found->second.is_gone;
            errno = ESRCH;
            return nullptr;
        }
        return &found->second;
    }
    void play(ThreadId thread) {
        id_of_acts_ = thread;
        auto& next = tasks[thread].next;
        while (!next.empty()) {
            Act act = next.front();
            next.pop_front();
            if (act(thread)) return;
        }
    }
    // One instruction of the program's own, or the byte that stands in its place.
    bool step(ThreadId thread) {
        Task& task = tasks[thread];
        std::uint64_t at = task.registers.rip;
        std::byte bytes[kLongestInstruction];
        std::size_t got = Memory(memory_.at(task.process)).read(RunAddress(at), bytes);
        if (got && bytes[0] == kTrapByte) {
            ++met[thread];
            task.registers.rip = at + 1;
            return stop_for_signal(thread, SIGTRAP, SI_KERNEL);
        }
        auto instruction = decode_instruction(ByteSpan(bytes, got), RunAddress(at));
        task.registers.rip = instruction ? instruction->next().value : at + 1;
        return stop_for_signal(thread, SIGTRAP, TRAP_TRACE);
    }
    bool tell(ThreadId thread, int status) {
        tasks[thread].stands = true;
        news_.emplace_back(thread, status);
        return true;
    }
    bool stop_for_signal(ThreadId thread, int signal, int code) {
        tasks[thread].info = {};
        tasks[thread].info.si_signo = signal;
        tasks[thread].info.si_code = code;
        return tell(thread, signal << 8 | 0x7f);
    }
    bool stop_for_event(ThreadId thread, int event, std::uint64_t message) {
        tasks[thread].message = message;
        tasks[thread].info = {};
        tasks[thread].info.si_signo = SIGTRAP;
        tasks[thread].info.si_code = SIGTRAP | event << 8;
        return tell(thread, (SIGTRAP | event << 8) << 8 | 0x7f);
    }
    bool end(ThreadId thread, int status) {
        if (tasks[thread].is_gone) return true;
        forget_news_of(thread);
        tasks[thread].stands = false;
        tasks[thread].is_gone = true;
        news_.emplace_back(thread, status);
        return true;
    }
    void forget_news_of(ThreadId thread) {
        std::erase_if(news_, [thread](const auto& news) { return news.first == thread; });
    }
    bool take(ThreadId thread, int& status) {
        auto found = std::find_if(news_.begin(), news_.end(),
                                  [thread](const auto& news) { return news.first == thread; });
        if (found == news_.end()) return false;
        status = found->second;
        news_.erase(found);
        empty_looks_ = 0;
        return true;
    }

    std::map<pid_t, std::shared_ptr<Bytes>> memory_;
    Bytes original_;
    std::deque<std::pair<ThreadId, int>> news_;
    ThreadId id_of_acts_ = 0;
    unsigned empty_looks_ = 0;
};

}  // namespace lantern::testing
