#include "core/analysis/culprit.h"

#include <signal.h>

#include <algorithm>

#include "core/analysis/faulting_operand.h"
#include "core/machine/instruction.h"
#include "core/target/code_at.h"
#include "core/unwind/call_before.h"

namespace lantern {

bool can_be_an_address(std::uint64_t number) {
    return number >> 47 == 0;
}

namespace {

class CulpritSearch {
  public:
    CulpritSearch(const Moment& moment, const Stop& stop)
        : moment_(moment),
          target_(moment.target()),
          stop_(stop),
          registers_(target_.registers(stop.thread)) {}

    std::optional<Culprit> culprit() {
        bool is_of_memory = stop_.signal == SIGSEGV || stop_.signal == SIGBUS;
        if (!stop_.is_fault || (!is_of_memory && stop_.signal != SIGFPE)) return std::nullopt;
        RunAddress at = registers_.program_counter();
        if (is_of_memory && !is_code(at)) return called_at_caller();
        if (!read_instruction(at)) return std::nullopt;
        if (stop_.signal == SIGFPE) return divisor();
        bool is_call = instruction_->kind == Instruction::Kind::call ||
                       instruction_->kind == Instruction::Kind::jump;
        if (is_call && !instruction_->target && stop_.fault_address.value == 0 && has_its_target())
            return with_target(0);
        return pointer_or_index();
    }

  private:
    bool is_code(RunAddress at) {
        const MemoryRegion* region = target_.region_at(at);
        return region && region->permissions.size() > 2 && region->permissions[2] == 'x';
    }

    bool read_instruction(RunAddress at) {
        auto found = whole_instruction_at(target_, at);
        instruction_ = found ? std::optional(found->instruction) : std::nullopt;
        effects_ = found ? effects_of(found->bytes()) : std::nullopt;
        return effects_.has_value();
    }

    std::uint64_t gs_base() { return target_.system_registers(stop_.thread).gs_base; }

    // It was called through a pointer, and there is no code.
    std::optional<Culprit> called_at_caller() {
        std::uint64_t word = 0;
        RunAddress top = registers_.stack_pointer();
        if (target_.read_available(top, std::as_writable_bytes(std::span(&word, 1))) != sizeof word)
            return std::nullopt;
        auto call = call_before(target_, RunAddress(word));
        if (!call || !read_instruction(RunAddress(word) - call->length)) return std::nullopt;
        return with_target(1);
    }

    // And did not fail to read it: `call [rax]` through a null rax.
    bool has_its_target() {
        return std::ranges::all_of(effects_->memory, [&](const MemoryAccess& access) {
            return !access.reads || access.is_implied || read_by(access);
        });
    }

    // The register or memory that a computed call or jump takes its target from.
    std::optional<Culprit> with_target(unsigned level) {
        Culprit culprit;
        culprit.role = Culprit::Role::called;
        culprit.level = level;
        culprit.value = level ? registers_.program_counter().value : 0;
        for (const MemoryAccess& access : effects_->memory)
            if (access.reads && !access.is_implied) {
                culprit.memory = access;
                if (level == 0) culprit.value = read_by(access).value_or(0);
                return culprit;
            }
        for (const RegisterUse& use : effects_->registers)
            if (use.reads && !use.is_implied) {
                culprit.dwarf_register = use.dwarf_number;
                if (level == 0) culprit.value = registers_.get(use.dwarf_number).value_or(0);
                return culprit;
            }
        return std::nullopt;
    }

    std::optional<std::uint64_t> read_by(const MemoryAccess& access) {
        auto address = accessed_address(access, registers_, instruction_->next(), gs_base());
        std::uint64_t word = 0;
        if (!address) return std::nullopt;
        auto bytes = std::as_writable_bytes(std::span(&word, 1)).first(std::min(access.size, 8u));
        if (target_.read_available(RunAddress(*address), bytes) != bytes.size())
            return std::nullopt;
        return word;
    }

