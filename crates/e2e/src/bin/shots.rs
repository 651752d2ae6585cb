//! Takes the pictures in `docs/screenshots` from the demo.

fn main() {}
