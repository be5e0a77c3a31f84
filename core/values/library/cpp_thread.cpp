// Threads' ids, and who holds a mutex.
#include <fmt/format.h>

#include "core/values/library/library_view.h"

namespace lantern {
namespace {

class ThreadView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::thread", "std::thread::id", "std::jthread", "std::__thread_id"};
    }
    bool fits(const Type& type) const override { return !path(type).empty(); }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        std::uint64_t handle = number_at(reader, value, path(plain(*value.type)));
        Meaning meaning;
        meaning.text = handle ? fmt::format("thread {:#x}", handle) : "no thread";
        return meaning;
    }

  private:
    static std::string_view path(const Type& type) {
        return first_path(
            type, {"_M_thread", "_M_id._M_thread", "_M_thread._M_id._M_thread", "__id_", "__t_"});
    }
};

class MutexView final : public LibraryView {
  public:
    std::vector<std::string_view> families() const override {
        return {"std::mutex", "std::recursive_mutex", "std::timed_mutex",
                "std::recursive_timed_mutex", "pthread_mutex_t"};
    }
    bool fits(const Type& type) const override { return !path(type).empty(); }
    Meaning meaning(const ValueReader& reader, const Value& value) const override {
        Value data = part_at(reader, value, path(plain(*value.type)));
        std::int64_t lock = static_cast<std::int64_t>(number_at(reader, data, "__lock")),
                     owner = static_cast<std::int64_t>(number_at(reader, data, "__owner"));
        Meaning meaning;
        unsigned number = reader.target().thread_number(static_cast<ThreadId>(owner));
        std::string who = number ? fmt::format("thread {}", number)
                          : owner
                              ? fmt::format("a thread that is gone (the system's number {})", owner)
                              : "a thread that is not recorded";
        meaning.text =
            lock == 0 ? "free" : fmt::format("held by {}{}", who, lock > 1 ? ", others wait" : "");
        return meaning;
    }

  private:
    static std::string_view path(const Type& type) {
        return first_path(type, {"_M_mutex.__data", "__m_.__data", "__data"});
    }
};

}  // namespace

const LibraryView& cpp_thread_view() {
    static const ThreadView view;
    return view;
}
const LibraryView& cpp_mutex_view() {
    static const MutexView view;
    return view;
}

}  // namespace lantern
