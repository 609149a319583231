import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import type { Page } from "@playwright/test";
import { accessible, expect, go, test } from "./app";
import { newProduction, takeIn } from "./many";
import { wav } from "./sound";
import { played, rate, scale, startTape, until } from "./tape";

const start = 10 * 3600 * rate;

/** A sine as samples of 24 bits. */
const sine = (hz: number, level: number, frames: number) =>
  Int32Array.from({ length: frames }, (_, i) =>
    Math.round(scale * 10 ** (level / 20) * Math.sin((2 * Math.PI * hz * i) / rate)),
  );

type Chain = {
  off?: boolean;
  high_pass?: { hz: number };
  bands?: { kind: string; hz: number; db: number }[];
  compressor?: { ratio: number };
};
type Reel = {
  id: string;
  doc: {
    tracks: { id: string; label: string; treat?: Chain }[];
    weave: { buses: { id: string; name: string }[]; levels?: Record<string, { treat?: Chain }> };
  };
};

const reelOf = async (page: Page, url: string, production: string) =>
  (await (await page.request.get(`${url}/api/productions/${production}/reel`)).json()) as Reel;

test("a track and a stem are treated by keys and by pointer, heard at once, and it is said where they are delivered", {
  tag: "@long",
}, async ({ page, app }) => {
  test.setTimeout(120_000);
  mkdirSync(join(app.home, "lantern-ferry", "treat"), { recursive: true });
  const channels = [sine(100, -20, 10 * rate), sine(3000, -30, 10 * rate)];
  writeFileSync(join(app.home, "lantern-ferry", "treat", "T-1.wav"), wav(channels, rate, start));
  const production = await newProduction(page, app.url, "Treat");
  await takeIn(page, app.url, production, ["treat/T-1.wav"]);
  await page.goto(`${app.url}/${production}/takes`);
  await page.getByRole("gridcell", { name: /^Label of strand 1/ }).click();
  // A strand, wherever it is used; and taken away again.
  await page.getByLabel("More for strand 1", { exact: true }).selectOption("treatment");
  const own = page.getByRole("dialog", { name: /^Treatment of strand 1/ });
  await own.getByRole("checkbox", { name: "Expander" }).press("Space");
  await expect(own.getByText("expander 1:2 below -50 dBFS")).toBeVisible();
  await accessible(page);
  await own.getByRole("button", { name: "Take it away" }).click();
  await expect(own.getByText("It does nothing: ask for what it should do.")).toBeVisible();
  await page.keyboard.press("Escape");
  await page.getByRole("gridcell", { name: /^Label of strand 1/ }).click();
  // Nothing says whether the two channels are a pair: that is answered before they are laid.
  await expect(page.getByRole("list", { name: "Questions" })).toContainText("channels 1 and 2 are a stereo pair");
  await page.keyboard.press("ControlOrMeta+.");
  await expect(page.getByRole("list", { name: "Questions" })).toHaveCount(0);
  await page.keyboard.press("ControlOrMeta+Enter");
  await expect(page.getByText(/taken into the reel, 2 strands/)).toBeVisible();
  await go(page, "Reel");
  const rows = page.getByRole("row", { name: /^Track/ });
  await rows.first().click();
  await page.keyboard.press("d");
  await expect(page.getByRole("row", { name: /, DX$/ })).toHaveCount(1);
  await rows.first().click();
  const treat = async (n = 0) => (await reelOf(page, app.url, production)).doc.tracks[n]?.treat ?? {};

  // By keys: a high-pass far above the hum, which is gone at once.
  await page.keyboard.press("ControlOrMeta+m");
  const panel = page.getByRole("complementary", { name: "Treatment" });
  await expect(panel).toBeVisible();
  await accessible(page);
  await panel.getByRole("checkbox", { name: "High-pass" }).press("Space");
  await panel.getByLabel("Frequency of the high-pass", { exact: true }).fill("1k");
  await panel.getByLabel("Frequency of the high-pass", { exact: true }).press("Enter");
  await panel.getByLabel("Slope of the high-pass").selectOption("24 dB an octave");
  await expect.poll(async () => (await treat()).high_pass).toEqual({ hz: 1000, slope: 24 });
  await expect(panel.getByText("high-pass 1 kHz 24 dB/oct")).toBeVisible();
  const level = async () => {
    await startTape(page, 4);
    await page.getByTestId("ruler").click({ position: { x: 1, y: 10 } });
    await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
    await page.keyboard.press(" ");
    await expect(page.getByTestId("hearing")).toHaveText(/as it is routed/);
    await until(page, start / rate + 3);
    const x = await played(page);
    await page.keyboard.press(" ");
    let most = 0;
    for (const v of x.slice(rate, 2 * rate)) most = Math.max(most, Math.abs(v));
    return 20 * Math.log10(most);
  };
  expect(await level()).toBeLessThan(-90); // 80 dB under what was recorded

  // Off and on again is one press; a band is carried on the curve.
  await panel.getByRole("button", { name: "On", exact: true }).click();
  await expect.poll(async () => (await treat()).off).toBe(true);
  expect(await level()).toBeCloseTo(-20, 0);
  await panel.getByRole("button", { name: "Off", exact: true }).click();
  await panel.getByRole("button", { name: "Add a band" }).click();
  await expect.poll(async () => (await treat()).bands?.[0]?.kind).toBe("bell");
  const knot = panel.locator("[data-band='1']");
  const at = (await knot.boundingBox()) ?? { x: 0, y: 0, width: 0, height: 0 };
  await page.mouse.move(at.x + 5, at.y + 5);
  await page.mouse.down();
  await page.mouse.move(at.x + 65, at.y - 30, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => (await treat()).bands?.[0]?.db ?? 0).toBeGreaterThan(2);
  expect((await treat()).bands?.[0]?.hz).toBeGreaterThan(300);
  await panel.getByRole("checkbox", { name: "Compressor" }).click();
  await expect.poll(async () => (await treat()).compressor?.ratio).toBe(3);

  // Before and after, as loud as each other, at the same moment.
  await page.getByTestId("ruler").click({ position: { x: 1, y: 10 } });
  await panel.getByRole("button", { name: "Before", exact: true }).click();
  await expect(page.getByTestId("hearing")).toHaveText(/before its treatment, as loud/);
  await expect(panel.getByRole("button", { name: "Hearing before" })).toBeVisible();
  await page.keyboard.press("ControlOrMeta+Shift+m");
  await expect(page.getByTestId("hearing")).toHaveText(/Hearing Reel 1 as it is routed/);
  await page.keyboard.press("Escape");

  // Copied to the other track, and undone.
  await panel.getByRole("button", { name: "Copy" }).click();
  const one = await treat();
  await rows.nth(1).click();
  await page.keyboard.press("ControlOrMeta+m");
  await panel.getByRole("button", { name: "Put what was copied" }).click();
  await expect.poll(() => treat(1)).toEqual(one);
  await rows.nth(1).click();
  await page.keyboard.press("ControlOrMeta+z");
  await expect.poll(() => treat(1)).toEqual({});

  // A stem, in Weave; what can't be is refused with what can.
  await go(page, "Weave");
  await page.getByRole("toolbar", { name: "Buses" }).getByRole("button", { name: /^DX / }).click();
  // Several are heard alone, and one is left out, for the listening.
  await page.getByRole("button", { name: "Hear DX alone as the reel plays" }).click();
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
  await page.keyboard.press(" ");
  await expect(page.getByTestId("hearing")).toHaveText(/as it is routed, DX alone/);
  await page.getByRole("button", { name: "Leave DX out as the reel plays" }).click();
  await page.getByRole("button", { name: "Hear DX alone as the reel plays" }).click();
  await expect(page.getByTestId("hearing")).toHaveText(/as it is routed, without DX/);
  await page.getByRole("button", { name: "Hear all again" }).click();
  await expect(page.getByTestId("hearing")).toHaveText(/Reel 1 as it is routed(?!, )/);
  await page.getByRole("button", { name: "Stop listening" }).click();
  await page.getByRole("button", { name: "Filters and dynamics…" }).click();
  await panel.getByRole("checkbox", { name: "Low-pass" }).click();
  await panel.getByLabel("Frequency of the low-pass", { exact: true }).fill("90000");
  await expect(panel.getByLabel("Frequency of the low-pass", { exact: true })).toHaveAttribute("aria-invalid", "true");
  await panel.getByLabel("Frequency of the low-pass", { exact: true }).fill("9k");
  await panel.getByLabel("Frequency of the low-pass", { exact: true }).press("Enter");
  await expect
    .poll(async () => (await reelOf(page, app.url, production)).doc.weave.levels?.DX?.treat)
    .toMatchObject({ low_pass: { hz: 9000, slope: 12 } });
  const reel = await reelOf(page, app.url, production);
  const from = await page.request.get(`${app.url}/api/reels/${reel.id}/origins?channel=0&at=${start + rate}`);
  expect(JSON.stringify(await from.json())).toContain("DX: low-pass 9 kHz 12 dB/oct");
  const bad = await page.request.post(`${app.url}/api/reels/${reel.id}/treatment`, {
    data: { bands: [{ kind: "bell", hz: 1000, db: 60, q: 1 }] },
  });
  expect(await bad.json()).toMatchObject({
    code: "bad_treatment",
    detail: expect.stringContaining("-24 dB to 24 dB can be had"),
  });
});

