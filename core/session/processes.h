// The processes of a session: one, or with Follow::both those that it forks too. They are to each
// other what threads are to a process: one is looked at, all go on together, and what stops one of
// them stops them all.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/session/parts.h"
#include "core/session/process_fact.h"
#include "core/support/fibre.h"

namespace lantern {

class Processes {
  public:
    // The first: a program to be launched, a process to be attached to, a core. The shared parts
    // are borrowed.
    template <class Opened>
    Processes(SharedParts& shared, const Opened& opened) : shared_(shared) {
        here_ = &processes_.try_emplace(1, shared_, opened).first->second;
    }
    Processes(const Processes&) = delete;
    Processes& operator=(const Processes&) = delete;

    SessionParts& here() { return here_->parts; }
    const SessionParts& here() const { return here_->parts; }
    unsigned number() const { return here_->parts.number; }
    bool is_only_one() const { return processes_.size() == 1; }
    std::vector<ProcessFact> facts() const;
    // Another one that lives, to be looked at when this one has ended.
    std::optional<unsigned> one_that_is_left() const;
    void look_at(
        unsigned number);  // throws RequestError; forgets one that has been ended from outside
    // The child that a thread of `parent` has forked; its number.
    unsigned keep(const SessionParts& parent, ThreadId thread, std::unique_ptr<LiveProcess> child);
    // The parts of those that are not looked at.
    void for_each_other(const std::function<void(SessionParts&)>& visit);
    // A program beside the others, to be launched; it is looked at. From here on they are apart:
    // each moves alone. Throws FileError.
    unsigned open_beside(const LaunchOptions& launch);
    // It is released, and stands still as by SIGSTOP. Throws RequestError for the one that is
    // looked at, and for a number that none has.
    void let_go(unsigned number);
    // They are ended, and the one that is looked at is the first of a new life.
    void end_others();

    // ---- moving. From here on the others go too, whenever the loop waits, until they are held.
    void let_others_go();
    bool are_others_going() const { return go_; }
    // Each goes on as far as there are news for it. True: one has stopped for something that is to
    // be told.
    bool look_at_others();
    void hold_others();
    // Ctrl-C on a terminal is sent to all of them: it has paused all, and those that have not got
    // it yet are not paused by it again.
    void take_pause_for_all();
    // What one of the others has stopped for; it is looked at now.
    std::optional<Stop> take_told();

  private:
    struct Process {
        template <class Opened>
        Process(SharedParts& shared, const Opened& opened) : parts(shared, opened) {}
        Process(unsigned number, const SessionParts& parent, ThreadId thread,
                std::unique_ptr<LiveProcess> child);
        SessionParts parts;
        std::optional<Stop> untold;    // what it has stopped for by itself
        std::unique_ptr<Fibre> going;  // it is left before the parts are gone
    };
    std::vector<unsigned> others() const;
    void begin_anew(Process& process);
    void resume(Process& process, Fibre::Word word);
    void forget_those_that_ended();

    SharedParts& shared_;
    std::map<unsigned, Process> processes_;
    Process* here_ = nullptr;
    bool go_ = false;
};

}  // namespace lantern
