// How a structure is walked: box by box, each one's rows in the order of its members; what a row
// leads to becomes a box at the end of the list, so that what is near comes before what is far.
// Behind the limit the walk goes on without a word, only to count what is left out, and where.
#include <fmt/format.h>

#include <algorithm>
#include <deque>
#include <map>

#include "core/analysis/figure_caption.h"
#include "core/analysis/locals_report.h"
#include "core/analysis/structure_parts.h"
#include "core/analysis/structure_types.h"
#include "core/analysis/value_report.h"
#include "core/heap/heap.h"
#include "core/support/error.h"
#include "core/support/text.h"
#include "core/values/active_variant.h"
#include "core/values/dynamic_type.h"
#include "core/values/library/library_view.h"
#include "core/values/object_part.h"

namespace lantern {
namespace {

constexpr std::size_t kMostBoxRows = 24, kMostLeadingRows = 48;  // of a box
constexpr std::size_t kMostCounted = 10'000;                     // boxes behind the limit
constexpr std::size_t kValueWidth = 48;                          // characters
constexpr unsigned kDeepestPart = 12;                            // structures within structures

class StructureWalk {
  public:
    StructureWalk(const Moment& moment, const StructureWish& wish)
        : wish_(wish),
          moment_(moment),
          reader_(moment.target()),
          heap_(heap_to_draw(moment.target(), wish, remark_)),
          limits_(moment.view_limits()),
          types_(wish.raw) {
        limits_.raw = wish.raw;
        limits_.children = 8;
        limits_.depth = 3;
        limits_.text = kValueWidth;
    }

    StructureReport walk(const Value& root) {
        const Type& type = plain(*root.type);
        bool is_start = is_followed(type) || owner_of(root) != nullptr;
        Found& first = add_box(root, 0);
        first.facts.title = is_start
                                ? wish_.expression
                                : fmt::format("{}: {}", wish_.expression, type_text(*root.type));
        first.facts.is_start = is_start;
        Assignment assignment = assignment_of_name(moment_, wish_.expression);
        if (is_unset(assignment))
            first.facts.problem = remark_on_assignment(assignment);
        else
            first.facts.problem =
                first_doubt(view_of_value(moment_, wish_.expression, root, Form::natural, limits_));
        for (std::size_t i = 0; i < found_.size(); ++i) fill(i);
        return report();
    }

  private:
    struct Owner {
        std::size_t box = 0, row = 0;
    };
    struct Found {
        StructureBox facts;
        Value value;
        std::optional<std::uint64_t> begin;  // run address
        std::uint64_t size = 0;
        std::size_t next = 0;  // of an element of a list: the index of the one behind it
        Owner owner;           // of a hidden one: the row that it is left out at
    };

    bool is_hidden(std::size_t box) const { return box >= wish_.limit; }

    Found& add_box(const Value& value, unsigned depth) {
        Found& found = found_.emplace_back();
        found.value = value;
        found.facts.number = static_cast<unsigned>(found_.size());
        found.facts.depth = depth;
        found.facts.title = title_of(*value.type);
        if (value.in_register) found.facts.address = "in a register";
        if (value.address) {
            found.facts.address = fmt::format("{:#x}", value.address->value);
            found.begin = value.address->value;
            found.size = plain(*value.type).size;
            by_address_.emplace(*found.begin, found_.size() - 1);
        }
        return found;
    }

    // ---- rows

    void fill(std::size_t box) {
        box_ = box;
        Value value = found_[box].value;
        if (auto known = dynamic_type(reader_, value)) {
            if (!known->problem.empty()) found_[box].facts.problem = known->problem;
        }
        try {
            add("", value, 0);
        } catch (const BrokenValue& error) {  // what came before it holds
            found_[box].facts.problem = error.what();
        } catch (const Error& error) {
            if (box == 0) throw;
            found_[box].facts.problem = error.what();
        }
        if (std::size_t next = found_[box].next) link("next in the list", next);
    }

    // Of a box of very many members those that lead on are shown before the others.
    StructureRow* new_row(const std::string& name, std::size_t most = kMostBoxRows) {
        auto& facts = found_[box_].facts;
        if (facts.rows.size() >= most && !is_hidden(box_)) {
            ++facts.more_rows;
            return nullptr;
        }
        facts.rows.push_back({});
        facts.rows.back().name = name;
        return &facts.rows.back();
    }

