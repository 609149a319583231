import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { accessible, expect, go, test } from "./app";
import { newProduction, takeIn } from "./many";
import { useTemplate } from "./weaving";

const rate = 48_000;

/** The box that marks a stream of 4 + 2 channels, made by hand: version, type with the head-locked bit, order, ACN, SN3D, channels, map. */
const mark = Buffer.concat([
  Buffer.from([0, 0, 0, 0x2c]),
  Buffer.from("SA3D"),
  Buffer.from([0, 0x80, 0, 0, 0, 1, 0, 0, 0, 0, 0, 6]),
  ...[0, 1, 2, 3, 4, 5].map((n) => Buffer.from([0, 0, 0, n])),
]);

/** What ffprobe says of each stream of a file. */
const streamsOf = (path: string) =>
  execFileSync("ffprobe", [
    "-v", "error", "-count_packets", "-show_entries", "stream=codec_type,codec_name,channels,nb_read_packets,duration", "-of", "csv=p=0", path,
  ]) // biome-ignore format: one argument after the other
    .toString();

test("the deck recording becomes a spatial master with narration beside it and a picture", { tag: "@long" }, async ({
  page,
  app,
}) => {
  test.setTimeout(180_000);
  const production = await newProduction(page, app.url, "Field");
  await takeIn(page, app.url, production, ["LF_AMB_Deck.wav", "LF_VO_EN.wav", "CAM_B_0007.mov"]);

  // The deck is read as what its labels say, and laid as one track; the narration beside it.
  await page.goto(`${app.url}/${production}/takes`);
  await page.getByRole("gridcell", { name: /^Label of strand 1 of take .*Deck/ }).click();
  await expect(page.getByText(/ambisonic, order 1, ACN/).first()).toBeVisible();
  const accept = page.getByRole("button", { name: /^Accept/ }).first();
  if (await accept.isVisible()) await accept.click();
  await page.keyboard.press("Escape");
  await page.getByRole("gridcell", { name: /^Label of strand 1 of take .*Deck/ }).click();
  await page.keyboard.press("ControlOrMeta+Enter");
  await expect(page.getByText(/taken into the reel/).first()).toBeVisible();
  await page.getByRole("gridcell", { name: /^Label of strand 1 of take .*VO/ }).click();
  await page.keyboard.press("ControlOrMeta+Enter");
  await go(page, "Reel");
  const tracks = page.getByRole("grid", { name: "Tracks" });
  await expect(tracks.getByRole("row", { name: /^Track/ })).toHaveCount(2);

  // Two minutes earlier it lies in the picture.
  type Clip = { id: string; at: number };
  type Reel = { id: string; version: number; doc: { tracks: { label: string; layout: string; clips: Clip[] }[] } };
  const reel = async () =>
    (await (await page.request.get(`${app.url}/api/productions/${production}/reel`)).json()) as Reel;
  const now = await reel();
  const deck = now.doc.tracks.find((t) => t.layout === "ambisonic 1 SN3D");
  expect(deck?.clips).toHaveLength(1);
  const moved = await page.request.post(`${app.url}/api/reels/${now.id}/edits`, {
    data: {
      version: now.version,
      what: "move the deck",
      actions: [{ move: { clips: deck?.clips.map((c) => c.id), by: -120 * rate } }],
    },
  });
  expect(moved.status(), await moved.text()).toBe(200);

  await go(page, "Weave");
  await useTemplate(page, "First-order ambisonic and head-locked stereo");
  await expect(page.getByLabel("Name of output 6")).toHaveValue("Head-locked R");
  await go(page, "Reel");
  await tracks.getByRole("row", { name: new RegExp(`^Track ${deck?.label}`) }).click();
  await page.keyboard.press("f");
  await tracks
    .getByRole("row", { name: /^Track (?!Amb)/ })
    .first()
    .click();
  await page.keyboard.press("d");
  await expect(tracks.getByRole("row", { name: /, Head-locked/ })).toBeVisible();
  await expect(tracks.getByRole("row", { name: /, Field/ })).toBeVisible();

  // It turns to the left by a quarter while one walks along: drawn over time, typed at the pointer.
  await tracks.getByRole("row", { name: /, Field/ }).click();
  await page.getByLabel("Draw more of where it stands, or turns, over time").selectOption({ label: "turn" });
  await expect(page.getByText("Drawing the turn over time")).toBeVisible();
  await page.getByLabel("Draw more of where it stands, or turns, over time").selectOption({ label: "more…" });

  // Where it comes from is seen over time, and read under the pointer.
  await go(page, "Measure");
  const sky = page.getByRole("img", { name: "From where the sound of Field comes over time" });
  await expect(sky).toBeVisible({ timeout: 60_000 });
  const skyBox = await sky.boundingBox();
  await sky.hover({ position: { x: (skyBox?.width ?? 0) * 0.7, y: 50 } }); // of 22 s, where the deck lies
  await expect(page.getByText(/most from (ahead|behind|\d+° (left|right))[\s\S]*dBFS/)).toBeVisible();
  await accessible(page);

  await go(page, "Delivery");
  await page.getByLabel("Specification", { exact: true }).selectOption({
    label: "Sound field and head-locked pair in one stream",
  });
  await page.getByLabel("Picture that goes along").selectOption({ label: "CAM_B_0007.mov" });
  await accessible(page);
  await page.getByRole("button", { name: /^Order (6 channels|all the same)/ }).click();
  const note = page.getByRole("region", { name: "Deliveries" }).getByRole("article").first();
  await expect(note.getByText("proven", { exact: true })).toBeVisible({ timeout: 90_000 });
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    note.getByRole("link", { name: /_FIELD\.mov$/ }).click(),
  ]);
  const path = await download.path();
  const streams = streamsOf(path);
  expect(streams).toMatch(/pcm_s24le,audio,6,/);
  expect(streams.match(/audio/g)).toHaveLength(1);
  expect(streams).toContain("video");
  expect(readFileSync(path).includes(mark), "the stream says that it is a field with a head-locked pair").toBe(true);

  // A span of it is cut down, with the picture, from the reel on by keys alone: off the key frames, so that the picture is coded anew.
  await go(page, "Reel");
  const from = (deck?.clips[0]?.at ?? 0) - 120 * rate + rate + 700;
  const goTo = async (text: string) => {
    await page.keyboard.press("g");
    await page.keyboard.type(text);
    await page.keyboard.press("Enter");
    await expect(page.getByLabel(/^Pointer: timecode/)).toHaveValue(text);
  };
  const frames = Math.floor(from / 1920);
  const at = (n: number) =>
    [n / 90_000, (n / 1500) % 60, (n / 25) % 60, n % 25].map((v) => `${Math.floor(v)}`.padStart(2, "0")).join(":");
  await goTo(at(frames));
  await page.keyboard.press("s");
  await goTo(at(frames + 60));
  await page.keyboard.press("e");
  await page.keyboard.press("ControlOrMeta+Shift+d");
  await expect(page.getByRole("radio", { name: /^a cut-down: the span/ })).toBeChecked();
  await page.getByLabel("Specification", { exact: true }).selectOption({ label: "Cut-down with its picture" });
  await page.getByLabel("Picture that goes along").selectOption({ label: "CAM_B_0007.mov" });
  await expect(page.getByText(/The picture CAM_B_0007\.mov is (copied|coded anew as H\.264)/)).toBeVisible();
  await accessible(page);
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: /^Order the cut-down(, 6 channels| all the same)/ }).click();
  const cut = page.getByRole("article", { name: /^Delivery Cut-down with its picture, version 1/ });
  await expect(cut.getByText("proven", { exact: true })).toBeVisible({ timeout: 90_000 });
  const [together] = await Promise.all([
    page.waitForEvent("download"),
    cut.getByRole("link", { name: /\.mov$/ }).click(),
  ]);
  const one = await together.path();
  expect(streamsOf(one)).toMatch(/h264,video,.*2\.400000,60/);
  expect(streamsOf(one)).toMatch(/pcm_s24le,audio,6,2\.400000/);
  expect(readFileSync(one).includes(mark)).toBe(true);

  // The same apart, of the field alone, and the picture beside it.
  await page.getByRole("radio", { name: "apart: a file a stem, and the picture" }).check();
  await page.getByText("All 2 stems go in").click();
  await page.getByRole("checkbox", { name: "Head-locked" }).uncheck();
  await expect(page.getByText("the picture alone")).toBeVisible();
  await page.getByRole("button", { name: /^Order the cut-down(, 4 channels| all the same)/ }).click();
  const apart = page.getByRole("article", { name: /^Delivery Cut-down with its picture, version 2/ });
  await expect(apart.getByText("proven", { exact: true })).toBeVisible({ timeout: 90_000 });
  const [picture] = await Promise.all([
    page.waitForEvent("download"),
    apart.getByRole("link", { name: /_PICTURE\.mov$/ }).click(),
  ]);
  expect(streamsOf(await picture.path())).toMatch(/^h264,video,2\.400000,60/);
  expect(streamsOf(await picture.path())).not.toContain("audio");
});
