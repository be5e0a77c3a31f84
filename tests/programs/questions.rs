// A fixture: values of Rust, and a program that says itself what it answers to each question.
use std::cell::{Cell, RefCell};
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet, VecDeque};
use std::rc::Rc;

#[derive(Debug, Clone, PartialEq)]
enum Gate {
    Shut,
    Ajar(i32, f64),
    Open { width: i32, by: String },
}

#[derive(Debug, Clone, Copy, PartialEq, PartialOrd)]
enum Light {
    Red,
    Green = 5,
}

#[derive(Debug, Clone, PartialEq)]
struct Barge {
    name: String,
    draught: i32,
}

macro_rules! ask {
    ($question:expr) => {
        println!("{} = {:?}", stringify!($question), $question)
    };
}

#[inline(never)]
fn stand_here() {
    print!("");
}

fn main() {
    let levels = vec![214, 180, 146];
    let none: Vec<i32> = Vec::new();
    let part: &[i32] = &levels[1..];
    let fixed = [3u8, 1, 4];
    let name = String::from("Wren of the third lock");
    let short: &str = "Teal";
    let nobody = "";
    let depth: Option<i32> = Some(42);
    let no_depth: Option<i32> = None;
    let text_maybe: Option<String> = Some("weir".to_string());
    let reference: Option<&i32> = levels.first();
    let nested: Option<Option<u8>> = Some(None);
    let good: Result<i32, String> = Ok(3);
    let bad: Result<i32, String> = Err("stuck".to_string());
    let shut = Gate::Shut;
    let ajar = Gate::Ajar(5, 0.5);
    let open = Gate::Open { width: 430, by: "Ada".to_string() };
    let light = Light::Green;
    let barge = Barge { name: "Wren".to_string(), draught: 60 };
    let barges = vec![barge.clone(), Barge { name: "Teal".to_string(), draught: 75 }];
    let berths: HashMap<i32, &str> = [(3, "Wren"), (5, "Teal")].into_iter().collect();
    let marks: HashSet<u16> = [10, 20, 30].into_iter().collect();
    let rates: BTreeMap<i32, i32> = (0..300).map(|i| (i * 7 % 301, i)).collect();
    let sorted: BTreeSet<i32> = [5, 1, 3].into_iter().collect();
    let mut ring: VecDeque<i32> = VecDeque::new();
    for i in 0..9 {
        ring.push_back(100 + i);
    }
    let cell = Cell::new(9);
    let guarded = RefCell::new(String::from("gate"));
    let shared = Rc::new(Barge { name: "Heron".to_string(), draught: 90 });
    let boxed = Box::new(Gate::Ajar(7, 1.5));
    let pair = (3, "gate");
    let gates = [Gate::Shut, Gate::Open { width: 3, by: String::new() }];

    ask!(levels.len());
    ask!(levels.is_empty());
    ask!(none.is_empty());
    ask!(levels.first());
    ask!(levels.last() == Some(&146));
    ask!(levels.get(1) == Some(&180));
    ask!(levels.get(7));
    ask!(none.first());
    ask!(levels.contains(&180));
    ask!(levels.contains(&181));
    ask!(part.len());
    ask!(part.contains(&214));
    ask!(fixed.len());
    ask!(fixed.contains(&4));
    ask!(fixed.is_empty());
    ask!(name.len());
    ask!(name.is_empty());
    ask!(name.starts_with("Wren"));
    ask!(name.contains("third"));
    ask!(name.ends_with("gate"));
    ask!(name.as_str() == "Wren of the third lock");
    ask!(&name[0..4]);
    ask!(&name[5..]);
    ask!(&short[..2] == "Te");
    ask!(short.len());
    ask!(nobody.is_empty());
    ask!(depth.is_some());
    ask!(no_depth.is_none());
    ask!(depth.unwrap());
    ask!(no_depth.unwrap_or(7));
    ask!(depth == Some(42));
    ask!(depth == Some(41));
    ask!(depth == None);
    ask!(no_depth == None);
    ask!(no_depth != Some(1));
    ask!(text_maybe.is_some());
    ask!(text_maybe == Some("weir".to_string()));
    ask!(reference == Some(&214));
    ask!(nested == Some(None));
    ask!(good.is_ok());
    ask!(bad.is_err());
    ask!(good == Ok(3));
    ask!(bad == Err("stuck".to_string()));
    ask!(shut == Gate::Shut);
    ask!(ajar == Gate::Shut);
    ask!(ajar == Gate::Ajar(5, 0.5));
    ask!(ajar == Gate::Ajar(6, 0.5));
    ask!(open == Gate::Open { width: 430, by: "Ada".to_string() });
    ask!(open != Gate::Open { width: 431, by: "Ada".to_string() });
    ask!(matches!(open, Gate::Open { width: 430, .. }));
    ask!(matches!(open, Gate::Open { width: 400..=429, .. }));
    ask!(matches!(open, Gate::Shut | Gate::Open { .. }));
    ask!(matches!(ajar, Gate::Ajar(5, _)));
    ask!(matches!(ajar, Gate::Ajar(.., 0.5)));
    ask!(matches!(shut, Gate::Shut));
    ask!(matches!(depth, Some(40..)));
    ask!(matches!(depth, Some(_x)));
    ask!(matches!(nested, Some(Some(_))));
    ask!(matches!(*boxed, Gate::Ajar(7, _)));
    ask!(matches!(pair, (3, "gate")));
    ask!(matches!(light, Light::Red));
    ask!(matches!(bad, Err(_)));
    ask!(matches!(&barge, Barge { draught: 60, .. }));
    ask!(light == Light::Green);
    ask!(light > Light::Red);
    ask!(barge == barges[0]);
    ask!(barge == barges[1]);
    ask!(barge == Barge { name: "Wren".to_string(), draught: 60 });
    ask!(barges.last().unwrap().draught);
    ask!(barges[1].name.len());
    ask!(berths.len());
    ask!(berths.contains_key(&3));
    ask!(berths.contains_key(&4));
    ask!(berths.get(&5));
    ask!(berths.get(&6));
    ask!(berths[&3]);
    ask!(marks.contains(&20));
    ask!(marks.contains(&21));
    ask!(rates.len());
    ask!(rates.get(&14));
    ask!(rates.contains_key(&301));
    ask!(sorted.len());
    ask!(sorted.contains(&3));
    ask!(ring.len());
    ask!(ring.front());
    ask!(ring.back() == Some(&108));
    ask!(cell.get());
    ask!(guarded.borrow().len());
    ask!(guarded.borrow().as_str() == "gate");
    ask!(shared.draught);
    ask!(shared.name.len());
    ask!(gates[1] == Gate::Shut);
    ask!(matches!(gates[1], Gate::Open { width: 3, .. }));
    stand_here();
}
