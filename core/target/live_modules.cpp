// Which files are loaded in a live process, and where (proc(5): maps, auxv).
#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <utility>
#include <cstdio>
#include <cstdlib>

#include "core/support/error.h"
#include "core/target/live_process.h"

namespace lantern {

void LiveProcess::add_module(const std::string& path, std::uint64_t bias) {
    try {
        modules_.emplace_back(path, bias, open_symbols_(path));
    } catch (const Error&) {
        // A library that vanished or is damaged: its frames stay without names.
    }
}

// The program itself: where the kernel says its entry is, less where the file says it is (getauxval(3): AT_ENTRY).
const Module& LiveProcess::main_module() {
    if (!modules_.empty()) return modules_.front();
    auto symbols = open_symbols_(program_);
    std::uint64_t entry = symbols->elf().entry().value;
    int file = open(task_file("auxv").c_str(), O_RDONLY | O_CLOEXEC);
    std::uint64_t words[128] = {};
    ssize_t size = file >= 0 ? ::read(file, words, sizeof words) : 0;
    if (file >= 0) close(file);
    for (ssize_t i = 0; i + 1 < size / 8; i += 2)
        if (words[i] == 9 /* AT_ENTRY */) entry = words[i + 1];
    modules_.emplace_back(program_, entry - symbols->elf().entry().value, symbols);
    return modules_.front();
}

void LiveProcess::refresh_modules() {
    main_module();
    if (!modules_are_old_ || !alive_) return;
    modules_are_old_ = false;
    FILE* file = fopen(task_file("maps").c_str(), "re");
    if (!file) return;
    std::map<std::string, std::uint64_t> lowest;
    RunRange vdso{};
    char* line = nullptr;
    std::size_t room = 0;
    while (getline(&line, &room, file) > 0) {
        unsigned long low, high, offset, inode;
        int path_at = 0;
        if (sscanf(line, "%lx-%lx %*s %lx %*s %lu %n", &low, &high, &offset, &inode, &path_at) < 4 || !path_at) continue;
        std::string path(line + path_at);
        while (!path.empty() && path.back() == '\n') path.pop_back();
        if (path == "[vdso]") vdso = {RunAddress(low), RunAddress(high)};
        if (inode == 0 || path.empty() || path[0] != '/') continue;
        if (offset == 0) lowest.try_emplace(path, low);
    }
    free(line);
    fclose(file);

    // What has been unloaded goes; a library's symbols stay with whoever opened them.
    modules_.remove_if([&](const Module& m) {
        bool is_main = &m == &modules_.front();
        auto now = lowest.find(m.path());
        bool is_gone = !is_main && m.path() != "[vdso]" && (now == lowest.end() || !m.holds(RunAddress(now->second)));
        if (is_gone) {  // and with it the copies of instructions that stood in its pages
            std::erase_if(moved_, [&](const auto& each) { return m.holds(each.first); });
            RunAddress room = room_for_moved_code(m).low;
            room_taken_.erase(room);
            room_used_.erase(room);
        }
        return is_gone;
    });
    for (const auto& [path, low] : lowest) {
        bool known = path == modules_.front().path() ||
                     std::any_of(modules_.begin(), modules_.end(), [&, &path = path](const Module& m) { return m.path() == path; });
        if (known || modules_.front().holds(RunAddress(low))) continue;
        std::uint64_t first = 0;
        try {
            auto symbols = open_symbols_(path);
            if (!symbols->elf().segments().empty()) first = symbols->elf().segments().front().range.low.value;
        } catch (const Error&) {
            continue;  // a mapped file that is no ELF
        }
        add_module(path, low - (first & ~std::uint64_t{4095}));
    }
    bool vdso_known = std::any_of(modules_.begin(), modules_.end(), [](const Module& m) { return m.path() == "[vdso]"; });
    if (vdso.size() && !vdso_known) {
        std::vector<std::byte> image(vdso.size());
        image.resize(read_available(vdso.low, image));
        try {
            auto elf = std::make_unique<ElfFile>(std::move(image), "[vdso]");
            modules_.emplace_back("[vdso]", vdso.low.value, std::make_shared<ModuleSymbols>(std::move(elf)));
        } catch (const Error&) {
        }
    }
}

const std::list<Module>& LiveProcess::modules() {
    refresh_modules();
    return modules_;
}

const Module* LiveProcess::module_at(RunAddress address) {
    main_module();
    for (int attempt = 0; attempt < 2; ++attempt) {
        for (const Module& module : modules_)
            if (module.holds(address)) return &module;
        // It may have been loaded since; once for each event is enough to find out that it is in none.
        modules_are_old_ |= std::exchange(modules_may_be_old_, false);
        refresh_modules();
    }
    return nullptr;
}

}  // namespace lantern
