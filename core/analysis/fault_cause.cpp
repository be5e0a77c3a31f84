#include "core/analysis/fault_cause.h"

#include <fmt/format.h>
#include <signal.h>
#include <sys/stat.h>

#include "core/analysis/address_note.h"
#include "core/analysis/culprit.h"
#include "core/analysis/faulting_operand.h"
#include "core/analysis/stack_fault.h"
#include "core/machine/effects.h"
#include "core/machine/instruction.h"
#include "core/session/heap_events.h"
#include "core/support/text.h"
#include "core/target/code_at.h"
#include "core/unwind/call_before.h"

namespace lantern {
namespace {

constexpr std::uint64_t kFarFromNull =
    1 << 20;  // a member or element of a null pointer, where its register is known to be zero

std::string number_or_text(std::uint64_t number) {
    std::string text = text_of_word(number);
    return text.empty() ? fmt::format("{:#x}", number)
                        : fmt::format("{:#x}, the text {}", number, text);
}

// One fault: the instruction as far as it can be read, and what it accesses.
class Fault {
  public:
    Fault(const Moment& moment, const Stop& stop)
        : moment_(moment),
          target_(moment.target()),
          stop_(stop),
          registers_(target_.registers(stop.thread)),
          pc_(registers_.program_counter()),
          at_(stop.fault_address) {
        auto found = whole_instruction_at(target_, pc_);
        if (!found) return;
        instruction_ = found->instruction;
        effects_ = effects_of(found->bytes());
        text_ = instruction_text(found->bytes(), pc_);
    }

    std::string memory_cause() {
        if (code_is_missing()) return no_code_to_read();
        if (stop_.origin.code == SI_KERNEL || (at_.value == 0 && stop_.origin.code == 0))
            return refused();
        if (at_ == pc_ || !is_executable(pc_)) return jumped();
        if (!instruction_ || !effects_)
            return fmt::format("it touched address {:#x}{}; the instruction there cannot be read",
                               at_.value, what_is_there(false, false));
        const MemoryAccess* access = access_at(at_);
        if (!access)
            return fmt::format("it touched address {:#x}{}", at_.value,
                               what_is_there(false, false));
        // The kernel does not say at which address alignment was missed.
        if (at_.value == 0 && stop_.signal == SIGBUS)
            at_ = RunAddress(address_of(*access).value_or(0));
        return fmt::format("it {} address {:#x}{}{}", verb(*access), at_.value,
                           segment_words(*access), place_words(*access));
    }

    std::string arithmetic_cause() {
        if (code_is_missing()) return no_code_to_read();
        if (!effects_ || !effects_->divides) {
            switch (stop_.origin.code) {
                case FPE_FLTDIV:
                    return "it divided a floating number by zero, and the program asks to be told "
                           "(feenableexcept)";
                case FPE_FLTINV:
                    return "an operation on floating numbers had no result, and the program asks "
                           "to be told (feenableexcept)";
                case FPE_FLTOVF:
                case FPE_FLTUND:
                case FPE_FLTRES:
                    return "the result of an operation on floating numbers did not fit, and the "
                           "program asks to be told (feenableexcept)";
                default: return "it divided a whole number by zero, or the result did not fit";
            }
        }
        auto divisor = divisor_value();
        if (!divisor) return "it divided a whole number by zero, or the result did not fit";
        if (*divisor == 0) return "it divided a whole number by zero";
        bool is_minus_one = mnemonic() == "idiv" && (*divisor & 0xffffffff) == 0xffffffff;
        return is_minus_one ? "it divided a whole number and the result did not fit: the smallest "
                              "number there is by -1"
                            : "it divided a whole number and the result did not fit";
    }

    std::string instruction_cause() {
        if (code_is_missing()) return no_code_to_read();
        if (!instruction_) return "it came to bytes that are no instruction of this processor";
        if (instruction_->kind == Instruction::Kind::stops)
            return fmt::format(
                "it came to {}, the instruction that compilers put where a program must never "
                "come: a trap of its own, or behind code that was thought not to return",
                mnemonic());
        return fmt::format("this processor, or this system, does not have the instruction {}",
                           mnemonic());
    }

    std::optional<bool> writes() {
        const MemoryAccess* access = instruction_ && effects_ ? access_at(at_) : nullptr;
        return access ? std::optional(access->writes) : std::nullopt;
    }

  private:
    std::string mnemonic() const { return text_.substr(0, text_.find(' ')); }

    // ---- what can be known

