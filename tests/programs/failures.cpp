// One way to fail for each name that is given, in C++: what its diagnosis must say stands in diagnosis_test.cpp.
#include <cstdio>
#include <cstring>
#include <map>
#include <memory>
#include <optional>
#include <stdexcept>
#include <string>
#include <vector>

#define APART __attribute__((noinline))

namespace canal {

struct TollError : std::runtime_error {
    explicit TollError(const std::string& what) : std::runtime_error(what) {}
};

class Craft {
  public:
    explicit Craft(int draught_cm) : draught_cm_(draught_cm) {}
    virtual ~Craft() = default;
    virtual int toll() const { return draught_cm_ * 2; }
    int draught_cm() const { return draught_cm_; }

  protected:
    int draught_cm_;
};

class Barge : public Craft {
  public:
    Barge(int draught_cm, Craft* towed) : Craft(draught_cm), towed_(towed) {}
    APART int toll() const override { return Craft::toll() + towed_->draught_cm(); }

  private:
    Craft* towed_;
};

class Lock {
  public:
    void enter(std::unique_ptr<Craft> craft) { inside_ = std::move(craft); }
    APART int draught() const { return inside_->draught_cm(); }
    APART int level_in(std::size_t chamber) const { return levels_[chamber]; }
    std::vector<int> levels_{3, 4, 5};

  private:
    std::unique_ptr<Craft> inside_;
};

APART int toll_of(const Craft* craft) {
    return craft->toll() + 1;
}

APART int toll_by_name(const std::map<std::string, int>& tolls, const std::string& name) {
    return tolls.at(name);
}

APART void refuse(int draught_cm) {
    if (draught_cm > 50) throw TollError("no berth is deep enough");
}

}  // namespace canal

int main(int count, char** words) {
    std::string what = count > 1 ? words[1] : "";
    if (what == "member") return canal::Barge(90, nullptr).toll();
    if (what == "virtual") return canal::toll_of(nullptr);
    if (what == "owner") {
        canal::Lock lock;
        return lock.draught();
    }
    if (what == "thrown") canal::refuse(90);
    if (what == "key") return canal::toll_by_name({{"Wren", 3}}, "Heron");
    if (what == "deleted") {
        auto* craft = new canal::Barge(90, nullptr);
        delete craft;
        return canal::toll_of(craft);
    }
    if (what == "index") {
        canal::Lock lock;
        return lock.level_in(40000000);
    }
    return 0;
}
