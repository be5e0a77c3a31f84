// Everything a command can answer: one report, whichever it is. Each is a plain struct of facts;
// the renderers beside this file turn one into text or into a JSON object, and nothing is computed
// there.
//
// The reports are only named here: whoever shows one includes its own header, and a change in one
// concerns those who show it. A variant of them all would be written out anew in every file, and a
// tenth of the time this folder takes to compile went into that.
#pragma once

#include <cstddef>
#include <memory>
#include <string>
#include <type_traits>
#include <utility>
#include <vector>

namespace lantern {
struct StopReport;
struct SourceReport;
struct LocalsReport;
struct GlobalsReport;
struct StackReport;
struct ValueReport;
struct ExplainReport;
struct ChangeReport;
struct BreakpointsReport;
struct NewBreakpoint;
struct NotesReport;
struct RegistersReport;
struct DisassemblyReport;
struct MemoryReport;
struct RegionsReport;
struct MemoryFindReport;
struct MemoryCompareReport;
struct WordsReport;
struct HeapReport;
struct HeapBlocksReport;
struct HeapTypesReport;
struct HeapCheckReport;
struct HeapLeaksReport;
struct HeapPathReport;
struct HeapGrowthReport;
struct HeapLifeReport;
struct HeapPlacesReport;
struct HeapRunReport;
struct Diagnosis;
struct SignalsReport;
struct ThreadsReport;
struct FindReport;
struct CodeReport;
struct AddressReport;
struct TypeReport;
struct SurveyReport;
struct ComparisonReport;
struct BecameReport;
struct StructureReport;
struct NumbersReport;
struct PlotReport;
}  // namespace lantern

namespace lantern::cli {

struct StepLine;
struct ProcessesReport;
struct PinsReport;

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

template <class... Reports>
struct ReportList {
    static constexpr std::size_t size = sizeof...(Reports);
    // Where it stands in the list; `size` where it does not.
    template <class Report>
    static constexpr std::size_t place_of() {
        std::size_t place = 0;
        (void)((std::is_same_v<Report, Reports> || (++place, false)) || ...);
        return place;
    }
};

using AllReports =
    ReportList<StopReport, SourceReport, LocalsReport, GlobalsReport, StackReport, ValueReport,
               ExplainReport, ChangeReport, BreakpointsReport, NewBreakpoint, StepLine, NotesReport,
               RegistersReport, DisassemblyReport, MemoryReport, RegionsReport, MemoryFindReport,
               MemoryCompareReport, WordsReport, HeapReport, HeapBlocksReport, HeapTypesReport,
               HeapCheckReport, HeapLeaksReport, HeapPathReport, HeapGrowthReport, HeapLifeReport,
               HeapPlacesReport, HeapRunReport, Diagnosis, SignalsReport, ThreadsReport,
               ProcessesReport, PinsReport, FindReport, CodeReport, AddressReport, TypeReport,
               SurveyReport, ComparisonReport, BecameReport, StructureReport, NumbersReport,
               PlotReport, HelpReport, Notice, Failure>;

template <class Report>
concept IsReport = (AllReports::place_of<std::remove_cvref_t<Report>>() < AllReports::size);

// A report that is kept as it was made. Copies share it.
class View {
  public:
    template <IsReport Report>
    View(Report&& report)
        : place_(AllReports::place_of<std::remove_cvref_t<Report>>()),
          report_(new_of(std::forward<Report>(report)), &destroy<std::remove_cvref_t<Report>>) {}

    std::size_t place() const { return place_; }  // of its kind, in AllReports
    // Null where it is another kind.
    template <IsReport Report>
    const Report* as() const {
        return place_ == AllReports::place_of<Report>() ? static_cast<const Report*>(report_.get())
                                                        : nullptr;
    }

  private:
    // One shared pointer for all kinds: make_shared's would be written out anew for each.
    template <class Report>
    static const void* new_of(Report&& report) {
        return new std::remove_cvref_t<Report>(std::forward<Report>(report));
    }
    template <class Report>
    static void destroy(const void* report) {
        delete static_cast<const Report*>(report);
    }

    std::size_t place_;
    std::shared_ptr<const void> report_;
};

}  // namespace lantern::cli