    bool is_readable(RunAddress address) {
        std::byte probe;
        return target_.read_available(address, std::span(&probe, 1)) == 1;
    }
    bool is_executable(RunAddress address) {
        const MemoryRegion* region = target_.region_at(address);
        return region ? region->permissions.size() > 2 && region->permissions[2] == 'x'
                      : is_readable(address);
    }

    // Of a core: the process had code there, and the core does not hold it, or the file that does
    // is another build.
    bool code_is_missing() {
        if (!target_.is_kept()) return false;
        const MemoryRegion* region = target_.region_at(pc_);
        return region && is_executable(pc_) && !is_readable(pc_);
    }
    std::string no_code_to_read() const {
        std::string where = at_.value ? fmt::format(" at address {:#x}", at_.value) : "";
        return fmt::format(
            "a fault{}; what the instruction did cannot be told, for the core does not hold it, "
            "and the file it came from is not here or is another build",
            where);
    }

    // ---- an instruction that never ran, because there is none

    std::string jumped() {
        std::string how = how_it_came();
        if (pc_.value == 0)
            return how == "called" ? "it called a function through a null pointer"
                   : how == "returned"
                       ? "it returned to address 0: its return address has been overwritten"
                       : "it went on at address 0: a null pointer was called, or returned to";
        const MemoryRegion* region = target_.region_at(pc_);
        std::string there = region ? fmt::format("{}, which may not be executed", described(pc_))
                                   : "where nothing is mapped";
        if (how == "called")
            return fmt::format("it called a function through a wild pointer: {}, {}",
                               number_or_text(pc_.value), there);
        if (how == "returned")
            return fmt::format(
                "it returned to address {}, {}: its return address has been overwritten",
                number_or_text(pc_.value), there);
        return fmt::format("it went on at address {}, {}", number_or_text(pc_.value), there);
    }

    // By what lies on the stack: a call has just put its return address there, a return has just
    // taken its own away.
    std::string how_it_came() {
        RunAddress top = registers_.stack_pointer();
        std::uint64_t word = 0, below = 0;
        if (target_.read_available(top, std::as_writable_bytes(std::span(&word, 1))) ==
                sizeof word &&
            call_before(target_, RunAddress(word)))
            return "called";
        bool has_below =
            target_.read_available(top - sizeof below,
                                   std::as_writable_bytes(std::span(&below, 1))) == sizeof below;
        return has_below && below == pc_.value ? "returned" : "";
    }

    // ---- what the processor refuses without giving an address

    std::string refused() {
        if (!instruction_ || !effects_)
            return "the processor refused to go on here, without saying why; the bytes here are no "
                   "instruction";
        if (effects_->is_privileged)
            return fmt::format("it came to {}, which only the kernel may run", mnemonic());
        if (instruction_->kind == Instruction::Kind::returns) return bad_return();
        if (std::string target = bad_target(); !target.empty()) return target;
        for (const MemoryAccess& access : effects_->memory) {
            auto address = address_of(access);
            if (!address) continue;
            if (!can_be_an_address(*address)) return wild_access(access, *address);
            if (*address % access.alignment) return misaligned(access, *address);
        }
        if (mnemonic() == "int")
            return fmt::format("it asked for the interrupt {}, which the kernel does not offer",
                               text_.substr(std::min(text_.size(), mnemonic().size() + 1)));
        return fmt::format("the processor refused the instruction {}, without saying why", text_);
    }

    std::string misaligned(const MemoryAccess& access, std::uint64_t address) {
        return fmt::format(
            "it {} {} bytes at address {:#x}, which is no multiple of {}: {} takes aligned "
            "addresses only",
            verb(access) == "wrote to" ? "wrote" : "read", access.size, address, access.alignment,
            mnemonic());
    }

    std::string wild_access(const MemoryAccess& access, std::uint64_t address) {
        if (access.is_implied && access.base == kStackPointerNumber)
            return fmt::format("its stack pointer is wrong: {:#x} can be no address",
                               registers_.stack_pointer().value);
        std::string which;
        for (auto number : {access.base, access.index}) {
            auto value = number ? registers_.get(*number) : std::nullopt;
            if (value && !can_be_an_address(*value)) {
                std::string text = text_of_word(*value);
                std::string held = *value == address
                                       ? fmt::format("in {}", register_name(*number))
                                       : fmt::format("{} = {:#x}", register_name(*number), *value);
                which = fmt::format(" ({}{})", held, text.empty() ? "" : ", the text " + text);
                break;
            }
        }
        return fmt::format("it {} memory through a wild pointer: {:#x} can be no address{}",
                           verb(access) == "wrote to" ? "wrote to" : "read", address, which);
    }

