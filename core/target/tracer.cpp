#include "core/target/tracer.h"

#include <sys/ptrace.h>
#include <sys/wait.h>

#include <algorithm>

namespace lantern {
namespace {

bool is_end(int status) {
    return WIFEXITED(status) || WIFSIGNALED(status);
}

}  // namespace

void Tracer::join(pid_t process) {
    inboxes_[process];
}

void Tracer::leave(pid_t process) {
    inboxes_.erase(process);
    std::erase_if(owners_, [process](const auto& each) { return each.second == process; });
    std::erase_if(handed_over_, [process](const auto& each) { return each.second == process; });
}

// The process of ours that a thread belongs to; 0: none.
pid_t Tracer::owner_of(ThreadId thread) {
    if (inboxes_.count(thread)) return thread;
    if (auto known = handed_over_.find(thread); known != handed_over_.end()) return known->second;
    if (auto known = owners_.find(thread); known != owners_.end()) return known->second;
    pid_t process = kernel_.process_of(thread);
    if (!inboxes_.count(process)) return 0;
    return owners_[thread] = process;
}

// Of a thread that has ended the system does not say any more whose it was: all are told, for its
// number is used again, and who kept it would take the next thread of that number for it.
void Tracer::deliver(pid_t owner, News news) {
    if (owner)
        inboxes_[owner].push_back(news);
    else if (!is_end(news.status))
        newborns_.insert(news.thread);
    else
        for (auto& [process, inbox] : inboxes_) inbox.push_back(news);
}

// Thread numbers are used again: what has ended is nobody's. Of a process that becomes another
// program one thread is left.
void Tracer::forget_what_ended(News news) {
    if (is_end(news.status)) {
        newborns_.erase(news.thread);
        owners_.erase(news.thread);
        handed_over_.erase(news.thread);
    }
    if (news.status >> 16 == PTRACE_EVENT_EXEC)
        std::erase_if(owners_, [&](const auto& each) { return each.second == news.thread; });
}

std::optional<Tracer::News> Tracer::taken(pid_t process) {
    auto inbox = inboxes_.find(process);
    if (inbox == inboxes_.end() || inbox->second.empty()) return std::nullopt;
    News news = inbox->second.front();
    inbox->second.pop_front();
    return news;
}

std::optional<Tracer::News> Tracer::taken(pid_t process, ThreadId thread) {
    auto inbox = inboxes_.find(process);
    if (inbox == inboxes_.end()) return std::nullopt;
    auto found = std::find_if(inbox->second.begin(), inbox->second.end(),
                              [thread](const News& news) { return news.thread == thread; });
    if (found == inbox->second.end()) return std::nullopt;
    News news = *found;
    inbox->second.erase(found);
    return news;
}

Tracer::News Tracer::next(pid_t process, Ask ask) {
    for (;;) {
        if (auto news = taken(process)) return *news;
        News news;
        news.thread = (kernel_.*ask)(-1, news.status);
        if (!news.has_come()) return news;
        deliver(owner_of(news.thread), news);
        forget_what_ended(news);
    }
}

Tracer::News Tracer::next(pid_t process, ThreadId thread, Ask ask) {
    if (auto news = taken(process, thread)) return *news;
    News news;
    news.thread = (kernel_.*ask)(thread, news.status);
    if (news.has_come()) forget_what_ended(news);
    return news;
}

Tracer::News Tracer::look(pid_t process) {
    return next(process, &Kernel::look);
}
Tracer::News Tracer::wait(pid_t process) {
    return next(process, &Kernel::wait);
}
Tracer::News Tracer::look(pid_t process, ThreadId thread) {
    return next(process, thread, &Kernel::look);
}
Tracer::News Tracer::wait(pid_t process, ThreadId thread) {
    return next(process, thread, &Kernel::wait);
}

bool Tracer::await_newborn(pid_t child) {
    if (newborns_.erase(child)) return true;
    int status = 0;
    return kernel_.wait(child, status) == child && WIFSTOPPED(status);
}

}  // namespace lantern
