// The one place where this program waits while the target runs: for the target to change, or for Ctrl-C
// (signalfd(2), poll(2)).
#pragma once

namespace lantern {

class EventLoop {
  public:
    // From here on SIGCHLD, SIGINT and SIGTTOU are blocked in this process and come through the loop.
    EventLoop();
    ~EventLoop();
    EventLoop(const EventLoop&) = delete;
    EventLoop& operator=(const EventLoop&) = delete;

    enum class Event { child_changed, interrupt };
    Event wait();
    // Forgets a Ctrl-C that came before anything was running.
    void forget_interrupts();

  private:
    int signals_ = -1;
};

}  // namespace lantern
