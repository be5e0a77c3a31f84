// A list that is taken apart in a loop: the iterator lies in memory, and the turns work with a
// register. At each turn's end what is left of the crate is dropped.
pub struct Crate {
    name: String,
    goods: Vec<String>,
    tons: u64,
}

#[inline(never)]
fn weigh(sum: u64, name: String, tons: u64) -> u64 {
    std::hint::black_box(&name);
    sum * 3 + tons + name.len() as u64
}

#[inline(never)]
fn load(crates: Vec<Crate>) -> u64 {
    let mut sum = 0;
    for each in crates {
        sum = weigh(sum, each.name, each.tons);
    }
    sum
}

// What is too short is not kept: its label is dropped where the turn ends.
#[inline(never)]
fn labelled(names: Vec<String>) -> Vec<String> {
    let mut kept = Vec::new();
    for name in names {
        let label = format!("{name}!");
        if name.len() < 5 {
            continue;
        }
        kept.push(label);
    }
    kept
}

fn main() {
    let mut crates = Vec::new();
    for (number, name) in ["salt", "coal", "bricks", "wool"].iter().enumerate() {
        crates.push(Crate {
            name: name.to_string(),
            goods: vec![name.to_string(); number + 1],
            tons: 10 * number as u64,
        });
    }
    let names = crates.iter().map(|each| each.name.clone()).collect();
    println!("{:?}", labelled(std::hint::black_box(names)));
    println!("{}", load(std::hint::black_box(crates)));
}
