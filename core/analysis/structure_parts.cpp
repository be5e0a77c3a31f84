#include "core/analysis/structure_parts.h"

#include <map>
#include <optional>

#include "core/support/error.h"
#include "core/values/object_part.h"

namespace lantern {
namespace {

class Wholes {
  public:
    Wholes(const std::vector<StructureBox>& boxes, const std::vector<Value>& values)
        : values_(values) {
        for (std::size_t i = 0; i < boxes.size(); ++i)
            if (values[i].address && !boxes[i].is_start) by_address_.emplace(begin(i), i);
    }

    // The smallest box that holds this one, where it is not the first.
    std::optional<WholeOfPart> of(std::size_t part) const {
        constexpr int kNeighbours = 6;  // boxes that may begin before it and hold it
        if (part == 0 || !values_[part].address) return std::nullopt;
        auto at = by_address_.upper_bound(begin(part));
        for (int i = 0; i < kNeighbours && at != by_address_.begin(); ++i) {
            --at;
            std::size_t whole = at->second;
            bool holds =
                size(whole) > size(part) && begin(part) + size(part) <= begin(whole) + size(whole);
            if (!holds) continue;
            std::string name = part_at_offset(*values_[whole].type, begin(part) - begin(whole),
                                              *values_[part].type);
            return WholeOfPart{whole, name.starts_with('.') ? name.substr(1) : name};
        }
        return std::nullopt;
    }

  private:
    std::uint64_t begin(std::size_t i) const { return values_[i].address->value; }
    std::uint64_t size(std::size_t i) const { return plain(*values_[i].type).size; }

    const std::vector<Value>& values_;
    std::multimap<std::uint64_t, std::size_t> by_address_;
};

}  // namespace

namespace {

// In damaged memory two containers may each be told to hold the other.
bool comes_to_an_end(const std::vector<std::optional<WholeOfPart>>& whole, std::size_t from) {
    std::size_t hops = 0;
    for (std::size_t at = from; whole[at]; at = whole[at]->box)
        if (++hops > whole.size()) return false;
    return true;
}

}  // namespace

std::vector<StructureBox> without_parts(std::vector<StructureBox> boxes,
                                        const std::vector<Value>& values,
                                        const std::vector<std::optional<WholeOfPart>>& listed) {
    Wholes wholes(boxes, values);
    std::vector<std::optional<WholeOfPart>> whole(boxes.size());
    std::vector<unsigned> numbers(boxes.size(), 0);
    unsigned count = 0;
    for (std::size_t i = 0; i < boxes.size(); ++i) {
        whole[i] = wholes.of(i);
        if (!whole[i]) whole[i] = listed[i];
    }
    for (std::size_t i = 0; i < boxes.size(); ++i) {
        if (!comes_to_an_end(whole, i)) whole[i].reset();
        if (!whole[i]) numbers[i] = ++count;
    }
    std::vector<StructureBox> kept;
    for (std::size_t i = 0; i < boxes.size(); ++i) {
        if (whole[i]) continue;
        StructureBox& box = boxes[i];
        box.number = numbers[i];
        for (StructureRow& row : box.rows) {
            if (!row.to) continue;
            std::size_t to = row.to - 1;
            for (; whole[to]; to = whole[to]->box) row.into = whole[to]->part;
            row.to = numbers[to];
        }
        kept.push_back(std::move(box));
    }
    return kept;
}

std::optional<Heap> heap_to_draw(Target& target, const StructureWish& wish, std::string& remark) {
    bool is_given_up = false;
    auto progress = [&](double done) {
        if (!wish.progress) return;
        is_given_up = true;
        wish.progress(done);
        is_given_up = false;
    };
    try {
        Heap heap = read_heap(target, progress);
        if (!heap.is_being_changed()) return heap;
        remark = "a thread is changing the heap: what is freed is not told apart";
    } catch (const Error&) {  // there is none, or of a kind that is not known
        if (is_given_up) throw;
    }
    return std::nullopt;
}

}  // namespace lantern
