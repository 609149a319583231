import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Production = Schemas["Production"];
export type FileCard = Schemas["File"];
export type Take = Schemas["Take"];
export type Strand = Schemas["Strand"];
export type SyncPair = Schemas["Sync"];
export type Reel = Schemas["Reel"];
export type ReelEdited = Schemas["ReelEdited"];
export type EditAction = Schemas["EditAction"];
export type Clip = Schemas["Clip"];
export type Fade = Schemas["Fade"];
export type Marker = Schemas["Marker"];
export type Picture = Schemas["Picture"];
export type Laid = Schemas["Laid"];
export type Track = Schemas["Track"];
export type Send = Schemas["Send"];
export type Patch = Schemas["Patch"];
export type Output = Schemas["Output"];
export type Bus = Schemas["Bus"];
export type Delivery = Schemas["Delivery"];
export type Snag = Schemas["Snag"];

export const api = createClient<paths>({
  baseUrl: window.location.origin,
  querySerializer: { array: { style: "form", explode: false } },
});

/** Whose edits these are: undo takes back one's own. A name that this browser has made up and keeps. */
function session(): string {
  const kept = localStorage.getItem("session");
  if (kept) return kept;
  const made = crypto.randomUUID();
  localStorage.setItem("session", made);
  return made;
}

api.use({
  onRequest: ({ request }) => {
    request.headers.set("Zesty-Session", session());
    return request;
  },
});

/** A problem that the server told of, as an error whose message can be shown as it is. */
export class ProblemError extends Error {
  /** What was tried, in the words of the interface, where it is known. */
  tried?: string;

  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message);
  }
}

/** What takes longer than a request lasts is asked for until it is there (202 while it is not yet). */
export async function whole<T>(ask: () => Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  for (;;) {
    const got = ask();
    const answer = await got.catch(() => undefined);
    if (answer?.response.status !== 202) return must(got);
    await new Promise((done) => setTimeout(done, 250));
  }
}

/**
 * Takes an answer apart: the data, or a ProblemError. A server that can't be reached is a problem
 * as well.
 */
export async function must<T>(answer: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let got: Awaited<typeof answer>;
  try {
    got = await answer;
  } catch {
    throw new ProblemError("unreachable", "The server does not answer: this was not done. Try again once it runs.");
  }
  if (got.error !== undefined || !got.response.ok) {
    const p = (got.error ?? {}) as Partial<Schemas["Problem"]>;
    throw new ProblemError(p.code ?? "unknown", p.detail ?? `The server answered ${got.response.status}.`);
  }
  return got.data as T;
}
