#include <gtest/gtest.h>

#include "cli/views/page.h"
#include "cli/views/session_page.h"
#include "cli/views/style.h"

namespace lantern::cli {
namespace {

bool has(const std::string& page, const std::string& part) {
    return page.find(part) != std::string::npos;
}

StopReport stop_at(const std::string& function, std::uint32_t line) {
    StopReport report;
    report.stop.reason = StopReason::breakpoint;
    report.headline = report.why = "breakpoint 1";
    report.function = function;
    report.file = "/canal/sluice.c";
    report.line = line;
    report.next_to_run = "line 42 runs next";
    return report;
}

TEST(SessionPage, HasASectionAndAMarkForEachStop) {
    SessionPage page("A session with lockflow");
    std::string out = page.begin();
    out += page.command("lockflow › ", "launch");
    out += page.view(stop_at("fill_chamber", 42));
    out += page.command("fill_chamber:42 › ", "over");
    out += page.view(stop_at("fill_chamber", 43));
    out += page.command("fill_chamber:43 › ", "keep a = 1");
    out += page.end();
    EXPECT_TRUE(has(out, "<section id=s1>"));
    EXPECT_TRUE(has(out, "<section id=s2>"));
    EXPECT_TRUE(has(out, "<a href=#s2>2 breakpoint 1<span class=quiet>fill_chamber, sluice.c:43"));
    EXPECT_TRUE(has(out, "after <span class=quiet>fill_chamber:42 › </span>over"));
    EXPECT_TRUE(has(out, "keep a = 1")) << "a command that has not been answered is there too";
    EXPECT_TRUE(has(out, "</html>"));
}

TEST(SessionPage, WhatComesFromTheProgramIsMadeSafe) {
    SessionPage page("<b>lock</b>");
    std::string out = page.begin() + page.command("› ", "value \"<script>alert(1)</script>\"") +
                      page.view(stop_at("gate<int>", 1)) +
                      page.view(Notice{Notice::Kind::done, "<img src=x onerror=alert(1)>"}) +
                      page.program_output("<script>alert(2)</script>\r\nsecond\x1b[31m\n") +
                      page.end();
    EXPECT_FALSE(has(out, "<script>alert")) << out;
    EXPECT_FALSE(has(out, "<img src=x"));
    EXPECT_TRUE(has(out, "&lt;script&gt;alert(2)&lt;/script&gt;\nsecond\\x1b[31m\n"));
    EXPECT_FALSE(has(out, "<b>lock</b>"));
}

TEST(SessionPage, OfMuchOutputTheEndIsThere) {
    SessionPage page("t");
    std::string out = page.program_output(std::string(200'000, 'x') + "\nthe end\n");
    EXPECT_LT(out.size(), 100'000u);
    EXPECT_TRUE(has(out, "the end"));
    EXPECT_TRUE(has(out, "bytes before"));
}

TEST(PageText, ColoursBecomeClasses) {
    Style style{true, 100, false};
    EXPECT_EQ(html_of_styled(style.next_line("◆ a < b") + " " + style.strong("x")),
              "<i class=n>◆ a &lt; b</i> <b>x</b>");
    EXPECT_EQ(html_of_styled("\x1b[1mleft open"), "<b>left open</b>");
    EXPECT_EQ(html_of_styled("\x1b[0m\x1b[9"), "") << "what is no sequence of ours";
}

}  // namespace
}  // namespace lantern::cli
