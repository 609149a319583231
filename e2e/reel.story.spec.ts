import { mkdirSync, writeFileSync } from "node:fs";
import { readFile } from "node:fs/promises";
import { join } from "node:path";
import type { Page } from "@playwright/test";
import { accessible, expect, go, test } from "./app";
import { newProduction, takeIn } from "./many";
import { samples, wav } from "./sound";
import { played, rate, startTape, until } from "./tape";

const start = 10 * 3600 * rate;
const seconds = 12;

type Clip = {
  id: string;
  at: number;
  in: number;
  length: number;
  away?: number;
  tie?: string;
  off?: { from: number }[];
  gain?: { value: number }[];
};
type Point = { at: number; value: number };
type Doc = {
  tracks: { id: string; label: string; off: boolean; gain_db?: number; gain?: Point[]; clips: Clip[] }[];
};

/** The reel as the server has it. */
async function reelOf(page: Page, url: string, production: string): Promise<Doc> {
  const answer = await page.request.get(`${url}/api/productions/${production}/reel`);
  return ((await answer.json()) as { doc: Doc }).doc;
}

/** A production with one take of four strands in its reel. */
async function laid(page: Page, app: { url: string; home: string }, name: string): Promise<string> {
  const folder = name.toLowerCase();
  mkdirSync(join(app.home, "lantern-ferry", folder), { recursive: true });
  const channels = Array.from({ length: 4 }, (_, c) => samples(c, seconds * rate));
  writeFileSync(join(app.home, "lantern-ferry", folder, "E-1.wav"), wav(channels, rate, start));
  const production = await newProduction(page, app.url, name);
  await takeIn(page, app.url, production, [`${folder}/E-1.wav`]);
  await page.goto(`${app.url}/${production}/takes`);
  await page.getByRole("gridcell", { name: /^Label of strand 1/ }).click();
  await page.keyboard.press("ControlOrMeta+Enter");
  await expect(page.getByText(/taken into the reel, 4 strands/)).toBeVisible();
  await go(page, "Reel");
  await expect(page.getByTestId("lanes")).toHaveAttribute("data-drawn", "yes");
  return production;
}

test("a take is edited by keys alone: what is tied stays together, and all of it is undone", async ({ page, app }) => {
  test.setTimeout(120_000);
  const production = await laid(page, app, "Keys");
  const tracks = page.getByRole("grid", { name: "Tracks" });
  const row = (n: number) => tracks.getByRole("row").nth(n);
  const pointer = page.getByLabel(/^Pointer: timecode/);
  const clips = async () => (await reelOf(page, app.url, production)).tracks.map((t) => t.clips);
  const goTo = async (text: string) => {
    await page.keyboard.press("g");
    await page.keyboard.type(text);
    await page.keyboard.press("Enter");
  };

  await goTo("10:00:04:00");
  await expect(pointer).toHaveValue("10:00:04:00");
  await page.keyboard.press("Enter");
  await expect(row(0).getByText(/E-1 from 10:00:00:00 to 10:00:12:00, chosen/)).toBeAttached();
  await page.keyboard.press("c");
  for (let n = 0; n < 4; n++) await expect(row(n).getByRole("listitem")).toHaveCount(2);

  // Trim both parts a second away from each other: typed, and by a key.
  await goTo("-1:00");
  await expect(pointer).toHaveValue("10:00:03:00");
  await page.keyboard.press("t");
  await expect(row(3).getByText(/E-1 from 10:00:00:00 to 10:00:03:00/)).toBeAttached();
  await page.keyboard.press("n");
  await expect(pointer).toHaveValue("10:00:04:00");
  await page.keyboard.press("Enter");
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("h");
  await expect(row(1).getByText(/E-1 from 10:00:04:01 to 10:00:12:00/)).toBeAttached();
  await page.keyboard.press(".");
  await expect(row(2).getByText(/E-1 from 10:00:04:02 to 10:00:12:01/)).toBeAttached();

  // One alone: it says by how much, and comes home.
  await page.keyboard.press("k");
  await page.keyboard.press(">");
  await expect(row(0).getByText(/\+0.03 f, \+1.00 ms from home/)).toBeAttached();
  await page.keyboard.press("k");
  await page.keyboard.press("b");
  await expect(row(0).getByText(/from home/)).toHaveCount(0);

  // A span: off on one strand alone, and quieter.
  await goTo("10:00:06:00");
  await page.keyboard.press("s");
  await goTo("10:00:07:00");
  await page.keyboard.press("e");
  await page.keyboard.press("o");
  await expect(row(0).getByText(/1 range off/)).toBeAttached();
  await expect(row(1).getByText(/range off/)).toHaveCount(0);
  await page.keyboard.press("a");
  await expect(row(0).getByText(/range off/)).toHaveCount(0);
  await page.keyboard.press("q");
  await expect(row(0).getByText(/4 points/)).toBeAttached();
  // Taken out with its time, on what is tied, too.
  await page.keyboard.press("Escape");
  await goTo("10:00:06:00");
  await page.keyboard.press("s");
  await goTo("10:00:07:00");
  await page.keyboard.press("e");
  await page.keyboard.press("Shift+Delete");
  for (let n = 0; n < 4; n++) await expect(row(n).getByText(/to 10:00:11:01/)).toBeAttached();
  await page.keyboard.press("x"); // nothing is chosen but what lies at the pointer: it lies behind the place that closed
  await accessible(page);

  // Copied behind the end; then everything is taken back.
  await goTo("10:00:01:00");
  await page.keyboard.press("Enter");
  await page.keyboard.press("ControlOrMeta+c");
  await goTo("10:00:20:00");
  await page.keyboard.press("ControlOrMeta+v");
  await expect(row(0).getByText(/E-1 from 10:00:20:00 to 10:00:23:00/)).toBeAttached();
  await page.keyboard.press("ControlOrMeta+Shift+h");
  const history = page.getByRole("dialog", { name: "What was done" });
  await history.getByRole("button", { name: /^Undo back to before: cut/ }).click();
  await expect(history.getByRole("button", { name: /^Do again up to: paste/ })).toBeVisible();
  await accessible(page);
  await page.keyboard.press("Escape");
  for (const c of await clips()) expect(c).toMatchObject([{ at: start, in: 0, length: seconds * rate }]);
  await expect(row(0).getByRole("listitem")).toHaveCount(1);
});

