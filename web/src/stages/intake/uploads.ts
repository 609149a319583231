import * as tus from "tus-js-client";
import { create } from "zustand";

/** A file on its way to the server. */
export type Upload = {
  id: number;
  production: string;
  name: string;
  size: number;
  sent: number;
  state: "queued" | "sending" | "failed";
  error: string;
};

type State = { uploads: Upload[] };
export const useUploads = create<State>(() => ({ uploads: [] }));

// What is on its way is asked about before the page is left: it can be gone on with later, and is not there until then.
window.addEventListener("beforeunload", (e) => {
  if (useUploads.getState().uploads.some((u) => u.state !== "failed")) e.preventDefault();
});

const running = new Map<number, tus.Upload>();
const queue: { id: number; file: File; production: string }[] = [];
const atOnce = 3;
let next = 1;

function change(id: number, part: Partial<Upload>) {
  useUploads.setState((s) => ({ uploads: s.uploads.map((u) => (u.id === id ? { ...u, ...part } : u)) }));
}

function drop(id: number) {
  useUploads.setState((s) => ({ uploads: s.uploads.filter((u) => u.id !== id) }));
}

/** Sends files: a few at once, each resumable after a break of the line or of the browser. */
export function send(production: string, files: File[]) {
  for (const file of files) {
    const id = next++;
    queue.push({ id, file, production });
    useUploads.setState((s) => ({
      uploads: [
        ...s.uploads,
        { id, production, name: file.name, size: file.size, sent: 0, state: "queued", error: "" },
      ],
    }));
  }
  pump();
}

function pump() {
  while (running.size < atOnce) {
    const job = queue.shift();
    if (!job) return;
    start(job);
  }
}

function start({ id, file, production }: (typeof queue)[number]) {
  const upload = new tus.Upload(file, {
    endpoint: "/api/uploads/",
    metadata: { filename: file.name, production },
    // A server or a database that comes back within five minutes is waited for.
    retryDelays: [0, 500, 1000, 2000, 4000, ...Array<number>(40).fill(8000)],
    onShouldRetry: (e) => {
      const status = e.originalResponse?.getStatus() ?? 0;
      return status === 0 || status === 409 || status === 423 || (status >= 500 && status !== 507);
    },
    chunkSize: 16 << 20,
    removeFingerprintOnSuccess: true,
    fingerprint: async (f) => fingerprint(production, f as File),
    onProgress: (sent) => change(id, { sent, state: "sending" }),
    onSuccess: () => {
      running.delete(id);
      drop(id);
      pump();
    },
    onError: (e) => {
      running.delete(id);
      change(id, { state: "failed", error: reason(e) });
      failures.set(id, { id, file, production });
      pump();
    },
  });
  running.set(id, upload);
  change(id, { state: "sending", error: "" });
  upload.findPreviousUploads().then((before) => {
    if (!running.has(id)) return; // cancelled meanwhile
    if (before[0]) upload.resumeFromPreviousUpload(before[0]);
    upload.start();
  });
}

/** What tells a file from others: the same for another production, or changed since, is another upload. */
const fingerprint = (production: string, f: File) => `loom-${production}-${f.name}-${f.size}-${f.lastModified}`;

/** An upload that was left, of which the server has some. */
export type Unfinished = { key: string; name: string; size: number; arrived: number; url: string };

const storage = tus.defaultOptions.urlStorage;
const tusHead = { "Tus-Resumable": "1.0.0" };

/** Uploads of a production that were left in this browser, and how much of each has arrived. Those that the server has forgotten are, too. */
export async function unfinished(production: string): Promise<Unfinished[]> {
  const out: Unfinished[] = [];
  for (const u of await storage.findAllUploads()) {
    const { uploadUrl: url, urlStorageKey: key, size } = u;
    const { production: of, filename: name = "" } = u.metadata;
    if (of !== production || !url || size === null) continue;
    if (useUploads.getState().uploads.some((now) => now.name === name && now.size === size)) continue;
    const answer = await fetch(url, { method: "HEAD", headers: tusHead });
    if (answer.ok) out.push({ key, name, size, arrived: Number(answer.headers.get("Upload-Offset")), url });
    else if (answer.status === 404 || answer.status === 410) await storage.removeUpload(key);
  }
  return out;
}

/** Goes on with an upload that was left, by the file that it was of; false for any other. */
export async function goOn(production: string, left: Unfinished, file: File): Promise<boolean> {
  const same = await storage.findUploadsByFingerprint(fingerprint(production, file));
  if (!same.some((u) => u.uploadUrl === left.url)) return false;
  send(production, [file]);
  return true;
}

/** Throws an upload away that was left: nothing of it stays on the server. */
export async function throwAway(left: Unfinished) {
  await fetch(left.url, { method: "DELETE", headers: tusHead });
  await storage.removeUpload(left.key);
}

const failures = new Map<number, (typeof queue)[number]>();

function reason(e: Error | tus.DetailedError): string {
  if ("originalResponse" in e && e.originalResponse) {
    const said = `The server answered ${e.originalResponse.getStatus()}.`;
    try {
      const problem = JSON.parse(e.originalResponse.getBody()) as { detail?: string };
      return problem.detail || said;
    } catch {
      return said;
    }
  }
  return "The server did not answer. What has arrived there is kept.";
}

/** Tries a failed upload again, from where it broke off. */
export function again(id: number) {
  const job = failures.get(id);
  if (!job) return;
  failures.delete(id);
  change(id, { state: "queued", error: "" });
  queue.push(job);
  pump();
}

/** Ends an upload; nothing of it is left on the server. */
export async function cancel(id: number) {
  const i = queue.findIndex((j) => j.id === id);
  if (i >= 0) queue.splice(i, 1);
  const upload = running.get(id);
  running.delete(id);
  failures.delete(id);
  pump();
  // It is listed until nothing is left of it, so that it is not taken for one that was left.
  if (upload) await upload.abort(true).catch(() => undefined);
  drop(id);
}
