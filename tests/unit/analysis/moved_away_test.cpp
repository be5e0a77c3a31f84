// What hands a variable of Rust over, by the text of a statement.
#include "core/analysis/moved_away.h"

#include <gtest/gtest.h>

namespace lantern {
namespace {

TEST(HandsOver, WhatTakesAllOfIt) {
    for (const char* statement : {
             "for boat in barge",
             "'all: for boat in barge {",
             "let kept = barge",
             "kept = barge;",
             "let boats = barge.into_iter()",
             "let boat: Boat = barge.into()",
             "moor(barge, 3)",
             "fleet.push(barge)",
             "let kept = Some(barge)",
             "let boats = Vec::<Boat>::from(barge)",
             "let fleet = Fleet { lead, barge }",
             "let fleet = Fleet { boats: barge, lead }",
             "spawn(move || barge.sail())",
             "spawn(move |x| sail(&barge, x))",
             "println!(\"{}\", moor(barge))",
             "let Some(boat) = find(barge) else",
             "if let Some(boat) = barge.into_first()",
             "for boat in sail(barge)",
             "let sum = tons.map(|each| moor(barge))",
             "let all = Some(Fleet { boats: Boats { barge, lead } })",
         })
        EXPECT_TRUE(hands_over("barge", statement)) << statement;
}

TEST(HandsOver, WhatBorrowsOrReadsItDoesNot) {
    for (const char* statement : {
             "for boat in &barge",
             "for boat in barge.iter()",
             "let kept = barge.clone()",
             "let kept = &barge",
             "let tons = barge.tons",
             "moor(&barge, 3)",
             "moor(&mut barge)",
             "moor(barge.tons, 3)",
             "println!(\"{} {}\", barge, 3)",
             "println!(\"{barge}\")",
             "println!(\"moor(barge)\")",
             "let same = left == barge",
             "let fleet = Fleet { barge: 3 }",
             "let fleet = Fleet { tons: barge.tons }",
             "barge::moor(3)",
             "fleet.barge(3)",
             "spawn(move || barge.tons)",
             "total += barge",
             "moor(barges, 3)",
             "let a = [barge; 3]",
             "sail(move || 3, &barge)",
             "spawn(move || sail(3)).join(&barge)",
             "find('\"', \"moor(barge)\")",
             "if let Some(barge) = fleet.pop()",
             "while let Some(barge) = next()",
             "let (at, barge) = first(fleet)",
             "for (at, barge) in fleet",
             "for barge in fleet",
             "Some(barge) => moor(&barge)",
             "let sum = fleet.iter().map(|barge| moor(barge))",
             "let sum = fleet.iter().map(move |at, barge| moor(barge))",
             "let hole = if wide { moor(barge) } else { 3 }",
             "let boat = loop { if let Some(barge) = next() { break barge; } }",
         })
        EXPECT_FALSE(hands_over("barge", statement)) << statement;
}

}  // namespace
}  // namespace lantern
