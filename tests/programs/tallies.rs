// Loops that Rust's iterators make. Each function is compiled by itself; the compiler says which of
// its loops it has vectorised.
#[no_mangle]
#[inline(never)]
pub fn sum_of_levels(levels: &[i32]) -> i32 {
    let mut sum = 0i32;
    for level in levels {
        sum = sum.wrapping_add(*level);
    }
    sum
}

#[no_mangle]
#[inline(never)]
pub fn raised(levels: &mut [i32], by: i32) {
    for level in levels.iter_mut() {
        *level = level.wrapping_add(by);
    }
}

#[no_mangle]
#[inline(never)]
pub fn folded(levels: &[i32]) -> i32 {
    levels.iter().fold(0i32, |sum, level| sum.wrapping_add(*level))
}

#[no_mangle]
#[inline(never)]
pub fn squares(levels: &[u32]) -> u32 {
    levels.iter().map(|level| level.wrapping_mul(*level)).sum()
}

#[no_mangle]
#[inline(never)]
pub fn first_empty(levels: &[i32]) -> Option<usize> {
    levels.iter().position(|level| *level == 0)
}

#[no_mangle]
#[inline(never)]
pub fn chained(levels: &[f64]) -> f64 {
    let mut flow = 0.5;
    for level in levels {
        flow = flow * 0.9 + *level;
    }
    flow
}

#[no_mangle]
#[inline(never)]
pub fn paired(first: &[i32], second: &[i32], into: &mut [i32]) {
    for ((left, right), to) in first.iter().zip(second.iter()).zip(into.iter_mut()) {
        *to = left.wrapping_add(*right);
    }
}

#[no_mangle]
#[inline(never)]
pub fn stepped(count: u32, mut seed: u32) -> u32 {
    for _ in 0..count {
        seed ^= seed << 13;
        seed ^= seed >> 17;
    }
    seed
}

fn main() {
    let mut levels: Vec<i32> = (0..100).collect();
    raised(&mut levels, 3);
    let others: Vec<u32> = (0..100).collect();
    let flows: Vec<f64> = (0..100).map(f64::from).collect();
    let second = levels.clone();
    let mut into = vec![0; 100];
    paired(&levels, &second, &mut into);
    println!("{} {} {} {:?} {} {} {}", sum_of_levels(&levels), folded(&levels), squares(&others), first_empty(&levels), chained(&flows), into[7], stepped(9, 7));
}