    std::optional<Culprit> divisor() {
        if (!effects_->divides) return std::nullopt;
        Culprit culprit;
        culprit.role = Culprit::Role::divisor;
        for (const MemoryAccess& access : effects_->memory)
            if (access.reads && !access.is_implied) {
                culprit.memory = access;
                culprit.value = read_by(access).value_or(0);
                return culprit;
            }
        for (const RegisterUse& use : effects_->registers)
            if (use.reads && !use.is_implied) {
                culprit.dwarf_register = use.dwarf_number;
                std::uint64_t whole = registers_.get(use.dwarf_number).value_or(0);
                culprit.value =
                    use.size < 8 ? whole & ((std::uint64_t{1} << (8 * use.size)) - 1) : whole;
                return culprit;
            }
        return std::nullopt;
    }

    // The processor does not say the address: it is one that can be none, or is not aligned.
    const MemoryAccess* refused() {
        const MemoryAccess* crooked = nullptr;
        for (const MemoryAccess& each : effects_->memory) {
            auto address = accessed_address(each, registers_, instruction_->next(), gs_base());
            if (address && !can_be_an_address(*address)) return &each;
            if (address && *address % each.alignment) crooked = &each;
        }
        return crooked;
    }

    // Where all that is added keeps the alignment, it is the pointer that lacks it.
    std::uint64_t alignment_missed(const MemoryAccess& access, std::uint64_t base) const {
        bool is_told = stop_.origin.code == BUS_ADRALN && stop_.signal == SIGBUS;
        std::uint64_t needed = is_told ? access.size : access.alignment;
        bool can_be = (is_told || stop_.origin.code == SI_KERNEL) && needed > 1 && !access.index;
        auto added = static_cast<std::uint64_t>(access.displacement);
        return can_be && base % needed && added % needed == 0 ? needed : 0;
    }

    std::optional<Culprit> pointer_or_index() {
        const MemoryAccess* access = nullptr;
        if (stop_.fault_address.value == 0 && stop_.origin.code == SI_KERNEL) {
            access = refused();
        } else {
            access = operand_at(*effects_, registers_, instruction_->next(), gs_base(),
                                stop_.fault_address);
        }
        bool is_usual = access && access->segment == MemoryAccess::Segment::none &&
                        !access->has_other_registers;
        if (!is_usual) return std::nullopt;
        auto held = [&](std::optional<unsigned> number) {
            return number ? registers_.get(*number) : std::nullopt;
        };
        auto base = held(access->base), index = held(access->index);
        bool is_of_frame =
            access->base == kStackPointerNumber || access->base == kProgramCounterNumber ||
            (access->base == kFramePointerNumber && base &&
             target_.region_at(RunAddress(*base)) == target_.region_at(registers_.stack_pointer()));
        bool leads_somewhere = base && target_.region_at(RunAddress(*base));
        Culprit culprit;
        culprit.accessed =
            stop_.fault_address.value
                ? stop_.fault_address.value
                : accessed_address(*access, registers_, instruction_->next(), gs_base());
        if (index && (is_of_frame || leads_somewhere || !base)) {
            culprit.role = Culprit::Role::index;
            culprit.dwarf_register = access->index;
            culprit.value = *index;
            return culprit;
        }
        bool is_near_null = access->displacement > -static_cast<std::int64_t>(kNearNull) &&
                            access->displacement < static_cast<std::int64_t>(kNearNull);
        if (!base && !index && is_near_null) {
            culprit.is_folded = true;
            return culprit;
        }
        if (!base || is_of_frame) return std::nullopt;
        culprit.dwarf_register = access->base;
        culprit.value = *base;
        if (can_be_an_address(*base)) culprit.alignment = alignment_missed(*access, *base);
        return culprit;
    }

    const Moment& moment_;
    Target& target_;
    const Stop& stop_;
    const Registers& registers_;
    std::optional<Instruction> instruction_;
    std::optional<Effects> effects_;
};

}  // namespace

std::optional<Culprit> culprit_of(const Moment& moment, const Stop& stop) {
    return CulpritSearch(moment, stop).culprit();
}

}  // namespace lantern
