// Which files are loaded in a live process, and where (proc(5): maps, auxv).
#include <elf.h>
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <utility>

#include "core/support/error.h"
#include "core/target/live_process.h"
#include "core/target/memory_map.h"

namespace lantern {

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
    // Where a file was replaced since, the kernel still has the one that is loaded (proc(5):
    // map_files), and its symbols stay those of the module that we have.
    struct Loaded {
        std::string path, file;
        RunAddress begin;
    };
    std::vector<Loaded> loaded;
    for (const auto& [name, first] : loaded_files(regions())) {
        std::string path = without_deleted_mark(name);
        loaded.push_back({path,
                          name == path ? path
                                       : fmt::format("/proc/{}/map_files/{:x}-{:x}", process_,
                                                     first.low.value, first.high.value),
                          first.low});
    }
    auto is_of = [](const Module& module, const Loaded& file) {
        return module.path() == file.path && module.holds(file.begin);
    };

    // What has been unloaded goes. Frames and values of this stop may still point to it.
    for (auto module = std::next(modules_.begin()); module != modules_.end();) {
        auto each = module++;
        bool is_there =
            each->path() == "[vdso]" ||
            std::ranges::any_of(loaded, [&](const Loaded& l) { return is_of(*each, l); });
        if (is_there) continue;
        rooms_.forget_those_of(*each);
        unloaded_.splice(unloaded_.end(), modules_, each);
    }
    for (const Loaded& each : loaded) {
        bool is_known =
            std::ranges::any_of(modules_, [&](const Module& m) { return is_of(m, each); });
        if (is_known || modules_.front().holds(each.begin)) continue;
        try {
            auto symbols = open_symbols_(each.file);
            std::uint64_t first = symbols->elf().segments().empty()
                                      ? 0
                                      : symbols->elf().segments().front().range.low.value;
            modules_.emplace_back(each.path, each.begin.value - (first & ~std::uint64_t{4095}),
                                  symbols);
        } catch (const Error&) {
            // No ELF, damaged, or gone: its frames stay without names.
        }
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
