// What an event of the program is about, read out of its memory without running any of its code.
#pragma once

#include <string>

#include "core/session/moment.h"

namespace lantern {

struct ThrownObject {
    std::string type;  // "TollError"; empty if it cannot be told
    RunAddress object;
    std::string text;      // what std::exception's own classes were given to say; else empty
    bool is_none = false;  // there is no such object, and that is known
};
// At the beginning of __cxa_throw or __cxa_rethrow, and of __cxa_begin_catch (Itanium C++ ABI
// §2.2.1, §2.4.2, §2.5.3).
ThrownObject thrown_object(Target& target, ThreadId thread);
bool throws_again(Target& target, ThreadId thread);
// The library catches by itself what nobody else does, and throws it again to look at it, to end
// the program.
bool is_caught_by_nobody(Target& target, ThreadId thread);
ThrownObject caught_object(Target& target, ThreadId thread);

// Why a program gave up by itself (SIGABRT): what a failed assertion or the C library said, the
// exception that nobody caught.
std::vector<StopFact> facts_of_giving_up(const Moment& moment, ThreadId thread);

// The symbols whose beginnings stand for an event; none for events that need none.
std::vector<std::string_view> symbols_of(Cause cause);

// The facts to show at an event, by its cause.
std::vector<StopFact> facts_of(const Moment& moment, Cause cause, ThreadId thread);

}  // namespace lantern
