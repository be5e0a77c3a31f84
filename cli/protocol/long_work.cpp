#include "cli/protocol/long_work.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <filesystem>

#include "cli/protocol/conversation.h"
#include "core/support/error.h"

namespace lantern::cli {
namespace {

using Clock = std::chrono::steady_clock;

class WorkTold {
  public:
    WorkTold(Conversation& conversation, std::string title)
        : conversation_(conversation), title_(std::move(title)) {}

    void tell(const std::string& file, double done) {
        constexpr std::chrono::milliseconds kShown(300), kBetween(100);
        auto now = Clock::now();
        if (file != file_) begin(file, now);
        conversation_.wire().take();
        if (is_given_up()) {
            end("given up");
            throw RequestError("reading the names was broken off",
                               "the next request that needs them begins anew");
        }
        if (!conversation_.client.reports_progress) return;
        if (!is_shown_ && now - started_ >= kShown && done < 1) {
            show(done);
            told_ = now;
        }
        if (!is_shown_) return;
        if (done >= 1) return end("");
        if (now - told_ < kBetween) return;
        told_ = now;
        conversation_.wire().tell(
            "progressUpdate", {{"progressId", id()}, {"percentage", static_cast<int>(100 * done)}});
    }

  private:
    std::string id() const { return fmt::format("work-{}", number_); }

    void begin(const std::string& file, Clock::time_point now) {
        end("");
        file_ = file;
        started_ = told_ = now;
        ++number_;
    }

    void show(double done) {
        is_shown_ = true;
        std::string name = std::filesystem::path(file_).filename().string();
        conversation_.wire().tell("progressStart", {{"progressId", id()},
                                                    {"title", fmt::format("{}: {}", title_, name)},
                                                    {"cancellable", true},
                                                    {"percentage", static_cast<int>(100 * done)}});
    }

    void end(const std::string& how) {
        file_.clear();
        if (!std::exchange(is_shown_, false)) return;
        Json body{{"progressId", id()}};
        if (!how.empty()) body["message"] = how;
        conversation_.wire().tell("progressEnd", std::move(body));
    }

    // The client cancels just this, or goes.
    bool is_given_up() const {
        if (conversation_.wire().is_gone()) return true;
        return std::ranges::any_of(conversation_.wire().waiting(), [this](const Received& each) {
            if (!each.message.is_object()) return false;
            std::string command = each.message.value("command", Json()).is_string()
                                      ? each.message["command"].get<std::string>()
                                      : "";
            if (command == "disconnect") return true;
            if (command != "cancel" || !each.message.contains("arguments")) return false;
            const Json& asked = each.message["arguments"];
            return asked.is_object() && asked.value("progressId", Json()) == Json(id());
        });
    }

    Conversation& conversation_;
    std::string title_, file_;
    Clock::time_point started_, told_;
    unsigned number_ = 0;
    bool is_shown_ = false;
};

}  // namespace

std::function<void(const std::string&, double)> long_work(Conversation& conversation,
                                                          std::string title) {
    auto told = std::make_shared<WorkTold>(conversation, std::move(title));
    return [told](const std::string& file, double done) { told->tell(file, done); };
}

}  // namespace lantern::cli
