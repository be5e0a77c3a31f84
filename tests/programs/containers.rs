// Every Rust type whose view the tests look at, filled and printed by the program itself: one line "NAME = TEXT" for each,
// in the form the views write.
use std::borrow::Cow;
use std::cell::{Cell, RefCell};
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet, VecDeque};
use std::ffi::OsString;
use std::path::PathBuf;
use std::rc::Rc;
use std::sync::Arc;

trait Craft {
    fn toll(&self) -> i32;
}
struct Narrowboat {
    draught_cm: i32,
}
impl Craft for Narrowboat {
    fn toll(&self) -> i32 {
        self.draught_cm
    }
}
#[allow(dead_code)]
enum Gate {
    Shut,
    Ajar(i32, f64),
    Open { width_cm: u32, by: String },
}
#[allow(dead_code)]
#[derive(Clone, Copy)]
enum Light {
    Red = 1,
    Green = 4,
}

#[inline(never)]
fn look_here() {
    std::hint::black_box(());
    print!("");
}

fn list<T: std::fmt::Debug>(items: impl Iterator<Item = T>) -> String {
    let all: Vec<String> = items.map(|x| format!("{:?}", x)).collect();
    if all.is_empty() { "empty".to_string() } else { format!("{{{}}}", all.join(", ")) }
}
fn pairs<K: std::fmt::Debug, V: std::fmt::Debug>(items: impl Iterator<Item = (K, V)>) -> String {
    let all: Vec<String> = items.map(|(k, v)| format!("[{:?}] = {:?}", k, v)).collect();
    if all.is_empty() { "empty".to_string() } else { format!("{{{}}}", all.join(", ")) }
}

fn main() {
    let name: &str = "Wren";
    let keeper = String::from("Ada of the third lock");
    let no_text = String::new();
    let levels = vec![214, 180, 146];
    let names = vec!["Wren".to_string(), "Heron".to_string()];
    let nothing: Vec<i32> = Vec::new();
    let part: &[i32] = &levels[1..];
    let fixed = [1.5, 2.5];
    let boxed = Box::new(7);
    let boxed_text: Box<str> = "lock".into();
    let boxed_slice: Box<[i32]> = vec![4, 5].into_boxed_slice();
    let shared = Rc::new(5);
    let also = Rc::clone(&shared);
    let watcher = Rc::downgrade(&shared);
    let threads_share = Arc::new(String::from("sheet"));
    let cell = Cell::new(9);
    let guarded = RefCell::new(String::from("gate"));
    let depth: Option<i32> = Some(42);
    let no_depth: Option<i32> = None;
    let reference: Option<&i32> = Some(&levels[0]);
    let no_reference: Option<&i32> = None;
    let text_maybe: Option<String> = Some("weir".to_string());
    let no_text_maybe: Option<String> = None;
    let good: Result<i32, String> = Ok(3);
    let bad: Result<i32, String> = Err("stuck".to_string());
    let shut = Gate::Shut;
    let ajar = Gate::Ajar(5, 0.5);
    let open = Gate::Open { width_cm: 430, by: "Ada".to_string() };
    let light = Light::Green;
    let both = (3, "gate", 2.5);
    let unit = ();
    let mut berths = HashMap::new();
    for i in 0..20 {
        berths.insert(format!("barge {}", i), i * 3);
    }
    let marks: HashSet<u16> = [10, 20, 30].into_iter().collect();
    let mut rates = BTreeMap::new();
    for i in 0..300 {
        rates.insert(i * 7 % 301, i);
    }
    let few: BTreeMap<String, i32> = [("Wren".to_string(), 1), ("Teal".to_string(), 2)].into_iter().collect();
    let sorted: BTreeSet<i32> = [5, 1, 3].into_iter().collect();
    let no_map: BTreeMap<i32, i32> = BTreeMap::new();
    let mut ring = VecDeque::new();
    for i in 0..12 {
        ring.push_back(i);
    }
    for _ in 0..8 {
        ring.pop_front();
    }
    for i in 0..9 {
        ring.push_back(100 + i);
    }
    let borrowed: Cow<str> = Cow::Borrowed("plain");
    let owned: Cow<str> = Cow::Owned("made".to_string());
    let path = PathBuf::from("/canal/sheet.txt");
    let os = OsString::from("lock");
    let craft: Box<dyn Craft> = Box::new(Narrowboat { draught_cm: 60 });
    let craft_ref: &dyn Craft = &*craft;
    let factor = 3;
    let rule = move |n: i32| n * factor;
    let letter = 'é';
    let wide: u128 = 170141183460469231731687303715884105727;

    println!("name = {:?}", name);
    println!("keeper = {:?}", keeper);
    println!("no_text = {:?}", no_text);
    println!("levels = {}", list(levels.iter()));
    println!("names = {}", list(names.iter()));
    println!("nothing = {}", list(nothing.iter()));
    println!("part = {}", list(part.iter()));
    println!("fixed = {}", list(fixed.iter()));
    println!("boxed_text = {:?}", boxed_text);
    println!("boxed_slice = {}", list(boxed_slice.iter()));
    println!("cell = {}", cell.get());
    println!("guarded = {:?} (1 reader)", guarded.borrow());
    println!("depth = Some(42)\nno_depth = None\ntext_maybe = Some(\"weir\")\nno_text_maybe = None\nno_reference = None");
    println!("good = Ok(3)\nbad = Err(\"stuck\")");
    println!("shut = Shut\najar = Ajar(5, 0.5)\nopen = Open {{width_cm = 430, by = \"Ada\"}}");
    println!("light = Green ({})", light as i32);
    println!("both = {:?}", both);
    println!("unit = {:?}", unit);
    println!("berths = {}", pairs(berths.iter()));
    println!("marks = {}", list(marks.iter()));
    println!("few = {}", pairs(few.iter()));
    println!("rates = {}", pairs(rates.iter()));
    println!("sorted = {}", list(sorted.iter()));
    println!("no_map = {}", pairs(no_map.iter()));
    println!("ring = {}", list(ring.iter()));
    println!("borrowed = Borrowed({:?})", borrowed);
    println!("owned = Owned({:?})", owned);
    println!("path = {:?}", path);
    println!("os = {:?}", os);
    println!("wide = {}", wide);
    println!("letter = {} {:?}", letter as u32, letter);
    let lent = guarded.borrow();
    look_here();
    println!("{} {} {} {} {}", boxed, also, craft_ref.toll(), rule(2), lent);
    println!("{} {:?} {:?}", threads_share, watcher.upgrade(), reference);
}
