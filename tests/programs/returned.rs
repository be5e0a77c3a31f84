// Functions that return values of every shape rustc knows, and the text that each should read.
#![allow(dead_code, unused_imports)]
use std::cell::Cell;
use std::cmp::Ordering;
use std::hint::black_box;
use std::mem::{ManuallyDrop, MaybeUninit};
use std::num::{NonZeroU32, Wrapping};
use std::rc::Rc;

#[derive(Clone, Copy)] pub struct One { a: i32 }
#[derive(Clone, Copy)] pub struct Two { a: i32, b: i32 }
#[derive(Clone, Copy)] pub struct Mixed { a: u8, b: u32 }
#[derive(Clone, Copy)] pub struct Wide { a: u64, b: u64 }
#[derive(Clone, Copy)] pub struct Three { a: u16, b: u16, c: u16 }
#[derive(Clone, Copy)] pub struct ThreeWide { a: u32, b: u32, c: u32 }
#[derive(Clone, Copy)] pub struct Big { a: u64, b: u64, c: u64 }
#[derive(Clone, Copy)] pub struct Metres(f64);
#[derive(Clone, Copy)] pub struct Point { x: f32, y: f32 }
#[derive(Clone, Copy)] pub struct DPoint { x: f64, y: f64 }
#[derive(Clone, Copy)] pub struct FloatInt { x: f32, n: i32 }
#[derive(Clone, Copy)] pub struct IntDouble { n: i32, x: f64 }
#[derive(Clone, Copy)] pub struct Nested { one: One, flag: bool }
#[derive(Clone, Copy)] pub struct Inner { pair: Two }
#[derive(Clone, Copy)] pub struct Nothing;
#[derive(Clone, Copy)] pub struct WithNothing { n: u64, nothing: Nothing }
#[repr(C)] #[derive(Clone, Copy)] pub struct CMetres(f64);
#[repr(C)] #[derive(Clone, Copy)] pub struct CTwo { a: i32, b: i32 }
#[repr(C)] #[derive(Clone, Copy)] pub struct CMixed { a: u8, b: f64 }
#[repr(C)] #[derive(Clone, Copy)] pub struct CThree { a: u8, b: u8, c: u16 }
#[repr(C, packed)] #[derive(Clone, Copy)] pub struct Packed { a: u8, b: u32 }
#[repr(transparent)] #[derive(Clone, Copy)] pub struct Clear(u64);
#[derive(Clone, Copy)] pub enum Side { Left, Right }
#[repr(u16)] #[derive(Clone, Copy)] pub enum Numbered { Low = 3, High = 500 }
#[derive(Clone, Copy)] pub enum Gate { Closed, Open { width: u32 } }
#[derive(Clone, Copy)] pub enum Load { Coal(u64), Grain(u64), Empty }
#[derive(Clone, Copy)] pub enum Differs { Int(u32), Float(f32), Byte(u8) }
#[derive(Clone, Copy)] pub enum Rich { Pair(u32, u32), One(u8), None }
#[derive(Clone, Copy)] pub enum Boxy { A(u8), B(bool), C }
#[derive(Clone, Copy)] pub enum Single { Only(u32, u32) }
#[derive(Clone)] pub enum Named { Known(String), Unknown }

