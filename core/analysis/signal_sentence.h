// What a signal means, in a sentence for somebody who has not memorised the numbers (signal(7)).
#pragma once

#include <string>
#include <vector>

#include "core/session/moment.h"

namespace lantern {

// "SIGSEGV: the program read address 0x10, where nothing is mapped (a null pointer was followed)"
std::string signal_sentence(const Moment& moment, const Stop& stop);

}  // namespace lantern