    void plain_row(const std::string& name, const Value& value) {
        if (is_hidden(box_)) return;
        if (StructureRow* row = new_row(name)) row->value = text_of(value);
    }

    std::string text_of(const Value& value) {
        return one_line(make_view(reader_, "", value, Form::natural, limits_), kValueWidth);
    }

    static std::string joined(const std::string& name, const std::string& part) {
        if (part.empty() || part.starts_with('[')) return name + part;
        return name.empty() ? part : name + "." + part;
    }

    void add(const std::string& name, const Value& value, unsigned level) {
        const Type& type = plain(*value.type);
        if (!value.is_available() || level > kDeepestPart) return plain_row(name, value);
        if (is_pointer_type(type)) {
            if (!is_followed(type)) return plain_row(name, value);
            return add_pointer(name, reader_.pointed_at(value), target_of(type), "");
        }
        if (level > 0 && !types_.leads(type)) return plain_row(name, value);
        if (!wish_.raw && add_as_meant(name, value, level)) return;
        if (type.kind == TypeKind::array) return add_elements(name, value, level);
        if (type.kind == TypeKind::structure) return add_members(name, value, level);
        if (type.kind == TypeKind::union_) {
            ++unions_;
            add_members(name, value, level);
            --unions_;
            return;
        }
        plain_row(name, value);
    }

    void add_members(const std::string& name, const Value& value, unsigned level) {
        if (auto variant = wish_.raw ? std::nullopt : active_variant(reader_, value)) {
            if (plain(*variant->content.type).members().empty()) {
                if (StructureRow* row = is_hidden(box_) ? nullptr : new_row(name))
                    row->value = variant->name;
                return;
            }
            return add_members(joined(name, variant->name), variant->content, level + 1);
        }
        bool is_rust = plain(*value.type).is_rust;
        for (const Member& member : plain(*value.type).members()) {
            if (member.is_artificial && !is_rust) continue;
            Value part = reader_.member(value, member);
            if (member.is_base_class)
                add_members(name, part, level + 1);
            else
                add(joined(name, member.name), part, level + 1);
        }
    }

    void add_elements(const std::string& name, const Value& value, unsigned level) {
        std::uint64_t count = plain(*value.type).count.value_or(0);
        if (!types_.leads(target_of(plain(*value.type)))) return plain_row(name, value);
        for (std::uint64_t i = 0; i < count; ++i) {
            if (i >= kMostBoxRows) {
                found_[box_].facts.more_rows += count - i;
                return;
            }
            add(fmt::format("{}[{}]", name, i),
                reader_.element(value, static_cast<std::int64_t>(i)), level + 1);
        }
    }

    // ---- what library types and the user's own mean

    const LibraryView* owner_of(const Value& value) {
        const LibraryView* view = wish_.raw ? nullptr : library_view(*value.type);
        if (!view) return nullptr;
        try {
            return view->meaning(reader_, value).pointer ? view : nullptr;
        } catch (const Error&) {
            return nullptr;
        }
    }

    bool add_as_meant(const std::string& name, const Value& value, unsigned level) {
        std::optional<Meaning> meaning;
        const LibraryView* view = library_view(*value.type);
        if (limits_.around) meaning = limits_.around->own_meaning(reader_, value);
        if (!meaning && view) meaning = view->meaning(reader_, value);
        if (!meaning) return false;
        if (meaning->alone) {
            add(name, *meaning->alone, level + 1);
        } else if (meaning->holds_nothing) {
            if (StructureRow* row = new_row(name)) {
                row->state = PointerState::null;
                row->value = meaning->text.empty() ? "nothing" : meaning->text;
            }
        } else if (meaning->pointer || meaning->arrangement == Arrangement::target) {
            add_owner(name, value, *meaning, view);
        } else if (meaning->next && is_list(*value.type)) {
            add_chain(name, *meaning);
        } else if (meaning->next) {
            add_parts(name, *meaning, level);
        } else {
            plain_row(name, value);
        }
        return true;
    }

    void add_owner(const std::string& name, const Value& value, const Meaning& meaning,
                   const LibraryView* view) {
        std::optional<Value> target = view ? view->target(reader_, value) : std::nullopt;
        if (!target && meaning.next)
            if (auto part = meaning.next()) target = part->value;
        if (!target || !target->address || !plain(*target->type).size)
            return plain_row(name, value);
        std::string remark =
            meaning.owners.value_or(0) > 1 ? fmt::format("{} owners", *meaning.owners) : "";
        add_pointer(name, *target->address, *target->type, remark);
    }

