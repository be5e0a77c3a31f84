// Runs one target over every file of the folders named: what ctest does with the corpus, without a
// fuzzer. All targets are in it, each under a name of its own (see CMakeLists.txt).
#include <cstdint>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <string_view>
#include <vector>

#define TARGET(target) extern "C" int replay_##target(const std::uint8_t* data, std::size_t size);
#include "replayed.inc"
#undef TARGET

namespace {

struct Target {
    std::string_view name;
    int (*run)(const std::uint8_t* data, std::size_t size);
};
#define TARGET(target) {#target, replay_##target},
constexpr Target kTargets[] = {
#include "replayed.inc"
};

int run_files(const Target& target, int count, char** folders) {
    unsigned files = 0;
    for (int i = 0; i < count; ++i) {
        for (const auto& entry : std::filesystem::directory_iterator(folders[i])) {
            std::ifstream in(entry.path(), std::ios::binary);
            std::vector<char> bytes((std::istreambuf_iterator<char>(in)),
                                    std::istreambuf_iterator<char>());
            target.run(reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size());
            ++files;
        }
    }
    std::printf("%u inputs\n", files);
    return files == 0;  // an empty corpus tests nothing
}

}  // namespace

int main(int count, char** arguments) {
    for (const Target& target : kTargets)
        if (count > 2 && target.name == arguments[1])
            return run_files(target, count - 2, arguments + 2);
    std::fputs("replay TARGET FOLDER…\n", stderr);
    return 2;
}
