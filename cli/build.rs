//! How the command is linked.

fn main() {
    // The drawing libraries are full of tables of pointers. In a program that may be loaded anywhere each of them is
    // mended at every start, also where nothing is drawn; at a fixed address they are right as they stand.
    if std::env::var("CARGO_CFG_TARGET_OS").is_ok_and(|os| os == "linux") {
        println!("cargo::rustc-link-arg-bins=-no-pie");
    }
    println!("cargo::rerun-if-changed=build.rs");
}
