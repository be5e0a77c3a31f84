// What of the protocol we offer (its specification, "Capabilities").
#pragma once

#include "cli/protocol/wire.h"

namespace lantern::cli {

Json capabilities();

}  // namespace lantern::cli
