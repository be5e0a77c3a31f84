#include "core/session/meanwhile.h"

#include <sys/mman.h>

#include <utility>

#include "core/support/error.h"

#if defined(__SANITIZE_ADDRESS__)
#define LANTERN_TELLS_SANITIZER 1
#elif defined(__has_feature)
#if __has_feature(address_sanitizer)
#define LANTERN_TELLS_SANITIZER 1
#endif
#endif
#ifdef LANTERN_TELLS_SANITIZER
#include <sanitizer/common_interface_defs.h>
#endif

namespace lantern {
namespace {

// The address sanitizer has to be told which stack is in use; elsewhere there is nobody to tell.
void about_to_switch(void** own, const void* stack, std::size_t size) {
#ifdef LANTERN_TELLS_SANITIZER
    __sanitizer_start_switch_fiber(own, stack, size);
#else
    (void)own, (void)stack, (void)size;
#endif
}
void has_switched(void* own, const void** from, std::size_t* size) {
#ifdef LANTERN_TELLS_SANITIZER
    __sanitizer_finish_switch_fiber(own, from, size);
#else
    (void)own, (void)from, (void)size;
#endif
}

constexpr std::size_t kStackSize = 8 << 20;  // taken only where it is used
constexpr std::size_t kGuard = 4096;

// makecontext(3) hands over nothing but ints; who is about to begin lies here for the moment.
thread_local Meanwhile* beginning = nullptr;

}  // namespace

Meanwhile::Meanwhile(EventLoop& events, std::function<Stop()> movement) : events_(events), movement_(std::move(movement)) {
    stack_ = mmap(nullptr, kStackSize, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS | MAP_NORESERVE | MAP_STACK, -1, 0);
    if (stack_ == MAP_FAILED) throw TargetError("there is no memory for a movement that goes on meanwhile", "the same without meanwhile needs none");
    mprotect(stack_, kGuard, PROT_NONE);
    getcontext(&movement_context_);
    movement_context_.uc_stack = {stack_, 0, kStackSize};
    movement_context_.uc_link = &outside_;
    makecontext(&movement_context_, &Meanwhile::enter, 0);
}

Meanwhile::~Meanwhile() {
    if (has_begun_ && !has_ended_) resume(Order::abandon);
    munmap(stack_, kStackSize);
}

void Meanwhile::enter() {
    std::exchange(beginning, nullptr)->run();
}

void Meanwhile::run() {
    has_switched(nullptr, &outside_stack_, &outside_size_);
    try {
        stop_ = movement_();
    } catch (const Abandoned&) {
    } catch (...) {  // nothing may leave this stack but by way of the other one
        error_ = std::current_exception();
    }
    has_ended_ = true;
    about_to_switch(nullptr, outside_stack_, outside_size_);  // for good
}

EventLoop::Event Meanwhile::give_way() {
    void* own = nullptr;
    about_to_switch(&own, outside_stack_, outside_size_);
    swapcontext(&movement_context_, &outside_);
    has_switched(own, &outside_stack_, &outside_size_);
    if (order_ == Order::abandon) throw Abandoned{};
    return order_ == Order::interrupt ? EventLoop::Event::interrupt : EventLoop::Event::child_changed;
}

std::optional<Stop> Meanwhile::resume(Order order) {
    order_ = order;
    events_.instead_of_waiting([this] { return give_way(); });
    inside_ = true;
    if (!std::exchange(has_begun_, true)) beginning = this;
    void* own = nullptr;
    about_to_switch(&own, stack_, kStackSize);
    swapcontext(&outside_, &movement_context_);
    has_switched(own, nullptr, nullptr);
    inside_ = false;
    events_.instead_of_waiting({});
    if (error_) std::rethrow_exception(std::exchange(error_, nullptr));
    return stop_;
}

std::optional<Stop> Meanwhile::look() {
    return resume(events_.take_interrupt() ? Order::interrupt : Order::look);
}

std::optional<Stop> Meanwhile::interrupt() {
    return resume(Order::interrupt);
}

}  // namespace lantern