    void add_parts(const std::string& name, const Meaning& meaning, unsigned level) {
        std::uint64_t index = 0, total = meaning.count.value_or(0);
        for (;; ++index) {
            if (index >= kMostBoxRows && !is_hidden(box_)) break;
            if (index >= kMostCounted) break;
            auto part = meaning.next();
            if (!part) break;
            std::string label =
                meaning.arrangement == Arrangement::fields ? part->name
                : part->key ? fmt::format("[{}]", is_hidden(box_) ? "" : text_of(*part->key))
                            : fmt::format("[{}]", index);
            // Where it lies is known: a pointer may lead there.
            if (part->value.address && !is_hidden(box_))
                parts_[part->value.address->value] = {box_, joined(name, label)};
            add(joined(name, label), part->value, level + 1);
        }
        if (index == 0 && !is_hidden(box_)) {
            if (StructureRow* row = new_row(name)) row->value = "empty";
        }
        if (total > index) found_[box_].facts.more_rows += total - index;
    }

    // A list's elements are boxes, each linked to the next one.
    void add_chain(const std::string& name, const Meaning& meaning) {
        std::size_t before = 0, box = box_;
        std::uint64_t taken = 0;
        if (!new_row(name)) return;  // counted among the rows that are left out
        std::size_t row = found_[box_].facts.rows.size() - 1;
        unsigned depth = found_[box_].facts.depth;
        while (auto part = meaning.next()) {
            if (found_.size() >= wish_.limit + kMostCounted) {
                is_counted_ = false;
                break;
            }
            ++taken;
            std::size_t index = found_.size();
            Found& element = add_box(part->value, depth + static_cast<unsigned>(taken));
            element.owner = is_hidden(box) ? found_[box].owner : Owner{box, row};
            if (before)
                found_[before].next = index;
            else
                link_row(box, row, index);
            before = index;
        }
        if (!taken && !is_hidden(box)) {
            found_[box].facts.rows[row].state = PointerState::null;
            found_[box].facts.rows[row].value = "empty";
        }
    }

    // ---- pointers

    void link(const std::string& name, std::size_t to) {
        if (new_row(name)) link_row(box_, found_[box_].facts.rows.size() - 1, to);
    }

    void link_row(std::size_t box, std::size_t row, std::size_t to) {
        StructureRow& from = found_[box].facts.rows[row];
        from.state = is_hidden(to) ? PointerState::cut : PointerState::leads;
        from.to = is_hidden(to) ? 0 : found_[to].facts.number;
    }

    void add_pointer(const std::string& name, RunAddress address, const Type& pointee,
                     const std::string& remark) {
        StructureRow* row = new_row(name, address.value ? kMostLeadingRows : kMostBoxRows);
        if (!row) return;
        row->remark = remark;
        std::size_t at = found_[box_].facts.rows.size() - 1;
        std::byte first;
        if (address.value == 0) {
            row->state = PointerState::null;
            row->value = "null";
        } else if (unions_) {
            row->value = fmt::format("{:#x}", address.value);
            row->remark = "of a union: not followed";
        } else if (!moment_.target().read_available(address, std::span(&first, 1))) {
            row->state = PointerState::nowhere;
            row->value = fmt::format("{:#x}", address.value);
            row->remark = "not mapped";
        } else if (std::string why = why_not_believed(address, pointee, row->state); !why.empty()) {
            row->value = fmt::format("{:#x}", address.value);
            row->remark = why;
        } else if (!found_[box_].facts.problem.empty()) {
            row->value = fmt::format("{:#x}", address.value);
        } else {
            lead(at, address, pointee);
        }
    }

    std::string why_not_believed(RunAddress address, const Type& pointee, PointerState& state) {
        const HeapBlock* block = heap_ ? heap_->block_at(address) : nullptr;
        if (!block) return {};
        if (block->state() == HeapBlock::State::free ||
            block->state() == HeapBlock::State::cached) {
            state = PointerState::freed;
            return block_note(*heap_, address);
        }
        std::uint64_t room = block->end() - address.value, needed = plain(pointee).size;
        if (!block->is_in_use() || room >= needed) return {};
        state = PointerState::too_small;
        return fmt::format("block of {} bytes, {} needs {}", room, title_of(pointee), needed);
    }

