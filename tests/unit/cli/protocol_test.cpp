#include <fcntl.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include "cli/protocol/arguments.h"
#include "cli/protocol/base64.h"
#include "cli/protocol/conversation.h"
#include "cli/protocol/kept_breakpoints.h"
#include "cli/protocol/long_work.h"
#include "cli/protocol/message_reader.h"
#include "cli/protocol/references.h"
#include "cli/protocol/request.h"
#include "core/support/error.h"
#include "tests/testing/command.h"

namespace lantern::cli {
namespace {

std::string framed(const std::string& content) {
    return "Content-Length: " + std::to_string(content.size()) + "\r\n\r\n" + content;
}

// Everything that comes of the bytes, fed in pieces of that size: contents, and problems in
// brackets.
std::vector<std::string> read_in_pieces(const std::string& bytes, std::size_t piece) {
    MessageReader reader;
    std::vector<std::string> all;
    for (std::size_t at = 0; at < bytes.size(); at += piece) {
        reader.feed(std::string_view(bytes).substr(at, piece));
        while (auto read = reader.next())
            all.push_back(read->problem.empty() ? read->content : "[" + read->problem + "]");
    }
    return all;
}

// ---- messages

TEST(MessageReader, ReadsMessagesHoweverTheyAreCut) {
    std::string bytes = framed("{\"a\":1}") + framed("") + framed("ünf") + framed("{}");
    for (std::size_t piece : {1u, 2u, 3u, 7u, 1000u})
        EXPECT_EQ(read_in_pieces(bytes, piece),
                  (std::vector<std::string>{"{\"a\":1}", "", "ünf", "{}"}))
            << piece;
}

TEST(MessageReader, TakesOtherFieldsAndAnyCase) {
    EXPECT_EQ(read_in_pieces("Content-Type: x\r\ncontent-LENGTH:  2 \r\n\r\n{}", 5),
              std::vector<std::string>{"{}"});
    EXPECT_EQ(read_in_pieces("Content-Length: 2\r\nContent-Type: x\r\n\r\n{}", 5),
              std::vector<std::string>{"{}"});
}

TEST(MessageReader, TellsWhatIsNoneAndGoesOn) {
    for (const char* wrong :
         {"hello\r\n\r\n", "Content-Length: x\r\n\r\n", "Content-Length: -3\r\n\r\n",
          "Content-Length: \r\n\r\n", "Content-Length: 99999999999999999999999\r\n\r\n",
          "Content-Length: 3x\r\n\r\n"}) {
        for (std::size_t piece : {1u, 4u, 1000u}) {
            auto all = read_in_pieces(wrong + framed("{}"), piece);
            ASSERT_EQ(all.size(), 2u) << wrong << piece;
            EXPECT_EQ(all[0].front(), '[') << wrong;
            EXPECT_EQ(all[1], "{}") << wrong;
        }
    }
}

TEST(MessageReader, PassesOverWhatIsTooLongWithoutKeepingIt) {
    MessageReader reader;
    std::size_t length = MessageReader::kLongestMessage + 1;
    reader.feed("Content-Length: " + std::to_string(length) + "\r\n\r\n");
    auto told = reader.next();
    ASSERT_TRUE(told && !told->problem.empty());
    std::string part(1 << 20, 'x');
    for (std::size_t fed = 0; fed < length; fed += part.size()) {
        reader.feed(std::string_view(part).substr(0, std::min(part.size(), length - fed)));
        EXPECT_FALSE(reader.next());
        EXPECT_LT(reader.waiting(), part.size());
    }
    reader.feed(framed("{}"));
    auto next = reader.next();
    ASSERT_TRUE(next);
    EXPECT_EQ(next->content, "{}");
}

TEST(MessageReader, WaitsForNoHeaderForEver) {
    MessageReader reader;
    reader.feed(std::string(100'000, 'x'));
    auto told = reader.next();
    ASSERT_TRUE(told);
    EXPECT_FALSE(told->problem.empty());
    EXPECT_LT(reader.waiting(), 100u);
    EXPECT_FALSE(reader.next());
}

// ---- arguments

TEST(Arguments, TellWhatIsMissingAndWhatIsOfAnotherKind) {
    Json object{{"name", "lock"},     {"line", 7},       {"far", 1e300}, {"half", 7.0},
                {"deep", {{"x", 1}}}, {"none", nullptr}, {"yes", true},  {"list", {"a", "b"}}};
    Arguments arguments(object);
    EXPECT_EQ(arguments.text("name"), "lock");
    EXPECT_EQ(arguments.number("line"), 7);
    EXPECT_EQ(arguments.number("half"), 7);
    EXPECT_EQ(arguments.number("none"), std::nullopt);
    EXPECT_FALSE(arguments.has("none"));
    EXPECT_TRUE(arguments.is_true("yes"));
    EXPECT_FALSE(arguments.is_true("no"));
    EXPECT_EQ(arguments.texts("list"), (std::vector<std::string>{"a", "b"}));
    EXPECT_EQ(arguments.object("deep").number("x"), 1);
    EXPECT_EQ(arguments.object("shallow").number("x"), std::nullopt);
    EXPECT_THROW(arguments.text("line"), RequestError);
    EXPECT_THROW(arguments.text("missing"), RequestError);
    EXPECT_THROW(arguments.number("far"), RequestError);
    EXPECT_THROW(arguments.number("name"), RequestError);
    EXPECT_THROW(arguments.needed_number("none"), RequestError);
    EXPECT_THROW(arguments.is_true("line"), RequestError);
    EXPECT_THROW(arguments.texts("name"), RequestError);
    EXPECT_THROW(arguments.objects("list"), RequestError);
    EXPECT_THROW(arguments.object("list"), RequestError);
    Json list = Json::array({1});
    EXPECT_FALSE(Arguments(list).has("name")) << "what is no object has no members";
}

// ---- breakpoints

TEST(KeptBreakpoints, KnowHitConditions) {
    struct Case {
        const char* text;
        std::uint64_t after, every;
        bool once;
    };
    for (const Case& each :
         {Case{"5", 4, 1, false}, Case{">= 5", 4, 1, false}, Case{"> 5", 5, 1, false},
          Case{"== 5", 4, 1, true}, Case{"=5", 4, 1, true}, Case{"%3", 0, 3, false},
          Case{"> 0", 0, 1, false}, Case{"", 0, 1, false}}) {
        BreakpointWish wish;
        take_hit_condition(each.text, wish);
        EXPECT_EQ(wish.after, each.after) << each.text;
        EXPECT_EQ(wish.every, each.every) << each.text;
        EXPECT_EQ(wish.once, each.once) << each.text;
    }
    for (const char* wrong : {"0", "x", "5 5", "% 0", "<= 3", "-1", ">"}) {
        BreakpointWish wish;
        EXPECT_THROW(take_hit_condition(wrong, wish), RequestError) << wrong;
    }
}

TEST(KeptBreakpoints, KnowTheMessagesOfNotes) {
    KeptBreakpoint kept;
    kept.message = take_message("{{{level}}} of {full[1]} and {Lock { open: true }}", kept.wish);
    EXPECT_EQ(kept.wish.noted,
              (std::vector<std::string>{"level", "full[1]", "Lock { open: true }"}));
    NoteRow row;
    row.values = {std::int64_t{7}, std::string("3"), std::monostate{}};
    EXPECT_EQ(message_with(kept, row), "{7} of 3 and (no value)");

    KeptBreakpoint bare;
    bare.message = take_message("here", bare.wish);
    EXPECT_FALSE(bare.wish.noted.empty()) << "it is to note something, or it would stop";
    row.values = {std::int64_t{1}};
    EXPECT_EQ(message_with(bare, row), "here");

    for (const char* wrong : {"{", "{level", "{}", "{ }", "a {level b"}) {
        BreakpointWish wish;
        EXPECT_THROW(take_message(wrong, wish), RequestError) << wrong;
    }
}

TEST(KeptBreakpoints, KeepTheNumbersOfThoseThatStay) {
    KeptBreakpoints kept;
    auto asked = [](std::vector<const char*> texts) {
        std::vector<KeptBreakpoint> wanted;
        for (const char* text : texts) {
            wanted.emplace_back();
            wanted.back().asked = text;
        }
        return wanted;
    };
    auto first = kept.replace("source:a", asked({"1", "2", "2"}), nullptr);
    EXPECT_EQ((std::set<int>{first[0].id, first[1].id, first[2].id}).size(), 3u);
    auto second = kept.replace("source:a", asked({"2", "3", "1"}), nullptr);
    EXPECT_EQ(second[0].id, first[1].id);
    EXPECT_EQ(second[2].id, first[0].id);
    EXPECT_FALSE((std::set<int>{first[0].id, first[1].id, first[2].id}).contains(second[1].id));
    auto other = kept.replace("source:b", asked({"2"}), nullptr);
    EXPECT_NE(other[0].id, second[0].id);
}

// ---- the rest

TEST(Base64, GoesThereAndBack) {
    for (std::string text : {"", "l", "lo", "loc", "lock", "a\xff\x80\x00z"}) {
        ByteSpan bytes = std::as_bytes(std::span(text.data(), text.size()));
        auto back = bytes_of_base64(base64_of(bytes));
        ASSERT_TRUE(back);
        EXPECT_TRUE(std::equal(back->begin(), back->end(), bytes.begin(), bytes.end()));
    }
    EXPECT_EQ(base64_of(std::as_bytes(std::span("foob", 4))), "Zm9vYg==");  // RFC 4648 §10
    for (const char* wrong : {"a", "ab=", "a===", "ab*=", "====", "Zm9v=mFy"})
        EXPECT_FALSE(bytes_of_base64(wrong)) << wrong;
}

TEST(References, AreNeverTakenForThoseOfAnotherStop) {
    References references;
    int frame = references.add_frame({7, 0});
    EXPECT_EQ(references.add_frame({7, 0}), frame);
    int holder = references.add(Holder{});
    EXPECT_NE(holder, frame);
    EXPECT_THROW(references.holder(frame), RequestError);
    references.forget();
    EXPECT_THROW(references.frame(frame), RequestError);
    EXPECT_THROW(references.holder(holder), RequestError);
    EXPECT_GT(references.add_frame({7, 0}), holder);
}

struct Pipes {
    int to_us[2], to_client[2];
    Pipes() {
        if (pipe2(to_us, O_NONBLOCK) != 0 || pipe2(to_client, O_NONBLOCK) != 0) std::abort();
    }
    ~Pipes() {
        for (int end : {to_us[0], to_us[1], to_client[0], to_client[1]}) close(end);
    }
};

// A client at the other ends, that is told of work until something has come.
class LongWork : public ::testing::Test {
  protected:
    // The body of the first event of that name; null as long as none has come.
    Json heard(const std::string& event) {
        char bytes[4096];
        for (ssize_t got; (got = read(pipes_.to_client[0], bytes, sizeof bytes)) > 0;)
            reader_.feed(std::string_view(bytes, static_cast<std::size_t>(got)));
        while (auto each = reader_.next()) messages_.push_back(Json::parse(each->content));
        for (const Json& message : messages_)
            if (message["event"] == event) return message["body"];
        return nullptr;
    }
    Json told_until(const std::string& event, double done) {
        Json body;
        testing::eventually([&] {
            work_("/canal/barges", done);
            return !(body = heard(event)).is_null();
        });
        return body;
    }

    Pipes pipes_;
    Wire wire_{pipes_.to_us[0], pipes_.to_client[1]};
    Conversation conversation_{wire_, Settings{}};
    std::function<void(const std::string&, double)> work_ =
        long_work(conversation_, "reading the names");
    MessageReader reader_;
    std::vector<Json> messages_;
};

TEST_F(LongWork, IsToldWithHowFarItHasComeAndGivenUpByItsName) {
    conversation_.client.reports_progress = true;
    Json begun = told_until("progressStart", 0.1);
    EXPECT_EQ(begun["title"], "reading the names: barges");
    EXPECT_EQ(begun["percentage"], 10);
    EXPECT_EQ(begun["cancellable"], true);
    EXPECT_EQ(told_until("progressUpdate", 0.4)["percentage"], 40);
    auto cancel = [&](const Json& identity) {
        std::string bytes = framed(Json{{"seq", 1},
                                        {"type", "request"},
                                        {"command", "cancel"},
                                        {"arguments", {{"progressId", identity}}}}
                                       .dump());
        ASSERT_GT(write(pipes_.to_us[1], bytes.data(), bytes.size()), 0);
    };
    cancel("another");
    EXPECT_NO_THROW(work_("/canal/barges", 0.5));
    cancel(begun["progressId"]);
    EXPECT_THROW(work_("/canal/barges", 0.6), RequestError);
    Json ended = heard("progressEnd");
    EXPECT_EQ(ended["progressId"], begun["progressId"]);
    EXPECT_EQ(ended["message"], "given up");
}

TEST_F(LongWork, EndsAsItBeganAndIsNotToldToThoseWhoDoNotAsk) {
    conversation_.client.reports_progress = true;
    Json begun = told_until("progressStart", 0.1);
    Json ended = told_until("progressEnd", 1);
    EXPECT_EQ(ended["progressId"], begun["progressId"]);
    EXPECT_FALSE(ended.contains("message"));
    conversation_.client.reports_progress = false;
    messages_.clear();
    auto end = std::chrono::steady_clock::now() + std::chrono::milliseconds(400);
    while (std::chrono::steady_clock::now() < end) work_("/canal/barges", 0.3);
    EXPECT_TRUE(heard("progressStart").is_null());
}

TEST(Requests, AreEachThereOnce) {
    std::set<std::string_view> seen;
    for (const Request& each : requests()) {
        EXPECT_TRUE(seen.insert(each.command).second) << each.command;
        EXPECT_EQ(request_named(each.command), &each);
    }
    EXPECT_EQ(request_named("fly"), nullptr);
}

}  // namespace
}  // namespace lantern::cli
