import { chmodSync, mkdirSync, rmSync } from "node:fs";
import { ended, run, seeded, started } from "./app";

/** Makes the demonstration once for all workers, and removes it when they have ended. */
export default async function seed() {
  rmSync(seeded, { recursive: true, force: true });
  mkdirSync(seeded);
  chmodSync(seeded, 0o711); // PostgreSQL runs as another user when this is root
  const child = run("demo", "--listen", "127.0.0.1:0", "--home", seeded);
  await started(child);
  await ended(child);
  return () => rmSync(seeded, { recursive: true, force: true });
}
