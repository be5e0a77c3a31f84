// Functions that end with a jump where they are optimised. rustc records nothing of calls.
use std::hint::black_box;
use std::sync::atomic::{AtomicU64, Ordering};

static SEEN: AtomicU64 = AtomicU64::new(0);

#[inline(never)]
fn moor(boat: u64) -> u64 {
    println!("moor {boat}");
    boat + SEEN.load(Ordering::Relaxed)
}

#[inline(never)]
fn by_pointer(berth: fn(u64) -> u64, boat: u64) -> u64 {
    SEEN.fetch_add(boat, Ordering::Relaxed);
    berth(boat + 1)
}

#[inline(never)]
fn twice(berth: fn(u64) -> u64, boat: u64) -> u64 {
    SEEN.fetch_add(boat, Ordering::Relaxed);
    by_pointer(berth, boat * 10)
}

fn main() {
    let berth: fn(u64) -> u64 = black_box(moor);
    let sum = twice(berth, black_box(3)) + by_pointer(berth, black_box(4));
    println!("sum {sum}");
}
