//! Collects the data: every file of its kind below a folder of `data/` ships. Two people who add two protocols meet in no file:
//! each brings a TOML of its own and, where it needs them, a table, a measure, a pose or a typical error in files of its own.

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

/// The texts of all files of a folder as a constant, each with its name where they are `named`.
fn texts(root: &str, out: &str, folder: &str, ending: &str, constant: &str, named: bool) -> io::Result<()> {
    let found = files(root, folder, ending)?;
    let kind = if named { "(&str, &str)" } else { "&str" };
    let mut code = format!("const {constant}: [{kind}; {}] = [\n", found.len());
    for file in found {
        let name = Path::new(&file).file_stem().unwrap_or_default().to_string_lossy();
        let one = if named { format!("(\"{name}\", include_str!({file:?}))") } else { format!("include_str!({file:?})") };
        writeln!(code, "    {one},").map_err(io::Error::other)?;
    }
    code.push_str("];\n");
    fs::write(Path::new(out).join(format!("{folder}.rs")), code)
}

/// All measures as one JSON text: a browser that folds a run reads them without knowing TOML. A file that cannot be read, or a name that
/// stands in two, ends the build.
fn measures(root: &str, out: &str) -> io::Result<()> {
    let mut all = toml::Table::new();
    for file in files(root, "measures", "toml")? {
        let wrong = |what: String| io::Error::other(format!("{file}: {what}"));
        let read: toml::Table = fs::read_to_string(&file)?.parse().map_err(|e: toml::de::Error| wrong(e.to_string()))?;
        for (name, measure) in read {
            if all.insert(name.clone(), measure).is_some() {
                return Err(wrong(format!("the measure {name} stands in another file too")));
            }
        }
    }
    let json = serde_json::to_string(&all).map_err(io::Error::other)?;
    fs::write(Path::new(out).join("measures.json"), json)
}

fn main() -> io::Result<()> {
    let root = env::var("CARGO_MANIFEST_DIR").map_err(io::Error::other)?;
    let out = env::var("OUT_DIR").map_err(io::Error::other)?;
    texts(&root, &out, "catalogue", "toml", "BUILT_IN", true)?;
    texts(&root, &out, "batteries", "toml", "BATTERIES", true)?;
    texts(&root, &out, "norms", "csv", "NORMS", true)?;
    measures(&root, &out)?;
    texts(&root, &out, "figures", "toml", "FIGURE_FILES", false)?;
    texts(&root, &out, "measurement-error", "csv", "MEASUREMENT_ERROR_FILES", false)
}
