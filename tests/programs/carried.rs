// What panics carry: a literal, a text that is put together where another text lay, values that are no
// texts though there is one in them, and a panic that goes on.
use std::panic;

struct Flood {
    level: u32,
    lock: String,
}

fn by_literal() -> u32 {
    panic!("no water in the lock")
}
fn by_format(level: u32) -> u32 {
    panic!("at {level} cm it is over")
}
fn by_value(level: u32) -> u32 {
    panic::panic_any(Flood { level, lock: String::from("Wren lock") })
}
fn by_number(level: u32) -> u32 {
    panic::panic_any(level)
}
fn on_again(level: u32) -> u32 {
    match panic::catch_unwind(|| by_value(level)) {
        Ok(level) => level,
        Err(carried) => panic::resume_unwind(carried),
    }
}

fn main() {
    panic::set_hook(Box::new(|_| {}));
    let mut lain: Vec<String> = Vec::new();
    for length in 8..64 {
        lain.push("x".repeat(length));
    }
    drop(lain);
    let caught = [
        panic::catch_unwind(by_literal),
        panic::catch_unwind(|| by_format(412)),
        panic::catch_unwind(|| by_value(413)),
        panic::catch_unwind(|| by_number(414)),
        panic::catch_unwind(|| on_again(415)),
    ];
    for each in &caught {
        match each {
            Ok(level) => println!("level {level}"),
            Err(carried) => match (carried.downcast_ref::<Flood>(), carried.downcast_ref::<String>()) {
                (Some(flood), _) => println!("flood {} {}", flood.level, flood.lock),
                (_, Some(text)) => println!("text {text}"),
                _ => println!("literal or number"),
            },
        }
    }
}
