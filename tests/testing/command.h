// Runs programs for tests: the built elm-lantern with scripts, fixtures on their own, and the
// toolchain's dumpers.
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <string>
#include <vector>

namespace lantern::testing {

struct Ran {
    int status = -1;     // exit status; 128 + signal when a signal ended it
    std::string output;  // standard output
    std::string errors;  // standard error
    bool says(const std::string& text) const { return output.find(text) != std::string::npos; }
};

// Runs a command with arguments in a folder, with this standard input.
Ran run(const std::vector<std::string>& words, const std::string& input = {},
        const std::filesystem::path& folder = {});

// A fresh folder that goes away with the object.
class TemporaryFolder {
  public:
    TemporaryFolder();
    ~TemporaryFolder();
    const std::filesystem::path& path() const { return path_; }
    std::filesystem::path write(const std::string& name, const std::string& content) const;
    std::string read(const std::string& name) const;
    // The same of a file that a process still writes: once `part` is in it, else what it holds
    // after ten seconds.
    std::string read_with(const std::string& name, const std::string& part) const;

  private:
    std::filesystem::path path_;
};

std::string fixture(const std::string& name);

// Whether it comes true within a minute; asked again every few milliseconds.
bool eventually(const std::function<bool()>& comes_true);

// What the kernel says of a process; of one that is gone, letter 0.
struct ProcessState {
    char letter = 0;  // R runs, S sleeps, t is traced and stands, Z has ended, ...
    long ticks = 0;   // processor time of its own and in the kernel, in hundredths of a second
};
ProcessState state_of(int process);

// Until a child that was just forked has become the program and is past its start: it sleeps, or
// has computed for a hundredth of a second.
void wait_until_it_runs(int process, const std::string& program);

// elm-lantern debug PROGRAM with each of these commands.
Ran debug(const std::string& program, const std::vector<std::string>& commands,
          const std::vector<std::string>& options = {});

// "ways.cpp:17": where that text stands first in a fixture's source.
std::string place_of_text(const std::string& source, const std::string& text);

// "name=value" lines that a fixture printed.
std::map<std::string, std::string> printed_facts(const std::string& output);

std::vector<std::string> lines_of(const std::string& text);

// "gcc_O2" of "gcc-O2": a test's name has no dashes.
std::string as_test_name(std::string build);

}  // namespace lantern::testing
