/** Databases of tests: each is a copy of one that is made once. */
import { execFileSync } from "node:child_process";
import { randomUUID } from "node:crypto";
import { join, resolve } from "node:path";

export const root = resolve(import.meta.dirname, "../..");
/** The program that is tested. */
export const PROGRAM = join(root, "target/debug/impulso");

export const env = (name: string) => {
  const value = process.env[name];
  if (!value) throw new Error(`${name} is not set: run script/test, which starts a database and sets it`);
  return value;
};

/** What the program is told of its database. */
export function variables(database: string) {
  const at = (url: string) => url.replace(/[^/]*$/, database);
  return {
    ...process.env,
    IMPULSO_OWNER_URL: at(env("IMPULSO_TEST_OWNER_URL")),
    IMPULSO_DATABASE_URL: at(env("IMPULSO_TEST_APP_URL")),
    IMPULSO_KEY_FILE: join(env("IMPULSO_TEST_DATA"), `${database}.key`),
  };
}

/** A database of its own, a copy of `template` where one is named. */
export function create(template?: string): string {
  const name = `e_${randomUUID().replaceAll("-", "")}`;
  const owner = new URL(env("IMPULSO_TEST_OWNER_URL"));
  execFileSync("psql", ["-qX", "-d", "impulso_test", "-c", `create database ${name}${template ? ` template ${template}` : ""}`], {
    // Not on the command line, where anyone on the machine reads it.
    env: { ...process.env, PGHOST: owner.hostname, PGPORT: owner.port, PGUSER: owner.username, PGPASSWORD: owner.password },
  });
  return name;
}

const impulso = (command: string, database: string) => execFileSync(PROGRAM, [command], { env: variables(database) });

/** Before all tests: a migrated database without a practice, and one with the demo. */
export default function makeTemplates() {
  const empty = create();
  impulso("migrate", empty);
  const demo = create(empty);
  impulso("demo", demo);
  Object.assign(process.env, { IMPULSO_TEST_EMPTY: empty, IMPULSO_TEST_DEMO: demo });
}
