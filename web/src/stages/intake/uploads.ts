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
    // The same file for another production is another upload.
    fingerprint: async (f) => `loom-${production}-${(f as File).name}-${(f as File).size}-${(f as File).lastModified}`,
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
  drop(id);
  pump();
  if (upload) await upload.abort(true).catch(() => undefined);
}