test("figures of a treatment move over time, settings are kept, and what is turned down is shown", async ({
  page,
  app,
}) => {
  test.setTimeout(120_000);
  mkdirSync(join(app.home, "lantern-ferry", "moves"), { recursive: true });
  const loud = sine(1000, -20, 10 * rate).map((v, i) => (i > 8 * rate ? v * 4 : v));
  writeFileSync(join(app.home, "lantern-ferry", "moves", "M-1.wav"), wav([loud], rate, start));
  const production = await newProduction(page, app.url, "Moves");
  await takeIn(page, app.url, production, ["moves/M-1.wav"]);
  await page.goto(`${app.url}/${production}/takes`);
  await page.getByRole("gridcell", { name: /^Label of strand 1/ }).click();
  await page.keyboard.press("ControlOrMeta+Enter");
  await expect(page.getByText(/taken into the reel/)).toBeVisible();
  await go(page, "Reel");
  const row = page.getByRole("row", { name: /^Track/ }).first();
  await row.click();
  await page.keyboard.press("d");
  await row.click();
  await page.keyboard.press("ControlOrMeta+m");
  const panel = page.getByRole("complementary", { name: "Treatment" });
  await panel.getByRole("button", { name: "Add a band" }).click();
  const typed = async (label: string, text: string) => {
    const field = panel.getByLabel(label, { exact: true });
    await field.fill(text);
    await field.press("Enter");
  };
  await typed("Frequency of band 1", "1k");
  const track = async () =>
    (await reelOf(page, app.url, production)).doc.tracks[0] as unknown as {
      treat?: Chain;
      treat_moves?: Record<string, { at: number; value: number }[]>;
    };
  await expect.poll(async () => (await track()).treat?.bands?.[0]?.hz).toBe(1000);

  // Drawn in the lane by the pointer, and typed at it.
  await panel.getByRole("button", { name: "Gain of band 1 over time" }).click();
  await expect(page.getByRole("button", { name: "Drawing the band 1 over time" })).toBeVisible();
  const lanes = (await page.getByTestId("lanes").boundingBox()) ?? { x: 0, y: 0, width: 0, height: 0 };
  await page.mouse.click(lanes.x + 80, lanes.y + 30);
  await expect.poll(async () => (await track()).treat_moves?.band_1?.length).toBe(1);
  await page.getByRole("button", { name: "Still again" }).click();
  await expect.poll(async () => (await track()).treat_moves).toBeUndefined();
  await page.getByRole("button", { name: "Drawing the band 1 over time" }).click();
  const pointer = page.getByLabel(/^Pointer: timecode/);
  const at = async (timecode: string) => {
    await pointer.fill(timecode);
    await pointer.press("Enter");
  };
  await at("10:00:01:00");
  await panel.getByRole("button", { name: "Gain of band 1 over time" }).click();
  await page.mouse.click(lanes.x + 80, lanes.y + 30);
  await expect.poll(async () => (await track()).treat_moves?.band_1?.length).toBe(1);
  const first = ((await track()).treat_moves?.band_1?.[0]?.at ?? 0) - start;
  expect(first).toBeGreaterThan(0);
  await at("10:00:00:00");
  await typed("Gain of band 1, at the pointer", "-12");
  await at("10:00:05:00");
  await typed("Gain of band 1, at the pointer", "12");
  await expect.poll(async () => (await track()).treat_moves?.band_1?.at(-1)?.value).toBe(12);
  await expect.poll(async () => (await track()).treat_moves?.band_1?.[0]?.value).toBe(-12);
  await accessible(page);
  await page.getByRole("button", { name: "Drawing the band 1 over time" }).click();

  // Heard: at the end of what moves it is as loud as its last point says.
  await startTape(page, 4);
  await at("10:00:05:00");
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
  await page.keyboard.press(" ");
  await until(page, start / rate + 6);
  const x = await played(page);
  await page.keyboard.press(" ");
  let most = 0;
  for (const v of x) most = Math.max(most, Math.abs(v));
  expect(20 * Math.log10(most)).toBeCloseTo(-8, 0);

  // Kept under a name, used again, and forgotten.
  await panel.getByRole("checkbox", { name: "High-pass" }).click();
  await expect.poll(async () => (await track()).treat?.high_pass?.hz).toBe(80);
  await panel.getByRole("button", { name: "Keep this…" }).click();
  await page.keyboard.type("Peak at 1 kHz");
  await page.keyboard.press("Enter");
  const kept = panel.getByLabel("Use a kept setting");
  await expect(kept.locator("option:checked")).toHaveText("Peak at 1 kHz");
  await typed("Frequency of band 1", "2k");
  await expect.poll(async () => (await track()).treat?.bands?.[0]?.hz).toBe(2000);
  await kept.selectOption("");
  await kept.selectOption({ label: "Peak at 1 kHz" });
  await expect.poll(async () => (await track()).treat?.bands?.[0]?.hz).toBe(1000);
  await panel.getByRole("button", { name: "Forget it" }).click();
  await expect(kept.getByRole("option", { name: "Peak at 1 kHz" })).toHaveCount(0);

  // What the compressor turns down: nothing where the sound is soft, and much where it is loud.
  await panel.getByRole("checkbox", { name: "Compressor" }).click();
  await typed("Compressor: from", "-30");
  const down = panel.getByLabel("Turned down now");
  await at("10:00:09:00");
  await expect(down).toHaveText(/^compressor −\d\d\.\d dB$/);
  await panel.getByRole("checkbox", { name: "Compressor" }).click();
  await expect(down).toHaveCount(0);
});
