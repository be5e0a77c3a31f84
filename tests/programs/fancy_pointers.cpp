// A container whose pointers are a class of the user's own (allocator requirements, C++20 [allocator.requirements]).
#include <cstddef>
#include <iterator>
#include <memory>
#include <vector>

namespace canal {

template <class T>
struct Mooring {
    using element_type = T;
    using value_type = std::remove_cv_t<T>;
    using difference_type = std::ptrdiff_t;
    using reference = T&;
    using pointer = Mooring;
    using iterator_category = std::random_access_iterator_tag;
    T* held = nullptr;

    Mooring() = default;
    Mooring(std::nullptr_t) {}
    explicit Mooring(T* at) : held(at) {}
    template <class U, class = std::enable_if_t<std::is_convertible_v<U*, T*>>>
    Mooring(const Mooring<U>& other) : held(other.held) {}
    static Mooring pointer_to(T& at) { return Mooring(&at); }
    T& operator*() const { return *held; }
    T* operator->() const { return held; }
    T& operator[](difference_type i) const { return held[i]; }
    explicit operator bool() const { return held; }
    Mooring& operator++() { ++held; return *this; }
    Mooring operator++(int) { return Mooring(held++); }
    Mooring& operator--() { --held; return *this; }
    Mooring& operator+=(difference_type n) { held += n; return *this; }
    Mooring& operator-=(difference_type n) { held -= n; return *this; }
    friend Mooring operator+(Mooring a, difference_type n) { return a += n; }
    friend Mooring operator-(Mooring a, difference_type n) { return a -= n; }
    friend difference_type operator-(Mooring a, Mooring b) { return a.held - b.held; }
    friend auto operator<=>(Mooring a, Mooring b) = default;
};

template <class T>
struct Quay {
    using value_type = T;
    using pointer = Mooring<T>;
    Quay() = default;
    template <class U>
    Quay(const Quay<U>&) {}
    pointer allocate(std::size_t n) { return pointer(std::allocator<T>().allocate(n)); }
    void deallocate(pointer at, std::size_t n) { std::allocator<T>().deallocate(at.held, n); }
    bool operator==(const Quay&) const { return true; }
};

}  // namespace canal

int main() {
    std::vector<int, canal::Quay<int>> lengths{72, 58, 214};
    auto second = lengths.begin() + 1;
    return *second - 58;  // here
}
