// A movement that goes on while others have the word. It runs on a stack of its own, in the same thread (the kernel wants all of
// ptrace from one): where it would wait for the program it gives way instead, and goes on from there when it is looked after.
#pragma once

#include <ucontext.h>

#include <exception>
#include <functional>
#include <optional>

#include "core/session/stop.h"
#include "core/target/event_loop.h"

namespace lantern {

class Meanwhile {
  public:
    // Both are borrowed until the movement has ended. Nothing runs yet. Throws TargetError when there is no memory for a stack.
    Meanwhile(EventLoop& events, std::function<Stop()> movement);
    // A movement that has not ended is left as by an exception: what it had put into the program is taken out.
    ~Meanwhile();
    Meanwhile(const Meanwhile&) = delete;
    Meanwhile& operator=(const Meanwhile&) = delete;

    // Goes on until there is nothing to do but wait: what the movement returned, or nothing yet. Throws what it threw.
    std::optional<Stop> look();
    // The same, with the movement asked to end as by Ctrl-C.
    std::optional<Stop> interrupt();
    // The caller is part of the movement.
    bool is_inside() const { return inside_; }

  private:
    struct Abandoned {};
    enum class Order { look, interrupt, abandon };

    static void enter();
    void run();
    EventLoop::Event give_way();
    std::optional<Stop> resume(Order order);

    EventLoop& events_;
    std::function<Stop()> movement_;
    void* stack_ = nullptr;
    ucontext_t outside_{}, movement_context_{};
    const void* outside_stack_ = nullptr;  // as the address sanitizer wants to know it
    std::size_t outside_size_ = 0;
    Order order_ = Order::look;
    bool inside_ = false, has_begun_ = false, has_ended_ = false;
    std::optional<Stop> stop_;
    std::exception_ptr error_;
};

}  // namespace lantern