    void lead(std::size_t row, RunAddress address, const Type& pointee) {
        std::size_t box = box_;
        if (auto known = box_at(address, pointee)) {
            link_row(box, row, known->first);
            found_[box].facts.rows[row].into = known->second;
            return;
        }
        bool is_too_far = found_[box].facts.depth >= wish_.depth;
        if (is_too_far || found_.size() >= wish_.limit + kMostCounted) {
            found_[box].facts.rows[row].state = PointerState::cut;
            is_counted_ = is_counted_ && is_too_far;
            return;
        }
        Value target = value_in_memory(pointee, address);
        if (auto whole = dynamic_type(reader_, target); whole && whole->is_other)
            target = whole->object;
        std::size_t index = found_.size();
        Found& found = add_box(target, found_[box].facts.depth + 1);
        found.owner = is_hidden(box) ? found_[box].owner : Owner{box, row};
        link_row(box, row, index);
    }

    // A box that is there already, and the part of it that is meant.
    std::optional<std::pair<std::size_t, std::string>> box_at(RunAddress address,
                                                              const Type& pointee) {
        if (auto part = parts_.find(address.value); part != parts_.end()) return part->second;
        constexpr int kNeighbours = 6;  // boxes that may begin before it and hold it
        auto behind = by_address_.upper_bound(address.value);
        for (int i = 0; i < kNeighbours && behind != by_address_.begin(); ++i) {
            --behind;
            const Found& found = found_[behind->second];
            std::uint64_t offset = address.value - *found.begin;
            if (offset == 0 && title_of(*found.value.type) == title_of(pointee))
                return std::pair{behind->second, std::string()};
            if (offset + plain(pointee).size > found.size || found.facts.is_start) continue;
            std::string part = part_at_offset(*found.value.type, offset, pointee);
            return std::pair{behind->second, part.starts_with('.') ? part.substr(1) : part};
        }
        return std::nullopt;
    }

    // ---- the end

    // Of the boxes that were met before the container whose rows have them too.
    std::vector<std::optional<WholeOfPart>> listed_elsewhere(std::size_t shown) const {
        std::vector<std::optional<WholeOfPart>> listed(shown);
        for (std::size_t i = 1; i < shown; ++i) {
            auto part = found_[i].begin ? parts_.find(*found_[i].begin) : parts_.end();
            bool is_other =
                part != parts_.end() && part->second.first != i && part->second.first < shown;
            if (is_other) listed[i] = WholeOfPart{part->second.first, part->second.second};
        }
        return listed;
    }

    StructureReport report() {
        StructureReport report;
        report.expression = wish_.expression;
        report.caption = caption_of(moment_);
        report.remark = std::move(remark_);
        std::size_t shown = std::min<std::size_t>(found_.size(), wish_.limit);
        for (std::size_t i = shown; i < found_.size(); ++i)
            ++found_[found_[i].owner.box].facts.rows[found_[i].owner.row].behind;
        std::vector<Value> values;
        for (std::size_t i = 0; i < shown; ++i) {
            for (StructureRow& row : found_[i].facts.rows)
                if (row.behind && row.state == PointerState::cut && !is_counted_)
                    row.remark = "and perhaps more";
            report.boxes.push_back(std::move(found_[i].facts));
            values.push_back(std::move(found_[i].value));
        }
        report.boxes = without_parts(std::move(report.boxes), values, listed_elsewhere(shown));
        report.cut = found_.size() - shown;
        report.is_counted = is_counted_;
        recognise_shape(report);
        return report;
    }

    const StructureWish& wish_;
    const Moment& moment_;
    ValueReader reader_;
    std::string remark_;  // before the heap: reading that may set it
    std::optional<Heap> heap_;
    ViewLimits limits_;
    std::deque<Found> found_;
    std::multimap<std::uint64_t, std::size_t> by_address_;
    std::map<std::uint64_t, std::pair<std::size_t, std::string>> parts_;
    FollowedTypes types_;
    unsigned unions_ = 0;  // around what is added: which of their members is meant is not known
    std::size_t box_ = 0;  // whose rows are filled
    bool is_counted_ = true;
};

}  // namespace

StructureReport report_structure(const Moment& moment, const StructureWish& wish,
                                 const Value& value) {
    if (!value.is_available())
        throw RequestError(fmt::format("{} has no value: {}", wish.expression, value.unavailable));
    return StructureWalk(moment, wish).walk(value);
}

}  // namespace lantern
