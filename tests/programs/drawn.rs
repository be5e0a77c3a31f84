// A list by Box, a tree by Rc, and numbers, to be drawn.
use std::collections::{BTreeMap, LinkedList, VecDeque};
use std::rc::Rc;

struct Barge {
    draught_cm: i32,
    next: Option<Box<Barge>>,
}
struct Keeper {
    name: String,
}
struct Gate {
    number: u32,
    keeper: Rc<Keeper>,
    below: Vec<Gate>,
}

#[inline(never)]
fn stop_here(head: &Barge, gate: &Gate, levels: &[f64]) -> i32 {
    head.draught_cm + gate.number as i32 + levels.len() as i32 + gate.keeper.name.len() as i32
}

fn main() {
    let head = Barge { draught_cm: 1, next: Some(Box::new(Barge { draught_cm: 2, next: Some(Box::new(Barge { draught_cm: 3, next: None })) })) };
    let ada = Rc::new(Keeper { name: "Ada".to_string() });
    let gate = Gate { number: 1, keeper: ada.clone(), below: vec![Gate { number: 2, keeper: ada.clone(), below: vec![] }, Gate { number: 3, keeper: ada.clone(), below: vec![] }] };
    let levels: Vec<f64> = (0..20).map(|i| i as f64 * 1.5).collect();
    let line: LinkedList<i32> = LinkedList::from([5, 6, 7]);
    let tolls: BTreeMap<String, Rc<Keeper>> = BTreeMap::from([("low".to_string(), ada.clone()), ("high".to_string(), ada)]);
    let waiting: VecDeque<i32> = VecDeque::from([3, 1, 2]);
    let sum = stop_here(&head, &gate, &levels);
    println!("{} {} {} {}", sum, line.len(), tolls.len(), waiting.len());
}
