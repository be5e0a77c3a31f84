// A table that is keyed by chance: each run has its own order.
use std::collections::HashMap;

#[inline(never)]
fn total(tolls: &HashMap<String, u32>) -> u32 {
    tolls.values().sum()
}

#[inline(never)]
fn first_letter(name: &str) -> u32 {
    name.len() as u32
}

fn main() {
    let mut tolls = HashMap::new();
    for (i, name) in ["Wren", "Heron", "Coot", "Teal"].iter().enumerate() {
        tolls.insert(name.to_string(), i as u32 * 3 + first_letter(name));
    }
    println!("{}", total(&tolls));
}