    std::string bad_return() {
        std::uint64_t word = 0;
        RunAddress top = registers_.stack_pointer();
        if (!can_be_an_address(top.value))
            return fmt::format(
                "it could not return: the stack pointer is wrong, {:#x} can be no address",
                top.value);
        if (target_.read_available(top, std::as_writable_bytes(std::span(&word, 1))) != sizeof word)
            return "it could not return: its stack cannot be read";
        if (can_be_an_address(word))
            return "it could not return, and the processor does not say why";
        std::string text = text_of_word(word);
        return fmt::format("it could not return: its return address has been overwritten with {}",
                           text.empty() ? fmt::format("{:#x}", word) : "the text " + text);
    }

    // Where a call or jump through a register or memory leads; 0 where that cannot be told.
    std::uint64_t computed_target() {
        std::uint64_t target = 0;
        for (const RegisterUse& use : effects_->registers)
            if (use.reads && !use.is_implied && use.dwarf_number != kStackPointerNumber)
                target = registers_.get(use.dwarf_number).value_or(0);
        for (const MemoryAccess& access : effects_->memory) {
            if (access.is_implied) continue;
            auto address = address_of(access);
            target = 0;
            if (address && can_be_an_address(*address))
                target_.read_available(RunAddress(*address),
                                       std::as_writable_bytes(std::span(&target, 1)));
        }
        return target;
    }

    // A call or jump to what can be no address.
    std::string bad_target() {
        bool calls = instruction_->kind == Instruction::Kind::call;
        if ((!calls && instruction_->kind != Instruction::Kind::jump) || instruction_->target)
            return {};
        std::uint64_t target = computed_target();
        if (can_be_an_address(target)) return {};
        return fmt::format("it {} through a wild pointer: {} can be no address",
                           calls ? "called a function" : "jumped", number_or_text(target));
    }

    // ---- an address that is told

    std::optional<std::uint64_t> address_of(const MemoryAccess& access) {
        return accessed_address(access, registers_, instruction_->next(),
                                target_.system_registers(stop_.thread).gs_base);
    }

    const MemoryAccess* access_at(RunAddress address) {
        return operand_at(*effects_, registers_, instruction_->next(),
                          target_.system_registers(stop_.thread).gs_base, address);
    }

    static std::string verb(const MemoryAccess& access) {
        return access.writes ? "wrote to" : "read";
    }

    std::string segment_words(const MemoryAccess& access) {
        if (access.segment == MemoryAccess::Segment::none) return {};
        bool is_fs = access.segment == MemoryAccess::Segment::fs;
        std::uint64_t base =
            is_fs ? registers_.thread_base : target_.system_registers(stop_.thread).gs_base;
        return fmt::format(" (relative to {}, which is {:#x})", is_fs ? "fs" : "gs", base);
    }

    std::string place_words(const MemoryAccess& access) {
        bool has_segment = access.segment != MemoryAccess::Segment::none;
        if (stop_.signal == SIGBUS) return bus_words();
        if (has_segment) return what_is_there(access.writes, false);
        bool by_stack = access.base == kStackPointerNumber || access.base == kFramePointerNumber ||
                        access.is_implied;
        if (std::string stack = stack_fault_cause(moment_, stop_.thread, at_, by_stack);
            !stack.empty())
            return stack;
        auto base = access.base ? registers_.get(*access.base) : std::nullopt;
        bool from_null = base && *base == 0 && *access.base != kProgramCounterNumber;
        if (at_.value < kNearNull || (from_null && at_.value < kFarFromNull))
            return ", where nothing is mapped: a null pointer was followed" +
                   (at_.value >= kNearNull ? fmt::format(", {} bytes in", with_thousands(at_.value))
                                           : "");
        return what_is_there(access.writes, true);
    }

    std::string described(RunAddress address) {
        std::string text = moment_.surroundings().describe(address);
        const Module* module = target_.module_at(address);
        if (module) {
            std::string section = section_words(*module, address);
            if (!section.empty()) text = section;
        }
        if (text.empty()) return "in memory";
        if (text.find("heap block") != std::string::npos)
            return text.starts_with("byte ") || text.starts_with("one ") ? text : "a " + text;
        if (text.starts_with("in ")) return text;
        return (text.starts_with("memory") ? "in " : "in the ") + text;
    }

