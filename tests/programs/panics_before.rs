// Panics that follow from another one: of a thread that is waited for, and while something is let go.
struct Rope;

impl Drop for Rope {
    fn drop(&mut self) {
        panic!("the rope is caught");
    }
}

fn lose(berths: usize) -> i32 {
    let tolls: Vec<i32> = Vec::new();
    tolls[berths]
}

fn main() {
    let berths = std::env::args().count();
    if berths > 2 {
        let _rope = Rope;
        println!("{}", lose(berths));
    }
    let work = std::thread::spawn(move || lose(berths));
    println!("{}", work.join().unwrap());
}
