/** The one way to the server: typed paths, one error shape. */
import createClient from "openapi-fetch";
import type { paths } from "./schema";

/** A failure as the server words it, or `offline` where nothing answered. */
export class Failure extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly field?: string,
    readonly detail?: unknown,
  ) {
    super(message);
  }
  /** Nothing answered, or the server cannot reach its database: try again later. */
  get isAway() {
    return this.status === 0 || this.status >= 500;
  }
  /** The same request may succeed later; anything else it was told never will. */
  get mayPass() {
    return this.isAway || [401, 408, 429].includes(this.status);
  }
}

/** An answer that this device kept says when it was given; the service worker hands it out where no other comes. */
export const KEPT = "x-kept";

type Listener = () => void;
let heard: (keptAt: string | null) => void = () => {};
/** Who is told of each answer: whether it came over the line, or when it was kept. */
export function onAnswer(listener: (keptAt: string | null) => void) {
  heard = listener;
}

export const api = createClient<paths>({
  baseUrl: "/",
  credentials: "same-origin",
  fetch: async (request) => {
    const answer = await globalThis.fetch(request);
    heard(answer.headers.get(KEPT));
    return answer;
  },
});

let signedOut: Listener = () => {};
/** What happens when the server says that nobody is signed in. */
export function onSignedOut(listener: Listener) {
  signedOut = listener;
}

/** Waits for an answer and gives its data, or throws a {@link Failure}. */
export async function take<T>(answer: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let settled;
  try {
    settled = await answer;
  } catch {
    throw new Failure(0, "offline", "The server does not answer. What you typed is still here; try again in a moment.");
  }
  const { data, error, response } = settled;
  if (response.ok) return data as T;
  const body = (typeof error === "object" && error !== null ? error : {}) as Record<string, unknown>;
  const code = String(body.code ?? "unknown");
  if (response.status === 401 && code === "signed_out") signedOut();
  throw new Failure(
    response.status,
    code,
    String(body.message ?? "Something went wrong. What you typed is still here; try again in a moment."),
    body.field as string | undefined,
    body.detail,
  );
}

/** The same, with whether it is an answer that this device kept. */
export async function takeOrKept<T>(
  answer: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<{ data: T; isKept: boolean }> {
  let isKept = false;
  const noted = answer.then((one) => {
    isKept = one.response.headers.has(KEPT);
    return one;
  });
  return { data: await take<T>(noted), isKept };
}

/** Any error as a {@link Failure}. */
export function asFailure(error: unknown): Failure {
  return error instanceof Failure ? error : new Failure(500, "unknown", String(error));
}
