import { execFileSync } from "node:child_process";
import { chmodSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import type { Page } from "@playwright/test";
import { accessible, expect, go, test } from "./app";
import { readWav } from "./sound";

type Reel = { id: string; version: number; doc: { start: number } };

/** A reel of its own for a story: a stretch of the demonstration's first, chosen in Reel. */
async function reelOf(page: Page, url: string, name: string, from = 5, seconds = 15): Promise<Reel> {
  await page.goto(url);
  await page.waitForURL(/intake/);
  await page.getByLabel("Production", { exact: true }).selectOption({ label: "Lantern Ferry, Ep 2 Low Water" });
  await page.waitForURL(/intake/);
  const production = new URL(page.url()).pathname.split("/")[1];
  const first = (await (await page.request.get(`${url}/api/productions/${production}/reels`)).json())[0];
  const start = first.start + from * 48000;
  const made = await page.request.post(`${url}/api/productions/${production}/reels`, {
    data: { name, copy: first.id, from: start, to: start + seconds * 48000 },
  });
  expect(made.status()).toBe(201);
  await go(page, "Reel");
  await page.getByLabel("Reel", { exact: true }).selectOption({ label: name });
  return made.json();
}

const deliveries = (page: Page) => page.getByRole("region", { name: "Deliveries" }).getByRole("article");

/** Holds the reel against a specification, and weaves it as that asks, by the pointer where it has to be. */
async function heldAgainst(page: Page, spec: string) {
  await go(page, "Delivery");
  await page.getByLabel("Specification", { exact: true }).selectOption({ label: spec });
  await expect(page.getByRole("region", { name: "What will be written" })).toBeVisible();
  const weave = page.getByRole("button", { name: "Weave the reel as the specification asks…" });
  await expect(weave.or(page.getByText(/Nothing stands in the way|^\d+ snags?$/)).first()).toBeVisible();
  await weave.click();
  await expect(page.getByRole("table", { name: "Rows that change" })).toBeVisible();
  await expect(page.getByRole("button", { name: /^Use it/ })).toBeEnabled();
  await page.getByRole("button", { name: /^Use it/ }).click();
  await expect(weave).toHaveCount(0);
  await expect(page.getByRole("button", { name: /^Order (\d+ channel|all the same)/ })).toBeEnabled();
}

/** Waits for the newest delivery, and gives its note. */
async function newestProven(page: Page, nth: number) {
  await expect(deliveries(page)).toHaveCount(nth);
  const note = deliveries(page).first();
  await expect(note.getByText("proven", { exact: true })).toBeVisible({ timeout: 90_000 });
  return note;
}

async function downloaded(page: Page, note: ReturnType<typeof deliveries>, link: string | RegExp) {
  const [download] = await Promise.all([page.waitForEvent("download"), note.getByRole("link", { name: link }).click()]);
  return { name: download.suggestedFilename(), path: await download.path() };
}

test("a test of a short range by key, and then the whole", async ({ page, app }) => {
  await reelOf(page, app.url, "Story test");
  const before = await deliveries(page).count();
  await go(page, "Delivery");
  await expect(page.getByRole("button", { name: /^Order (6 channels|all the same)/ })).toBeEnabled();
  const had = await deliveries(page).count();
  expect(before).toBe(0);
  await page.keyboard.press("t");
  const tested = await newestProven(page, had + 1);
  const short = await downloaded(page, tested, /_TEST\.wav$/);
  expect(readWav(readFileSync(short.path)).channels[0]?.length).toBe(10 * 48000);
  await page.getByLabel("To whom").fill("Harbour Dubbing");
  await page.getByLabel("To whom").press("Escape");
  await page.getByRole("heading", { level: 1, name: "Delivery" }).click();
  await page.keyboard.press("Shift+Enter");
  const whole = await newestProven(page, had + 2);
  await expect(whole.getByText("To Harbour Dubbing")).toBeVisible();
  await accessible(page);
  const long = await downloaded(page, whole, /_STEMS\.wav$/);
  const a = readWav(readFileSync(short.path));
  const b = readWav(readFileSync(long.path));
  expect(b.channels[0]?.length).toBe(15 * 48000);
  expect(a.start).toBe(b.start);
  for (const [c, x] of a.channels.entries())
    expect(
      x.every((v, i) => v === b.channels[c]?.[i]),
      `channel ${c + 1} of the test is that of the whole`,
    ).toBe(true);
  await whole.getByRole("button", { name: /^Proof:/ }).click();
  await whole.getByRole("button", { name: "3 MX L" }).click();
  await expect(whole.getByRole("table", { name: "What MX L is made of" }).getByRole("row")).toHaveCount(2);
  const paper = await downloaded(page, whole, "dispatch note (PDF)");
  expect(readFileSync(paper.path).subarray(0, 5).toString()).toBe("%PDF-");
  expect(paper.name).toMatch(/Story test - Stem master, three stereo stems - v1\.pdf$/);
  const proof = await downloaded(page, whole, "Signed proof");
  expect(readFileSync(proof.path, "utf8")).toMatch(/^Zesty Loom proof, form 1\n[\s\S]*\nverdict as ordered\n/);

  // What is changed on the disk afterwards is not given out, and says so; put back, it is again.
  const link = whole.getByRole("link", { name: /_STEMS\.wav$/ });
  const href = (await link.getAttribute("href")) ?? "";
  const folder = join(app.home, "media", "deliveries", href.split("/")[3] ?? "");
  const [name] = readdirSync(folder, { recursive: true, encoding: "utf8" }).filter((f) => f.endsWith("_STEMS.wav"));
  const path = join(folder, name ?? "");
  const good = readFileSync(path);
  const bad = Buffer.from(good);
  bad[good.length - 5] = (bad[good.length - 5] ?? 0) ^ 1;
  chmodSync(path, 0o640);
  writeFileSync(path, bad);
  const refused = await page.request.get(app.url + href);
  expect([refused.status(), (await refused.json()).code]).toEqual([422, "not_as_proven"]);
  await expect(whole.getByText("changed", { exact: true })).toBeVisible();
  await expect(whole.getByText(/is not what was proven any more: .* has other contents/)).toBeVisible();
  await accessible(page);
  writeFileSync(path, good);
});

test("a snag leads to the very row where it is mended", async ({ page, app }) => {
  await reelOf(page, app.url, "Story snag", 0, 78);
  await go(page, "Delivery");
  const snags = page.getByRole("region", { name: "Snags before the order" });
  await expect(snags.getByText(/track Lav Marit has no stem/)).toBeVisible();
  await snags.getByRole("link", { name: "Mend it in Weave" }).click();
  const chosen = page.getByRole("complementary", { name: "What is chosen" });
  await expect(chosen.getByText("Lav Marit").first()).toBeVisible();
  await page.keyboard.press("d");
  await go(page, "Delivery");
  await expect(snags.getByText(/Nothing stands in the way/)).toBeVisible();
});

test("six channels in four streams beside a picture", async ({ page, app }) => {
  await reelOf(page, app.url, "Story picture", 0, 78);
  await heldAgainst(page, "Picture with six channels in four streams");
  const had = await deliveries(page).count();
  await page.getByLabel("Picture that goes along").selectOption({ label: "CAM_A_0031.mov" });
  await page.keyboard.press("Escape");
  // The camera's clock was two hours off: where its timecode says, there is no sound of the reel.
  const snags = page.getByRole("region", { name: "Snags before the order" });
  await expect(snags.getByText(/lies outside of the picture CAM_A_0031\.mov/)).toBeVisible();
  await page.getByRole("button", { name: /^Order all the same/ }).click();
  const note = await newestProven(page, had + 1);
  const file = await downloaded(page, note, /\.mov$/);
  const streams = execFileSync("ffprobe", [
    "-v", "error", "-show_entries", "stream=codec_type,channels", "-of", "csv=p=0", file.path,
  ]) // biome-ignore format: one argument after the other
    .toString()
    .split("\n")
    .filter((l) => l.startsWith("audio"));
  expect(streams).toEqual(["audio,2", "audio,1", "audio,1", "audio,2"]);
  await note.getByRole("button", { name: /^Proof:/ }).click();
  await expect(note.getByText("picture, packet by packet (MD5)")).toBeVisible();
});

test("a discrete 5.1 with the speakers in its names", { tag: "@long" }, async ({ page, app }) => {
  await reelOf(page, app.url, "Story discrete");
  await heldAgainst(page, "Discrete 5.1 with speaker suffixes");
  const had = await deliveries(page).count();
  await page.keyboard.press("Shift+Enter");
  const note = await newestProven(page, had + 1);
  for (const speaker of ["L", "R", "C", "LFE", "Ls", "Rs"])
    await expect(note.getByRole("link", { name: new RegExp(`MIX51\\.${speaker}\\.wav$`) })).toBeVisible();
  await accessible(page);
});

test("two languages, and the music raised by 2 dB after they were delivered", { tag: "@long" }, async ({
  page,
  app,
}) => {
  await reelOf(page, app.url, "Story languages");
  await heldAgainst(page, "Two languages");
  const had = await deliveries(page).count();
  await page.keyboard.press("Shift+Enter");
  const note = await newestProven(page, had + 1);
  await expect(note.getByRole("list", { name: "Files" }).getByRole("link")).toHaveCount(8);
  await expect(note.getByText("M&E is MX + FX, bit for bit")).toBeVisible();
  const music = readWav(readFileSync((await downloaded(page, note, /_MX_v1\.wav$/)).path));
  // Each language's mix is, in the files, the sum of its own narration and what both share.
  const sides = async (link: RegExp) => readWav(readFileSync((await downloaded(page, note, link)).path)).channels;
  const shared = [music.channels, await sides(/_DX_v1\.wav$/), await sides(/_FX_v1\.wav$/)];
  for (const language of ["EN", "PT"]) {
    const members = [...shared, await sides(new RegExp(`_VO.${language}_v1\\.wav$`))];
    const mix = await sides(new RegExp(`_Full.mix.${language}_v1\\.wav$`));
    for (const side of [0, 1]) {
      let [most, loud] = [0, 0];
      for (let i = 4 * 48000; i < 19 * 48000; i++) {
        const v = mix[side]?.[i] ?? 0;
        loud = Math.max(loud, Math.abs(v));
        most = Math.max(most, Math.abs(v - members.reduce((sum, m) => sum + (m[side]?.[i] ?? 0), 0)));
      }
      expect(loud).toBeGreaterThan(100_000);
      expect(most, `${language}: half a step of each of five files`).toBeLessThanOrEqual(2.5);
    }
  }

  // Taken back in, it is a reel laid out as it was sent; there the music's stem is raised.
  await note.getByRole("button", { name: "Take it back in as a reel" }).click();
  await page.waitForURL(/reel$/, { timeout: 60_000 });
  await expect(page.getByRole("grid", { name: "Tracks" }).getByRole("row", { name: /^Track MX, MX/ })).toBeVisible();
  await expect(page.getByRole("row", { name: /Full mix EN as delivered, no stem, off/ })).toBeVisible();
  await go(page, "Weave");
  await page.getByRole("toolbar", { name: "Buses" }).getByRole("button", { name: /^MX / }).click();
  const level = page.getByLabel("Level of the bus");
  await level.fill("2");
  await level.press("Enter");
  await go(page, "Delivery");
  await expect(page.getByLabel("Specification", { exact: true }).locator("option:checked")).toHaveText("Two languages");
  await expect(page.getByRole("button", { name: /^Order (16 channels|all the same)/ })).toBeEnabled();
  await page.keyboard.press("Shift+Enter");
  const changed = await newestProven(page, had + 2);
  await expect(changed.getByText("level of MX: +2.0 dB, before +0.0 dB")).toBeVisible();
  await expect(changed.getByText(/^the same, sample by sample: .*DX L, DX R, FX L/)).toBeVisible();
  await expect(changed.getByText("M&E is MX + FX, bit for bit")).toBeVisible();
  await accessible(page);
  const louder = readWav(readFileSync((await downloaded(page, changed, /_MX_v2\.wav$/)).path));
  const gain = 10 ** (2 / 20);
  expect(louder.channels[0]?.length).toBe(music.channels[0]?.length);
  const programme = (x: Int32Array | undefined) => x?.subarray(4 * 48000, 19 * 48000) ?? new Int32Array();
  const was = programme(music.channels[0]);
  expect(programme(louder.channels[0]).every((v, i) => Math.abs(v - (was[i] ?? 0) * gain) <= 0.5001)).toBe(true);
});

test("a specification of one's own, kept, used and forgotten", { tag: "@long" }, async ({ page, app }) => {
  await reelOf(page, app.url, "Story spec");
  await go(page, "Delivery");
  await expect(page.getByRole("button", { name: /^Order (6 channels|all the same)/ })).toBeEnabled();
  await page.keyboard.press("s");
  const panel = page.getByRole("dialog", { name: "Delivery specification" });
  await expect(panel.getByRole("button", { name: "Keep it" })).toBeDisabled();
  await panel.getByLabel("Name", { exact: true }).fill("Stems for the night ferry");
  const json = panel.getByLabel("Specification as JSON");
  const spec = JSON.parse(await json.inputValue());
  spec.programme = { length: "reel", before: [{ what: "silence", seconds: 5 }] };
  await json.fill("{");
  await expect(panel.getByRole("button", { name: "Keep it" })).toBeDisabled();
  await json.fill('{"packings": [{"files": [3]}], "programme": 1}');
  await expect(panel.getByText(/^This is no specification yet/)).toBeVisible();
  await json.fill(JSON.stringify(spec));
  // Field by field; what is typed is in the JSON, and the other way round.
  const seconds = panel.getByLabel(/^Seconds of stretch 1/);
  await expect(seconds).toHaveValue("5");
  await seconds.fill("3");
  await seconds.press("Tab");
  await panel.getByLabel("Coding").selectOption({ label: "16 bits" });
  await panel.getByLabel("dithered").check();
  await panel.getByLabel("a frame of tone two seconds before").check();
  await panel.getByRole("button", { name: "Loudness and peaks" }).click();
  await panel.getByLabel("What limits 1 are of").fill("all");
  expect(JSON.parse(await json.inputValue())).toMatchObject({
    coding: "s16",
    dither: true,
    limits: [{ of: "all", integrated_lufs: -23 }],
    programme: { before: [{ what: "silence", seconds: 3 }], pop: { level_dbfs: -18 } },
  });
  await panel.getByRole("button", { name: "Take limits 1 away" }).click();
  await expect(panel.getByText("48 kHz, 16 bits, dithered")).toBeVisible();
  await accessible(page);
  await panel.getByRole("button", { name: "Keep it" }).click();
  await expect(panel).toHaveCount(0);
  await page.getByLabel("Specification", { exact: true }).selectOption({ label: "Stems for the night ferry" });
  await expect(page.getByText(/2-pop at -18 dBFS/)).toBeVisible();
  const had = await deliveries(page).count();
  await page.keyboard.press("t");
  const note = await newestProven(page, had + 1);
  await note.getByRole("button", { name: /^Proof:/ }).click();
  await expect(note.getByRole("cell", { name: /^2-pop at 22:10/ })).toBeVisible();
  await page.keyboard.press("s");
  await panel.getByRole("button", { name: "Forget it" }).click();
  await expect(page.getByLabel("Specification", { exact: true }).locator("option:checked")).toHaveText(
    "Stem master, three stereo stems",
  );
});

test("what is being made is held, let go and cancelled, and what waits changes places", { tag: "@long" }, async ({
  page,
  app,
}) => {
  const reel = await reelOf(page, app.url, "Story queue", 0, 78);
  await go(page, "Delivery");
  await expect(page.getByRole("button", { name: /^Order (6 channels|all the same)/ })).toBeEnabled();
  const had = await deliveries(page).count();
  const queue = page.getByRole("list", { name: "What is being made, in order" });
  const spec = (await (await page.request.get(`${app.url}/api/specs`)).json())[0].id;
  const ordered = await (
    await page.request.post(`${app.url}/api/reels/${reel.id}/deliveries`, { data: { spec, accept: ["no_stem"] } })
  ).json();
  expect((await page.request.post(`${app.url}/api/orders/${ordered.id}/hold`)).status()).toBe(200);
  const held = queue.getByRole("listitem", { name: /, version 1, held$/ });
  await expect(held).toBeVisible();
  await accessible(page);
  await expect(deliveries(page), "what has not ended is no row of the ledger").toHaveCount(had);
  await held.getByRole("button", { name: "Let it go" }).click();
  await newestProven(page, had + 1);
  await expect(queue).toHaveCount(0);

  // What waits, as the server may say it: three deliveries, and a take that could not be written out.
  const item = (id: string, more: object) => ({
    id, kind: "delivery", state: "waiting", steps: ["hold", "next", "cancel"], name: "Stem master", says: "Story queue", test: false, version: 2, frames: 48000,
    sample_rate: 48000, error: { code: "", message: "" }, ...more,
  }); // biome-ignore format: a row of facts
  const of = (n: number) => `0192f0c0-0000-7000-8000-00000000000${n}`;
  let waiting = [item(of(1), { version: 1 }), item(of(2), { version: 2 }), item(of(3), { version: 3 })];
  const failed = item(of(4), {
    kind: "writing", state: "failed", steps: ["cancel", "retry"], name: "21A-3", says: "mono", version: 0, sample_rate: 0,
    error: { code: "not_found", message: "LFB02_21A-3.wav is not where it was" },
  }); // biome-ignore format: a row of facts
  await page.route("**/api/productions/*/queue", async (route) => {
    if (route.request().method() === "PUT") {
      const { order } = route.request().postDataJSON() as { order: string[] };
      waiting = order.flatMap((id) => waiting.filter((w) => w.id === id));
    }
    await route.fulfill({ json: [...waiting, failed] });
  });
  await page.reload();
  const versions = () =>
    queue
      .getByRole("listitem")
      .evaluateAll((rows) => rows.map((r) => /version (\d)/.exec(r.getAttribute("aria-label") ?? "")?.[1] ?? "export"));
  await expect.poll(versions).toEqual(["1", "2", "3", "export"]);
  await expect(queue.getByText("LFB02_21A-3.wav is not where it was.")).toBeVisible();
  await queue.getByRole("button", { name: "Make Stem master, version 1 later" }).focus();
  await page.keyboard.press("Alt+ArrowDown");
  await expect.poll(versions).toEqual(["2", "1", "3", "export"]);
  await queue.getByRole("button", { name: "Make Stem master, version 3 earlier" }).click();
  await expect.poll(versions).toEqual(["2", "3", "1", "export"]);
  await queue.getByRole("listitem", { name: /version 1/ }).dragTo(queue.getByRole("listitem", { name: /version 2/ }));
  await expect.poll(versions).toEqual(["1", "2", "3", "export"]);
  await expect(queue.getByRole("button", { name: "Make Stem master, version 1 earlier" })).toBeDisabled();
  await accessible(page);
});
