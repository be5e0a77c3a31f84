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

// Null for what is no ELF, or is damaged or gone: its frames stay without names.
std::shared_ptr<const ModuleSymbols> LiveProcess::symbols_of(const std::string& file) {
    try {
        return open_symbols_(file);
    } catch (const Error&) {
        return nullptr;
    }
}

// A path may have another file by now. Where that one is loaded, its symbols are other ones than
// those that a module of this path has. Where the one that was there before is still loaded, it
// keeps the symbols that we have; of those who come later, the kernel still has it (proc(5):
// map_files). In a container a path is another file than it is here: again the kernel has it, and
// where only the user's own processes may be looked into, the container's files do.
std::list<LiveProcess::Loaded> LiveProcess::loaded_now() {
    std::list<Loaded> loaded;
    bool has_other_mounts = kernel_.has_other_mounts(process_);
    for (const auto& [name, first] : loaded_files(regions())) {
        if (modules_.front().holds(first.low)) continue;
        std::string path = without_deleted_mark(name);
        std::string held = fmt::format("/proc/{}/map_files/{:x}-{:x}", process_, first.low.value,
                                       first.high.value);
        if (name != path) {
            loaded.push_back({path, held, first.low, nullptr});
            continue;
        }
        auto symbols = symbols_of(has_other_mounts ? held : path);
        if (!symbols && has_other_mounts)
            symbols = symbols_of(fmt::format("/proc/{}/root{}", process_, path));
        if (symbols) loaded.push_back({path, path, first.low, symbols});
    }
    return loaded;
}

void LiveProcess::refresh_modules() {
    main_module();
    if (!alive_) return;
    maps();
    if (std::exchange(modules_are_of_maps_, true)) return;
    RunRange vdso{};
    for (const MemoryRegion& region : regions())
        if (region.name == "[vdso]") vdso = {region.begin, region.end};
    std::list<Loaded> loaded = loaded_now();
    auto is_of = [](const Module& module, const Loaded& file) {
        return module.path() == file.path && module.holds(file.begin) &&
               (!file.symbols || &module.symbols() == file.symbols.get());
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
        if (std::ranges::any_of(modules_, [&](const Module& m) { return is_of(m, each); }))
            continue;
        auto symbols = each.symbols ? each.symbols : symbols_of(each.file);
        if (!symbols) continue;
        const auto& segments = symbols->elf().segments();
        std::uint64_t first = segments.empty() ? 0 : segments.front().range.low.value;
        modules_.emplace_back(each.path, each.begin.value - (first & ~std::uint64_t{4095}),
                              symbols);
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

// Once for each event is enough to find what has come since.
void LiveProcess::look_for_modules_again() {
    maps_are_old_ |= std::exchange(modules_may_be_old_, false);
    refresh_modules();
}

const Module* LiveProcess::module_at(RunAddress address) {
    if (main_module().holds(address)) return &main_module();
    // Another library may lie where one has been, and nobody has told of it.
    if (!loader_tells_) look_for_modules_again();
    for (int attempt = 0; attempt < 2; ++attempt) {
        for (const Module& module : modules_)
            if (module.holds(address)) return &module;
        look_for_modules_again();
    }
    return nullptr;
}

}  // namespace lantern
