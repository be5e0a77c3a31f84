// Everything a command can answer. Each is a plain struct of facts; the renderers beside this file
// turn one into text or into a JSON object, and nothing is computed there.
#pragma once

#include <string>
#include <variant>
#include <vector>

#include "core/analysis/became_report.h"
#include "core/analysis/breakpoints_report.h"
#include "core/analysis/diagnosis.h"
#include "core/analysis/disassembly_report.h"
#include "core/analysis/explain_report.h"
#include "core/analysis/find_report.h"
#include "core/analysis/heap_history_report.h"
#include "core/analysis/heap_report.h"
#include "core/analysis/locals_report.h"
#include "core/analysis/memory_report.h"
#include "core/analysis/notes_report.h"
#include "core/analysis/numbers_report.h"
#include "core/analysis/plot_report.h"
#include "core/analysis/registers_report.h"
#include "core/analysis/signals_report.h"
#include "core/analysis/stack_report.h"
#include "core/analysis/stop_report.h"
#include "core/analysis/structure_report.h"
#include "core/analysis/survey.h"
#include "core/analysis/threads_report.h"
#include "core/analysis/type_report.h"
#include "core/analysis/value_report.h"
#include "core/analysis/words_report.h"
#include "core/comparison/comparison_report.h"
#include "core/session/process_fact.h"
#include "core/values/value_view.h"

namespace lantern::cli {

// `processes`
struct ProcessesReport {
    std::vector<ProcessFact> rows;
};

struct PinsReport {
    std::vector<Pin> pins;
};

struct HelpEntry {
    std::string usage, summary;
};
struct HelpReport {
    std::string title, text;
    struct Group {
        std::string title;
        std::vector<HelpEntry> entries;
    };
    std::vector<Group> groups;
};

// One of several steps, told on the way: `over N pace SECONDS`.
struct StepLine {
    StopReport stop;
};

// A sentence: something was done, or something should be known.
struct Notice {
    enum class Kind { done, warning } kind = Kind::done;
    std::string text;
    std::string figure = {};  // the file of a picture that was drawn
};

struct Failure {
    std::string what, advice;
    unsigned column = 0;  // in `expression`, from 1; 0: not about a column
    std::string expression;
    std::string script;  // where the failing command stands, when it came from a script
    unsigned line = 0;
};

using View =
    std::variant<StopReport, SourceReport, LocalsReport, GlobalsReport, StackReport, ValueReport,
                 ExplainReport, ChangeReport, BreakpointsReport, NewBreakpoint, StepLine,
                 NotesReport, RegistersReport, DisassemblyReport, MemoryReport, RegionsReport,
                 MemoryFindReport, MemoryCompareReport, WordsReport, HeapReport, HeapBlocksReport,
                 HeapTypesReport, HeapCheckReport, HeapLeaksReport, HeapPathReport,
                 HeapGrowthReport, HeapLifeReport, HeapPlacesReport, HeapRunReport, Diagnosis,
                 SignalsReport, ThreadsReport, ProcessesReport, PinsReport, FindReport, CodeReport,
                 AddressReport, TypeReport, SurveyReport, ComparisonReport, BecameReport,
                 StructureReport, NumbersReport, PlotReport, HelpReport, Notice, Failure>;

}  // namespace lantern::cli
