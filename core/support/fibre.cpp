#include "core/support/fibre.h"

#include <cxxabi.h>
#include <sys/mman.h>

#include <utility>

#include "core/support/error.h"
#include "core/support/sanitized.h"

#ifdef LANTERN_SANITIZED
#include <sanitizer/common_interface_defs.h>
#endif

namespace lantern {
namespace {

// The address sanitizer has to be told which stack is in use; elsewhere there is nobody to tell.
void about_to_switch(void** own, const void* stack, std::size_t size) {
#ifdef LANTERN_SANITIZED
    __sanitizer_start_switch_fiber(own, stack, size);
#else
    (void)own, (void)stack, (void)size;
#endif
}
void has_switched(void* own, const void** from, std::size_t* size) {
#ifdef LANTERN_SANITIZED
    __sanitizer_finish_switch_fiber(own, from, size);
#else
    (void)own, (void)from, (void)size;
#endif
}

constexpr std::size_t kStackSize = 8 << 20;  // taken only where it is used
constexpr std::size_t kGuard = 4096;

thread_local Fibre* running = nullptr;

}  // namespace

Fibre::Fibre(std::function<void()> work) : work_(std::move(work)) {
    stack_ = mmap(nullptr, kStackSize, PROT_READ | PROT_WRITE,
                  MAP_PRIVATE | MAP_ANONYMOUS | MAP_NORESERVE | MAP_STACK, -1, 0);
    if (stack_ == MAP_FAILED)
        throw TargetError("there is no memory for a movement that goes on meanwhile",
                          Next::without_meanwhile);
    mprotect(stack_, kGuard, PROT_NONE);
    getcontext(&inside_context_);
    inside_context_.uc_stack = {stack_, 0, kStackSize};
    inside_context_.uc_link = &outside_;
    makecontext(&inside_context_, &Fibre::enter, 0);
}

Fibre::~Fibre() {
    if (has_begun_ && !has_ended_) resume(Word::abandon);
    munmap(stack_, kStackSize);
}

Fibre* Fibre::current() {
    return running;
}

void Fibre::enter() {
    running->run();
}

void Fibre::run() {
    has_switched(nullptr, &outside_stack_, &outside_size_);
    try {
        work_();
    } catch (const Abandoned&) {
    } catch (...) {  // nothing may leave this stack but by way of the other one
        error_ = std::current_exception();
    }
    has_ended_ = true;
    about_to_switch(nullptr, outside_stack_, outside_size_);  // for good
}

Fibre::Word Fibre::give_way() {
    void* own = nullptr;
    about_to_switch(&own, outside_stack_, outside_size_);
    swapcontext(&inside_context_, &outside_);
    has_switched(own, &outside_stack_, &outside_size_);
    if (word_ == Word::abandon) throw Abandoned{};
    return word_;
}

// Itanium C++ ABI §2.2.2.
void Fibre::exchange_exceptions() {
    auto& runtime = *reinterpret_cast<Exceptions*>(abi::__cxa_get_globals());
    std::swap(runtime, other_exceptions_);
}

bool Fibre::resume(Word word) {
    if (has_ended_) return true;
    word_ = word;
    has_begun_ = inside_ = true;
    Fibre* before = std::exchange(running, this);
    exchange_exceptions();
    void* own = nullptr;
    about_to_switch(&own, stack_, kStackSize);
    swapcontext(&outside_, &inside_context_);
    has_switched(own, nullptr, nullptr);
    exchange_exceptions();
    running = before;
    inside_ = false;
    if (error_) std::rethrow_exception(std::exchange(error_, nullptr));
    return has_ended_;
}

}  // namespace lantern
