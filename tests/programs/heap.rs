// Blocks that a Rust program asks for through the system's allocator; it tells its own list.
use std::collections::{BTreeMap, HashMap};
use std::hint::black_box;

pub trait Craft {
    fn toll(&self) -> u32;
}
pub struct Barge {
    name: String,
    tonnes: u32,
}
impl Craft for Barge {
    fn toll(&self) -> u32 {
        self.tonnes * 2 + self.name.len() as u32
    }
}

#[inline(never)]
#[no_mangle]
pub fn look_here(count: usize) {
    black_box(count);
}

fn tell(kind: &str, address: usize, size: usize) {
    println!("{kind} {address:#x} {size}");
}

#[inline(never)]
fn lose(count: usize) {
    for i in 0..count {
        let barge = Box::new(Barge { name: format!("lost barge number {i} of the canal"), tonnes: 7 });
        println!("lost {:#x}", (&*barge as *const Barge as usize) ^ 0x5555555555555555);
        std::mem::forget(barge);
    }
}

#[inline(never)]
fn forget() {
    let mut dust = [0u8; 20000];
    for (i, byte) in dust.iter_mut().enumerate() {
        *byte = i as u8;
    }
    black_box(&dust);
}

#[inline(never)]
fn lose_below(count: usize) {
    let room = [0u8; 512];
    black_box(&room);
    lose(count);
}

fn main() {
    let barges: Vec<Box<Barge>> =
        (0..40).map(|i| Box::new(Barge { name: format!("barge {i} with a name"), tonnes: i })).collect();
    let crafts: Vec<Box<dyn Craft>> =
        vec![Box::new(Barge { name: String::from("a craft of the lower pound"), tonnes: 3 })];
    let mut tolls: HashMap<u32, String> = HashMap::new();
    let mut days: BTreeMap<u32, u64> = BTreeMap::new();
    for i in 0..30 {
        tolls.insert(i, format!("toll of the day {i}"));
        days.insert(i, u64::from(i) * 3);
    }
    let threads: Vec<_> = (0..3)
        .map(|n| std::thread::spawn(move || (0..100usize).map(|i| vec![n as u8; 16 + i * 9]).collect::<Vec<_>>()))
        .collect();
    let from_threads: Vec<Vec<Vec<u8>>> = threads.into_iter().map(|t| t.join().unwrap()).collect();
    for barge in &barges {
        tell("block", &**barge as *const Barge as usize, std::mem::size_of::<Barge>());
        tell("block", barge.name.as_ptr() as usize, barge.name.capacity());
    }
    for toll in tolls.values() {
        tell("block", toll.as_ptr() as usize, toll.capacity());
    }
    for blocks in &from_threads {
        for block in blocks {
            tell("block", block.as_ptr() as usize, block.capacity());
        }
    }
    lose_below(4);
    forget();
    look_here(barges.len() + crafts.len() + from_threads.len());
    let sum: u32 = crafts.iter().map(|c| c.toll()).sum();
    black_box((sum, days.len(), tolls.len()));
}
