#include "cli/protocol/wire.h"

#include <fmt/format.h>
#include <poll.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>

#include "cli/log.h"

namespace lantern::cli {
namespace {

constexpr std::size_t kMostWaiting = 10000;  // messages; whoever sends more is not listening

Received received(MessageReader::Read read) {
    if (!read.problem.empty()) return {{}, std::move(read.problem)};
    log_line("protocol, came: " + read.content);
    // No exceptions: what does not parse is told.
    Json message = Json::parse(read.content, nullptr, false);
    if (message.is_discarded()) return {{}, "the content of a message is no JSON"};
    if (!message.is_object()) return {{}, "the content of a message is no JSON object"};
    return {std::move(message), {}};
}

}  // namespace

std::int64_t request_number(const Json& request) {
    auto found = request.find("seq");
    return found != request.end() && found->is_number_integer() ? found->get<std::int64_t>() : 0;
}

std::string request_command(const Json& request) {
    auto found = request.find("command");
    return found != request.end() && found->is_string() ? found->get<std::string>() : "";
}

bool Wire::take() {
    char bytes[1 << 16];
    pollfd ready{input_, POLLIN, 0};
    while (!is_gone_ && received_.size() < kMostWaiting && poll(&ready, 1, 0) > 0) {
        ssize_t got = read(input_, bytes, sizeof bytes);
        if (got < 0 && (errno == EINTR || errno == EAGAIN)) continue;
        if (got <= 0) {
            is_gone_ = true;
            break;
        }
        reader_.feed(std::string_view(bytes, static_cast<std::size_t>(got)));
        while (auto read = reader_.next()) received_.push_back(received(std::move(*read)));
    }
    return !is_gone_;
}

std::optional<Received> Wire::next() {
    if (received_.empty()) return std::nullopt;
    Received first = std::move(received_.front());
    received_.pop_front();
    return first;
}

std::optional<Received> Wire::next_of(const std::function<bool(const Received&)>& wanted,
                                      const std::function<bool(const Received&)>& may_pass) {
    auto found = std::ranges::find_if(
        received_, [&](const Received& each) { return wanted(each) || !may_pass(each); });
    if (found == received_.end() || !wanted(*found)) return std::nullopt;
    Received taken = std::move(*found);
    received_.erase(found);
    return taken;
}

void Wire::respond(const Json& request, Json body) {
    Json message{{"type", "response"},
                 {"request_seq", request_number(request)},
                 {"success", true},
                 {"command", request_command(request)}};
    if (!body.is_null()) message["body"] = std::move(body);
    send(std::move(message));
}

void Wire::refuse(const Json& request, const std::string& message, const std::string& details) {
    send({{"type", "response"},
          {"request_seq", request_number(request)},
          {"success", false},
          {"command", request_command(request)},
          {"message", message},
          {"body", {{"error", {{"id", 1}, {"format", details}, {"showUser", false}}}}}});
}

void Wire::tell(const std::string& event, Json body) {
    Json message{{"type", "event"}, {"event", event}};
    if (!body.is_null()) message["body"] = std::move(body);
    send(std::move(message));
}

unsigned Wire::ask(const std::string& command, Json arguments) {
    send({{"type", "request"}, {"command", command}, {"arguments", std::move(arguments)}});
    return sent_;
}

void Wire::send(Json message) {
    if (is_gone_) return;
    message["seq"] = ++sent_;
    // Names and source text may hold any bytes.
    std::string content = message.dump(-1, ' ', false, Json::error_handler_t::replace);
    log_line("protocol, went: " + content);
    std::string whole = fmt::format("Content-Length: {}\r\n\r\n{}", content.size(), content);
    for (std::size_t done = 0; done < whole.size();) {
        ssize_t put = write(output_, whole.data() + done, whole.size() - done);
        if (put < 0 && errno == EINTR) continue;
        if (put < 0 && errno == EAGAIN) {
            pollfd room{output_, POLLOUT, 0};
            poll(&room, 1, 1000);
            continue;
        }
        if (put <= 0) {
            is_gone_ = true;
            return;
        }
        done += static_cast<std::size_t>(put);
    }
}

}  // namespace lantern::cli
