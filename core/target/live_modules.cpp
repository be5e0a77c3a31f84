// Which files are loaded in a live process, and where (proc(5): maps, auxv).
#include <elf.h>

#include <algorithm>
#include <cstring>
#include <utility>

#include "core/support/error.h"
#include "core/target/live_process.h"
#include "core/target/memory_map.h"

namespace lantern {

void LiveProcess::add_module(const std::string& path, std::uint64_t bias) {
    try {
        modules_.emplace_back(path, bias, open_symbols_(path));
    } catch (const Error&) {
        // A library that vanished or is damaged: its frames stay without names.
    }
}

// The program itself: where the kernel says its entry is, less where the file says it is
// (getauxval(3): AT_ENTRY).
const Module& LiveProcess::main_module() {
    if (!modules_.empty()) return modules_.front();
    auto symbols = open_symbols_(program_);
    std::uint64_t entry = symbols->elf().entry().value;
    std::string auxiliary = task_text("auxv");
    std::vector<std::uint64_t> words(auxiliary.size() / sizeof(std::uint64_t));
    if (!words.empty())
        std::memcpy(words.data(), auxiliary.data(), words.size() * sizeof(std::uint64_t));
    for (std::size_t i = 0; i + 1 < words.size(); i += 2)
        if (words[i] == AT_ENTRY) entry = words[i + 1];
    modules_.emplace_back(program_, entry - symbols->elf().entry().value, symbols);
    return modules_.front();
}

void LiveProcess::refresh_modules() {
    main_module();
    if (!alive_) return;
    maps();
    if (std::exchange(modules_are_of_maps_, true)) return;
    RunRange vdso{};
    for (const MemoryRegion& region : regions())
        if (region.name == "[vdso]") vdso = {region.begin, region.end};
    std::map<std::string, RunAddress> loaded = loaded_files(regions());

    // What has been unloaded goes; a library's symbols stay with whoever opened them.
    modules_.remove_if([&](const Module& m) {
        bool is_main = &m == &modules_.front();
        auto now = loaded.find(m.path());
        bool is_gone =
            !is_main && m.path() != "[vdso]" && (now == loaded.end() || !m.holds(now->second));
        if (is_gone) rooms_.forget_those_of(m);
        return is_gone;
    });
    for (const auto& [path, low] : loaded) {
        bool known = path == modules_.front().path() ||
                     std::any_of(modules_.begin(), modules_.end(),
                                 [&, &path = path](const Module& m) { return m.path() == path; });
        if (known || modules_.front().holds(low)) continue;
        std::uint64_t first = 0;
        try {
            auto symbols = open_symbols_(path);
            if (!symbols->elf().segments().empty())
                first = symbols->elf().segments().front().range.low.value;
        } catch (const Error&) {
            continue;  // a mapped file that is no ELF
        }
        add_module(path, low.value - (first & ~std::uint64_t{4095}));
    }
    bool vdso_known = std::any_of(modules_.begin(), modules_.end(),
                                  [](const Module& m) { return m.path() == "[vdso]"; });
    if (vdso.size() && !vdso_known) {
        std::vector<std::byte> image(vdso.size());
        image.resize(read_available(vdso.low, image));
        try {
            auto elf = std::make_unique<ElfFile>(std::move(image), "[vdso]");
            modules_.emplace_back("[vdso]", vdso.low.value,
                                  std::make_shared<ModuleSymbols>(std::move(elf)));
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
        // It may have been loaded since; once for each event is enough to find out that it is in
        // none.
        maps_are_old_ |= std::exchange(modules_may_be_old_, false);
        refresh_modules();
    }
    return nullptr;
}

}  // namespace lantern
