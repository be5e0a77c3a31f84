// The part of a statement that made it fail, and where its value came from. (For diagnosis.cpp.)
#pragma once

#include "core/analysis/diagnosis.h"
#include "core/session/stop.h"

namespace lantern {

// The place of the diagnosis is filled in already. Of a signal that stopped the moment's thread.
void fill_cause(const Moment& moment, const Stop& stop, Diagnosis& diagnosis);

// "barge" of "barge->next": the pointer through which a part was reached; empty if there is none.
std::string holder_of_part(const std::string& name);

}  // namespace lantern
