// How it goes on: from each variable along its pointers, each block once. First all that leads to
// the beginning of a block as one object; then the further elements of what may be an array, since
// what lies behind the first may be left over from a block that was there before.
#include "core/heap/block_types.h"

#include <fmt/format.h>

#include <deque>
#include <unordered_map>
#include <unordered_set>

#include "core/heap/block_index.h"
#include "core/support/error.h"
#include "core/unwind/unwinder.h"
#include "core/values/dynamic_type.h"
#include "core/values/library/library_view.h"
#include "core/values/object_part.h"
#include "core/values/variable_value.h"

namespace lantern {
namespace {

constexpr unsigned kFramesOfThread = 64;               // of one thread
constexpr std::uint64_t kMostElements = 100'000;       // of one array or container
constexpr std::uint64_t kObjectsPerProgress = 10'000;  // objects
constexpr unsigned kDeepestMember = 16;                // members in members

class Naming {
  public:
    Naming(Target& target, const Heap& heap, BlockTypes& made)
        : target_(target), reader_(target), heap_(heap), index_(heap), made_(made) {
        made_.name_none(heap.blocks.size());
    }

    void run(const std::function<void(double done)>& progress) {
        look_at_frames();
        look_at_globals();
        while (!objects_.empty() || !arrays_.empty()) {
            auto& from = objects_.empty() ? arrays_ : objects_;
            Object object = from.front();
            from.pop_front();
            if (progress && ++looked_at_ % kObjectsPerProgress == 0)
                progress(std::min(1.0, static_cast<double>(looked_at_) /
                                           static_cast<double>(heap_.blocks.size())));
            for (std::uint64_t i = 0; i < object.count; ++i)
                look_at(*object.type, object.address + i * plain(*object.type).size, 0);
        }
    }

  private:
    struct Object {
        const Type* type;
        std::uint64_t address, count;
    };

    void look_at_frames() {
        for (ThreadId thread : target_.threads()) {
            Unwinder walk(target_, thread);
            for (unsigned level = 0; level < kFramesOfThread; ++level) {
                const Frame* frame = walk.frame(level);
                if (!frame) break;
                for (const Scope* scope : frame->scopes)
                    for (const Variable& variable : scope->variables)
                        look_at(value_of_variable(target_, thread, *frame, variable));
            }
        }
    }

    void look_at_globals() {
        ThreadId thread = target_.threads().front();
        for (const Module& module : target_.modules()) {
            if (module.is_system_library()) continue;
            for (const NameEntry& entry : module.symbols().index().names()) {
                if (entry.kind != NameKind::global) continue;
                if (auto variable = module.symbols().global(entry))
                    look_at(value_of_global(target_, thread, nullptr, module, *variable));
            }
        }
    }

    void look_at(const Value& value) {
        if (!value.is_available()) return;
        const Type& type = plain(*value.type);
        bool leads = type.kind == TypeKind::pointer || type.kind == TypeKind::reference;
        try {
            if (value.address)
                look_at(*value.type, value.address->value, 0);
            else if (leads)
                lead(reader_.pointed_at(value).value, type);
        } catch (const Error&) {  // it cannot be read
        }
    }

    // An object in memory: its pointers, and those of its members.
    void look_at(const Type& object, std::uint64_t address, unsigned depth) {
        const Type& type = plain(object);
        if (depth > kDeepestMember) return;
        switch (type.kind) {
            case TypeKind::pointer:
            case TypeKind::reference: {
                std::uint64_t word = 0;
                auto bytes = std::as_writable_bytes(std::span(&word, 1));
                if (target_.read_available(RunAddress(address), bytes) == sizeof word)
                    lead(word, type);
                return;
            }
            case TypeKind::array: {
                const Type& element = target_of(type);
                std::uint64_t count = std::min(type.count.value_or(0), kMostElements);
                if (!may_lead(element)) return;
                for (std::uint64_t i = 0; i < count; ++i)
                    look_at(element, address + i * plain(element).size, depth + 1);
                return;
            }
            case TypeKind::structure:
                look_at_parts(object, address);
                for (const Member& member : type.members())
                    if (!member.is_virtual_base && !member.bit_size && may_lead(*member.type))
                        look_at(*member.type, address + member.offset, depth + 1);
                return;
            default: return;
        }
    }

    static bool may_lead(const Type& type) {
        return !is_scalar(type) || plain(type).kind == TypeKind::pointer;
    }

    // The parts of a container lie in nodes whose own types say nothing of them.
    void look_at_parts(const Type& type, std::uint64_t address) {
        const LibraryView* view = library_view(type);
        if (!view) return;
        try {
            Meaning meaning = view->meaning(reader_, value_in_memory(type, RunAddress(address)));
            bool is_container = meaning.arrangement == Arrangement::elements ||
                                meaning.arrangement == Arrangement::pairs;
            std::uint64_t count = 0;
            while (is_container && meaning.next && count++ < kMostElements) {
                auto part = meaning.next();
                if (!part) break;
                for (const Value* each : {&part->value, part->key ? &*part->key : nullptr})
                    if (each && each->address) take_part(type, *each);
            }
        } catch (const Error&) {  // it is not made yet, or damaged
        }
    }

