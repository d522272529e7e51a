//! Collects the catalogue: every TOML file below `data/catalogue/` ships. Two people who add two protocols meet in no file.

use std::{env, fmt::Write, fs, io, path::Path};

fn collect(folder: &Path, found: &mut Vec<String>) -> io::Result<()> {
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        if path.is_dir() {
            collect(&path, found)?;
        } else if path.extension().is_some_and(|e| e == "toml") {
            found.push(path.display().to_string());
        }
    }
    Ok(())
}

fn main() -> io::Result<()> {
    let root = env::var("CARGO_MANIFEST_DIR").map_err(io::Error::other)?;
    let catalogue = Path::new(&root).join("data/catalogue");
    println!("cargo::rerun-if-changed={}", catalogue.display());
    let mut files = Vec::new();
    collect(&catalogue, &mut files)?;
    files.sort();
    let mut code = format!("const BUILT_IN: [&str; {}] = [\n", files.len());
    for file in files {
        writeln!(code, "    include_str!({file:?}),").map_err(io::Error::other)?;
    }
    code.push_str("];\n");
    let out = env::var("OUT_DIR").map_err(io::Error::other)?;
    fs::write(Path::new(&out).join("catalogue.rs"), code)
}
