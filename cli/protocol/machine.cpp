// readMemory, writeMemory, disassemble
#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "cli/protocol/base64.h"
#include "cli/protocol/request.h"
#include "core/analysis/disassembly_report.h"
#include "core/machine/instruction.h"
#include "core/support/error.h"

namespace lantern::cli {
namespace {

constexpr std::int64_t kMostBytes = 4 << 20;            // of one answer
constexpr std::int64_t kMostInstructionsTold = 50'000;  // of one answer

// Where the function that the byte is of begins, or its part that the byte is in.
std::optional<RunAddress> begin_of_function(Target& target, RunAddress address) {
    const Module* module = target.module_at(address);
    if (!module) return std::nullopt;
    FileAddress file = module->to_file(address);
    if (const Function* function = module->symbols().function_at(file))
        for (const FileRange& range : function->ranges)
            if (range.contains(file)) return module->to_run(range.low);
    if (auto nearest = module->symbols().nearest_name(file))
        return RunAddress(address.value - nearest->offset);
    return std::nullopt;
}

// The same for what lies just before an address: between functions lies what fills up, and belongs
// to none.
std::optional<RunAddress> begin_of_code_before(Target& target, RunAddress end) {
    constexpr std::uint64_t kMostFiller = 4096;
    for (std::uint64_t back = 1; back <= kMostFiller && back <= end.value; ++back)
        if (auto begin = begin_of_function(target, RunAddress(end.value - back))) return begin;
    return std::nullopt;
}

std::optional<Instruction> instruction_there(Target& target, RunAddress at) {
    std::byte bytes[kLongestInstruction];
    std::size_t got = target.read_available(at, bytes);
    return decode_instruction(ByteSpan(bytes, got), at);
}

// The instructions before an address, the nearest last: from where code begins they are sure.
std::vector<RunAddress> instructions_before(Target& target, RunAddress end, std::size_t count) {
    std::vector<RunAddress> all;
    RunAddress upper = end;
    while (all.size() < count) {
        auto begin = begin_of_code_before(target, upper);
        if (!begin || *begin >= upper) break;
        std::vector<RunAddress> part;
        for (RunAddress at = *begin; at < upper;) {
            auto instruction = instruction_there(target, at);
            part.push_back(at);
            at = instruction ? instruction->next() : RunAddress(at.value + 1);
        }
        all.insert(all.begin(), part.begin(), part.end());
        upper = *begin;
    }
    if (all.size() > count) all.erase(all.begin(), all.end() - static_cast<std::ptrdiff_t>(count));
    return all;
}

// How many of so many bytes cannot be read, from the first on: what lies behind the gap may be
// readable again.
std::uint64_t unreadable_from(Target& target, RunAddress begin, std::uint64_t most) {
    constexpr std::uint64_t kPage = 4096;
    std::uint64_t length = 0;
    std::byte probe;
    while (length < most && target.read_available(begin + length, std::span(&probe, 1)) == 0)
        length += kPage - (begin.value + length) % kPage;
    return std::min(length, most);
}

Json no_instruction(RunAddress at) {
    return {{"address", reference_to(at)},
            {"instruction", "(no code)"},
            {"presentationHint", "invalid"}};
}

struct InstructionWriter {
    Conversation& conversation;
    bool with_symbols = false;
    std::string told_file{};
    std::uint32_t told_line = 0;

