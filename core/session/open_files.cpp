#include "core/session/open_files.h"

#include <utility>

namespace lantern {

std::shared_ptr<const ModuleSymbols> OpenFiles::open(const std::string& path) {
    auto& slot = open_[path];
    auto now = slot && !kept_open_.count(path) ? stamp_of(path) : std::nullopt;
    if (now && now != slot->elf().stamp()) retired_.push_back(std::exchange(slot, nullptr));
    if (!slot) slot = std::make_shared<ModuleSymbols>(path, search_);
    return slot;
}

std::shared_ptr<const ModuleSymbols> OpenFiles::open_again(const std::string& path) {
    auto made = std::make_shared<ModuleSymbols>(path, search_);
    auto& slot = open_[path];
    if (slot) retired_.push_back(std::exchange(slot, nullptr));
    return slot = made;
}

void OpenFiles::keep_open(const std::string& path, std::shared_ptr<const ModuleSymbols> symbols) {
    take(path, std::move(symbols));
    kept_open_.insert(path);
}

}  // namespace lantern
