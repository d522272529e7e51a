import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { effectScope, nextTick, ref } from "vue";
import { Failure } from "@/api/client";
import { useAction } from "./useAction";
import { useDraft } from "./useDraft";
import { useNews, type NewsSource } from "./useNews";
import { useLoad } from "./useLoad";

const later = <T>(value: T, ms: number) => new Promise<T>((done) => setTimeout(() => done(value), ms));
beforeEach(() => {
  sessionStorage.clear();
  vi.useFakeTimers();
});
afterEach(() => vi.useRealTimers());

test("a slower, older answer never takes the place of a newer one", async () => {
  const answers = [later("old", 500), later("new", 10)];
  const { data, reload } = useLoad(() => answers.shift()!);
  void reload();
  await vi.advanceTimersByTimeAsync(1000);
  expect(data.value).toBe("new");
});

test("the same answer again moves nothing on the page", async () => {
  const { data, reload } = useLoad(() => Promise.resolve({ n: 1 }));
  await vi.advanceTimersByTimeAsync(0);
  const first = data.value;
  await reload();
  expect(data.value).toBe(first);
});

test("what was shown stays while the server is away, with the failure beside it", async () => {
  let away = false;
  const { data, failure, loading, reload } = useLoad(() =>
    away ? Promise.reject(new Failure(0, "offline", "The server does not answer.")) : Promise.resolve("page"),
  );
  await vi.advanceTimersByTimeAsync(0);
  away = true;
  await reload();
  expect([data.value, failure.value?.isAway, loading.value]).toEqual(["page", true, false]);
  away = false;
  await reload();
  expect(failure.value).toBeNull();
});

test("a second press while the first is on its way does nothing", async () => {
  const { busy, run } = useAction();
  const first = run(() => later("one", 50));
  const second = await run(() => Promise.resolve("two"));
  expect([second, busy.value]).toEqual([undefined, true]);
  await vi.advanceTimersByTimeAsync(60);
  expect([await first, busy.value]).toEqual(["one", false]);
});

test("a failure stands until the next press", async () => {
  const { failure, run } = useAction();
  await run(() => Promise.reject(new Failure(422, "out_of_range", "Too high.", "value")));
  expect(failure.value?.field).toBe("value");
  await run(() => Promise.resolve("fine"));
  expect(failure.value).toBeNull();
});

test("anything that goes wrong is a failure with words", async () => {
  const { failure, run } = useAction();
  await run(() => Promise.reject(new Error("boom")));
  expect(failure.value?.message).toContain("boom");
});

test("a form survives a reload of the page, and is gone once it was saved", async () => {
  const first = useDraft("setup", { mass: "", reason: "none" });
  first.draft.value.mass = "80 kg";
  await nextTick();
  const second = useDraft("setup", { mass: "", reason: "none", added: 1 });
  expect(second.draft.value).toEqual({ mass: "80 kg", reason: "none", added: 1 });
  second.clear();
  expect(useDraft("setup", { mass: "", reason: "none" }).draft.value.mass).toBe("");
});

test("after it was cleared, a draft writes nothing more", async () => {
  const { draft, clear } = useDraft("gone", { text: "" });
  clear();
  draft.value.text = "late";
  await nextTick();
  expect(sessionStorage.length).toBe(0);
});

test("a page is loaded again at every word of its person, and where the line broke, and never of its own accord", async () => {
  const load = vi.fn();
  const person = ref<string | null>(null);
  const made: { url: string; source: NewsSource; say: () => void; closed: boolean }[] = [];
  const make = (url: string) => {
    const one = { url, closed: false, say: () => {} } as (typeof made)[number];
    one.source = { onopen: null, addEventListener: (_, heard) => (one.say = heard), close: () => (one.closed = true) };
    made.push(one);
    return one.source;
  };
  const scope = effectScope();
  scope.run(() => useNews(() => person.value, load, make));
  expect(made).toHaveLength(0);
  person.value = "p1";
  await nextTick();
  expect(made[0]!.url).toBe("/api/people/p1/live");
  made[0]!.source.onopen!();
  vi.advanceTimersByTime(60_000);
  expect(load).not.toHaveBeenCalled();
  made[0]!.say();
  expect(load).toHaveBeenCalledTimes(1);
  // The browser opened it again after a break: something may have been missed.
  made[0]!.source.onopen!();
  expect(load).toHaveBeenCalledTimes(2);
  // Moved to another person.
  person.value = "p2";
  await nextTick();
  expect([made[0]!.closed, made[1]!.url]).toEqual([true, "/api/people/p2/live"]);
  const seen = vi.spyOn(document, "visibilityState", "get").mockReturnValue("hidden");
  document.dispatchEvent(new Event("visibilitychange"));
  expect(load).toHaveBeenCalledTimes(2);
  seen.mockReturnValue("visible");
  document.dispatchEvent(new Event("visibilitychange"));
  expect(load).toHaveBeenCalledTimes(3);
  scope.stop();
  expect(made[1]!.closed).toBe(true);
});
