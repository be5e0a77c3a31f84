// Bytes that are made when they are first asked for: a section that must be decompressed and that
// most questions do not need.
#pragma once

#include <functional>
#include <memory>
#include <mutex>

#include "core/support/byte_reader.h"

namespace lantern {

class LazyBytes {
  public:
    LazyBytes() = default;
    LazyBytes(ByteSpan bytes) : bytes_(bytes) {}
    // `make` is called once, by whichever thread asks first; copies share what it gave. It must not
    // throw.
    explicit LazyBytes(std::function<ByteSpan()> make) : later_(std::make_shared<Later>()) {
        later_->make = std::move(make);
    }

    operator ByteSpan() const {
        if (!later_) return bytes_;
        std::call_once(later_->once, [this] { later_->bytes = later_->make(); });
        return later_->bytes;
    }

  private:
    struct Later {
        std::once_flag once;
        std::function<ByteSpan()> make;
        ByteSpan bytes;
    };
    ByteSpan bytes_;
    std::shared_ptr<Later> later_;
};

}  // namespace lantern