    static std::string section_words(const Module& module, RunAddress address) {
        std::string name = module.path().substr(module.path().rfind('/') + 1);
        for (const Section& section : module.symbols().elf().sections()) {
            FileAddress at = module.to_file(address);
            if (section.address.value == 0 || at < section.address ||
                section.address + section.size <= at)
                continue;
            if (section.name.starts_with(".rodata")) return "in the constants of " + name;
            if (section.name.starts_with(".text")) return "in the code of " + name;
        }
        return {};
    }

    // What lies at the address, and what it may be used for.
    std::string what_is_there(bool writes, bool is_memory) {
        if (stop_.signal == SIGBUS) return bus_words();
        if (auto heap = heap_fault_at(moment_, at_)) return ", " + heap->what;
        const MemoryRegion* region = target_.region_at(at_);
        if (!region) {
            if (is_readable(at_)) return ", where that is not allowed";
            return ", where nothing is mapped" + neighbour();
        }
        if (region->permissions.starts_with("---"))
            return fmt::format(", {}, which nobody may use", described(at_));
        if (stop_.origin.code == SEGV_PKUERR)
            return fmt::format(", {}, which a protection key bars", described(at_));
        bool may_write = region->permissions.size() > 1 && region->permissions[1] == 'w',
             may_read = region->permissions.starts_with("r");
        if (writes && !may_write)
            return fmt::format(", {}, which may only be read", described(at_));
        if (is_memory && !writes && !may_read)
            return fmt::format(", {}, which may not be read", described(at_));
        return ", where that was not allowed";
    }

    // Just behind something that is mapped.
    std::string neighbour() {
        constexpr std::uint64_t kNear = 64 << 10;
        const MemoryRegion* before = nullptr;
        for (const MemoryRegion& region : target_.regions())
            if (region.end <= at_) before = &region;
        if (!before || at_ - before->end >= kNear) return {};
        std::string what = before->name == "[heap]" ? "the heap"
                           : before->name.empty()
                               ? "anonymous memory"
                               : before->name.substr(before->name.rfind('/') + 1);
        return fmt::format(", {} behind the end of {}",
                           at_ == before->end ? std::string("right")
                                              : with_thousands(at_ - before->end) + " bytes",
                           what);
    }

    std::string bus_words() {
        if (stop_.origin.code == BUS_ADRALN)
            return ", which is not aligned as the program asked the processor to check";
        const MemoryRegion* region = target_.region_at(at_);
        if (!region || region->name.empty() || region->name.front() != '/')
            return ", which the system could not provide";
        std::string name = region->name.substr(region->name.rfind('/') + 1);
        struct stat about {};
        bool known = !target_.is_kept() && stat(region->name.c_str(), &about) == 0;
        return fmt::format(
            ", behind the end of {}, which is mapped there{}", name,
            known ? fmt::format(" and has {} now",
                                counted(static_cast<std::uint64_t>(about.st_size), "byte"))
                  : "");
    }

    // ---- division

    std::optional<std::uint64_t> divisor_value() {
        for (const MemoryAccess& access : effects_->memory) {
            auto address = address_of(access);
            std::uint64_t number = 0;
            if (address &&
                target_.read_available(RunAddress(*address),
                                       std::as_writable_bytes(std::span(&number, 1))
                                           .first(std::min<std::size_t>(access.size, 8))) ==
                    std::min<std::size_t>(access.size, 8))
                return number;
            return std::nullopt;
        }
        for (const RegisterUse& use : effects_->registers) {
            if (use.is_implied || use.writes) continue;
            auto value = registers_.get(use.dwarf_number);
            if (!value) return std::nullopt;
            return use.size >= 8 ? *value : *value & ((std::uint64_t{1} << use.size * 8) - 1);
        }
        return std::nullopt;
    }

    const Moment& moment_;
    Target& target_;
    const Stop& stop_;
    Registers registers_;
    RunAddress pc_, at_;
    std::optional<Instruction> instruction_;
    std::optional<Effects> effects_;
    std::string text_;
};

}  // namespace

std::optional<bool> writes_at_fault(const Moment& moment, const Stop& stop) {
    return Fault(moment, stop).writes();
}

std::string memory_fault_cause(const Moment& moment, const Stop& stop) {
    return Fault(moment, stop).memory_cause();
}
std::string arithmetic_fault_cause(const Moment& moment, const Stop& stop) {
    return Fault(moment, stop).arithmetic_cause();
}
std::string instruction_fault_cause(const Moment& moment, const Stop& stop) {
    return Fault(moment, stop).instruction_cause();
}

}  // namespace lantern
