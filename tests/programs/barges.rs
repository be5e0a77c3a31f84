// A fixture in Rust: a structure, a reference, an enumeration, a closure.
struct Barge {
    draught: i32,
    name: String,
}

#[derive(Clone, Copy)]
enum Way {
    Up,
    Down,
}

fn toll(barge: &Barge, way: Way, base: i32) -> i32 {
    let extra = match way {
        Way::Up => base * 2,
        Way::Down => base,
    };
    barge.draught + extra
}

fn main() {
    let barge = Barge { draught: 130, name: "Wren".to_string() };
    let first = toll(&barge, Way::Up, 7);
    let second = toll(&barge, Way::Down, 7);
    let add = |x: i32| first + second + x;
    println!("{} {}", add(1), barge.name);
}
