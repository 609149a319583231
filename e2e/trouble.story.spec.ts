import { execFileSync } from "node:child_process";
import { chmodSync, mkdirSync, mkdtempSync, readFileSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Request } from "@playwright/test";
import { accessible, ended, expect, go, run, started, test } from "./app";
import { newProduction, takeIn } from "./many";
import { samples, wav } from "./sound";

test("the database goes and comes back under an open page, which says so and loses nothing", { tag: "@long" }, async ({
  page,
  app,
}) => {
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
    await expect(alert).toContainText(
      /PostgreSQL .*What is done now is kept in this browser, and sent then; this page goes on by itself/,
      { timeout: 40_000 },
    );
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

test("a full disk refuses what needs room, is said, and is over when there is room", {
  tag: ["@long", "@alone"],
}, async ({ page }) => {
  test.setTimeout(240_000);
  test.skip(process.getuid?.() !== 0, "a disk of its own is mounted, which takes root; CI runs as root");
  const home = mkdtempSync(join(tmpdir(), "zestyloom-full-"));
  chmodSync(home, 0o711);
  execFileSync("mount", ["-t", "tmpfs", "-o", "size=900m,mode=711", "tmpfs", home]);
  const child = run("serve", "--listen", "127.0.0.1:0", "--home", home);
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
    await ended(child);
    execFileSync("umount", ["-l", home]);
    rmSync(home, { recursive: true, force: true });
  }
});

test("a server that is killed in the middle of edits has lost none that it answered", async ({ page }) => {
  test.setTimeout(180_000);
  const home = mkdtempSync(join(tmpdir(), "zestyloom-killed-"));
  chmodSync(home, 0o711);
  const shelf = join(home, "shelf");
  mkdirSync(shelf);
  writeFileSync(join(shelf, "K-1.wav"), wav([samples(1, 480_000), samples(2, 480_000)], 48000, 10 * 3600 * 48000));
  const serve = (listen: string) => run("serve", "--listen", listen, "--home", home, "--shelf", shelf);
  let child = serve("127.0.0.1:0");
  try {
    const url = await started(child);
    const production = await newProduction(page, url, "Killed");
    await takeIn(page, url, production, ["K-1.wav"]);
    await page.goto(`${url}/${production}/takes`);
    await page.getByRole("gridcell", { name: /^Label of strand 1/ }).click();
    // Nothing says whether the two channels are a pair: that is answered before they are laid.
    await expect(page.getByRole("list", { name: "Questions" })).toContainText("channels 1 and 2 are a stereo pair");
    await page.keyboard.press("ControlOrMeta+.");
    await expect(page.getByRole("list", { name: "Questions" })).toHaveCount(0);
    await page.keyboard.press("ControlOrMeta+Enter");
    await expect(page.getByText(/taken into the reel, 2 strands/)).toBeVisible();
    await go(page, "Reel");
    type Reel = { version: number; doc: { tracks: { clips: { at: number }[] }[] } };
    const reel = async () =>
      (await (await page.request.get(`${url}/api/productions/${production}/reel`)).json()) as Reel;
    const clips = async () => (await reel()).doc.tracks.flatMap((t) => t.clips.map((c) => c.at / 1920));
    const [first = 0] = await clips();
    await page
      .getByRole("row", { name: /^Track/ })
      .first()
      .click();
    await page.keyboard.press("ArrowRight");
    await page.keyboard.press("Enter");
    let answered = 0;
    let over = 0; // answered or failed
    const isEdit = (r: Request) => r.url().endsWith("/edits") && r.method() === "POST";
    const counted = new Promise<void>((resolve) =>
      page.on("response", (r) => {
        if (isEdit(r.request()) && r.status() === 200) answered++;
        if (answered === 5) resolve();
      }),
    );
    const isOver = (r: Request) => {
      if (isEdit(r)) over++;
    };
    page.on("requestfinished", isOver).on("requestfailed", isOver);
    // Keys go on while it is killed: what had not been sent is done once it is there again, or said.
    const typing = (async () => {
      for (let n = 0; n < 12; n++) await page.keyboard.press(".", { delay: 30 });
    })();
    await counted;
    await ended(child, "SIGKILL");
    await typing;
    const kept = answered;
    child = serve(new URL(url).host);
    await started(child);
    // What could not be sent is kept, and sent to the server that is back, or refused: none twice.
    await expect.poll(() => over, { timeout: 60_000 }).toBeGreaterThanOrEqual(12);
    await expect(page.getByRole("alert")).toHaveCount(0, { timeout: 60_000 });
    // Each answered edit is there, and whole: both strands of the take have moved by as many frames.
    const [one, two] = await clips();
    expect(one).toBeGreaterThanOrEqual(first + kept);
    expect(one).toBe(two);
    expect((one ?? 0) - first).toBeLessThanOrEqual(12);
    // It can be worked on, and each edit taken back by the session that made it.
    await page.reload();
    await expect(page.getByTestId("lanes")).toHaveAttribute("data-drawn", "yes");
    const moved = (one ?? 0) - first;
    for (let n = 0; n < moved; n++) {
      const now = (await clips())[0] ?? 0;
      await page.keyboard.press("ControlOrMeta+z");
      await expect.poll(async () => (await clips())[0]).toBe(now - 1);
    }
    expect(await clips()).toEqual([first, first]);
  } finally {
    await ended(child);
    rmSync(home, { recursive: true, force: true });
  }
});

test("edits that can't be sent are not thought to be kept, survive a reload, and are sent then", async ({
  page,
  app,
}) => {
  const production = await newProduction(page, app.url, "Away");
  await page.goto(`${app.url}/${production}/intake`);
  await page.setInputFiles("input[type=file]", {
    name: "boom.wav",
    mimeType: "audio/wav",
    buffer: Buffer.from(wav([samples(1, 48000)], 48000, 0)),
  });
  await expect(page.getByRole("article").filter({ hasText: "boom.wav" })).toContainText("1 ch", { timeout: 60_000 });
  await go(page, "Takes");
  const label = page.getByRole("textbox", { name: /^Label of/ });
  await expect(label).toBeVisible();
  await page.route("**/sheet", (r) => (r.request().method() === "POST" ? r.abort() : r.continue()));
  await label.fill("Boom at sea");
  await label.press("Enter");
  const alert = page.getByRole("alert");
  await expect(alert).toContainText("Not kept yet");
  await accessible(page);
  await page.reload();
  await expect(alert).toContainText("Not kept yet");
  await page.unroute("**/sheet");
  await expect(alert).toHaveCount(0);
  const takes = await (await page.request.get(`${app.url}/api/productions/${production}/takes`)).json();
  expect(takes.items[0].strands[0].label).toBe("Boom at sea");
});

test("a view that breaks says what broke and what was typed, and goes on", async ({ page, app }) => {
  // An answer that is none breaks the view that shows it.
  const pairs = /\/api\/productions\/[^/]+\/syncs/;
  await page.route(pairs, (route) => route.fulfill({ json: { items: [null], total: 1, next: "" } }));
  await page.goto(app.url);
  await go(page, "Takes");
  await page.getByRole("searchbox", { name: "Search takes" }).fill("hatch");
  const sync = page.getByRole("navigation", { name: "Stages" }).getByRole("link", { name: "Sync" });
  await sync.click();
  const broken = page.getByRole("alert").filter({ hasText: "This view broke" });
  await expect(broken).toBeVisible();
  await expect(broken.getByText("hatch")).toBeVisible();
  await accessible(page);
  // It goes on by itself where it can, and breaks again where it can't.
  await broken.getByRole("button", { name: "Go on" }).click();
  await expect(broken).toBeVisible();
  // The other stages work, and so does this one once there is an answer.
  await go(page, "Intake");
  await page.unroute(pairs);
  await sync.click();
  await page.getByRole("button", { name: "Load the page anew" }).click();
  await expect(page.getByRole("heading", { level: 1, name: "Sync" })).toBeVisible();
  await expect(broken).toHaveCount(0);
});
