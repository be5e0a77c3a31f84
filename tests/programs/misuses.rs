// Faults of the heap in unsafe Rust, each with an innocent neighbour: as misuses.c.
use std::alloc::{alloc, dealloc, Layout};

#[inline(never)]
fn moor(size: usize) -> *mut u8 {
    unsafe { alloc(Layout::from_size_align(size, 8).unwrap()) }
}
#[inline(never)]
fn cast_off(at: *mut u8, size: usize) {
    unsafe { dealloc(at, Layout::from_size_align(size, 8).unwrap()) }
}
#[inline(never)]
fn look(at: *const u8) -> u8 {
    unsafe { at.read_volatile() }
}
#[inline(never)]
fn note(at: *mut u8, what: u8) {
    unsafe { at.write_volatile(what) }
}

#[inline(never)]
fn write_behind(innocent: bool) {
    let label = moor(48);
    note(unsafe { label.add(if innocent { 47 } else { 48 }) }, b'W');
    cast_off(label, 48);
}
#[inline(never)]
fn read_freed(innocent: bool) {
    let label = moor(32);
    note(label, 1);
    if innocent {
        look(label);
    }
    cast_off(label, 32);
    if !innocent {
        look(label);
    }
}
#[inline(never)]
fn free_twice(innocent: bool) {
    let label = moor(24);
    cast_off(label, 24);
    if !innocent {
        cast_off(label, 24);
    }
}
#[inline(never)]
fn box_twice(innocent: bool) {
    let label = Box::into_raw(std::hint::black_box(Box::new([7u64; 5])));
    unsafe {
        drop(Box::from_raw(label));
        if !innocent {
            drop(Box::from_raw(label));
        }
    }
}
#[inline(never)]
fn vector_gone(innocent: bool) {
    let levels: Vec<u32> = (0..16).collect();
    let first = levels.as_ptr();
    if !innocent {
        drop(levels);
        look(first as *const u8);
    } else {
        look(first as *const u8);
        drop(levels);
    }
}
#[inline(never)]
fn forgotten(innocent: bool) {
    for i in 0..4u64 {
        let kept = Box::new([i; 9]);
        if innocent {
            drop(kept);
        } else {
            std::mem::forget(std::hint::black_box(kept));
        }
    }
}

fn main() {
    let words: Vec<String> = std::env::args().collect();
    let innocent = words.len() > 2;
    match words.get(1).map(|word| word.as_str()) {
        Some("write-behind") => write_behind(innocent),
        Some("read-freed") => read_freed(innocent),
        Some("free-twice") => free_twice(innocent),
        Some("box-twice") => box_twice(innocent),
        Some("vector-gone") => vector_gone(innocent),
        Some("forgotten") => forgotten(innocent),
        _ => {}
    }
    println!("closed");
}