test("a take is edited by pointer alone, and heard while it is", { tag: ["@long", "@alone"] }, async ({
  page,
  app,
}) => {
  test.setTimeout(120_000);
  const production = await laid(page, app, "Pointer");
  const lanes = page.getByTestId("lanes");
  const box = (await lanes.boundingBox()) ?? { x: 0, y: 0, width: 0, height: 0 };
  const px = (box.width - 16) / (seconds * rate);
  const x = (s: number) => box.x + s * rate * px;
  const high =
    (
      await page
        .getByRole("row", { name: /^Track/ })
        .first()
        .boundingBox()
    )?.height ?? 0;
  const y = (n: number) => box.y + high * (n + 0.75);
  const drag = async (fromX: number, fromY: number, toX: number, toY: number) => {
    await page.mouse.move(fromX, fromY);
    await page.mouse.down();
    await page.mouse.move((fromX + toX) / 2, (fromY + toY) / 2, { steps: 3 });
    await page.mouse.move(toX, toY, { steps: 3 });
    await page.mouse.up();
  };
  const doc = () => reelOf(page, app.url, production);
  const settled = (want: (d: Doc) => unknown, value: unknown) =>
    expect.poll(async () => want(await doc())).toEqual(value);
  const near = (a: number, b: number) => Math.abs(a - b) < 3 / px;

  // The tail of all, then of one alone with Alt.
  await drag(x(12) - 2, y(0), x(10), y(0));
  await settled((d) => d.tracks.every((t) => near((t.clips[0]?.length ?? 0) / 1, 10 * rate)), true);
  await page.keyboard.down("Alt");
  await drag(x(10) - 2, y(1), x(9), y(1));
  await page.keyboard.up("Alt");
  await settled((d) => d.tracks.map((t) => near(t.clips[0]?.length ?? 0, 9 * rate)), [false, true, false, false]);
  await settled((d) => d.tracks.every((t) => !t.clips[0]?.away), true);

  // Moved: all together, then one alone, which then says so.
  await page.keyboard.press("Escape");
  await drag(x(5), y(2), x(6), y(2));
  await settled((d) => new Set(d.tracks.map((t) => t.clips[0]?.at)).size, 1);
  await settled((d) => near(d.tracks[0]?.clips[0]?.at ?? 0, start + rate), true);
  const moved = (await doc()).tracks[0]?.clips[0]?.at ?? 0;
  const shift = ((moved - start) / rate) * rate * px;
  await page.keyboard.down("Alt");
  await drag(x(5) - shift + shift, y(3), x(6), y(3));
  await page.keyboard.up("Alt");
  await settled((d) => d.tracks.filter((t) => (t.clips[0]?.away ?? 0) > 0).length, 1);
  const bar = page.getByRole("region", { name: "What is chosen" });
  await expect(bar.getByText(/ms from home/)).toBeVisible();
  await bar.getByRole("button", { name: "Bring home" }).click();
  await settled((d) => d.tracks.every((t) => !t.clips[0]?.away), true);

  // Values are typed.
  const from = bar.getByLabel(/^Where the clip begins/);
  await from.click();
  await from.fill("-10f");
  await from.press("Enter");
  await settled((d) => d.tracks.every((t) => t.clips[0]?.at === moved - 10 * 1920), true);
  await bar.getByLabel("Length of the fade in in milliseconds").fill("250");
  await bar.getByLabel("Length of the fade in in milliseconds").press("Enter");
  await settled(
    (d) => d.tracks.map((t) => (t.clips[0] as { fade_in?: { length: number } }).fade_in?.length),
    [12000, 12000, 12000, 12000],
  );

  // An envelope is drawn: a point, moved, a second one, and the first taken away.
  await page.keyboard.press("ControlOrMeta+e");
  const gains = (d: Doc) => d.tracks[0]?.clips[0]?.gain?.map((g) => Math.round(g.value)) ?? [];
  await page.mouse.click(x(4), y(0) - 10);
  await settled((d) => gains(d).length, 1);
  await drag(x(4), y(0) - 10, x(4.5), y(0));
  await settled((d) => (gains(d)[0] ?? 0) < -5, true);
  await page.mouse.click(x(6), y(0) - 15);
  await settled((d) => gains(d).length, 2);
  await page.keyboard.down("Alt");
  await page.mouse.click(x(4.5), y(0));
  await page.keyboard.up("Alt");
  await settled((d) => gains(d).length, 1);
  await expect(bar.getByLabel("Envelope of the clip at the pointer, in dB")).toBeVisible();
  await page.keyboard.press("ControlOrMeta+e");

  // A span over two tracks, off there; while it sounds, edits are heard without a gap.
  await page.getByTestId("ruler").click({ position: { x: 2 * rate * px, y: 10 } });
  await page.keyboard.press("d");
  await page.keyboard.press(" ");
  const monitor = page.getByRole("region", { name: "Monitor" });
  await expect(page.getByTestId("hearing")).toHaveText(/Reel 1 as it is routed/);
  await expect(monitor).toHaveAttribute("data-delay", /\d/);
  await until(page, start / rate + 2.5);
  await page.keyboard.down("Shift");
  await drag(x(6), y(0), x(8), y(1));
  await page.keyboard.up("Shift");
  await page.keyboard.press("o");
  await settled((d) => d.tracks.map((t) => t.clips[0]?.off?.length ?? 0).sort(), [0, 0, 1, 1]);
  await page
    .getByRole("button", { name: /^Hear track .* alone/ })
    .first()
    .click();
  await expect(page.getByTestId("hearing")).toHaveText(/ alone/);
  await until(page, start / rate + 4);
  await expect(monitor).toHaveAttribute("data-gaps", "0");
  await page.getByRole("button", { name: "Stop listening" }).click();
  await expect(page.getByTestId("hearing")).toHaveText(/^Silent/);
  await page.getByRole("button", { name: "Hear all again" }).click();
  await accessible(page);
});

