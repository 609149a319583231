import { execFileSync, spawn } from "node:child_process";
import { chmodSync, mkdtempSync, readFileSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { accessible, expect, go, started, test } from "./app";
import { newProduction } from "./many";
import { samples, wav } from "./sound";

test("the database goes and comes back under an open page, which says so and loses nothing", async ({ page, app }) => {
  test.setTimeout(180_000);
  const production = await newProduction(page, app.url, "Lost");
  await page.goto(`${app.url}/${production}/intake`);
  await expect(page.getByRole("heading", { level: 1, name: "Intake" })).toBeVisible();
  await expect(page.getByRole("alert")).toHaveCount(0);
  // Its folder is out of the way, so that it can't be started again.
  const cluster = join(app.home, "postgres", "cluster");
  const pid = Number(readFileSync(join(cluster, "postmaster.pid"), "utf8").split("\n")[0]);
  renameSync(cluster, `${cluster}.away`);
  process.kill(pid, "SIGKILL");
  try {
    const alert = page.getByRole("alert");
    await expect(alert).toContainText(/PostgreSQL .*Nothing is lost; this page goes on by itself/, { timeout: 40_000 });
    await accessible(page);
    await go(page, "Takes");
    await go(page, "Intake");
    const refused = await page.request.post(`${app.url}/api/productions`, { data: { name: "x", timecode_rate: "25" } });
    expect(refused.status()).toBe(503);
    expect((await refused.json()).code).toBe("database_away");
  } finally {
    renameSync(`${cluster}.away`, cluster);
  }
  await expect(page.getByRole("alert")).toHaveCount(0, { timeout: 60_000 });
  // It works again, events and jobs as well.
  await page.setInputFiles("input[type=file]", {
    name: "after.wav",
    mimeType: "audio/wav",
    buffer: Buffer.from(wav([samples(1, 48000)], 48000, 0)),
  });
  await expect(page.getByRole("article").filter({ hasText: "after.wav" })).toContainText("1 ch", { timeout: 60_000 });
});

test("a full disk refuses what needs room, is said, and is over when there is room", async ({ page }) => {
  test.setTimeout(240_000);
  test.skip(process.getuid?.() !== 0, "a disk of its own is mounted, which takes root; CI runs as root");
  const home = mkdtempSync(join(tmpdir(), "zestyloom-full-"));
  chmodSync(home, 0o711);
  execFileSync("mount", ["-t", "tmpfs", "-o", "size=900m,mode=711", "tmpfs", home]);
  const child = spawn("bin/zestyloom", ["serve", "--listen", "127.0.0.1:0", "--home", home], {
    cwd: join(import.meta.dirname, ".."),
    env: { ...process.env, ZESTYLOOM_DATABASE_URL: "" },
  });
  try {
    const url = await started(child);
    const production = await newProduction(page, url, "Full");
    await page.goto(`${url}/${production}/intake`);
    await expect(page.getByRole("heading", { level: 1, name: "Intake" })).toBeVisible();
    const free = Number(execFileSync("df", ["--output=avail", "-B1", home]).toString().split("\n")[1]);
    const ballast = join(home, "ballast");
    writeFileSync(ballast, Buffer.alloc(free - (60 << 20))); // room for the database, and for nothing else
    const alert = page.getByRole("alert");
    await expect(alert).toContainText("The disk of the media folder is full", { timeout: 40_000 });
    await accessible(page);
    const file = { name: "late.wav", mimeType: "audio/wav", buffer: Buffer.from(wav([samples(1, 48000)], 48000, 0)) };
    await page.setInputFiles("input[type=file]", file);
    await expect(page.getByText(/make room and try again; nothing was lost/)).toBeVisible();
    rmSync(ballast);
    await expect(alert).toHaveCount(0, { timeout: 40_000 });
    await page.setInputFiles("input[type=file]", file);
    await expect(page.getByRole("article").filter({ hasText: "late.wav" })).toContainText("1 ch", { timeout: 60_000 });
  } finally {
    const ended = new Promise((resolve) => child.once("exit", resolve));
    child.kill("SIGINT");
    await ended;
    execFileSync("umount", ["-l", home]);
    rmSync(home, { recursive: true, force: true });
  }
});
