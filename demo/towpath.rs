// Readings along the towpath: gauges are read, corrected, and kept in a register. A reading is shadowed by its own
// correction, and one gate is never told apart from a shut one.
use std::collections::{BTreeMap, VecDeque};
use std::rc::Rc;

#[derive(Debug, Clone)]
enum Gate {
    Shut,
    Ajar { width_cm: u32 },
    #[allow(dead_code)]
    Stuck(String),
}

#[derive(Debug)]
struct Gauge {
    name: Rc<str>,
    offset_cm: i32,
    recent: VecDeque<i32>,
}

struct Register {
    title: String,
    levels: BTreeMap<String, i32>,
    gates: Vec<Option<Gate>>,
}

trait Report {
    fn line(&self) -> String;
}

impl Report for Gauge {
    fn line(&self) -> String {
        format!("{} {:?}", self.name, self.recent)
    }
}

impl Report for Register {
    fn line(&self) -> String {
        format!("{}: {} gauges", self.title, self.levels.len())
    }
}

fn correct(gauge: &mut Gauge, text: &str) -> Result<i32, String> {
    let reading = text.trim();
    let reading: i32 = reading.parse().map_err(|_| format!("{:?} is no level", text))?;
    let reading = reading + gauge.offset_cm;
    gauge.recent.push_back(reading);
    if gauge.recent.len() > 3 {
        gauge.recent.pop_front();
    }
    {
        let reading = reading / 10; // meant for the display only
        if reading < 20 {
            return Ok(reading);
        }
    }
    Ok(reading)
}

fn passable(gate: &Option<Gate>) -> bool {
    match gate {
        Some(Gate::Ajar { width_cm }) => *width_cm >= 210,
        Some(Gate::Stuck(_)) | Some(Gate::Shut) => false,
        None => false, // not there at all: nothing is in the way
    }
}

fn main() {
    let mut gauge = Gauge { name: Rc::from("Sallow Hill"), offset_cm: -4, recent: VecDeque::new() };
    let mut register = Register { title: String::from("towpath, Monday"), levels: BTreeMap::new(), gates: Vec::new() };
    for (place, text) in [("upper", "214 "), ("middle", "201"), ("lower", "180\n"), ("weir", "17o")] {
        match correct(&mut gauge, text) {
            Ok(level) => {
                register.levels.insert(place.to_string(), level);
            }
            Err(why) => println!("{place}: {why}"),
        }
    }
    register.gates.push(Some(Gate::Ajar { width_cm: 240 }));
    register.gates.push(None);
    register.gates.push(Some(Gate::Stuck("a branch lies in it".to_string())));
    register.gates.push(Some(Gate::Shut));
    let open = register.gates.iter().filter(|gate| passable(gate)).count();
    let reports: Vec<Box<dyn Report>> = vec![Box::new(gauge), Box::new(register)];
    for report in &reports {
        println!("{}", report.line());
    }
    println!("{open} gates can be passed");
    if let Some(metres) = std::env::args().nth(1) {
        println!("{metres} metres: {}", milestone(&metres));
    }
}

/// What stands on the stone that is passed last. Who walks on beyond the fourth is not thought of.
fn milestone(metres: &str) -> &'static str {
    const STONES: [&str; 4] = ["Sallow Hill", "the weir", "upper pound", "Elm Lock"];
    let walked: usize = metres.trim().parse().unwrap();
    STONES[walked / 100]
}
