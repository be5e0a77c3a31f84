// One way to fail for each name that is given, in Rust: what its diagnosis must say stands in diagnosis_test.cpp.
use std::env;
use std::hint::black_box;

struct Barge {
    draught_cm: i32,
    next: Option<Box<Barge>>,
}

#[inline(never)]
fn draught_of_next(barge: &Barge) -> i32 {
    barge.next.as_ref().unwrap().draught_cm
}

#[inline(never)]
fn level_at(levels: &[i32], day: usize) -> i32 {
    levels[day]
}

#[inline(never)]
fn average(sum: i32, count: i32) -> i32 {
    sum / count
}

#[inline(never)]
fn through_raw(barge: *const Barge) -> i32 {
    unsafe { (*barge).draught_cm }
}

#[inline(never)]
fn open(name: &str) -> i32 {
    name.parse::<i32>().expect("a level is a number")
}

fn main() {
    let what = env::args().nth(1).unwrap_or_default();
    let barge = Barge { draught_cm: 90, next: None };
    let levels = vec![3, 4, 5];
    let sum = match what.as_str() {
        "unwrap" => draught_of_next(black_box(&barge)),
        "index" => level_at(black_box(&levels), 7),
        "divisor" => average(10, black_box(0)),
        "raw" => through_raw(black_box(std::ptr::null())),
        "expect" => open("high"),
        "abort" => std::process::abort(),
        _ => 0,
    };
    black_box(sum);
}
