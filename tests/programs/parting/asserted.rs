// The debug build takes another way.
#[inline(never)]
fn limit(level: i32) -> i32 {
    if cfg!(debug_assertions) {
        level * 2
    } else {
        level * 3
    }
}

fn main() {
    let level = std::env::args().count() as i32;
    println!("{}", limit(level + 4));
}