test("a track's level is set and drawn over time, by pointer and by keys, and taken back", { tag: "@long" }, async ({
  page,
  app,
}) => {
  const production = await laid(page, app, "Levels");
  const tracks = page.getByRole("grid", { name: "Tracks" });
  const row = (n: number) => tracks.getByRole("row").nth(n);
  const levels = async () =>
    (await reelOf(page, app.url, production)).tracks.map((t) => ({ db: t.gain_db ?? 0, points: t.gain ?? [] }));
  const bar = page.getByRole("region", { name: "What is chosen" });

  // Typed, and by keys, without a clip being chosen.
  await page.keyboard.press("Escape");
  await page.keyboard.press("ArrowUp");
  await bar.getByLabel("Level of the track in dB").fill("-3");
  await page.keyboard.press("Enter");
  await expect(row(0).getByRole("gridcell", { name: /level −3.0 dB/ })).toBeAttached();
  await page.keyboard.press("{");
  await expect(row(0).getByRole("gridcell", { name: /level −4.0 dB/ })).toBeAttached();

  // Drawn: two points by the pointer, over the clip; the second is carried, and a third put by keys.
  await page.keyboard.press("ControlOrMeta+Shift+e");
  await expect(page.getByRole("button", { name: "Drawing track levels" })).toBeVisible();
  const lanes = page.locator("[data-drawn]");
  const box = await lanes.boundingBox();
  if (!box) throw new Error("no lanes");
  const high = (await row(0).boundingBox())?.height ?? 48;
  const at = (part: number, y: number) => [box.x + part * box.width, box.y + (y / 48) * high] as const;
  await page.mouse.click(...at(0.25, 24));
  await expect(row(0).getByRole("gridcell", { name: /level over time, 1 point/ })).toBeAttached();
  await page.mouse.move(...at(0.5, 24));
  await page.mouse.down();
  await page.mouse.move(...at(0.6, 40), { steps: 5 });
  await page.mouse.up();
  await expect(row(0).getByRole("gridcell", { name: /level over time, 2 points/ })).toBeAttached();
  const drawn = (await levels())[0]?.points ?? [];
  expect(drawn[1]?.value).toBeLessThan((drawn[0]?.value ?? 0) - 10);
  expect(await page.evaluate(() => getSelection()?.toString())).toBe("");
  // No clip moved, and none was chosen on the way.
  for (const t of (await reelOf(page, app.url, production)).tracks)
    expect(t.clips).toMatchObject([{ at: start, in: 0, length: seconds * rate }]);
  await page.keyboard.press("g");
  await page.keyboard.type("10:00:11:00");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Shift+ArrowUp");
  await expect(row(0).getByRole("gridcell", { name: /level over time, 3 points/ })).toBeAttached();
  await bar.getByLabel("Level over time of the track at the pointer, in dB").fill("−6,5");
  await page.keyboard.press("Enter");
  await expect.poll(async () => (await levels())[0]?.points.at(-1)).toEqual({ at: start + 11 * rate, value: -6.5 });

  // Alt takes a point away; all of it is undone, one by one, and the other tracks are as they were.
  await page.keyboard.down("Alt");
  await page.mouse.click(...at(0.25, 24));
  await page.keyboard.up("Alt");
  await expect(row(0).getByRole("gridcell", { name: /level over time, 2 points/ })).toBeAttached();
  await accessible(page);
  await page.keyboard.press("ControlOrMeta+Shift+e");
  for (let i = 0; i < 7; i++) {
    await page.keyboard.press("ControlOrMeta+z");
  }
  await expect.poll(levels).toEqual(Array.from({ length: 4 }, () => ({ db: 0, points: [] })));

  // Where a track stands between the sides, over time: it has to be sent somewhere first.
  await expect(page.getByRole("button", { name: "Drawing track positions" })).toBeVisible();
  await page.mouse.click(...at(0.5, 20));
  await expect(page.getByText(/has no position to draw/)).toBeVisible();
  await page.keyboard.press("d");
  await expect(page.getByRole("row", { name: /^Track .*, DX/ }).first()).toBeVisible();
  await page.mouse.click(...at(0.25, 18)); // near the top: left
  await expect(row(0).getByRole("gridcell", { name: /position over time, 1 point$/ })).toBeAttached();
  await page.mouse.click(...at(0.75, 44));
  await expect(row(0).getByRole("gridcell", { name: /position over time, 2 points$/ })).toBeAttached();
  await page.keyboard.press("g");
  await page.keyboard.type("10:00:06:00");
  await page.keyboard.press("Enter");
  await bar.getByLabel(/^Position over time of the track at the pointer/).fill("25 left");
  await page.keyboard.press("Enter");
  await expect(bar.getByLabel(/^Position over time of the track at the pointer/)).toHaveValue("25 % left");
  const way = async () => {
    const reel = await page.request.get(`${app.url}/api/productions/${production}/reel`);
    const { doc } = await reel.json();
    return doc.weave.sends[doc.tracks[0].id][0].patch;
  };
  const patch = await way();
  expect(patch.preset).toBe("pan");
  expect(patch.moving.map((p: { value: number }) => Math.sign(p.value))).toEqual([-1, -1, 1]);
  expect(patch.moving[1]).toEqual({ at: start + 6 * rate, value: -0.25 });
  await bar.getByRole("button", { name: "Still again" }).click();
  await expect.poll(way).toEqual({ preset: "pan" }); // in the middle, as loud as before
});

