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

APART int third_level(const std::vector<int>& levels, std::size_t gate) {
    return levels[gate * 3];
}

struct Berth {
    int length_cm = 2100;
    Craft* moored = nullptr;
};
APART int length_of(const Berth& berth) {
    return berth.length_cm;
}
APART int moored_length(Berth* const* berths, int which) {
    return length_of(*berths[which]);
}

// The member function is called on nothing, and its own member is what is read.
class Office {
  public:
    APART const char* label() const { return name_.empty() ? "none" : name_.c_str(); }

  private:
    long number_ = 4;
    std::string name_ = "Elm";
};
struct Canal {
    long length_km = 40;
    Office* office = nullptr;
};
APART const char* office_label(const Canal& canal) {
    return canal.office->label();
}

class Signal {
  public:
    Signal() { show(); }
    virtual ~Signal() = default;
    APART void show() { light(); }
    virtual void light() = 0;
};
class Lamp : public Signal {
  public:
    void light() override { std::puts("lit"); }
};

APART int draught_of_shared(const std::shared_ptr<Craft>& craft) {
    return craft->draught_cm();
}
APART int first_of_emptied(std::vector<Craft*>& queue) {
    Craft** first = queue.data();
    queue.clear();
    queue.shrink_to_fit();
    return (*first)->draught_cm();
}
APART int level_from(const std::string& text) {
    return std::stoi(text);
}
APART void close_gates(int gates) noexcept {
    refuse(gates);
}
APART int toll_of_barge(Craft& craft) {
    return dynamic_cast<Barge&>(craft).toll();
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
    if (what == "third") return canal::third_level(std::vector<int>(4), 50000000);
    if (what == "reference") {
        canal::Berth* berths[3] = {};
        return canal::moored_length(berths, 2);
    }
    if (what == "method") return *canal::office_label(canal::Canal());
    if (what == "pure") canal::Lamp();
    if (what == "shared") return canal::draught_of_shared(nullptr);
    if (what == "emptied") {
        canal::Craft craft(80);
        std::vector<canal::Craft*> queue(8, &craft);
        return canal::first_of_emptied(queue);
    }
    if (what == "number") return canal::level_from("high");
    if (what == "noexcept") canal::close_gates(60);
    if (what == "cast") {
        canal::Craft craft(80);
        return canal::toll_of_barge(craft);
    }
    if (what == "index") {
        canal::Lock lock;
        return lock.level_in(40000000);
    }
    return 0;
}
