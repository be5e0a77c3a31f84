#include "core/target/process_state.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <thread>

namespace lantern {
namespace {

namespace fs = std::filesystem;

std::string text_of(const std::string& path) {
    std::ifstream file(path);
    std::ostringstream text;
    text << file.rdbuf();
    return text.str();
}

// "pipe:[4711]" says nothing to a reader.
std::string file_words(const std::string& link) {
    if (link.starts_with("pipe:")) return "a pipe";
    if (link.starts_with("socket:")) return "a socket";
    if (link.starts_with("anon_inode:")) {
        std::string kind = link.substr(link.find(':') + 1);
        std::erase_if(kind, [](char c) { return c == '[' || c == ']'; });
        return kind;
    }
    return link;
}

// The number behind "Name:" in a table of the kernel.
std::optional<std::uint64_t> number_behind(const std::string& text, const std::string& name,
                                           int base) {
    std::size_t at = text.find(name);
    if (at == std::string::npos) return std::nullopt;
    const char* begin = text.c_str() + at + name.size();
    char* end = nullptr;
    std::uint64_t number = std::strtoull(begin, &end, base);
    return end == begin ? std::nullopt : std::optional(number);
}

}  // namespace

bool stays_stopped_by_signal(pid_t process) {
    std::string status = fmt::format("/proc/{}/status", process);
    auto is_stopped = [&] { return text_of(status).find("\nState:\tT") != std::string::npos; };
    for (int tries = 0; tries < 50 && !is_stopped(); ++tries)
        std::this_thread::sleep_for(std::chrono::milliseconds(1));
    return is_stopped();
}

std::vector<OpenFile> open_files_of(pid_t process) {
    std::vector<OpenFile> files;
    std::error_code trouble;
    for (const auto& entry : fs::directory_iterator(fmt::format("/proc/{}/fd", process), trouble)) {
        std::error_code gone;
        std::string link = fs::read_symlink(entry.path(), gone).string();
        if (!gone) files.push_back({std::atoi(entry.path().filename().c_str()), file_words(link)});
    }
    std::ranges::sort(files, {}, &OpenFile::number);
    return files;
}

std::vector<std::string> children_of(pid_t process) {
    std::vector<std::string> children;
    std::error_code trouble;
    for (const auto& thread :
         fs::directory_iterator(fmt::format("/proc/{}/task", process), trouble)) {
        std::istringstream ids(text_of(thread.path() / "children"));
        for (std::string id; ids >> id;) {
            std::string name = text_of("/proc/" + id + "/comm");
            children.push_back(fmt::format("{} ({})", id, name.substr(0, name.find('\n'))));
        }
    }
    return children;
}

std::optional<SignalSets> signal_sets_of(pid_t process, pid_t thread) {
    std::string text = text_of(fmt::format("/proc/{}/task/{}/status", process, thread));
    auto pending = number_behind(text, "SigPnd:", 16), shared = number_behind(text, "ShdPnd:", 16),
         blocked = number_behind(text, "SigBlk:", 16), ignored = number_behind(text, "SigIgn:", 16),
         handled = number_behind(text, "SigCgt:", 16);
    if (!pending || !shared || !blocked || !ignored || !handled) return std::nullopt;
    return SignalSets{*pending | *shared, *blocked, *ignored, *handled};
}

ProcessLimits limits_of(pid_t process) {
    std::string text = text_of(fmt::format("/proc/{}/limits", process));
    ProcessLimits limits;
    limits.files = number_behind(text, "Max open files", 10);
    limits.stack = number_behind(text, "Max stack size", 10);
    limits.address_space = number_behind(text, "Max address space", 10);
    limits.mappings = number_behind(text_of("/proc/sys/vm/max_map_count"), "", 10);
    return limits;
}

}  // namespace lantern
