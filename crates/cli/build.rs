//! The demo data are carried in the binary: build again when they change.

fn main() {
    println!("cargo::rerun-if-changed=../../demo");
}
