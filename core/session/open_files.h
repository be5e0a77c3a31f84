// The symbols of the files that a session looks at, by path. A file that was built anew is read
// again; what was made of the old one stays for the values and types that point into it.
#pragma once

#include <map>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "core/symbols/module_symbols.h"

namespace lantern {

class OpenFiles {
  public:
    explicit OpenFiles(SymbolSearch search) : search_(std::move(search)) {}

    const SymbolSearch& search() const { return search_; }
    // Throws FileError.
    std::shared_ptr<const ModuleSymbols> open(const std::string& path);
    std::shared_ptr<const ModuleSymbols> open_again(
        const std::string& path);  // whatever its stamp says
    // These are the symbols of that path, until the next launch even where the file there is
    // another one.
    void keep_open(const std::string& path, std::shared_ptr<const ModuleSymbols> symbols);
    void take(const std::string& path, std::shared_ptr<const ModuleSymbols> symbols) {
        open_[path] = std::move(symbols);
    }
    void end_keeping() { kept_open_.clear(); }

  private:
    SymbolSearch search_;
    std::map<std::string, std::shared_ptr<const ModuleSymbols>> open_;
    std::set<std::string> kept_open_;
    std::vector<std::shared_ptr<const ModuleSymbols>> retired_;
};

}  // namespace lantern
