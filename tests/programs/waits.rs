// Async functions that wait: what is kept over a wait and what is not, told by the program itself.
use std::future::Future;
use std::pin::Pin;
use std::sync::Arc;
use std::task::{Context, Poll, Wake, Waker};

struct Tide {
    turns: u32,
}

impl Future for Tide {
    type Output = u32;
    fn poll(mut self: Pin<&mut Self>, _context: &mut Context<'_>) -> Poll<u32> {
        if self.turns == 0 {
            return Poll::Ready(7);
        }
        self.turns -= 1;
        Poll::Pending
    }
}

// The stack that a body lay on is used again before it goes on.
#[inline(never)]
fn wash(depth: u32) -> u64 {
    let waves = [0x5151_5151_5151_5151u64; 64];
    if depth == 0 { waves[3] } else { wash(depth - 1) ^ waves[depth as usize % 64] }
}

async fn rise(boat: &str, turns: u32) -> u32 {
    let before = turns * 10;
    let risen = Tide { turns }.await;
    println!("{boat} risen {risen} before {before}");
    before + risen
}

async fn moor(name: String, draught: u32, turns: u32) -> u32 {
    let mut depth = draught + 1;
    println!("{name} begins at {depth} with {turns}");
    let level = rise(&name, turns).await;
    println!("{name} at {level}");
    depth = level * 2;
    println!("{name} then {depth}");
    depth
}

struct Lock {
    load: u32,
}

impl Lock {
    async fn unload(&mut self, by: u32) -> u32 {
        let mut steps = 0;
        while self.load > by {
            self.load -= by;
            steps += 1;
            if steps % 2 == 0 {
                Tide { turns: 1 }.await;
            }
        }
        steps * 100 + self.load
    }
}

async fn twice<T: Clone>(thing: T) -> (T, T) {
    let other = thing.clone();
    Tide { turns: 1 }.await;
    (thing, other)
}

async fn at_once(n: u32) -> u32 {
    let m = n + 1;
    m * 2
}

async fn one_line(n: u32) -> u32 { at_once(n).await + Tide { turns: 1 }.await }

struct Bell;
impl Wake for Bell {
    fn wake(self: Arc<Self>) {}
}

type Task<'a> = Pin<Box<dyn Future<Output = u32> + 'a>>;

fn ring(mut tasks: Vec<Task<'_>>) -> u32 {
    let waker = Waker::from(Arc::new(Bell));
    let mut context = Context::from_waker(&waker);
    let mut sum = 0;
    while let Some(mut task) = tasks.pop() {
        wash(9);
        match task.as_mut().poll(&mut context) {
            Poll::Ready(value) => {
                sum += value;
            }
            Poll::Pending => tasks.insert(0, task),
        }
    }
    sum
}

fn main() {
    let mut lock = Lock { load: 50 };
    let begun = moor("Heron".to_string(), 2, 3);
    let tasks: Vec<Task> = vec![
        Box::pin(begun),
        Box::pin(moor("Teal".to_string(), 1, 0)),
        Box::pin(lock.unload(7)),
        Box::pin(async {
            let pair = twice(5u32).await;
            pair.0 + pair.1 + one_line(4).await
        }),
    ];
    println!("in all {}", ring(tasks));
    give_up();
}

// A task that nobody polls again.
fn give_up() {
    let waker = Waker::from(Arc::new(Bell));
    let mut task: Task = Box::pin(rise("Owl", 5));
    let polled = task.as_mut().poll(&mut Context::from_waker(&waker));
    drop(task);
    println!("given up {}", polled.is_pending());
}
