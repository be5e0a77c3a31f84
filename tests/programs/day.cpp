// The same day with the library's containers and algorithms: code in which most of what runs is inlined.
#include <algorithm>
#include <cstdio>
#include <map>
#include <memory>
#include <numeric>
#include <optional>
#include <stdexcept>
#include <string>
#include <unordered_map>
#include <variant>
#include <vector>

namespace canal {

struct Barge {
    std::string name;
    int draught_cm = 90;
    double length_m = 14.5;
};

template <class T>
T larger(T a, T b) {
    if (a < b)
        return b;
    return a;
}

class Chamber {
  public:
    explicit Chamber(int low) : low_(low), level_(low) {}
    virtual ~Chamber() = default;
    virtual int fill(int by) {
        level_ += by;
        if (level_ > low_ + kDepth)
            level_ = low_ + kDepth;
        return level_;
    }
    int level() const { return level_; }

  protected:
    static constexpr int kDepth = 180;
    int low_, level_;
};

class SidePond final : public Chamber {
  public:
    using Chamber::Chamber;
    int fill(int by) override {
        int half = by / 2;
        return Chamber::fill(half);
    }
};

double toll_of(const Barge& barge) {
    double base = 12.5;
    if (barge.draught_cm > 110)
        base += 20;
    return base + barge.length_m;
}

std::map<std::string, double> tolls_of(const std::vector<Barge>& barges) {
    std::map<std::string, double> tolls;
    for (const Barge& barge : barges) {
        double toll = toll_of(barge);
        auto [place, is_new] = tolls.try_emplace(barge.name, toll);
        if (!is_new)
            place->second += toll;
    }
    return tolls;
}

int longest_name(const std::vector<Barge>& barges) {
    std::size_t longest = 0;
    for (const Barge& barge : barges)
        longest = larger(longest, barge.name.size());
    return static_cast<int>(longest);
}

std::vector<int> draughts_of(const std::vector<Barge>& barges, int above) {
    std::vector<int> found;
    for (const Barge& barge : barges) {
        if (barge.draught_cm <= above)
            continue;
        found.push_back(barge.draught_cm);
    }
    std::sort(found.begin(), found.end(), [](int a, int b) {
        return a > b;
    });
    return found;
}

std::optional<int> first_above(const std::vector<int>& levels, int mark) {
    auto place = std::find_if(levels.begin(), levels.end(), [mark](int level) {
        return level > mark;
    });
    if (place == levels.end())
        return std::nullopt;
    return *place;
}

using Order = std::variant<int, std::string>;

int obey(const std::vector<Order>& orders, std::vector<std::unique_ptr<Chamber>>& flight) {
    int done = 0;
    for (const Order& order : orders) {
        if (const int* by = std::get_if<int>(&order)) {
            for (auto& chamber : flight)
                done += chamber->fill(*by);
            continue;
        }
        const std::string& word = std::get<std::string>(order);
        if (word == "stop")
            break;
        done += static_cast<int>(word.size());
    }
    return done;
}

int checked(int level) {
    try {
        if (level > 250)
            throw std::out_of_range("the chamber runs over");
        return level;
    } catch (const std::out_of_range& error) {
        return -static_cast<int>(std::string(error.what()).size());
    }
}

std::unordered_map<int, std::vector<std::string>> by_draught(const std::vector<Barge>& barges) {
    std::unordered_map<int, std::vector<std::string>> groups;
    for (const Barge& barge : barges) {
        int group = barge.draught_cm / 20;
        groups[group].push_back(barge.name);
    }
    return groups;
}

}  // namespace canal

int main(int argc, char**) {
    using namespace canal;
    std::vector<Barge> barges;
    barges.push_back({"Wren", 85 + argc, 14.0});
    barges.push_back({"Heron", 120, 18.5});
    barges.push_back({"Teal", 130, 16.25});
    barges.push_back({"Wren", 90, 14.0});
    std::vector<std::unique_ptr<Chamber>> flight;
    flight.push_back(std::make_unique<Chamber>(100));
    flight.push_back(std::make_unique<SidePond>(110));
    auto tolls = tolls_of(barges);
    double sum = 0;
    for (const auto& [name, toll] : tolls)
        sum += toll;
    int longest = longest_name(barges);
    std::vector<int> deep = draughts_of(barges, 88);
    auto above = first_above(deep, 100);
    if (above)
        sum += *above;
    std::vector<Order> orders;
    orders.emplace_back(40);
    orders.emplace_back("open");
    orders.emplace_back(90);
    orders.emplace_back("stop");
    sum += obey(orders, flight);
    sum += checked(flight[0]->level());
    sum += checked(flight[1]->level() - 60);
    auto groups = by_draught(barges);
    sum += static_cast<double>(groups.size());
    sum += std::accumulate(deep.begin(), deep.end(), 0);
    std::printf("%.2f %d\n", sum, longest);
    return 0;
}
