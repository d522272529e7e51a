//! The front end is part of the binary: a new build of it is a reason to build again.

fn main() {
    println!("cargo:rerun-if-changed=../../ui/dist");
}
