// The one place where this program waits while the target runs: for the target to change, or for Ctrl-C
// (signalfd(2), poll(2)).
#pragma once

#include <functional>
#include <map>

namespace lantern {

class EventLoop {
  public:
    // From here on SIGCHLD, SIGINT and SIGTTOU are blocked in this process and come through the loop.
    EventLoop();
    ~EventLoop();
    EventLoop(const EventLoop&) = delete;
    EventLoop& operator=(const EventLoop&) = delete;

    enum class Event { child_changed, interrupt };
    // Whoever watches a descriptor is called when there is something to read from it, and the wait goes on.
    Event wait();
    Event wait_at_most(int milliseconds);  // child_changed when the time is over, too; -1: no limit
    // While there is one, it is called where this would wait, and its answer is the event. Empty: none.
    void instead_of_waiting(std::function<Event()> instead) { instead_ = std::move(instead); }
    void watch(int descriptor, std::function<void()> ready);
    void forget(int descriptor);
    // True if Ctrl-C was pressed; does not wait.
    bool take_interrupt();
    // Can be read when there is something to `wait` for.
    int descriptor() const { return signals_; }
    // Forgets a Ctrl-C that came before anything was running.
    void forget_interrupts();

  private:
    int signals_ = -1;
    std::map<int, std::function<void()>> watched_;
    std::function<Event()> instead_;
};

}  // namespace lantern