test("the reel is moved along by hand, with sound, by its pointer's ticket and by keys", {
  tag: ["@long", "@alone"],
}, async ({ page, app }) => {
  await laid(page, app, "Scrub");
  const pointer = page.getByLabel(/^Pointer: timecode/);
  const monitor = page.getByRole("region", { name: "Monitor" });
  const box = (await page.getByTestId("ruler").boundingBox()) ?? { x: 0, y: 0, width: 0, height: 0 };
  const px = (box.width - 16) / seconds;
  await page.keyboard.press("ArrowUp");
  await page.keyboard.press("d");
  await expect(page.getByRole("row", { name: /^Track .*, DX/ }).first()).toBeVisible();
  await page.keyboard.press("Home");
  await page.mouse.move(box.x + 20, box.y + 14); // on the ticket, which begins at the pointer
  await page.mouse.down();
  await page.mouse.move(box.x + 20 + px / 5, box.y + 14);
  await expect(monitor.getByText("moved along by hand")).toBeVisible();
  await startTape(page, 20);
  for (let i = 1; i <= 20; i++) {
    await page.mouse.move(box.x + 20 + (px * (23 + 15 * i)) / 100, box.y + 14);
    await expect(pointer).toHaveValue(new RegExp(`^10:00:0${Math.floor((23 + 15 * i) / 100)}:`));
  }
  expect((await played(page)).some((v) => v !== 0)).toBe(true);
  await page.mouse.up();
  await expect(monitor.getByText(/^Silent/)).toBeVisible();
  await expect(page.getByRole("region", { name: "What is chosen" })).not.toContainText("Span");

  // A click on the ticket is a click on what lies below it, and moves nothing along.
  await page.keyboard.press("Home");
  await page.mouse.click(box.x + px / 2, box.y + 14);
  await expect(pointer).toHaveValue(/^10:00:00:1[123]$/);
  await expect(monitor.getByText(/^Silent/)).toBeVisible();

  // A frame on, heard: a little sound, and then silence again.
  await page.keyboard.press("g");
  await page.keyboard.type("10:00:06:00");
  await page.keyboard.press("Enter");
  await startTape(page, 20);
  for (let i = 0; i < 5; i++) await page.keyboard.press("ControlOrMeta+ArrowRight");
  await expect(pointer).toHaveValue("10:00:06:05");
  await expect(monitor.getByText(/^Silent/)).toBeVisible();
  expect((await played(page)).some((v) => v !== 0)).toBe(true);
});

