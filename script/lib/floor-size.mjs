// How much a run loads that Today has not loaded already: the floor's page, the largest floor of a kind, and the core, as they are sent.
// Fails over the limit. Run after the front end is built.
import { readdirSync, readFileSync, statSync } from "node:fs";
import { join } from "node:path";

const MOST_KB = 350;
const dist = "ui/dist";
const assets = join(dist, "assets");
const files = readdirSync(assets);
const built = (name) => {
  const found = files.filter((file) => file.startsWith(`${name}-`) && file.endsWith(".js"));
  if (found.length !== 1) throw new Error(`${name}: ${found.length} files in ${assets}`);
  return found[0];
};
/** Scripts and all those they cannot start without. */
function whole(names, seen = new Set()) {
  for (const name of names) {
    if (seen.has(name)) continue;
    seen.add(name);
    const code = readFileSync(join(assets, name), "utf8");
    whole([...code.matchAll(/(?:from|import)\s*"\.\/([^"]+\.js)"/g)].map((match) => match[1]), seen);
  }
  return seen;
}
const entry = readFileSync(join(dist, "index.html"), "utf8").match(/assets\/([^"]+\.js)/)[1];
const there = whole([entry, built("TodayPage")]);
const sent = (name) => statSync(files.includes(`${name}.br`) ? join(assets, `${name}.br`) : join(assets, name)).size;
const more = (name) => [...whole([built("FloorPage"), built(name)])].filter((file) => !there.has(file)).reduce((sum, file) => sum + sent(file), 0);

const core = sent(files.find((file) => file.startsWith("core-") && file.endsWith(".wasm")));
const floors = readFileSync("ui/src/components/floor/floors.ts", "utf8");
const kinds = [...floors.matchAll(/import\("[^"]*?(\w+Floor)\.vue"\)/g)].map((match) => match[1]);
const [kind, scripts] = kinds.map((name) => [name, more(name)]).sort((a, b) => b[1] - a[1])[0];
const kb = (bytes) => `${(bytes / 1000).toFixed(1)} kB`;
console.log(`A run loads ${kb(core + scripts)}: the core ${kb(core)}, scripts ${kb(scripts)} (${kind}, the largest floor)`);
if (core + scripts > MOST_KB * 1000) {
  console.error(`The limit is ${MOST_KB} kB.`);
  process.exit(1);
}
