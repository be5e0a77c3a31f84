// Series of numbers to be drawn: what notes have gathered.
#pragma once

#include <list>
#include <optional>
#include <string>
#include <vector>

#include "core/session/breakpoint.h"
#include "core/session/notes.h"

namespace lantern {

struct PlotPoint {
    double x = 0;
    std::optional<double> y;  // nothing: a gap, where there was no number
};

struct PlotSeries {
    std::string name;
    std::vector<PlotPoint> points;  // by x
    bool is_whole = true;           // whole numbers hold until the next: they are drawn as steps
};

struct PlotReport {
    std::string title, across;  // what it is, and what the x axis counts
    std::vector<PlotSeries> series;
    unsigned without_numbers = 0;  // expressions that are left out
    std::size_t notes = 0;         // rows it is made of
    std::string caption;
};

struct PlotWish {
    std::vector<std::string> names;  // of the noted expressions; empty: all
    bool over_time = false;          // seconds across, not the number of the hit
};

// A series for each expression and thread. Throws RequestError where there is nothing to draw.
PlotReport report_plot(const NoteTable& notes, const std::list<Breakpoint>& breakpoints,
                       const PlotWish& wish);

}  // namespace lantern
