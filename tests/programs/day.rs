// The same day in Rust: iterators, options and results that leave little of themselves behind.
use std::collections::BTreeMap;

#[derive(Clone, Debug)]
struct Barge {
    name: String,
    draught_cm: i32,
    length_m: f64,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Order {
    Fill(i32),
    Drain(i32),
    Wait,
}

trait Toll {
    fn toll(&self) -> f64;
}

impl Toll for Barge {
    fn toll(&self) -> f64 {
        let mut base = 12.5;
        if self.draught_cm > 110 {
            base += 20.0;
        }
        base + self.length_m
    }
}

#[inline(never)]
fn tolls_of(barges: &[Barge]) -> BTreeMap<String, f64> {
    let mut tolls = BTreeMap::new();
    for barge in barges {
        let toll = barge.toll();
        *tolls.entry(barge.name.clone()).or_insert(0.0) += toll;
    }
    tolls
}

#[inline(never)]
fn draughts_above(barges: &[Barge], mark: i32) -> Vec<i32> {
    let mut found: Vec<i32> = barges
        .iter()
        .map(|barge| barge.draught_cm)
        .filter(|draught| *draught > mark)
        .collect();
    found.sort();
    found
}

#[inline(never)]
fn obey(orders: &[Order], level: &mut i32) -> Result<i32, String> {
    let mut done = 0;
    for order in orders {
        match *order {
            Order::Fill(by) => {
                *level += by;
                done += 1;
            }
            Order::Drain(by) => {
                *level -= by;
                done += 2;
            }
            Order::Wait => continue,
        }
        if *level > 400 {
            return Err(format!("over the gate by {}", *level - 400));
        }
    }
    Ok(done)
}

#[inline(never)]
fn sum_levels(levels: &[i32]) -> i32 {
    let mut sum = 0;
    for level in levels {
        sum += level;
    }
    sum
}

fn half(value: i32) -> i32 {
    let by = value / 2;
    by + 1
}

#[inline(never)]
fn shrink(start: i32) -> u32 {
    let mut value = start;
    let mut steps = 0;
    while value > 2 {
        value = half(value);
        steps += 1;
    }
    steps
}

fn main() {
    let extra = std::env::args().count() as i32;
    let mut barges = Vec::new();
    barges.push(Barge { name: "Wren".to_string(), draught_cm: 84 + extra, length_m: 14.0 });
    barges.push(Barge { name: "Heron".to_string(), draught_cm: 120, length_m: 18.5 });
    barges.push(Barge { name: "Teal".to_string(), draught_cm: 130, length_m: 16.25 });
    let tolls = tolls_of(&barges);
    let sum: f64 = tolls.values().sum();
    let deep = draughts_above(&barges, 90);
    let mut level = 100;
    let orders = [Order::Fill(40), Order::Wait, Order::Drain(15), Order::Fill(20)];
    let done = obey(&orders, &mut level).unwrap_or(-1);
    let over = obey(&[Order::Fill(500)], &mut level);
    let levels = sum_levels(&deep);
    let steps = shrink(levels);
    println!("{:.2} {} {} {} {} {}", sum, done, over.is_err(), level, levels, steps);
}
