// Walks one side in a process of its own, so that two sides are walked at the same time: one
// process can trace only from one thread, and waits for all it traces.
//
//     this process  <── pipe, events in batches ──  walker of A  ── traces ──>  A
//                   <── pipe ─────────────────────  walker of B  ── traces ──>  B
#pragma once

#include <sys/types.h>

#include <memory>
#include <string>

#include "core/comparison/walker.h"

namespace lantern {

// What is to be run, and how. All is borrowed for the time of the constructor.
struct WalkRequest {
    const LaunchOptions* launch = nullptr;
    const SymbolSearch* search = nullptr;
    std::shared_ptr<const ModuleSymbols> symbols;  // of the program; the pairs are made of them
    const std::vector<FunctionPair>* pairs = nullptr;
    WalkOptions options;
};

class WalkProcess {
  public:
    // Begins at once. Throws TargetError where no process can be made.
    explicit WalkProcess(const WalkRequest& request);
    ~WalkProcess();  // ends it, and what it walks
    WalkProcess(const WalkProcess&) = delete;
    WalkProcess& operator=(const WalkProcess&) = delete;

    int descriptor() const { return pipe_; }  // can be read when there is news
    // Waits for the next news. False: there are no more. Throws TargetError for what the walker
    // could not do.
    bool read_news();
    const Walk& walk() const { return walk_; }
    Walk take_walk() { return std::move(walk_); }
    void stop();

  private:
    bool read_all(void* bytes, std::size_t size);
    template <class Item>
    bool read_items(std::vector<Item>& items);

    pid_t process_ = 0;
    int pipe_ = -1;
    Walk walk_;
};

}  // namespace lantern
