#include "tests/testing/command.h"

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <fstream>
#include <sstream>
#include <stdexcept>

namespace lantern::testing {
namespace {

std::string whole_file(const std::filesystem::path& path) {
    std::ifstream in(path, std::ios::binary);
    std::stringstream content;
    content << in.rdbuf();
    return content.str();
}

}  // namespace

TemporaryFolder::TemporaryFolder() {
    std::string pattern = (std::filesystem::temp_directory_path() / "lantern-test-XXXXXX").string();
    if (!mkdtemp(pattern.data())) throw std::runtime_error("no temporary folder");
    path_ = pattern;
}

TemporaryFolder::~TemporaryFolder() {
    std::error_code ignored;
    std::filesystem::remove_all(path_, ignored);
}

std::filesystem::path TemporaryFolder::write(const std::string& name,
                                             const std::string& content) const {
    std::ofstream(path_ / name, std::ios::binary) << content;
    return path_ / name;
}

std::string TemporaryFolder::read(const std::string& name) const {
    return whole_file(path_ / name);
}

std::string TemporaryFolder::read_with(const std::string& name, const std::string& part) const {
    eventually([&] { return read(name).find(part) != std::string::npos; });
    return read(name);
}

Ran run(const std::vector<std::string>& words, const std::string& input,
        const std::filesystem::path& folder) {
    TemporaryFolder scratch;
    auto in = scratch.write("in", input), out = scratch.path() / "out",
         err = scratch.path() / "err";
    std::vector<char*> arguments;
    for (const std::string& word : words) arguments.push_back(const_cast<char*>(word.c_str()));
    arguments.push_back(nullptr);
    pid_t child = fork();
    if (child == 0) {
        dup2(open(in.c_str(), O_RDONLY), 0);
        dup2(open(out.c_str(), O_WRONLY | O_CREAT, 0600), 1);
        dup2(open(err.c_str(), O_WRONLY | O_CREAT, 0600), 2);
        if (!folder.empty() && chdir(folder.c_str()) != 0) _exit(126);
        setenv("LC_ALL", "C.UTF-8", 1);
        execvp(arguments[0], arguments.data());
        _exit(127);
    }
    int status = 0;
    waitpid(child, &status, 0);
    return {WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status), whole_file(out),
            whole_file(err)};
}

std::string fixture(const std::string& name) {
    return std::string(FIXTURES) + "/" + name;
}

Ran debug(const std::string& program, const std::vector<std::string>& commands,
          const std::vector<std::string>& options) {
    std::vector<std::string> words{LANTERN_PROGRAM, "debug", program};
    std::vector<std::string> own;
    bool behind = false;
    for (const std::string& option : options) {
        if (option == "--") behind = true;
        (behind ? own : words).push_back(option);
    }
    for (const std::string& command : commands) {
        words.push_back("--do");
        words.push_back(command);
    }
    words.insert(words.end(), own.begin(), own.end());
    return run(words);
}

std::vector<std::string> lines_of(const std::string& text) {
    std::vector<std::string> lines;
    std::istringstream in(text);
    for (std::string line; std::getline(in, line);) lines.push_back(line);
    return lines;
}

std::string place_of_text(const std::string& source, const std::string& text) {
    std::ifstream lines(std::string(SOURCE_FOLDER) + "/tests/programs/" + source);
    std::string each;
    for (unsigned number = 1; std::getline(lines, each); ++number)
        if (each.find(text) != std::string::npos) return source + ":" + std::to_string(number);
    return "nowhere: " + text;
}

std::map<std::string, std::string> printed_facts(const std::string& output) {
    std::map<std::string, std::string> facts;
    for (const std::string& line : lines_of(output))
        if (std::size_t at = line.find('='); at != std::string::npos && line.find(' ') > at)
            facts[line.substr(0, at)] = line.substr(at + 1);
    return facts;
}

bool eventually(const std::function<bool()>& comes_true) {
    for (int i = 0; i < 12000; ++i) {
        if (comes_true()) return true;
        usleep(5'000);
    }
    return false;
}

ProcessState state_of(int process) {
    std::string stat = whole_file("/proc/" + std::to_string(process) + "/stat");
    std::size_t behind_name = stat.rfind(')');  // which may hold anything
    if (behind_name == std::string::npos) return {};
    std::istringstream rest(stat.substr(behind_name + 1));
    ProcessState state;
    rest >> state.letter;
    std::string skipped;
    for (int field = 4; field < 14; ++field) rest >> skipped;
    long own = 0, kernel = 0;
    rest >> own >> kernel;
    state.ticks = own + kernel;
    return state;
}

void wait_until_it_runs(int process, const std::string& program) {
    std::filesystem::path link = "/proc/" + std::to_string(process) + "/exe";
    eventually([&] {
        std::error_code ignored;
        return std::filesystem::read_symlink(link, ignored) == program;
    });
    long before = state_of(process).ticks;
    eventually([&] {
        ProcessState now = state_of(process);
        return now.letter == 'S' || now.letter == 'Z' || now.ticks > before;
    });
}

std::string as_test_name(std::string build) {
    std::replace(build.begin(), build.end(), '-', '_');
    return build;
}

}  // namespace lantern::testing
