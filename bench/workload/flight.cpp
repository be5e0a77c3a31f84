// One unit of the large program that the symbol benchmarks read: heavy templates over the standard
// library. It is compiled many times, each time with another FLIGHT, which makes every type and
// function of it another one.
#include <algorithm>
#include <any>
#include <deque>
#include <functional>
#include <list>
#include <map>
#include <memory>
#include <numeric>
#include <optional>
#include <set>
#include <sstream>
#include <string>
#include <tuple>
#include <unordered_map>
#include <variant>
#include <vector>

#define JOIN_(a, b) a##b
#define JOIN(a, b) JOIN_(a, b)
#define HERE JOIN(flight_, FLIGHT)

namespace canal::HERE {

template <int Number>
struct Lock {
    std::string name = "lock " + std::to_string(Number);
    int level_cm = Number;
    std::optional<double> rise;
    std::vector<std::pair<std::string, int>> barges;
    bool operator<(const Lock& other) const {
        return std::tie(level_cm, name) < std::tie(other.level_cm, other.name);
    }
};

template <class L>
struct Keeper {
    std::map<std::string, L> by_name;
    std::unordered_map<std::string, std::shared_ptr<L>> shared;
    std::deque<std::variant<int, std::string, L>> log;
    std::function<bool(const L&)> accepts = [](const L& lock) { return lock.level_cm > 0; };

    int admit(L lock) {
        if (!accepts(lock)) return 0;
        by_name.emplace(lock.name, lock);
        shared[lock.name] = std::make_shared<L>(lock);
        log.emplace_back(lock);
        log.emplace_back(lock.name);
        return std::accumulate(by_name.begin(), by_name.end(), 0, [](int sum, const auto& entry) {
            return sum + entry.second.level_cm;
        });
    }
    std::set<L> ordered() const {
        std::set<L> out;
        for (const auto& [name, lock] : by_name) out.insert(lock);
        return out;
    }
    std::string report() const {
        std::ostringstream out;
        for (const auto& entry : log)
            std::visit(
                [&](const auto& value) {
                    if constexpr (std::is_same_v<std::decay_t<decltype(value)>, L>)
                        out << value.name;
                    else
                        out << value;
                },
                entry);
        return out.str();
    }
};

template <int... Numbers>
int pass(std::integer_sequence<int, Numbers...>) {
    std::tuple<Keeper<Lock<Numbers>>...> keepers;
    int sum = 0;
    ((sum += std::get<Keeper<Lock<Numbers>>>(keepers).admit({})), ...);
    ((sum += static_cast<int>(std::get<Keeper<Lock<Numbers>>>(keepers).ordered().size())), ...);
    ((sum += static_cast<int>(std::get<Keeper<Lock<Numbers>>>(keepers).report().size())), ...);
    return sum;
}

int work() {
    return pass(std::make_integer_sequence<int, 9>{});
}

}  // namespace canal::HERE

int JOIN(work_, FLIGHT)() {
    return canal::HERE::work();
}