test("two people in one reel: what does not touch is both kept, the same is refused and shown", async ({
  page,
  app,
  browser,
}) => {
  test.setTimeout(120_000);
  const production = await laid(page, app, "Two");
  const other = await (await browser.newContext()).newPage();
  await other.goto(`${app.url}/${production}/reel`);
  await expect(other.getByTestId("lanes")).toHaveAttribute("data-drawn", "yes");
  const rows = (p: Page) => p.getByRole("grid", { name: "Tracks" }).getByRole("row");
  const names = (p: Page) => rows(p).evaluateAll((all) => all.map((r) => r.getAttribute("aria-label")));

  // Both at once, each on an old version: the answers are held back until both have been asked for.
  let letGo = () => {};
  const held = new Promise<void>((resolve) => {
    letGo = resolve;
  });
  for (const p of [page, other])
    await p.route("**/api/reels/*/edits", async (route) => {
      await held;
      await route.continue();
    });
  await rows(page).nth(0).click();
  await page.keyboard.press("o");
  await rows(other).nth(1).click();
  await other.keyboard.press("o");
  letGo();
  for (const p of [page, other])
    await expect
      .poll(async () => (await names(p)).map((n) => n?.endsWith(", off")))
      .toEqual([true, true, false, false]);
  for (const p of [page, other]) await expect(p.getByText(/Somebody else/)).toHaveCount(0);

  // The same clip: the one that comes later is told, and sees what it is now.
  await other.unroute("**/api/reels/*/edits");
  await page.unroute("**/api/reels/*/edits");
  await other.route("**/api/productions/*/events", (route) => route.abort());
  await other.route("**/api/reels/*/changes*", (route) => route.abort());
  await other.reload();
  await expect(other.getByTestId("lanes")).toHaveAttribute("data-drawn", "yes");
  for (const p of [page, other]) {
    await rows(p).nth(2).click();
    await p.keyboard.press("Home");
    await p.keyboard.press("Enter");
  }
  await page.keyboard.press(".");
  await expect(
    rows(page)
      .nth(3)
      .getByText(/E-1 from 10:00:00:01/),
  ).toBeAttached();
  await other.keyboard.press(",");
  await expect(other.getByText(/Somebody else has changed the same/)).toBeVisible();
  await expect(
    rows(other)
      .nth(3)
      .getByText(/E-1 from 10:00:00:01/),
  ).toBeAttached();

  // Each undoes their own.
  await page.keyboard.press("ControlOrMeta+z");
  await expect(
    rows(page)
      .nth(3)
      .getByText(/E-1 from 10:00:00:00/),
  ).toBeAttached();
  await page.keyboard.press("ControlOrMeta+z");
  await expect
    .poll(async () => (await names(page)).map((n) => n?.endsWith(", off")))
    .toEqual([false, true, false, false]);
  await other.close();
});

