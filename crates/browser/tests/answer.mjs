// Answers questions to the core for the browser, a line each: the committed file, as a browser loads it.
import { readFileSync } from "node:fs";
import { createInterface } from "node:readline";

const { instance } = await WebAssembly.instantiate(readFileSync(process.argv[2]));
const { memory, take_room, ask, free_answer } = instance.exports;
for await (const line of createInterface({ input: process.stdin })) {
  const question = Buffer.from(line);
  const room = take_room(question.length);
  new Uint8Array(memory.buffer).set(question, room);
  const at = ask(room, question.length);
  const length = new DataView(memory.buffer).getUint32(at, true);
  process.stdout.write(Buffer.from(new Uint8Array(memory.buffer, at + 4, length)).toString() + "\n");
  free_answer(at);
}
