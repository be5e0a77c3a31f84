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

#[inline(never)]
fn name_of(names: &str, from: usize) -> &str {
    &names[from..]
}

#[inline(never)]
fn enter(crew: &std::cell::RefCell<Vec<i32>>) -> usize {
    let first = crew.borrow_mut();
    let again = crew.borrow_mut();
    first.len() + again.len()
}

#[inline(never)]
fn berth(length_cm: u32) -> u32 {
    assert_eq!(length_cm, 2100, "no barge is so long");
    length_cm
}

#[allow(unconditional_recursion)]
#[inline(never)]
fn deepest(depth: u64) -> u64 {
    let room = black_box([depth; 64]);
    1 + deepest(depth + 1) + room[3]
}

struct Gate {
    level_cm: i32,
    beyond: *const Gate,
}
#[inline(never)]
fn level_beyond(gate: &Gate) -> i32 {
    unsafe { (*gate.beyond).level_cm }
}

#[inline(never)]
fn element(levels: &[i32], day: isize) -> i32 {
    unsafe { *levels.as_ptr().offset(day) }
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
        "text" => name_of(black_box("lock"), 9).len() as i32,
        "borrowed" => enter(&std::cell::RefCell::new(vec![1])) as i32,
        "assert" => berth(black_box(2200)) as i32,
        "deep" => deepest(0) as i32,
        "beyond" => level_beyond(black_box(&Gate { level_cm: 90, beyond: std::ptr::null() })),
        "element" => element(black_box(&levels), black_box(1 << 40)),
        "abort" => std::process::abort(),
        _ => 0,
    };
    black_box(sum);
}