test("several reels and markers: cut down, named, gone through by key, written as a table and read", {
  tag: "@long",
}, async ({ page, app }) => {
  test.setTimeout(120_000);
  const production = await laid(page, app, "Reels");
  const goTo = async (text: string) => {
    await page.keyboard.press("g");
    await page.keyboard.type(text);
    await page.keyboard.press("Enter");
  };
  const markers = page.getByRole("list", { name: "Markers" }).getByRole("button");
  await goTo("10:00:02:00");
  await page.keyboard.press("ControlOrMeta+Enter");
  await expect(markers).toHaveText(["◇Marker 1"]);
  await page.getByLabel("Name of the marker").fill("Ines turns, a rather long name for so small a ticket");
  await page.getByLabel("Name of the marker").press("Enter");
  await page.getByLabel("Colour of the marker").selectOption("sea");
  await expect(markers).toHaveText([/^☆Ines turns/]);
  await page.keyboard.press("Escape");
  await goTo("10:00:05:00");
  await page.keyboard.press("s");
  await goTo("10:00:08:00");
  await page.keyboard.press("e");
  await page.keyboard.press("ControlOrMeta+Enter");
  await expect(markers).toHaveCount(2);
  await accessible(page);

  // The span becomes a reel of its own, with what is marked in it.
  await page.getByLabel("Reel", { exact: true }).selectOption({ label: "Make a reel of the span…" });
  await page.keyboard.type("Trailer");
  await page.keyboard.press("Enter");
  await expect(page.getByText(/4 tracks, 0:03.0 from 10:00:05:00/)).toBeVisible();
  await expect(markers).toHaveText(["◇Marker 2"]);
  await page.keyboard.press("ControlOrMeta+ArrowDown");
  await expect(page.getByText(/4 tracks, 0:12.0 from 10:00:00:00/)).toBeVisible();
  await page.keyboard.press("ControlOrMeta+ArrowUp");
  await expect(page.getByText(/4 tracks, 0:03.0/)).toBeVisible();
  // Another stage shows the same reel; what is done there is done to it alone.
  await go(page, "Weave");
  await page.getByRole("button", { name: "One output more" }).click();
  await expect(page.getByLabel("Name of output 7")).toHaveValue("VO L");
  await go(page, "Reel");
  await page.getByLabel("Reel", { exact: true }).selectOption({ label: "Reel 1" });
  await go(page, "Weave");
  await expect(page.getByLabel("Name of output 6")).toBeVisible();
  await expect(page.getByLabel("Name of output 7")).toHaveCount(0);
  await go(page, "Reel");

  const table = await (
    await page.request.get(`${app.url}/api/reels/${await idOf(page, app.url, production)}/markers`)
  ).text();
  expect(table.split("\n")[1]).toMatch(/^10:00:02:00,0,"Ines turns, a rather long name.*",sea,$/);
  await page.getByLabel("Table of markers").setInputFiles({
    name: "notes.csv",
    mimeType: "text/csv",
    buffer: Buffer.from("Timecode,Name\n10:00:09:12,Hum\n"),
  });
  await expect(markers).toHaveCount(3);
  await page
    .getByLabel("Table of markers")
    .setInputFiles({ name: "bad.csv", mimeType: "text/csv", buffer: Buffer.from("Timecode,Name\n10:99,Hum\n") });
  await expect(page.getByText(/line 2 of the table of markers/)).toBeVisible();
  await expect(markers).toHaveCount(3);

  // Written as OpenTimelineIO and read again.
  const saved = page.waitForEvent("download");
  await page.getByLabel("Reel", { exact: true }).selectOption({ label: "Write this reel as OpenTimelineIO…" });
  const file = await saved;
  expect(file.suggestedFilename()).toBe("Reel 1.otio");
  const picker = page.waitForEvent("filechooser");
  await page
    .getByLabel("Reel", { exact: true })
    .selectOption({ label: "Read a reel that was written as OpenTimelineIO…" });
  await (await picker).setFiles({
    name: "Reel 1.otio",
    mimeType: "application/json",
    buffer: await readFile(await file.path()),
  });
  await expect(page.getByLabel("Reel", { exact: true }).locator("option:checked")).toHaveText("Reel 1, read");
  await expect(page.getByText(/4 tracks, 0:12.0 from 10:00:00:00/)).toBeVisible();
  await expect(markers).toHaveCount(3);

  // Removed by mistake, and brought back.
  await page.getByLabel("Reel", { exact: true }).selectOption({ label: "Trailer" });
  await page.getByLabel("Reel", { exact: true }).selectOption({ label: "Remove this reel…" });
  await expect(page.getByText(/4 tracks, 0:12.0/)).toBeVisible();
  await page.keyboard.press("ControlOrMeta+z");
  await expect(page.getByLabel("Reel", { exact: true }).getByRole("option", { name: "Trailer" })).toBeAttached();
});

test("a cut list from picture becomes a laid reel: looked at first, event by event", async ({ page, app }) => {
  test.setTimeout(120_000);
  await laid(page, app, "Conform");
  await page.getByLabel("Reel", { exact: true }).selectOption({ label: "New reel…" });
  await page.keyboard.type("Cut 1");
  await page.keyboard.press("Enter");
  await expect(page.getByText("The reel is empty")).toBeVisible();
  const list = [
    "TITLE: Conform",
    "001  X  V  C      10:00:01:00 10:00:03:00 01:00:00:00 01:00:02:00",
    "* FROM CLIP NAME: E-1",
    "002  X  V  C      10:00:03:00 10:00:03:00 01:00:02:00 01:00:02:00",
    "002  X  V  D 010  10:00:08:00 10:00:10:00 01:00:02:00 01:00:04:00",
    "* TO CLIP NAME: E-1",
    "003  Q  V  C      20:00:00:00 20:00:01:00 01:00:06:00 01:00:07:00",
    "* FROM CLIP NAME: Nobody knows",
  ].join("\n");
  const chooser = page.waitForEvent("filechooser");
  await page.getByRole("button", { name: "Lay a cut list from picture…" }).click();
  await (await chooser).setFiles({ name: "cut1.edl", mimeType: "text/plain", buffer: Buffer.from(list) });
  const panel = page.getByRole("dialog", { name: "Cut list cut1.edl" });
  await expect(panel.getByText(/3 events, takes found for 2/)).toBeVisible();
  await expect(panel.getByRole("row", { name: /003.*Nobody knows.*none/ })).toBeVisible();
  await accessible(page);
  await panel.getByLabel("Handles, in frames").fill("5");
  await panel.getByRole("button", { name: "Lay 2 events" }).click();
  await expect(panel).toHaveCount(0);
  const tracks = page.getByRole("grid", { name: "Tracks" });
  // Two clips that fade into each other lie on two tracks of one label; the first has a handle before it, the second behind.
  await expect(tracks.getByText(/E-1 from 00:59:59:20 to 01:00:02:10, fades out/)).toHaveCount(4);
  await expect(tracks.getByText(/E-1 from 01:00:02:00 to 01:00:04:05, fades in/)).toHaveCount(4);
  // A second version: what is said of each event is what it is since the first, and the reel follows.
  const second = [
    "TITLE: Conform 2",
    "001  X  V  C      10:00:08:00 10:00:10:00 01:00:00:00 01:00:02:00",
    "* FROM CLIP NAME: E-1",
  ].join("\n");
  const again = page.waitForEvent("filechooser");
  await page.getByLabel("Reel", { exact: true }).selectOption({ label: "Lay a cut list from picture…" });
  await (await again).setFiles({ name: "cut2.edl", mimeType: "text/plain", buffer: Buffer.from(second) });
  const next = page.getByRole("dialog", { name: "Cut list cut2.edl" });
  await expect(next.getByRole("row", { name: /001.*moved since/ })).toBeVisible();
  await expect(next.getByText("Gone since the list before, and taken away with it: E-1 at 01:00:00:00")).toBeVisible();
  await next.getByRole("button", { name: "Follow 1 event" }).click();
  await expect(tracks.getByText(/E-1 from 01:00:00:00 to 01:00:02:05/)).toHaveCount(4);
  await expect(tracks.getByText(/from 00:59:59:20/)).toHaveCount(0);
  for (let i = 0; i < 2; i++) await page.keyboard.press("ControlOrMeta+z");
  await expect(page.getByText("The reel is empty")).toBeVisible();
});

