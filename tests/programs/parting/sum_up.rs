// Overflow is found in a debug build and wraps in a release.
#[inline(never)]
fn add_up(levels: &[u8]) -> u8 {
    let mut sum = 0u8;
    for level in levels {
        sum = plus(sum, *level);
    }
    sum
}

#[inline(never)]
fn plus(sum: u8, level: u8) -> u8 {
    sum + level
}

fn main() {
    let count = std::env::args().count() as u8;
    println!("{}", add_up(&[100, 100, 55 + count]));
}
