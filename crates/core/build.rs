//! Collects the data: every file of its kind below a folder of `data/` ships. Two people who add two protocols meet in no file:
//! each brings a TOML of its own and, where it needs them, a table, a measure, a pose or a typical error in files of its own.

use std::{collections::BTreeMap, env, fmt::Write, fs, io, path::Path};

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

/// All measures by name, as Rust's `Measure`: what a file does not say of one is as in `UNSAID`. A file that cannot be read, or a name that
/// stands in two, ends the build, and so does a word that no measure has.
fn measures(root: &str, out: &str) -> io::Result<()> {
    let mut all = BTreeMap::new();
    for file in files(root, "measures", "toml")? {
        let wrong = |what: String| io::Error::other(format!("{file}: {what}"));
        let read: BTreeMap<String, toml::Table> =
            toml::from_str(&fs::read_to_string(&file)?).map_err(|e: toml::de::Error| wrong(e.to_string()))?;
        for (name, measure) in read {
            if all.insert(name.clone(), measure).is_some() {
                return Err(wrong(format!("the measure {name} stands in another file too")));
            }
        }
    }
    let mut code = String::from("static MEASURES: &[(&str, Measure)] = &[\n");
    for (name, measure) in all {
        let said = measure.iter().map(|(field, value)| match (field.as_str(), value.as_str()) {
            ("better", Some(way)) => format!("better: Some(Better::{})", variant(way)),
            ("written", Some(how)) => format!("written: Written::{}", variant(how)),
            ("at_least_unless_missed", Some(input)) => format!("at_least_unless_missed: Some({input:?})"),
            _ => format!("{field}: {value}"),
        });
        let said: Vec<String> = said.collect();
        writeln!(code, "    ({name:?}, Measure {{ {}, ..UNSAID }}),", said.join(", ")).map_err(io::Error::other)?;
    }
    code.push_str("];\n");
    fs::write(Path::new(out).join("measures.rs"), code)
}

/// `more` as `More`.
fn variant(word: &str) -> String {
    let (first, rest) = word.split_at(1);
    first.to_uppercase() + rest
}

/// The columns and rows of a table with remarks behind `#`. A row that cannot be read ends the build.
fn table(file: &str) -> io::Result<(Vec<String>, Vec<Vec<String>>)> {
    let wrong = |e: csv::Error| io::Error::other(format!("{file}: {e}"));
    let mut reader = csv::ReaderBuilder::new().comment(Some(b'#')).from_path(file).map_err(wrong)?;
    let cells = |row: &csv::StringRecord| row.iter().map(str::to_owned).collect();
    let columns = cells(reader.headers().map_err(wrong)?);
    let rows = reader.records().map(|row| Ok(cells(&row.map_err(wrong)?))).collect::<io::Result<_>>()?;
    Ok((columns, rows))
}

/// The rows of one table, or of all tables of a folder, as a list of Rust's `kind`, whose fields are the columns. `numbers`: those that
/// are no text, with their types.
fn rows(root: &str, out: &str, place: &str, (constant, kind): (&str, &str), numbers: &[(&str, &str)]) -> io::Result<()> {
    let file = Path::new(root).join("data").join(place);
    let found = if file.is_file() {
        println!("cargo::rerun-if-changed={}", file.display());
        vec![file.display().to_string()]
    } else {
        files(root, place, "csv")?
    };
    let mut code = format!("static {constant}: &[{kind}] = &[\n");
    for file in found {
        let (columns, rows) = table(&file)?;
        for row in rows {
            let value = |(column, cell): (&String, &String)| match numbers.iter().find(|(name, _)| name == column) {
                Some((_, number)) => format!("{column}: {cell}_{number}"),
                None => format!("{column}: {cell:?}"),
            };
            let fields: Vec<String> = columns.iter().zip(&row).map(value).collect();
            writeln!(code, "    {kind} {{ {} }},", fields.join(", ")).map_err(io::Error::other)?;
        }
    }
    code.push_str("];\n");
    fs::write(Path::new(out).join(format!("{}.rs", constant.to_lowercase())), code)
}

/// The printed tables: of each file its name, what stands behind `#` at its head, and its rows, cells apart by tabs, the columns' names first.
fn norms(root: &str, out: &str) -> io::Result<()> {
    let mut code = String::from("static NORMS: &[(&str, &str, &str)] = &[\n");
    for file in files(root, "norms", "csv")? {
        let (columns, rows) = table(&file)?;
        let lines: Vec<String> = std::iter::once(columns).chain(rows).map(|row| row.join("\t")).collect();
        let text = fs::read_to_string(&file)?;
        let head: Vec<&str> = text.lines().filter_map(|line| line.strip_prefix("# ")).collect();
        let name = Path::new(&file).file_stem().unwrap_or_default().to_string_lossy();
        writeln!(code, "    ({name:?}, {:?}, {:?}),", head.join("\n"), lines.join("\n")).map_err(io::Error::other)?;
    }
    code.push_str("];\n");
    fs::write(Path::new(out).join("norms.rs"), code)
}

fn main() -> io::Result<()> {
    let root = env::var("CARGO_MANIFEST_DIR").map_err(io::Error::other)?;
    let out = env::var("OUT_DIR").map_err(io::Error::other)?;
    texts(&root, &out, "catalogue", "toml", "BUILT_IN", true)?;
    texts(&root, &out, "batteries", "toml", "BATTERIES", true)?;
    norms(&root, &out)?;
    measures(&root, &out)?;
    texts(&root, &out, "figures", "toml", "FIGURE_FILES", false)?;
    rows(&root, &out, "measurement-error", ("MEASUREMENT_ERRORS", "Row"), &[])?;
    rows(&root, &out, "range/published.csv", ("PUBLISHED", "Published"), &[("value", "f64")])?;
    rows(&root, &out, "range/parts.csv", ("PARTS", "PartRow"), &[])?;
    rows(&root, &out, "range/shared.csv", ("SHARED", "SharedRow"), &[])?;
    rows(&root, &out, "range/coverage.csv", ("COVERAGE", "Row"), &[("clients", "usize"), ("held", "f64")])
}
