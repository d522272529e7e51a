// Says where files of the front end import each other in a circle, and where one imports against the layers (docs/architecture.md).
import { readFileSync, readdirSync, statSync } from "node:fs";
import { dirname, join, relative, resolve } from "node:path";

const root = resolve(dirname(new URL(import.meta.url).pathname), "../../ui/src");
const files = (folder) =>
  readdirSync(folder).flatMap((name) => {
    const path = join(folder, name);
    return statSync(path).isDirectory() ? files(path) : /\.(ts|vue)$/.test(name) && !/\.(test|d)\.ts$/.test(name) ? [path] : [];
  });

const all = new Set(files(root));
const find = (path) => [path, `${path}.ts`, `${path}.vue`, join(path, "index.ts")].find((p) => all.has(p));
const graph = new Map();
for (const file of all) {
  const text = readFileSync(file, "utf8");
  // A type is gone once it is built: it makes no circle. A page that is fetched when it is asked for makes none either.
  const imports = [...text.matchAll(/^\s*import\s+(?!type\b)(?:[^"';]*?from\s+)?["']([^"']+)["']/gm)].map((m) => m[1]);
  const local = imports.filter((i) => /^[@.]/.test(i)).map((i) => find(i.startsWith("@/") ? join(root, i.slice(2)) : resolve(dirname(file), i)));
  graph.set(file, local.filter(Boolean));
}

// Lower ones know nothing of higher ones.
const LAYERS = ["api", "logic", "outbox", "stores", "composables", "floor", "components", "pages"];
const layer = (file) => LAYERS.indexOf(relative(root, file).split("/")[0]);
const wrong = [];
for (const [file, imports] of graph)
  for (const other of imports) {
    const [from, to] = [layer(file), layer(other)];
    if (from >= 0 && to > from) wrong.push(`${relative(root, file)} imports ${relative(root, other)}, which stands above it`);
  }

const state = new Map();
function walk(file, path) {
  if (state.get(file) === "done") return;
  if (state.get(file) === "open") {
    wrong.push(`circle: ${[...path.slice(path.indexOf(file)), file].map((f) => relative(root, f)).join(" -> ")}`);
    return;
  }
  state.set(file, "open");
  for (const other of graph.get(file)) walk(other, [...path, file]);
  state.set(file, "done");
}
for (const file of graph.keys()) walk(file, []);

for (const line of wrong) console.error(line);
console.log(`${graph.size} files, ${wrong.length} imports in a circle or against the layers`);
process.exit(wrong.length ? 1 : 0);
