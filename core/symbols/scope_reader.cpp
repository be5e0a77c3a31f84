#include "core/symbols/scope_reader.h"

#include <algorithm>

#include "core/dwarf/ranges.h"
#include "core/symbols/producer.h"

namespace lantern {

using namespace dwarf;

FunctionBody ScopeReader::read(const Function& function) const {
    FunctionBody body;
    auto entry = info_.entry_at(function.entry_offset);
    if (!entry) return body;
    body.outermost.ranges = function.ranges;
    body.frame_base = locations_of(*entry, DW_AT_frame_base);
    // What it returns may stand at its abstract origin or at the declaration behind that.
    body.returned = &void_type();
    bool has_type = false;
    for (const Entry& each : info_.with_origins(*entry)) {
        body.is_external |= each.flag(DW_AT_external);
        body.is_called_otherwise |=
            each.number(DW_AT_calling_convention).value_or(0) == DW_CC_nocall;
        if (has_type || !each.has(DW_AT_type)) continue;
        body.returned = types_.type_of(each);
        has_type = true;
    }
    body.is_recorded_unoptimised = recorded_optimisation(entry->unit().root().producer) == "-O0";
    read_scope(body.outermost, *entry, 0);
    return body;
}

void ScopeReader::read_scope(Scope& scope, const Entry& entry, int depth) const {
    if (depth > 300) return;
    for_each_child(entry, [&](const Entry& child) {
        switch (child.tag()) {
            case DW_TAG_formal_parameter:
            case DW_TAG_variable: {
                Variable variable = read_variable(child);
                if (!variable.name.empty())
                    scope.variables.push_back(std::move(variable));
                else if (variable.is_parameter && !scope.unnamed)
                    scope.unnamed = std::make_unique<Variable>(std::move(variable));
                break;
            }
            case DW_TAG_lexical_block:
            case DW_TAG_try_block:
            case DW_TAG_inlined_subroutine: {
                auto inner = std::make_unique<Scope>();
                inner->ranges = ranges_of(child);
                if (child.tag() == DW_TAG_inlined_subroutine)
                    inner->inlined = read_inlined_call(child);
                inner->parent = depth == 0 ? nullptr : &scope;
                inner->around = scope.inlined ? &scope : scope.around;
                read_scope(*inner, child, depth + 1);
                // A block may claim nothing itself and leave the claims to the blocks in it.
                if (inner->ranges.empty())
                    for (const auto& within : inner->inner)
                        inner->ranges.insert(inner->ranges.end(), within->ranges.begin(),
                                             within->ranges.end());
                scope.inner.push_back(std::move(inner));
                break;
            }
            default: break;
        }
    });
}

namespace {

bool may_hold_code(const Entry& entry) {
    return entry.tag() == DW_TAG_lexical_block || entry.tag() == DW_TAG_try_block ||
           entry.tag() == DW_TAG_inlined_subroutine;
}

}  // namespace

// True if something inside of `parent` claims `pc`.
bool ScopeReader::descend(const Entry& parent, FileAddress pc, std::vector<InlinedCall>& calls,
                          int depth) const {
    if (depth > 300) return false;
    bool is_claimed = false;
    for (auto child = parent.first_child(); child; child = child->next_sibling()) {
        if (!may_hold_code(*child)) continue;
        std::vector<FileRange> ranges = ranges_of(*child);
        if (!ranges.empty() && !any_contains(ranges, pc)) continue;
        std::size_t before = calls.size();
        if (child->tag() == DW_TAG_inlined_subroutine) calls.push_back(read_inlined_call(*child));
        // A block may claim nothing itself and leave the claims to the blocks in it.
        bool is_here = descend(*child, pc, calls, depth + 1) || !ranges.empty();
        if (is_here && calls.size() > before) return true;
        is_claimed |= is_here;  // one that lies beside it may hold a call
        if (!is_here) calls.resize(before);
    }
    return is_claimed;
}

std::vector<InlinedCall> ScopeReader::inlined_at(const Function& function, FileAddress pc) const {
    std::vector<InlinedCall> calls;
    if (auto entry = info_.entry_at(function.entry_offset)) descend(*entry, pc, calls, 0);
    std::reverse(calls.begin(), calls.end());
    return calls;
}

InlinedCall ScopeReader::read_inlined_call(const Entry& entry) const {
    InlinedCall call;
    if (auto origin = info_.referred(entry, DW_AT_abstract_origin)) {
        call.name = name_of_(*origin);
        // With link-time optimisation the origin has an origin.
        for (int hops = 0; hops < 4; ++hops) {
            auto next = info_.referred(*origin, DW_AT_abstract_origin);
            if (!next) break;
            origin = next;
        }
        call.origin = origin->offset();
    }
    auto at = entry.attribute(DW_AT_entry_pc);
    auto low = entry.attribute(DW_AT_low_pc);
    if (at && at->form_class == FormClass::address)
        call.entry = FileAddress(at->number);
    else if (at && low)
        call.entry =
            FileAddress(low->number + at->number);  // an offset from the low pc (DWARF 5 §2.18)
    else if (low)
        call.entry = FileAddress(low->number);
    if (call.entry && call.entry->value == 0) call.entry.reset();
    if (auto view = entry.number(DW_AT_GNU_entry_view))
        call.entry_view = static_cast<std::uint32_t>(*view);
    call.call_line = static_cast<std::uint32_t>(entry.number(DW_AT_call_line).value_or(0));
    call.call_column = static_cast<std::uint32_t>(entry.number(DW_AT_call_column).value_or(0));
    if (auto file = entry.number(DW_AT_call_file)) call.call_file = file_name_(entry.unit(), *file);
    return call;
}

namespace {

// Before DWARF 5 the return address is the call's "low pc".
std::optional<FileAddress> address_of(const Entry& entry, At name) {
    auto at = entry.attribute(name);
    return at && at->form_class == FormClass::address ? std::optional(FileAddress(at->number))
                                                      : std::nullopt;
}

bool returns_to(const Entry& call, FileAddress address) {
    for (At name : {DW_AT_call_return_pc, DW_AT_low_pc})
        if (auto at = address_of(call, name)) return *at == address;
    return false;
}

ByteSpan expression_of(const Entry& entry, std::initializer_list<At> names) {
    for (At name : names)
        if (auto value = entry.attribute(name)) return value->block;
    return {};
}

}  // namespace

std::optional<CallSite> ScopeReader::call_site_at(const Function& function,
                                                  FileAddress return_address) const {
    auto entry = info_.entry_at(function.entry_offset);
    return entry ? find_call_site(*entry, return_address, 0) : std::nullopt;
}

std::vector<TailCall> ScopeReader::tail_calls_of(const Function& function) const {
    std::vector<TailCall> found;
    if (auto entry = info_.entry_at(function.entry_offset)) find_tail_calls(*entry, found, 0);
    return found;
}

void ScopeReader::find_tail_calls(const Entry& parent, std::vector<TailCall>& found,
                                  int depth) const {
    if (depth > 300) return;
    for (auto child = parent.first_child(); child; child = child->next_sibling()) {
        if (may_hold_code(*child)) {
            find_tail_calls(*child, found, depth + 1);
            continue;
        }
        bool is_call = child->tag() == DW_TAG_call_site || child->tag() == DW_TAG_GNU_call_site;
        if (!is_call || !(child->flag(DW_AT_call_tail_call) || child->flag(DW_AT_GNU_tail_call)))
            continue;
        TailCall call;
        // Compilers say where the jump is, or where it would return to.
        for (At name : {DW_AT_call_pc, DW_AT_call_return_pc, DW_AT_low_pc}) {
            auto at = address_of(*child, name);
            if (!at) continue;
            call.at = name == DW_AT_call_pc ? *at : *at - 1;
            break;
        }
        for (At name : {DW_AT_call_origin, DW_AT_abstract_origin})
            if (auto callee = info_.referred(*child, name)) call.callee = callee->offset();
        if (call.at.value) found.push_back(call);
    }
}

std::optional<CallSite> ScopeReader::find_call_site(const Entry& parent, FileAddress return_address,
                                                    int depth) const {
    if (depth > 300) return std::nullopt;
    for (auto child = parent.first_child(); child; child = child->next_sibling()) {
        if (may_hold_code(*child)) {
            if (auto found = find_call_site(*child, return_address, depth + 1)) return found;
            continue;
        }
        bool is_call = child->tag() == DW_TAG_call_site || child->tag() == DW_TAG_GNU_call_site;
        if (!is_call || !returns_to(*child, return_address)) continue;
        CallSite site;
        site.unit = &child->unit();
        for (At name : {DW_AT_call_origin, DW_AT_abstract_origin})
            if (auto callee = info_.referred(*child, name)) site.callee = callee->offset();
        site.target = expression_of(*child, {DW_AT_call_target, DW_AT_GNU_call_site_target});
        for_each_child(*child, [&](const Entry& parameter) {
            if (parameter.tag() != DW_TAG_call_site_parameter &&
                parameter.tag() != DW_TAG_GNU_call_site_parameter)
                return;
            site.parameters.push_back(
                {expression_of(parameter, {DW_AT_location}),
                 expression_of(parameter, {DW_AT_call_value, DW_AT_GNU_call_site_value})});
        });
        return site;
    }
    return std::nullopt;
}

Variable ScopeReader::read_variable(const Entry& entry) const {
    Variable variable;
    variable.unit = &entry.unit();
    variable.entry_offset = entry.offset();
    variable.is_parameter = entry.tag() == DW_TAG_formal_parameter;
    variable.locations = locations_of(entry);
    if (auto constant = entry.attribute(DW_AT_const_value)) variable.constant = constant;
    // Name, type, linkage and place of declaration may stand at an abstract origin or at a
    // declaration.
    for (const Entry& each : info_.with_origins(entry)) {
        variable.is_external |= each.flag(DW_AT_external);
        variable.is_artificial |= each.flag(DW_AT_artificial);
        if (variable.name.empty()) variable.name = each.text(DW_AT_name).value_or("");
        if (!variable.type && each.has(DW_AT_type)) variable.type = types_.type_of(each);
        if (!variable.declared_line) {
            variable.declared_line =
                static_cast<std::uint32_t>(each.number(DW_AT_decl_line).value_or(0));
            if (auto file = each.number(DW_AT_decl_file))
                variable.declared_in = file_name_(each.unit(), *file);
        }
        if (!variable.constant)
            if (auto constant = each.attribute(DW_AT_const_value)) variable.constant = constant;
    }
    if (!variable.type) variable.type = &void_type();
    return variable;
}

}  // namespace lantern
