// A view as text for a person. Lines end with '\n'.
#pragma once

#include <string>

#include "cli/views/style.h"
#include "cli/views/view.h"

namespace lantern {
struct ValueView;
}

namespace lantern::cli {

std::string text_of(const View& view, const Style& style);

// The parts, one file each.
std::string stop_text(const StopReport& report, const Style& style);
std::string source_text(const SourceReport& report, const Style& style);
std::string source_rows_text(const SourceReport& report, const Style& style);
std::string became_text(const BecameReport& report, const Style& style);
std::string explain_text(const ExplainReport& report, const Style& style);
std::string locals_text(const LocalsReport& report, const Style& style);
std::string globals_text(const GlobalsReport& report, const Style& style);
std::string stack_text(const StackReport& report, const Style& style);
std::string value_text(const ValueReport& report, const Style& style);
std::string breakpoints_text(const BreakpointsReport& report, const Style& style);
std::string breakpoint_set_text(const NewBreakpoint& report, const Style& style);
std::string threads_text(const ThreadsReport& report, const Style& style);
std::string signals_text(const SignalsReport& report, const Style& style);
std::string registers_text(const RegistersReport& report, const Style& style);
std::string disassembly_text(const DisassemblyReport& report, const Style& style);
std::string heap_text(const HeapReport& report, const Style& style);
std::string heap_blocks_text(const HeapBlocksReport& report, const Style& style);
std::string heap_types_text(const HeapTypesReport& report, const Style& style);
std::string heap_check_text(const HeapCheckReport& report, const Style& style);
std::string heap_leaks_text(const HeapLeaksReport& report, const Style& style);
std::string heap_growth_text(const HeapGrowthReport& report, const Style& style);
std::string heap_life_text(const HeapLifeReport& report, const Style& style);
std::string heap_places_text(const HeapPlacesReport& report, const Style& style);
std::string heap_run_text(const HeapRunReport& report, const Style& style);
std::string heap_path_text(const HeapPathReport& report, const Style& style);
std::string memory_text(const MemoryReport& report, const Style& style);
std::string regions_text(const RegionsReport& report, const Style& style);
std::string memory_find_text(const MemoryFindReport& report, const Style& style);
std::string memory_compare_text(const MemoryCompareReport& report, const Style& style);
std::string words_text(const WordsReport& report, const Style& style);
std::string processes_text(const ProcessesReport& report, const Style& style);
std::string notes_text(const NotesReport& report, const Style& style);
std::string step_line_text(const StepLine& line, const Style& style);
std::string comparison_text(const ComparisonReport& report, const Style& style);
std::string structure_text(const StructureReport& report, const Style& style);
std::string numbers_text(const NumbersReport& report, const Style& style);
std::string plot_text(const PlotReport& report, const Style& style);
std::string find_text(const FindReport& report, const Style& style);
std::string code_text(const CodeReport& report, const Style& style);
std::string address_text(const AddressReport& report, const Style& style);
std::string type_report_text(const TypeReport& report, const Style& style);
std::string help_text(const HelpReport& report, const Style& style);
std::string failure_text(const Failure& failure, const Style& style);

// Shared by them.
std::string heading_line(const std::string& left, const std::string& right, const Style& style);
// A function's name without the template arguments that are so by themselves.
std::string name_text(const std::string& function);
std::string short_file(const std::string& path);
std::string place_text(const std::string& file, std::uint32_t line);
// What qualifies a value: not set yet, shadowed, kept nowhere …; empty if nothing does.
std::string qualification(const ValueView& view);
// What makes it doubtful, or else parts of it: "tons: perhaps …".
std::string doubts_about(const ValueView& view);
// The first, or else the second.
std::string qualification_with_parts(const ValueView& view);
// Why there is none, or better what the source says it is, or what it was.
std::string no_value_text(const ValueView& view);
std::string padded(const std::string& text, std::size_t width);
// At most `width` columns of it, the last one "…" where something was cut.
std::string cut(const std::string& text, std::size_t width);

}  // namespace lantern::cli