macro_rules! gives {
    ($($name:ident: $type:ty = $value:expr, $text:expr;)*) => {
        $(#[inline(never)] pub fn $name() -> $type { black_box($value) })*
        fn all() { $({ let value = $name(); black_box(&value); println!("{}={}", stringify!($name), $text); })* }
    };
}
static LEVELS: [i32; 4] = [3, 4, 5, 6];
gives! {
    r_unit: () = (), "…";
    r_bool: bool = true, "true";
    r_u8: u8 = 250, "250";
    r_i8: i8 = -5, "-5";
    r_i16: i16 = -1234, "-1234";
    r_i32: i32 = -7, "-7";
    r_u32: u32 = 4000000000, "4000000000";
    r_i64: i64 = -8000000000, "-8000000000";
    r_usize: usize = 99, "99";
    r_i128: i128 = -36893488147419103235, "-36893488147419103235";
    r_u128: u128 = u128::MAX, "340282366920938463463374607431768211455";
    r_f32: f32 = 1.5, "1.5";
    r_f64: f64 = -2.25, "-2.25";
    r_char: char = 'é', "233 'é'";
    r_one: One = One { a: 5 }, "{a = 5}";
    r_two: Two = Two { a: 5, b: -6 }, "{a = 5, b = -6}";
    r_mixed: Mixed = Mixed { a: 200, b: 70000 }, "{a = 200, b = 70000}";
    r_wide: Wide = Wide { a: 1, b: 2 }, "{a = 1, b = 2}";
    r_three: Three = Three { a: 1, b: 2, c: 3 }, "{a = 1, b = 2, c = 3}";
    r_three_wide: ThreeWide = ThreeWide { a: 1, b: 2, c: 3 }, "{a = 1, b = 2, c = 3}";
    r_big: Big = Big { a: 1, b: 2, c: 3 }, "{a = 1, b = 2, c = 3}";
    r_metres: Metres = Metres(2.5), "(2.5)";
    r_point: Point = Point { x: 1.5, y: 2.5 }, "{x = 1.5, y = 2.5}";
    r_dpoint: DPoint = DPoint { x: 1.5, y: 2.5 }, "{x = 1.5, y = 2.5}";
    r_float_int: FloatInt = FloatInt { x: 1.5, n: 3 }, "{x = 1.5, n = 3}";
    r_int_double: IntDouble = IntDouble { n: 3, x: 1.5 }, "{n = 3, x = 1.5}";
    r_nested: Nested = Nested { one: One { a: 9 }, flag: true }, "{one = {a = 9}, flag = true}";
    r_inner: Inner = Inner { pair: Two { a: 1, b: 2 } }, "{pair = {a = 1, b = 2}}";
    r_with_nothing: WithNothing = WithNothing { n: 11, nothing: Nothing }, "{n = 11, nothing = ()}";
    r_c_metres: CMetres = CMetres(2.5), "(2.5)";
    r_c_two: CTwo = CTwo { a: 5, b: -6 }, "{a = 5, b = -6}";
    r_c_mixed: CMixed = CMixed { a: 5, b: 2.5 }, "{a = 5, b = 2.5}";
    r_c_three: CThree = CThree { a: 1, b: 2, c: 300 }, "{a = 1, b = 2, c = 300}";
    r_packed: Packed = Packed { a: 1, b: 70000 }, "{a = 1, b = 70000}";
    r_clear: Clear = Clear(12), "(12)";
    r_left: Side = Side::Left, "Left (0)";
    r_right: Side = Side::Right, "Right (1)";
    r_numbered: Numbered = Numbered::High, "High (500)";
    r_closed: Gate = Gate::Closed, "Closed";
    r_open: Gate = Gate::Open { width: 40 }, "Open {width = 40}";
    r_coal: Load = Load::Coal(7), "Coal(7)";
    r_grain: Load = Load::Grain(8), "Grain(8)";
    r_empty: Load = Load::Empty, "Empty";
    r_int: Differs = Differs::Int(70), "Int(70)";
    r_float: Differs = Differs::Float(2.5), "Float(2.5)";
    r_byte: Differs = Differs::Byte(9), "Byte(9)";
    r_rich_pair: Rich = Rich::Pair(1, 2), "Pair(1, 2)";
    r_rich_one: Rich = Rich::One(3), "One(3)";
    r_rich_none: Rich = Rich::None, "None";
    r_boxy: Boxy = Boxy::B(true), "B(true)";
    r_boxy_c: Boxy = Boxy::C, "C";
    r_single: Single = Single::Only(1, 2), "Only(1, 2)";
    r_known: Named = Named::Known("lock".to_string()), "Known(\"lock\")";
    r_unknown: Named = Named::Unknown, "Unknown";
    r_some: Option<i32> = Some(7), "Some(7)";
    r_none: Option<i32> = None, "None";
    r_some_u8: Option<u8> = Some(7), "Some(7)";
    r_some_char: Option<char> = Some('A'), "Some(65 'A')";
    r_none_char: Option<char> = None, "None";
    r_some_bool: Option<bool> = Some(false), "Some(false)";
    r_some_some: Option<Option<bool>> = Some(None), "Some(None)";
    r_some_f64: Option<f64> = Some(2.5), "Some(2.5)";
    r_some_u64: Option<u64> = Some(9), "Some(9)";
    r_some_u128: Option<u128> = Some(10), "Some(10)";
    r_some_ref: Option<&'static i32> = Some(&LEVELS[2]), "Some(…returned::LEVELS[2]) → 5)";
    r_none_ref: Option<&'static i32> = None, "None";
    r_some_box: Option<Box<i32>> = Some(Box::new(6)), "…6)";
    r_some_string: Option<String> = Some("tug".to_string()), "Some(\"tug\")";
    r_none_string: Option<String> = None, "None";
    r_some_str: Option<&'static str> = Some("barge"), "Some(\"barge\")";
    r_some_pair: Option<(i32, i32)> = Some((3, 8)), "Some((3, 8))";
    r_some_nonzero: Option<NonZeroU32> = NonZeroU32::new(4), "…4…";
    r_some_side: Option<Side> = Some(Side::Right), "Some(Right (1))";
    r_ok: Result<i32, i32> = Ok(42), "Ok(42)";
    r_err: Result<i32, i32> = Err(-42), "Err(-42)";
    r_ok_unit: Result<(), u8> = Ok(()), "Ok(())";
    r_err_unit: Result<(), u8> = Err(3), "Err(3)";
    r_ok_string: Result<String, i32> = Ok("full".to_string()), "Ok(\"full\")";
    r_err_string: Result<String, i32> = Err(5), "Err(5)";
    r_err_str: Result<u64, &'static str> = Err("dry"), "Err(\"dry\")";
    r_ok_f: Result<f64, i64> = Ok(0.5), "Ok(0.5)";
    r_ok_u8: Result<u8, u32> = Ok(200), "Ok(200)";
    r_pair: (i32, i32) = (3, 8), "(3, 8)";
    r_pair_long: (u64, u64) = (3, 8), "(3, 8)";
    r_pair_mixed: (u8, i64) = (3, -8), "(3, -8)";
    r_pair_float: (f32, f64) = (1.5, 2.5), "(1.5, 2.5)";
    r_pair_int_float: (i32, f64) = (1, 2.5), "(1, 2.5)";
    r_triple: (u8, u16, u32) = (1, 2, 3), "(1, 2, 3)";
    r_triple_big: (u64, u64, u64) = (1, 2, 3), "(1, 2, 3)";
    r_pair_128: (u128, u8) = (1, 2), "(1, 2)";
    r_tuple_one: (f64,) = (2.5,), "(2.5)";
    r_str: &'static str = "lock 7", "\"lock 7\"";
    r_slice: &'static [i32] = &LEVELS[1..3], "{4, 5}";
    r_string: String = "narrow".to_string(), "\"narrow\"";
    r_vec: Vec<u16> = vec![1, 2, 3], "{1, 2, 3}";
    r_box: Box<u64> = Box::new(17), "…17";
    r_rc: Rc<u64> = Rc::new(18), "…18…";
    r_array_1: [u8; 1] = [9], "{9}";
    r_array_3: [u16; 3] = [1, 2, 3], "{1, 2, 3}";
    r_array_8: [u8; 8] = [1, 2, 3, 4, 5, 6, 7, 8], "{1, 2, 3, 4, 5, 6, 7, 8}";
    r_array_16: [u32; 4] = [1, 2, 3, 4], "{1, 2, 3, 4}";
    r_array_f: [f32; 2] = [1.5, 2.5], "{1.5, 2.5}";
    r_array_d: [f64; 2] = [1.5, 2.5], "{1.5, 2.5}";
    r_ordering: Ordering = Ordering::Less, "Less (-1)";
    r_wrapping: Wrapping<f32> = Wrapping(1.5), "…1.5…";
    r_cell: Cell<i32> = Cell::new(8), "…8…";
    r_maybe: MaybeUninit<f64> = MaybeUninit::new(6.5), "…6.5…";
    r_manual: ManuallyDrop<u64> = ManuallyDrop::new(65), "…65…";
    r_range: std::ops::Range<u32> = 2..9, "…2…9…";
}
#[inline(never)] pub fn r_closure(by: u32) -> impl Fn(u32) -> u32 { let by = black_box(by); move |n| n + by }
#[inline(never)] pub fn r_closure_two(a: f64, b: u8) -> impl Fn(f64) -> f64 { let (a, b) = black_box((a, b)); move |n| n + a + b as f64 }
#[no_mangle] #[inline(never)] pub extern "C" fn r_c_function() -> CTwo { black_box(CTwo { a: 5, b: -6 }) }
#[no_mangle] #[inline(never)] pub extern "C" fn r_c_number() -> i64 { black_box(-65) }
fn main() {
    all();
    black_box(r_closure(3)(4));
    println!("r_closure=…3…");
    black_box(r_closure_two(2.5, 7)(4.0));
    println!("r_closure_two=…2.5…7…");
    black_box(r_c_function().a);
    println!("r_c_function=how this type is returned is not known");
    black_box(r_c_number());
    println!("r_c_number=-65");
}