    Json operator()(RunAddress at, ByteSpan bytes, const Instruction& instruction) {
        Json json{{"address", reference_to(at)}, {"instruction", instruction_text(bytes, at)}};
        std::string hex;
        for (std::size_t i = 0; i < instruction.length; ++i)
            hex += fmt::format("{}{:02x}", i ? " " : "", static_cast<unsigned>(bytes[i]));
        json["instructionBytes"] = hex;
        const Module* module = conversation.session().target().module_at(at);
        if (!module) return json;
        FileAddress file = module->to_file(at);
        if (with_symbols)
            if (auto name = module->symbols().nearest_name(file))
                json["symbol"] =
                    name->offset ? fmt::format("{} + {}", name->name, name->offset) : name->name;
        auto line = module->symbols().line_at(file);
        if (!line || (line->file == told_file && line->line == told_line)) return json;
        if (line->file != told_file) json["location"] = source_json(conversation, line->file);
        json["line"] = conversation.client.line_out(line->line);
        told_file = line->file;
        told_line = line->line;
        return json;
    }
};

}  // namespace

std::string reference_to(RunAddress address) {
    return fmt::format("{:#x}", address.value);
}

RunAddress address_of_reference(const Arguments& arguments, const char* name) {
    std::string text = arguments.text(name);
    std::string_view digits = text;
    int base = 10;
    if (digits.starts_with("0x") || digits.starts_with("0X")) {
        digits.remove_prefix(2);
        base = 16;
    }
    std::uint64_t number = 0;
    auto [end, error] = std::from_chars(digits.data(), digits.data() + digits.size(), number, base);
    if (error != std::errc() || end != digits.data() + digits.size())
        throw RequestError(fmt::format("{} is no address", text), "0x55555555513b, for example");
    return RunAddress(number + static_cast<std::uint64_t>(arguments.number("offset").value_or(0)));
}

Json answer_read_memory(Conversation& conversation, const Arguments& arguments) {
    Session& session = conversation.session();
    if (!session.has_threads()) conversation.standing();  // refuses
    RunAddress address = address_of_reference(arguments, "memoryReference");
    std::int64_t count = arguments.needed_number("count");
    if (count < 0) throw RequestError("count is the number of bytes");
    std::vector<std::byte> bytes(static_cast<std::size_t>(std::min(count, kMostBytes)));
    std::size_t got = session.target().read_available(address, bytes);
    Json body{{"address", reference_to(address)}};
    if (got) body["data"] = base64_of(ByteSpan(bytes).first(got));
    if (got < bytes.size())
        body["unreadableBytes"] =
            unreadable_from(session.target(), address + got, bytes.size() - got);
    return body;
}

Json answer_write_memory(Conversation& conversation, const Arguments& arguments) {
    Session& session = conversation.standing();
    RunAddress address = address_of_reference(arguments, "memoryReference");
    auto bytes = bytes_of_base64(arguments.text("data"));
    if (!bytes) throw RequestError("the data is not written in base 64");
    std::size_t count = bytes->size();
    if (arguments.is_true("allowPartial")) {
        std::vector<std::byte> now(count);
        count = session.target().read_available(address, now);
    }
    session.write_memory(address, ByteSpan(*bytes).first(count));
    conversation.then([&conversation, address, count] {
        if (conversation.client.takes_memory_events)
            conversation.wire().tell(
                "memory",
                {{"memoryReference", reference_to(address)}, {"offset", 0}, {"count", count}});
        conversation.tell_changed("variables");
    });
    return {{"bytesWritten", count}};
}

Json answer_disassemble(Conversation& conversation, const Arguments& arguments) {
    Session& session = conversation.session();
    if (!session.has_threads()) conversation.standing();  // refuses
    Target& target = session.target();
    RunAddress at = address_of_reference(arguments, "memoryReference");
    std::int64_t skipped = arguments.number("instructionOffset").value_or(0);
    std::int64_t count = arguments.needed_number("instructionCount");
    if (count < 0 || count > kMostInstructionsTold || skipped < -kMostInstructionsTold ||
        skipped > kMostInstructionsTold)
        throw RequestError(fmt::format("{} instructions are the most", kMostInstructionsTold));
    InstructionWriter write{conversation, arguments.is_true("resolveSymbols")};
    Json all = Json::array();
    auto add = [&](RunAddress there) -> RunAddress {
        std::byte bytes[kLongestInstruction];
        std::size_t got = target.read_available(there, bytes);
        ByteSpan readable(bytes, got);
        auto instruction = decode_instruction(readable, there);
        if (instruction) {
            all.push_back(write(there, readable, *instruction));
            return instruction->next();
        }
        all.push_back(no_instruction(there));
        return RunAddress(there.value + 1);
    };
    if (skipped < 0) {
        std::size_t wanted = static_cast<std::size_t>(-skipped);
        auto before = instructions_before(target, at, wanted);
        // Exactly so many are answered: what is before all code is filled up.
        for (std::size_t i = before.size(); i < wanted && std::cmp_less(all.size(), count); ++i)
            all.push_back(no_instruction(RunAddress(at.value - (wanted - i))));
        for (RunAddress there : before)
            if (std::cmp_less(all.size(), count)) add(there);
    }
    for (; skipped > 0; --skipped) {
        auto instruction = instruction_there(target, at);
        at = instruction ? instruction->next() : RunAddress(at.value + 1);
    }
    while (std::cmp_less(all.size(), count)) at = add(at);
    return {{"instructions", std::move(all)}};
}

}  // namespace lantern::cli
