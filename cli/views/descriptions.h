// The descriptions of all views.
#pragma once

#include "cli/views/described_comparison.h"
#include "cli/views/described_diagnosis.h"
#include "cli/views/described_drawings.h"
#include "cli/views/described_heap.h"
#include "cli/views/described_machine.h"
#include "cli/views/described_session.h"
#include "cli/views/described_stops.h"
#include "cli/views/described_symbols.h"
