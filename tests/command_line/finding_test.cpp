// find, type, survey and the places symbols come from, through the built program.
#include <arpa/inet.h>
#include <fcntl.h>
#include <gtest/gtest.h>
#include <netinet/in.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>
#include <csignal>

#include <chrono>
#include <nlohmann/json.hpp>
#include <thread>

#include "tests/testing/command.h"

namespace lantern::testing {
namespace {

using Json = nlohmann::json;

Ran survey(const std::vector<std::string>& words) {
    std::vector<std::string> all{LANTERN_PROGRAM, "survey"};
    all.insert(all.end(), words.begin(), words.end());
    return run(all);
}

TEST(Places, AShortNameMeansTheUsersOwnFunctions) {
    std::string program = fixture("parted-ropes-gcc-O0");
    EXPECT_NE(
        run({"nm", "-C", program}).output.find("std::vector<int, std::allocator<int> >::push_back"),
        std::string::npos);
    Ran ran = debug(program, {"pause at push_back", "pause at vector<int>::push_back"});
    EXPECT_TRUE(ran.says("in Coils::push_back")) << ran.output;
    std::size_t whole = ran.output.find("pause at vector<int>::push_back");
    EXPECT_GT(ran.output.find("in std::vector<int>::push_back"), whole) << ran.output;
}

TEST(FindCommand, TakesPatternsFilesModulesAndLimits) {
    std::string barges = fixture("barges-gcc5/barges");
    Ran ran = debug(barges, {"find functions /toll$/", "find functions in barges.cpp limit 2",
                             "find code deepest", "find code barges.cpp:26", "find address main",
                             "find functions zzz"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("canal::Narrow::toll"));
    EXPECT_TRUE(ran.says("more; a longer pattern narrows them down"));
    EXPECT_TRUE(ran.says("canal::deepest<int>"));
    EXPECT_TRUE(ran.says("of code belong to the line"));
    EXPECT_TRUE(ran.says("section .text"));
    EXPECT_TRUE(ran.says("0 found"));
    for (auto [command, answer] :
         {std::pair{"find functions /(/", "does not parse"},
          {"find functions x in nowhere.c", "no source file and no module"},
          {"find fish", "find looks for"},
          {"find functions x limit many", "limit needs a number"},
          {"find code", "a place is missing"},
          {"find address 0xffff0000", "no module is loaded"},
          {"type Wherry", "nothing here is called Wherry"}}) {
        Ran wrong = debug(barges, {command});
        EXPECT_EQ(wrong.status, 1) << command;
        EXPECT_TRUE(wrong.says(answer)) << command << "\n" << wrong.output;
    }
}

TEST(FindCommand, LibrariesAreLookedIntoWhenTheyAreNamed) {
    Ran ran = debug(fixture("locks-gcc-O0-dwarf5-pie"),
                    {"reach main", "find functions strlen", "find functions strlen in libc"});
    EXPECT_TRUE(ran.says("not looked into; in NAME, such as in libc"));
    std::string after = ran.output.substr(ran.output.rfind("› find"));
    EXPECT_NE(after.find("strlen"), std::string::npos);
    EXPECT_EQ(after.find(" 0 found"), std::string::npos) << after;
}

TEST(TypeCommand, ShowsLayoutAndPadding) {
    Ran ran =
        debug(fixture("layouts-dwarf5"), {"type Tail", "type Left", "type Way", "pause at main",
                                          "launch", "type reuses.last", "type Base"});
    EXPECT_EQ(ran.status, 0) << ran.output;
    EXPECT_TRUE(ran.says("16 bytes in all: 9 used, 7 lost to padding")) << ran.output;
    EXPECT_TRUE(ran.says("virtual base Base"));
    EXPECT_TRUE(ran.says("250  down") || ran.says("-6  down"));
    EXPECT_TRUE(ran.says("int8_t"));
    EXPECT_TRUE(ran.says("pointer to the vtable"));
}

TEST(SurveyCommand, WritesTextJsonAndAPage) {
    TemporaryFolder folder;
    Ran ran =
        survey({fixture("barges-gccO25/barges"), "--out", (folder.path() / "report").string()});
    EXPECT_EQ(ran.status, 0) << ran.errors;
    EXPECT_TRUE(ran.says("Who compiled what"));
    EXPECT_TRUE(ran.says("What stands in the way"));
    EXPECT_TRUE(ran.says("recorded") || ran.says("-O2"));
    EXPECT_EQ(folder.read("report/survey.txt"), ran.output.substr(0, ran.output.find("kept as ")));
    Json json = Json::parse(folder.read("report/survey.json"));
    EXPECT_EQ(json["programs"][0]["groups"][0]["optimisation"], "-O2");
    std::string page = folder.read("report/survey.html");
    EXPECT_NE(page.find("<h1>barges</h1>"), std::string::npos);
    EXPECT_EQ(page.find("http"), std::string::npos) << "the page needs nothing from elsewhere";
    EXPECT_EQ(page.find("<script"), std::string::npos);
}

TEST(SurveyCommand, PutsTwoProgramsSideBySide) {
    Ran ran = survey({fixture("barges-gcc5/barges"), fixture("barges-gccO25/barges")});
    EXPECT_EQ(ran.status, 0);
    EXPECT_TRUE(ran.says("survey of two programs"));
    EXPECT_TRUE(ran.says("the same"));
    EXPECT_TRUE(ran.says("-O2"));
    Ran json = survey(
        {fixture("barges-gcc5/barges"), fixture("barges-gccO25/barges"), "--format", "json"});
    EXPECT_EQ(Json::parse(json.output)["programs"].size(), 2u);
}

TEST(SurveyCommand, ANameThatIsNoTextIsEscapedEverywhere) {
    TemporaryFolder folder;
    auto source = folder.write("a<b>&\x1b[31m.c", "int main(void) { return 0; }\n");
    std::string program = folder.path() / "odd<i>\x1b[31m";
    ASSERT_EQ(run({"gcc", "-g", "-o", program, source}).status, 0);
    std::filesystem::remove(source);
    Ran ran = survey({program, "--out", (folder.path() / "report").string()});
    EXPECT_EQ(ran.status, 0);
    EXPECT_EQ(ran.output.find('\x1b'), std::string::npos);
    std::string page = folder.read("report/survey.html");
    EXPECT_EQ(page.find("<i>\\x1b"), std::string::npos);
    EXPECT_EQ(page.find("a<b>"), std::string::npos);
}

TEST(Symbols, ComeFromTheFolderNamed) {
    TemporaryFolder folder;
    std::filesystem::copy_file(fixture("barges-linked/barges.debug"),
                               folder.path() / "barges.debug");
    std::string stripped = fixture("barges-stripped/barges");
    Ran without = debug(stripped, {"find functions canal::"});
    EXPECT_FALSE(without.says("canal::pass")) << without.output;
    Ran with =
        debug(stripped, {"find functions canal::", "pause at canal::pass", "launch", "locals"},
              {"--symbols", folder.path().string()});
    EXPECT_EQ(with.status, 0) << with.output;
    EXPECT_TRUE(with.says("canal::pass"));
    EXPECT_TRUE(with.says("way"));
    Ran nowhere = debug(stripped, {"find functions"}, {"--symbols", "/no/such/folder"});
    EXPECT_EQ(nowhere.status, 3);
    EXPECT_TRUE((nowhere.output + nowhere.errors).find("there is no such folder") !=
                std::string::npos);
}

// A real symbol server on loopback, over a folder with the debug file.
class Server {
  public:
    Server(const std::string& folder, const std::string& database) {
        int probe = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
        sockaddr_in address{};
        address.sin_family = AF_INET;
        address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
        socklen_t size = sizeof address;
        bind(probe, reinterpret_cast<sockaddr*>(&address), size);
        getsockname(probe, reinterpret_cast<sockaddr*>(&address), &size);
        port_ = ntohs(address.sin_port);
        close(probe);
        child_ = fork();
        if (child_ == 0) {
            int null = open("/dev/null", O_RDWR);
            for (int i = 0; i < 3; ++i) dup2(null, i);
            execlp("debuginfod", "debuginfod", "-p", std::to_string(port_).c_str(), "-d",
                   database.c_str(), "-F", "-t", "1", folder.c_str(), nullptr);
            _exit(127);
        }
    }
    ~Server() {
        kill(child_, SIGTERM);
        waitpid(child_, nullptr, 0);
    }
    std::string url() const { return "http://127.0.0.1:" + std::to_string(port_); }

  private:
    int port_ = 0;
    pid_t child_ = 0;
};

TEST(Symbols, ComeFromAServerOnlyWhenThatIsSwitchedOn) {
    if (run({"sh", "-c", "command -v debuginfod"}).status != 0)
        GTEST_SKIP() << "debuginfod is not here: asking a symbol server is NOT tested";
    TemporaryFolder folder;
    std::filesystem::create_directories(folder.path() / "served");
    std::filesystem::create_directories(folder.path() / "config/elm-lantern");
    std::filesystem::copy_file(fixture("barges-linked/barges.debug"),
                               folder.path() / "served/barges.debug");
    Server server(folder.path() / "served", folder.path() / "database");
    std::string base = "env XDG_CONFIG_HOME=" + (folder.path() / "config").string() +
                       " XDG_CACHE_HOME=" + (folder.path() / "cache").string() +
                       " DEBUGINFOD_CACHE_PATH=" + (folder.path() / "fetched").string() +
                       " DEBUGINFOD_URLS=" + server.url() + " no_proxy=127.0.0.1 ";
    std::string ask = std::string(LANTERN_PROGRAM) + " debug " + fixture("barges-stripped/barges") +
                      " --do 'find functions canal::' ";
    EXPECT_FALSE(run({"sh", "-c", base + ask}).says("canal::pass"))
        << "a server in the environment alone is not asked";
    Ran ran;
    for (int tries = 0; tries < 60 && !ran.says("canal::pass");
         ++tries) {  // until the server has looked through its folder
        std::filesystem::remove_all(folder.path() / "fetched");
        ran = run({"sh", "-c", base + ask + "--ask-servers"});
        std::this_thread::sleep_for(std::chrono::milliseconds(200));
    }
    EXPECT_TRUE(ran.says("canal::pass")) << ran.output << ran.errors;
    // The same from the settings file.
    folder.write("config/elm-lantern/config.toml",
                 "[symbols]\nservers = [\"" + server.url() + "\"]\nask_servers = true\n");
    base = "env -u DEBUGINFOD_URLS" + base.substr(3);
    base.erase(base.find(" DEBUGINFOD_URLS="), server.url().size() + 17);
    EXPECT_TRUE(run({"sh", "-c", base + ask}).says("canal::pass"));
}

TEST(Settings, WrongOnesAreNamedWithTheirPlace) {
    TemporaryFolder folder;
    std::filesystem::create_directories(folder.path() / "elm-lantern");
    std::string ask = "env XDG_CONFIG_HOME=" + folder.path().string() + " " + LANTERN_PROGRAM +
                      " survey " + fixture("locks-dwarf3");
    for (auto [text, answer] : {std::pair{"[symbols]\nfolder = [\"x\"]\n", "did you mean folders?"},
                                {"[symbols\n", "line 1: this cannot be understood"},
                                {"[symbols]\nask_servers = 3\n", "true or false"},
                                {"[colours]\n", "there is no setting"},
                                {"[symbols]\nfolders = \"x\"\n", "list of texts"},
                                {"[symbols]\nask_servers = true\n", "none is named"}}) {
        folder.write("elm-lantern/config.toml", text);
        Ran ran = run({"sh", "-c", "env -u DEBUGINFOD_URLS " + ask});
        EXPECT_EQ(ran.status, 3) << text;
        EXPECT_NE((ran.output + ran.errors).find(answer), std::string::npos)
            << text << ran.output << ran.errors;
    }
    folder.write(
        "elm-lantern/config.toml",
        "[symbols]\nfolders = [\"/nowhere\"]\nkeep_indexes = false\nindex_limit_mb = 20\n");
    EXPECT_EQ(run({"sh", "-c", ask}).status, 0);
}

}  // namespace
}  // namespace lantern::testing