/** The production's first reel. */
async function idOf(page: Page, url: string, production: string): Promise<string> {
  const answer = await page.request.get(`${url}/api/productions/${production}/reel`);
  return ((await answer.json()) as { id: string }).id;
}

test("clips are printed in place by keys: heard as before, kept below, and taken back", { tag: "@long" }, async ({
  page,
  app,
}) => {
  test.setTimeout(120_000);
  const production = await laid(page, app, "Print");
  const tracks = page.getByRole("grid", { name: "Tracks" });
  const doc = () => reelOf(page, app.url, production);
  await page.keyboard.press("ControlOrMeta+i");
  await expect(page.getByText(/Choose clips, a span or tracks first/)).toBeVisible();
  await page.keyboard.press("Enter");
  for (let n = 0; n < 3; n++) await page.keyboard.press("]");
  await expect.poll(async () => (await doc()).tracks[0]?.clips[0]).toMatchObject({ gain_db: 3 });
  const before = await doc();
  await page.keyboard.press("ControlOrMeta+i");
  const panel = page.getByRole("dialog", { name: "Print in place" });
  await expect(panel.getByRole("row", { name: /E-1 4 channels .* 10:00:00:00 to 10:00:12:00/ })).toBeVisible();
  await accessible(page);
  await panel.getByRole("button", { name: "Print 1 file" }).click();
  await expect(panel).toHaveCount(0);
  // It is laid by itself once it is made: what it was made of lies below, off.
  await expect(tracks.getByRole("row")).toHaveCount(8, { timeout: 30_000 });
  await expect(tracks.getByRole("row", { name: /, before print, no stem, off$/ })).toHaveCount(4);
  const now = await doc();
  expect(now.tracks.filter((t) => t.off).map((t) => t.clips)).toEqual(before.tracks.map((t) => t.clips));
  await go(page, "Takes");
  await expect(page.getByRole("grid", { name: "Takes" }).getByText("printed from Reel 1, E-1")).toBeVisible();
  await go(page, "Reel");
  await page.keyboard.press("ControlOrMeta+z");
  await expect(tracks.getByRole("row")).toHaveCount(4);
  // A stem as a whole, from Weave.
  await page
    .getByRole("row", { name: /^Track/ })
    .first()
    .click();
  await page.keyboard.press("d");
  await go(page, "Weave");
  await page.getByRole("toolbar", { name: "Buses" }).getByRole("button", { name: /^DX / }).click();
  await page.getByRole("button", { name: "Print in place…" }).click();
  await expect(panel.getByRole("row", { name: /^DX 2 channels DX L, DX R/ })).toBeVisible();
  await panel.getByRole("button", { name: "Print 1 file" }).click();
  await expect(page.getByRole("grid", { name: "Tracks to stem channels" }).getByText("DX print")).toBeVisible({
    timeout: 30_000,
  });
});

