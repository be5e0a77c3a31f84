// Faults of the heap that only C++ has, each with an innocent neighbour: as misuses.c.
#include <dlfcn.h>

#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <memory>
#include <string>
#include <vector>

#define KEPT __attribute__((noinline, noclone))

static bool is_innocent;
volatile int sum;
void* volatile seen;

struct Barge {
    int draught = 12, length = 70;
    virtual ~Barge() = default;
};
struct Narrow : Barge {
    char name[24] = "Wren";
};
struct Plain {
    int draught = 3;
};
struct Wide : Plain {
    char name[60] = "Heron";
};

KEPT int* levels(std::size_t count) { return new int[count]; }
KEPT Plain* plain() { return new Plain; }
KEPT void let_go(int* all) { delete[] all; }
KEPT void let_go(Plain* one) { delete one; }

KEPT static void array_by_object() {
    int* all = levels(6);
    seen = all;
    if (is_innocent)
        let_go(all);
    else
        delete static_cast<int*>(seen);
}
KEPT static void object_by_array() {
    Plain* one = plain();
    seen = one;
    if (is_innocent)
        let_go(one);
    else
        operator delete[](seen);
}
KEPT static void object_by_free() {
    Plain* one = plain();
    seen = one;
    if (is_innocent)
        let_go(one);
    else
        std::free(seen);
}
KEPT static void malloc_by_delete() {
    seen = std::malloc(sizeof(Plain));
    if (is_innocent)
        std::free(seen);
    else
        let_go(static_cast<Plain*>(seen));
}
KEPT static void as_its_base() {
    Wide* wide = new Wide;
    seen = wide;
    if (is_innocent)
        delete wide;
    else
        delete static_cast<Plain*>(seen);
}
KEPT static void deleted_twice() {
    Plain* one = plain();
    let_go(one);
    if (!is_innocent) let_go(one);
}
KEPT static void behind_vector() {
    std::vector<int> draughts(8, 3);
    int* all = draughts.data();
    sum = *const_cast<volatile int*>(all + (is_innocent ? 7 : 8));
}
KEPT static void reference_kept() {
    std::vector<int> draughts(4, 3);
    int* first = &draughts[0];
    for (int i = 0; i < 50; ++i) draughts.push_back(i);
    sum = *const_cast<volatile int*>(is_innocent ? &draughts[0] : first);
}
KEPT static void text_gone() {
    const char* text;
    std::string outer(40, 'w');
    {
        std::string inner(40, 'h');
        text = is_innocent ? outer.c_str() : inner.c_str();
    }
    sum = *const_cast<const volatile char*>(text + 1);
}
KEPT static void object_gone() {
    auto barge = std::make_unique<Narrow>();
    Barge* borrowed = barge.get();
    if (!is_innocent) barge.reset();
    sum = *const_cast<volatile int*>(&borrowed->draught);
}
// Writes over what the library in front of the allocator has written down of a block.
KEPT static void over_the_records() {
    seen = levels(10);
    auto* head = static_cast<unsigned long*>(dlsym(RTLD_DEFAULT, "elm_lantern_heap"));
    constexpr int kBlocks = 36, kBlocksUsed = 37, kRecord = 64;  // heap/tables.h
    if (!head || is_innocent) return let_go(static_cast<int*>(seen));
    for (unsigned long i = 1; i < head[kBlocksUsed]; ++i) {
        auto* record = reinterpret_cast<unsigned long*>(head[kBlocks] + i * kRecord);
        if (record[0] == reinterpret_cast<unsigned long>(seen)) record[1] = 0x574f;
    }
}
KEPT static void forgotten() {
    for (int i = 0; i < 3; ++i) {
        seen = levels(10);
        if (is_innocent) let_go(static_cast<int*>(seen));
    }
    seen = nullptr;
}

int main(int argc, char** argv) {
    static const struct {
        const char* name;
        void (*run)();
    } cases[] = {{"array-by-object", array_by_object}, {"object-by-array", object_by_array},
                 {"object-by-free", object_by_free},   {"malloc-by-delete", malloc_by_delete},
                 {"as-its-base", as_its_base},         {"deleted-twice", deleted_twice},
                 {"behind-vector", behind_vector},     {"reference-kept", reference_kept},
                 {"text-gone", text_gone},             {"object-gone", object_gone},
                 {"forgotten", forgotten},
                 {"over-the-records", over_the_records}};
    is_innocent = argc > 2;
    for (const auto& each : cases)
        if (argc > 1 && std::strcmp(argv[1], each.name) == 0) each.run();
    std::puts("closed");
}
