#include "core/analysis/waiting.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/machine/calling_convention.h"
#include "core/runtime/c_library.h"
#include "core/session/system_calls.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/target/process_state.h"

namespace lantern {
namespace {

constexpr unsigned kFramesOfALibrary = 8;  // between a system call and the user's own code

bool is_call_of(const std::string& name, std::initializer_list<const char*> names) {
    return std::ranges::find(names, name) != names.end();
}

class Wait {
  public:
    Wait(Target& target, ThreadId thread, Unwinder& stack)
        : target_(target), stack_(stack), registers_(target.registers(thread)) {}

    Awaited awaited() {
        auto number = static_cast<std::int64_t>(registers_.system_call);
        if (number < 0) return {};
        std::string call = system_call_name(number);
        if (call == "futex") return of_futex();
        return {of_call(call), 0};
    }

  private:
    std::uint64_t argument(unsigned number) const {
        return registers_.get(kIntegerParameters[number]).value_or(0);
    }

    // Of the library's own frames: what the user's functions are called says nothing.
    bool stands_in(const std::string& function) {
        for (unsigned level = 0; level < kFramesOfALibrary; ++level) {
            const Frame* frame = stack_.frame(level);
            bool is_users =
                frame && frame->line && frame->module && !frame->module->is_system_library();
            if (!frame || is_users) return false;
            if (frame_function_name(*frame).find(function) != std::string::npos) return true;
        }
        return false;
    }

    // ---- futexes: what they mean, the function tells that waits on one

    Awaited of_futex() {
        RunAddress futex(argument(0));
        if (stands_in("mutex_lock") || stands_in("lll_lock_wait")) return of_mutex(futex);
        if (stands_in("pthread_cond_")) return {"the condition " + name_of(futex, 48), 0};
        if (stands_in("pthread_join") || stands_in("pthread_clockjoin")) return {of_join(futex), 0};
        if (stands_in("sem_")) return {"the semaphore " + name_of(futex, 32), 0};
        if (stands_in("pthread_barrier_wait")) return {"the barrier " + name_of(futex, 32), 0};
        if (stands_in("rwlock")) return {"the read-write lock " + name_of(futex, 56), 0};
        return {};
    }

    Awaited of_mutex(RunAddress mutex) {
        auto owner = number_at(mutex + c_library::kOwnerInMutex);
        if (!owner) return {};
        unsigned number = target_.thread_number(*owner);
        return {fmt::format("mutex {}{}", name_of(mutex, 0),
                            number ? fmt::format(", held by thread {}", number) : ""),
                *owner};
    }

    // The C library waits for the word in which the kernel clears the thread's number.
    std::string of_join(RunAddress futex) {
        auto id = number_at(futex);
        unsigned number = id ? target_.thread_number(*id) : 0;
        return number ? fmt::format("thread {} to end", number) : "a thread to end";
    }

    std::optional<std::int32_t> number_at(RunAddress address) {
        try {
            return target_.read<std::int32_t>(address);
        } catch (const MemoryError&) {
            return std::nullopt;
        }
    }

    // "chambers+24" is more than an address: the global that holds it, and how far into it; not
    // how far within an object of the library's of that size.
    std::string name_of(RunAddress address, std::uint64_t size) {
        if (const Module* module = target_.module_at(address))
            if (auto nearest = module->symbols().nearest_name(module->to_file(address)))
                return nearest->offset < std::max<std::uint64_t>(size, 1)
                           ? nearest->name
                           : fmt::format("{}+{}", nearest->name, nearest->offset);
        return fmt::format("at {:#x}", address.value);
    }

    // ---- other system calls

    std::string of_call(const std::string& call) {
        if (is_call_of(call, {"read", "pread64", "readv", "recvfrom", "recvmsg"}))
            return "something to read from " + descriptor();
        if (is_call_of(call, {"write", "pwrite64", "writev", "sendto", "sendmsg"}))
            return "room to write to " + descriptor();
        if (is_call_of(call, {"accept", "accept4"}))
            return "somebody who connects to " + descriptor();
        if (call == "connect") return "an answer to the connection of " + descriptor();
        if (is_call_of(call, {"wait4", "waitid"})) return child();
        if (is_call_of(call, {"poll", "ppoll", "select", "pselect6", "epoll_wait", "epoll_pwait"}))
            return "one of several descriptors";
        if (is_call_of(call, {"nanosleep", "clock_nanosleep", "restart_syscall"}))
            return stands_in("sleep") ? "a time to pass" : "";
        if (is_call_of(call, {"pause", "rt_sigsuspend", "rt_sigtimedwait"})) return "a signal";
        if (call == "flock") return "a lock on " + descriptor();
        return {};
    }

    std::string descriptor() {
        auto number = static_cast<int>(argument(0));
        std::string text = fmt::format("descriptor {}", number);
        if (target_.is_kept()) return text;
        for (const OpenFile& file : open_files_of(target_.id()))
            if (file.number == number) return fmt::format("{}, {}", text, file.what);
        return text;
    }

    std::string child() {
        if (target_.is_kept()) return "a child";
        std::vector<std::string> children = children_of(target_.id());
        if (children.empty()) return "a child, and there is none";
        std::string names = join_with(children, "or");
        return fmt::format("{} {}", children.size() == 1 ? "its child" : "one of its children",
                           names);
    }

    Target& target_;
    Unwinder& stack_;
    const Registers& registers_;
};

}  // namespace

Awaited awaited_by(Target& target, ThreadId thread, Unwinder& stack) {
    return Wait(target, thread, stack).awaited();
}

}  // namespace lantern
