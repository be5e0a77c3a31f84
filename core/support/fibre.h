// Work on a stack of its own, in the same thread (the kernel wants all of ptrace from one): where
// it would wait it gives way, and it goes on from there when it is resumed.
#pragma once

#include <ucontext.h>

#include <cstddef>
#include <exception>
#include <functional>

namespace lantern {

class Fibre {
  public:
    enum class Word { go_on, interrupt, abandon };

    // Nothing runs yet. Throws TargetError when there is no memory for a stack.
    explicit Fibre(std::function<void()> work);
    // Work that has begun and not ended is left as by an exception.
    ~Fibre();
    Fibre(const Fibre&) = delete;
    Fibre& operator=(const Fibre&) = delete;

    // The fibre whose stack the caller runs on; null: none.
    static Fibre* current();
    // Runs it until it gives way or ends: true when it has ended. Throws what it threw.
    bool resume(Word word);
    // From within: until it is resumed, with that word. To be abandoned comes as an exception that
    // is not an Error.
    Word give_way();
    bool is_inside() const { return inside_; }

  private:
    struct Abandoned {};
    // What the C++ runtime keeps for each thread of the exceptions that are under way; each stack
    // has its own.
    struct Exceptions {
        void* caught = nullptr;
        unsigned uncaught = 0;
    };

    static void enter();
    void run();
    void exchange_exceptions();

    std::function<void()> work_;
    void* stack_ = nullptr;
    ucontext_t outside_{}, inside_context_{};
    const void* outside_stack_ = nullptr;  // as the address sanitizer wants to know it
    std::size_t outside_size_ = 0;
    Exceptions other_exceptions_;  // of the side that does not run
    Word word_ = Word::go_on;
    bool inside_ = false, has_begun_ = false, has_ended_ = false;
    std::exception_ptr error_;
};

}  // namespace lantern
