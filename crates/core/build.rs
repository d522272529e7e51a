//! Collects the data: every TOML file below `data/catalogue/`, every battery and every table of `data/norms/` ships. Two people who add two
//! protocols meet in no file.

use std::{env, fmt::Write, fs, io, path::Path};

fn collect(folder: &Path, ending: &str, found: &mut Vec<String>) -> io::Result<()> {
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        if path.is_dir() {
            collect(&path, ending, found)?;
        } else if path.extension().is_some_and(|e| e == ending) {
            found.push(path.display().to_string());
        }
    }
    Ok(())
}

/// The files with this ending below a folder of the data, in order.
fn files(root: &str, folder: &str, ending: &str) -> io::Result<Vec<String>> {
    let folder = Path::new(root).join("data").join(folder);
    println!("cargo::rerun-if-changed={}", folder.display());
    let mut found = Vec::new();
    collect(&folder, ending, &mut found)?;
    found.sort();
    Ok(found)
}

fn main() -> io::Result<()> {
    let root = env::var("CARGO_MANIFEST_DIR").map_err(io::Error::other)?;
    let out = env::var("OUT_DIR").map_err(io::Error::other)?;
    let protocols = files(&root, "catalogue", "toml")?;
    let mut code = format!("const BUILT_IN: [&str; {}] = [\n", protocols.len());
    for file in protocols {
        writeln!(code, "    include_str!({file:?}),").map_err(io::Error::other)?;
    }
    code.push_str("];\n");
    fs::write(Path::new(&out).join("catalogue.rs"), code)?;
    let batteries = files(&root, "batteries", "toml")?;
    let mut code = format!("const BATTERIES: [&str; {}] = [\n", batteries.len());
    for file in batteries {
        writeln!(code, "    include_str!({file:?}),").map_err(io::Error::other)?;
    }
    code.push_str("];\n");
    fs::write(Path::new(&out).join("batteries.rs"), code)?;
    let tables = files(&root, "norms", "csv")?;
    let mut code = format!("const NORMS: [(&str, &str); {}] = [\n", tables.len());
    for file in tables {
        let name = Path::new(&file).file_stem().unwrap_or_default().to_string_lossy();
        writeln!(code, "    (\"{name}\", include_str!({file:?})),").map_err(io::Error::other)?;
    }
    code.push_str("];\n");
    fs::write(Path::new(&out).join("norms.rs"), code)
}
