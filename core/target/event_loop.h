// The one place where this program waits while the target runs: for the target to change, or for
// Ctrl-C (signalfd(2), poll(2)). What runs in a fibre waits by giving way.
#pragma once

#include <functional>
#include <map>
#include <vector>

namespace lantern {

// Somebody asked us to end (SIGTERM, SIGHUP, SIGQUIT), or nobody reads what we write any more
// (SIGPIPE): everything is given up in order, so that a process we were attached to goes on clean.
// No Error: nothing is to be told, and nobody goes on after it.
struct EndRequested {
    int signal = 0;
};
// Those of the signals that come from outside.
constexpr int kEndingSignals[] = {15, 1, 3};  // SIGTERM, SIGHUP, SIGQUIT

class EventLoop {
  public:
    // From here on SIGCHLD, SIGINT, SIGTTOU and those that ask us to end are blocked in this
    // process and come through the loop; the latter are thrown as EndRequested by whatever looks
    // next.
    EventLoop();
    ~EventLoop();
    EventLoop(const EventLoop&) = delete;
    EventLoop& operator=(const EventLoop&) = delete;

    enum class Event { child_changed, interrupt };
    // Whoever watches a descriptor is called when there is something to read from it, and the wait
    // goes on.
    Event wait();
    Event wait_at_most(int milliseconds);  // child_changed when the time is over, too; -1: no limit
    // For whoever waits for other things as well: what becomes readable when there is something to
    // look after here, and the calls of those who watch one that is. Neither waits.
    std::vector<int> descriptors() const;
    void call_ready();
    // Called before each sleep: what else is to be looked after while somebody waits. True ends the
    // wait as an interrupt would. Empty: nothing is.
    void look_meanwhile(std::function<bool()> look) { meanwhile_ = std::move(look); }
    void watch(int descriptor, std::function<void()> ready);
    void forget(int descriptor);
    // For whoever is busy and does not wait: the others get their turn. True: it is to end as by an
    // interrupt.
    bool let_others_look();
    // True if Ctrl-C was pressed; does not wait.
    bool take_interrupt();
    // Can be read when there is something to `wait` for.
    int descriptor() const { return signals_; }
    // Forgets a Ctrl-C that came before anything was running.
    void forget_interrupts();

  private:
    static bool is_interrupt(unsigned signal);
    int poll_watched(int milliseconds);
    bool is_to_end_the_wait();

    int signals_ = -1;
    std::map<int, std::function<void()>> watched_;
    std::function<bool()> meanwhile_;
    bool child_has_changed_ =
        false;  // and nobody has been told: it was seen while Ctrl-C was looked for
};

}  // namespace lantern
