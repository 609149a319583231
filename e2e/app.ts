import { type ChildProcess, execFileSync, spawn } from "node:child_process";
import { chmodSync, mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { AxeBuilder } from "@axe-core/playwright";
import { test as base, expect, type Page } from "@playwright/test";

type App = { url: string; home: string };

/** Where seed.ts leaves the demonstration. */
export const seeded = join(tmpdir(), `zestyloom-e2e-seeded-${process.env.ZESTYLOOM_E2E_RUN ?? ""}`);

/** The real application, with its own PostgreSQL and the demonstration, once for all tests of a worker. */
export const test = base.extend<object, { app: App }>({
  app: [
    // biome-ignore lint/correctness/noEmptyPattern: Playwright reads the fixtures asked for from this pattern
    async ({}, use) => {
      const home = mkdtempSync(join(tmpdir(), "zestyloom-e2e-"));
      chmodSync(home, 0o711); // PostgreSQL runs as another user when this is root
      // The demonstration is made once, by seed.ts: each worker begins with a copy of it.
      execFileSync("cp", ["-a", "--reflink=auto", `${seeded}/.`, home]);
      const child = run("demo", "--listen", "127.0.0.1:0", "--home", home);
      const url = await started(child);
      await use({ url, home });
      expect(await ended(child), "Ctrl-C ends the application in order").toBe(0);
      rmSync(home, { recursive: true, force: true });
    },
    { scope: "worker", timeout: 360_000 },
  ],
});

/** Starts the program, with a PostgreSQL of its own where it needs one. */
export const run = (...args: string[]): ChildProcess =>
  spawn("bin/zestyloom", args, {
    cwd: join(import.meta.dirname, ".."),
    env: { ...process.env, ZESTYLOOM_DATABASE_URL: "" },
  });

/** Ends a program by a signal, and waits for it: with which code it has ended. */
export function ended(child: ChildProcess, by: NodeJS.Signals = "SIGINT"): Promise<number | null> {
  const end = new Promise<number | null>((resolve) => child.once("exit", resolve));
  child.kill(by);
  return end;
}

/** Waits until the application says where it is. */
export function started(child: ChildProcess): Promise<string> {
  return new Promise((resolve, reject) => {
    let said = "";
    const hear = (b: Buffer) => {
      said += b;
      const m = /is at (http:\S+)/.exec(said);
      if (m?.[1]) resolve(m[1]);
    };
    child.stdout?.on("data", hear);
    child.stderr?.on("data", hear);
    child.once("exit", (code) => reject(new Error(`The application ended with ${code}:\n${said}`)));
  });
}

/** Goes to a stage by the rail. */
export async function go(page: Page, stage: string) {
  await page.getByRole("navigation", { name: "Stages" }).getByRole("link", { name: stage }).click();
  await expect(page.getByRole("heading", { level: 1, name: stage })).toBeVisible();
  // What is counted there is there.
  if (stage === "Delivery") await expect(page.getByText(/^(\d+|no) deliver(y|ies)/)).toBeVisible();
}

/** No serious fault that axe can find. */
export async function accessible(page: Page) {
  const found = await new AxeBuilder({ page }).withTags(["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]).analyze();
  const grave = found.violations.filter((v) => v.impact === "serious" || v.impact === "critical");
  expect(grave.map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 200)).join("\n")}`)).toEqual([]);
}

export { expect };