    void take_part(const Type& container, const Value& part) {
        std::uint32_t block = index_.holding(part.address->value);
        if (block == BlockIndex::kNone || !heap_.blocks[block].is_in_use()) return;
        // Elements one behind another fill a block from its beginning.
        bool is_first = heap_.blocks[block].address == part.address->value;
        if (!made_.of[block])
            name(block, is_first ? short_name(*part.type) : "element of " + short_name(container));
        if (seen_.insert({part.address->value, part.type}).second)
            objects_.push_back({part.type, part.address->value, 1});
    }

    static std::string short_name(const Type& type) {
        std::string name = type_text(type);
        constexpr std::size_t kLongest = 60;
        return name.size() > kLongest ? name.substr(0, kLongest) + "…" : name;
    }

    void name(std::uint32_t block, const std::string& text) {
        auto [known, is_new] =
            numbers_.try_emplace(text, static_cast<std::uint32_t>(made_.names.size()));
        if (is_new) made_.names.push_back(text);
        made_.of[block] = known->second;
    }

    // A pointer of a type, and what it says of the block that it leads to.
    void lead(std::uint64_t word, const Type& pointer) {
        std::uint32_t number = index_.holding(word);
        if (number == BlockIndex::kNone || !heap_.blocks[number].is_in_use()) return;
        if (made_.of[number]) return compare(number, word, target_of(pointer));
        const HeapBlock& block = heap_.blocks[number];
        const Type* target = &target_of(pointer);
        TypeKind kind = plain(*target).kind;
        if (kind == TypeKind::nothing || kind == TypeKind::function || kind == TypeKind::unknown)
            return;
        if (block.address != word) return;  // into its middle: of what, is not said
        target = own_class(*target, word);
        std::uint64_t size = plain(*target).size;
        if (!size || size > block.size()) return;
        name(number, short_name(*target));
        made_.types[number] = target;
        if (!may_lead(*target)) return;
        objects_.push_back({target, word, 1});
        std::uint64_t more = std::min(block.size() / size, kMostElements) - 1;
        if (more) arrays_.push_back({target, word + size, more});
    }

    // Two pointers of types that have nothing to do with each other lead to one block: one of them
    // may be from before it was freed.
    void compare(std::uint32_t number, std::uint64_t word, const Type& other) {
        auto known = made_.types.find(number);
        if (known == made_.types.end() || heap_.blocks[number].address != word) return;
        const Type &one = plain(*known->second), &two = plain(other);
        bool are_structures =
            one.kind == TypeKind::structure && two.kind == TypeKind::structure && &one != &two;
        if (!are_structures || two.is_incomplete || one.full_name() == two.full_name()) return;
        if (has_part_at(one, 0, two) || has_part_at(two, 0, one)) return;
        name(number,
             fmt::format("{}, and by another pointer {}", short_name(one), short_name(two)));
        made_.types.erase(known);  // told once
    }

    // An object with virtual functions says itself of which class it is.
    const Type* own_class(const Type& type, std::uint64_t address) {
        if (plain(type).kind != TypeKind::structure) return &type;
        auto whole = dynamic_type(reader_, value_in_memory(type, RunAddress(address)));
        bool is_known = whole && whole->is_other && whole->object.address == RunAddress(address);
        return is_known ? whole->object.type : &type;
    }

    struct PairHash {
        std::size_t operator()(const std::pair<std::uint64_t, const Type*>& pair) const {
            return std::hash<std::uint64_t>()(pair.first) ^ std::hash<const Type*>()(pair.second);
        }
    };

    Target& target_;
    ValueReader reader_;
    const Heap& heap_;
    BlockIndex index_;
    BlockTypes& made_;
    std::uint64_t looked_at_ = 0;
    std::deque<Object> objects_, arrays_;
    std::unordered_map<std::string, std::uint32_t> numbers_;
    std::unordered_set<std::pair<std::uint64_t, const Type*>, PairHash> seen_;
};

}  // namespace

void BlockTypes::name_none(std::size_t blocks) {
    names.assign(1, {});
    of.assign(blocks, 0);
}

const Type* BlockTypes::type(std::size_t block) const {
    auto found = types.find(static_cast<std::uint32_t>(block));
    return found == types.end() ? nullptr : found->second;
}

BlockTypes find_block_types(Target& target, const Heap& heap,
                            const std::function<void(double done)>& progress) {
    BlockTypes made;
    Naming(target, heap, made).run(progress);
    return made;
}

}  // namespace lantern
