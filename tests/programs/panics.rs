// Panics: one that is caught, one that ends the program.
struct Barge {
    tons: i32,
}

#[inline(never)]
fn weigh(barge: &Barge) -> i32 {
    if barge.tons < 0 {
        panic!("a barge of {} tons", barge.tons);
    }
    barge.tons
}

fn main() {
    let caught = std::panic::catch_unwind(|| weigh(&Barge { tons: -4 }));
    println!("caught={}", caught.is_err());
    let tolls: Vec<i32> = vec![1, 2];
    let index = std::env::args().count() + 5;
    println!("toll={}", tolls[index]);
}