test("a crossfade is dragged, a wide track folded, and where a clip stands is drawn", { tag: "@long" }, async ({
  page,
  app,
}) => {
  test.setTimeout(120_000);
  const production = await laid(page, app, "Sides");
  const lanes = page.getByTestId("lanes");
  const box = (await lanes.boundingBox()) ?? { x: 0, y: 0, width: 0, height: 0 };
  const px = (box.width - 16) / (seconds * rate);
  const x = (s: number) => box.x + s * rate * px;
  type Faded = Clip & { fade_in?: { length: number; shape?: string }; fade_out?: { length: number } };
  const lane = async (n: number) => ((await reelOf(page, app.url, production)).tracks[n]?.clips ?? []) as Faded[];

  // Where all are cut, the end of one is pulled over the next: all that is tied fades alike, about the cut.
  await page.keyboard.press("g");
  await page.keyboard.type("10:00:06:00");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Escape");
  await page
    .getByRole("row", { name: /^Track/ })
    .first()
    .click();
  await page.keyboard.press("Enter");
  await page.keyboard.press("c");
  await expect.poll(async () => (await lane(3)).length).toBe(2);
  await page.keyboard.press("Escape");
  const drag = async (from: number, to: number) => {
    await page.mouse.move(from, box.y + 20);
    await page.mouse.down();
    await page.mouse.move((from + to) / 2, box.y + 20, { steps: 3 });
    await page.mouse.move(to, box.y + 20, { steps: 3 });
    await page.mouse.up();
  };
  const cut = start + 6 * rate;
  await drag(x(6) - 3, x(6.25));
  for (const n of [0, 1, 2, 3]) {
    await expect.poll(async () => (await lane(n))[0]?.fade_out?.length ?? 0).toBeGreaterThan(0.4 * rate);
    const [a, b] = await lane(n);
    expect(b?.fade_in).toEqual({ length: a?.fade_out?.length, shape: "equal_power" });
    expect((a?.at ?? 0) + (a?.length ?? 0) - (b?.at ?? 0)).toBe(a?.fade_out?.length);
    expect(Math.abs(((a?.at ?? 0) + (a?.length ?? 0) + (b?.at ?? 0)) / 2 - cut)).toBeLessThanOrEqual(1);
  }
  // Its knot makes it longer; pulled back onto the cut, there is none any more.
  const end = async () => x((((await lane(0))[0]?.at ?? 0) + ((await lane(0))[0]?.length ?? 0) - start) / rate);
  await drag((await end()) - 1, x(6.5));
  await expect.poll(async () => (await lane(2))[0]?.fade_out?.length ?? 0).toBeGreaterThan(0.9 * rate);
  await drag((await end()) - 1, x(6));
  await expect.poll(async () => (await lane(2))[0]?.fade_out?.length ?? 0).toBeLessThan(0.05 * rate);

  // A stereo track with a mono clip.
  const answer = await page.request.get(`${app.url}/api/productions/${production}/reel`);
  const reel = (await answer.json()) as {
    id: string;
    version: number;
    doc: { tracks: { clips: { strands: string[] }[] }[] };
  };
  const strand = reel.doc.tracks[1]?.clips[0]?.strands[0];
  const clip = {
    id: "wide",
    name: "W-1",
    strands: [strand],
    at: start,
    in: 0,
    length: seconds * rate,
    patch: { preset: "both" },
  };
  const track = { id: "wide track", label: "Wide", layout: "stereo", off: false, clips: [clip] };
  await page.request.post(`${app.url}/api/reels/${reel.id}/edits`, {
    data: { version: reel.version, what: "add a stereo track", actions: [{ add_track: { index: 9, track } }] },
  });
  const row = page.getByRole("row", { name: /^Track Wide/ });
  await expect(row).toBeVisible();
  const tall = (await row.boundingBox())?.height ?? 0;
  await row.getByRole("button", { name: "Channels of Wide: L R" }).click();
  await expect.poll(async () => (await row.boundingBox())?.height ?? 0).toBeLessThan(tall);
  await row.click();
  await page.keyboard.press("ControlOrMeta+Shift+f");
  await expect.poll(async () => (await row.boundingBox())?.height ?? 0).toBe(tall);

  await page.keyboard.press("ControlOrMeta+Shift+s");
  await expect(page.getByRole("button", { name: "Drawing clip positions" })).toBeVisible();
  const at = (await row.boundingBox()) ?? { x: 0, y: 0, width: 0, height: 0 };
  const y = (position: number) => at.y + 15 + ((position + 1) / 2) * (at.height - 16); // left at the top
  const patch = async () =>
    ((await reelOf(page, app.url, production)).tracks.find((t) => t.label === "Wide")?.clips[0] ?? {}) as {
      patch?: { preset: string; law?: number; moving?: { at: number; value: number }[] };
    };
  await page.mouse.click(x(2), y(-0.8));
  await expect.poll(async () => (await patch()).patch?.moving?.length).toBe(1);
  await page.mouse.click(x(9), y(0.5));
  await expect.poll(async () => (await patch()).patch?.moving?.length).toBe(2);
  const drawn = (await patch()).patch;
  expect(drawn).toMatchObject({ preset: "pan" });
  expect(drawn?.moving?.[0]?.value).toBeCloseTo(-0.8, 1);
  expect(drawn?.moving?.[1]?.value).toBeCloseTo(0.5, 1);
  const bar = page.getByRole("region", { name: "What is chosen" });
  await bar.getByLabel(/^Position of the clip at the pointer/).fill("30 left");
  await bar.getByLabel(/^Position of the clip at the pointer/).press("Enter");
  await expect.poll(async () => (await patch()).patch?.moving?.some((p) => p.value === -0.3)).toBe(true);
  await page.keyboard.press("ControlOrMeta+Shift+s");
  await bar.getByLabel("Which channels the clip plays").selectOption("left only");
  await expect.poll(async () => (await patch()).patch).toEqual({ preset: "left" });
});
