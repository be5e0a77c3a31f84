// Variables that are moved away, and others that are not.
#[derive(Debug, Clone)]
struct Barge {
    name: String,
    tons: u32,
}

struct Fleet {
    barges: Vec<Barge>,
    lead: String,
}

#[inline(never)]
fn count(text: &str) -> usize {
    text.len()
}

#[inline(never)]
fn moor(barge: Barge, berth: u32) -> u32 {
    barge.tons + berth
}

#[inline(never)]
fn sail(names: &[&str]) -> u32 {
    let mut fleet = Vec::new();
    for name in names {
        let barge = Barge { name: name.to_string(), tons: count(name) as u32 };
        let tons = barge.tons;
        fleet.push(barge);
        println!("{} {}", tons, fleet.len()); // barge is gone
    }
    let lead = fleet[0].name.clone();
    let first = fleet[0].clone();
    let kept = fleet.clone();
    println!("{} {:?} {:?}", lead, first, kept); // all are here
    let mut sum = 0;
    for barge in fleet {
        let tons = barge.tons;
        if tons > 4 {
            sum += moor(barge, 2);
            println!("{}", sum); // barge and fleet are gone
        }
        sum += tons;
    }
    let copy = first;
    let all = Fleet { barges: kept, lead };
    println!("{} {}", copy.name, all.lead); // first, kept and lead are gone
    let mut rope = String::from("hemp");
    let used = rope;
    rope = String::from("sisal");
    println!("{} {}", used, rope); // rope is another one
    let lengths: Vec<u32> = all.barges.iter().map(|each| each.tons).collect();
    let total: u32 = lengths.into_iter().sum();
    let work = std::thread::spawn(move || copy.clone().tons + all.barges[0].tons + total);
    let told = work.join().unwrap();
    println!("{} {}", told, sum); // lengths and copy are gone, total is not
    told
}

fn main() {
    std::process::exit((sail(&["Heron", "Teal", "Coot"]) != 0) as i32);
}
