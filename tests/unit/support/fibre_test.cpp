// Work that gives way in the middle: it goes on where it stopped, ends as it should, and leaves
// what it holds when it is abandoned.
#include "core/support/fibre.h"

#include <gtest/gtest.h>

#include <memory>
#include <stdexcept>
#include <string>
#include <vector>

namespace lantern {
namespace {

using Word = Fibre::Word;

TEST(Fibre, GoesOnWhereItGaveWay) {
    std::vector<int> order;
    Fibre fibre([&] {
        for (int i = 0; i < 3; ++i) {
            order.push_back(i);
            Fibre::current()->give_way();
        }
    });
    EXPECT_EQ(Fibre::current(), nullptr);
    for (int i = 0; i < 3; ++i) {
        EXPECT_FALSE(fibre.resume(Word::go_on));
        order.push_back(10 + i);
    }
    EXPECT_TRUE(fibre.resume(Word::go_on));
    EXPECT_TRUE(fibre.resume(Word::go_on)) << "it has ended, and stays so";
    EXPECT_EQ(order, (std::vector<int>{0, 10, 1, 11, 2, 12}));
}

TEST(Fibre, IsTheCurrentOneOnlyInside) {
    Fibre* seen = nullptr;
    Fibre outer([&] {
        Fibre inner([&] { seen = Fibre::current(); });
        inner.resume(Word::go_on);
        EXPECT_EQ(seen, &inner);
        seen = Fibre::current();
    });
    outer.resume(Word::go_on);
    EXPECT_EQ(seen, &outer);
    EXPECT_EQ(Fibre::current(), nullptr);
}

TEST(Fibre, IsToldToEndAndMayAnswer) {
    std::string answer;
    Fibre fibre([&] {
        answer = Fibre::current()->give_way() == Word::interrupt ? "interrupted" : "went on";
    });
    fibre.resume(Word::go_on);
    EXPECT_TRUE(fibre.resume(Word::interrupt));
    EXPECT_EQ(answer, "interrupted");
}

TEST(Fibre, ThrowsWhatItsWorkThrew) {
    Fibre fibre([] {
        Fibre::current()->give_way();
        throw std::runtime_error("leaking");
    });
    fibre.resume(Word::go_on);
    EXPECT_THROW(fibre.resume(Word::go_on), std::runtime_error);
    EXPECT_TRUE(fibre.resume(Word::go_on));
}

TEST(Fibre, LeavesWhatItHoldsWhenItIsAbandoned) {
    auto held = std::make_shared<int>(1);
    {
        Fibre fibre([held] {
            std::shared_ptr<int> own = held;
            try {
                Fibre::current()->give_way();
            } catch (const std::exception&) {
                ADD_FAILURE() << "to be abandoned is no error that could be handled";
            }
        });
        fibre.resume(Word::go_on);
        EXPECT_EQ(held.use_count(), 3);
    }
    EXPECT_EQ(held.use_count(), 1);
    Fibre never_begun([held] {});
}

// Both are in the middle of handling an exception of their own: each finds its own again.
TEST(Fibre, KeepsItsOwnExceptions) {
    std::string told;
    auto handles = [&](const char* what) {
        try {
            throw std::runtime_error(what);
        } catch (...) {
            Fibre::current()->give_way();
            try {
                throw;
            } catch (const std::runtime_error& again) {
                told += again.what();
            }
        }
    };
    Fibre first([&] { handles("Wren "); }), second([&] { handles("Tern "); });
    first.resume(Word::go_on);
    second.resume(Word::go_on);
    first.resume(Word::go_on);
    second.resume(Word::go_on);
    EXPECT_EQ(told, "Wren Tern ");
    EXPECT_EQ(std::uncaught_exceptions(), 0);
}

}  // namespace
}  // namespace lantern
