import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { accessible, expect, go, test } from "./app";
import { newProduction, takeIn } from "./many";
import { samples, wav } from "./sound";
import { played, position, rate, same, scale, startTape, until, whence } from "./tape";

const seconds = 14;

test("what is heard is what was recorded, without a gap, whatever one does meanwhile", {
  tag: ["@long", "@alone"],
}, async ({ page, app }) => {
  test.setTimeout(240_000);
  const channels = Array.from({ length: 6 }, (_, c) => samples(c, seconds * rate));
  (channels[5] as Int32Array)[rate] = scale - 1; // full scale, once
  mkdirSync(join(app.home, "lantern-ferry", "heard"), { recursive: true });
  writeFileSync(join(app.home, "lantern-ferry", "heard", "H-1.wav"), wav(channels, rate, 10 * 3600 * rate));
  const production = await newProduction(page, app.url, "Heard");
  await takeIn(page, app.url, production, ["heard/H-1.wav"]);
  await page.goto(`${app.url}/${production}/takes`);
  const sheet = page.getByRole("grid", { name: "Takes" });
  const monitor = page.getByRole("region", { name: "Monitor" });
  const hearing = page.getByTestId("hearing");
  await sheet.getByRole("gridcell", { name: /^Label of strand 3/ }).click();
  // Six channels that nothing names could be a 5.1: they are not.
  await expect(page.getByRole("list", { name: "Questions" })).toContainText("are a 5.1 in broadcast order");
  await page.keyboard.press("ControlOrMeta+.");
  await expect(page.getByRole("list", { name: "Questions" })).toHaveCount(0);

  await test.step("a strand plays bit for bit while the interface is used", async () => {
    await startTape(page, 20);
    await page.keyboard.press(" ");
    await expect(hearing).toHaveText(/strand 3, no label, take H-1/);
    await expect(page.getByTestId("way")).toHaveText("mono, on both sides at 0 dB");
    await go(page, "Weave");
    await page.keyboard.press("ControlOrMeta+k");
    await page.keyboard.press("Escape");
    await go(page, "Intake");
    await expect(hearing).toHaveText(/strand 3/);
    await go(page, "Takes");
    await until(page, 3.5);
    await page.getByRole("button", { name: "Stop listening" }).click();
    const x = await played(page);
    const begun = x.findIndex((v) => v !== 0);
    const from = whence(x, begun + 256, channels[2] as Int32Array);
    expect(from, "it begins at the beginning, faded up over 4 ms").toBe(256);
    expect(same(x, begun + 256, channels[2] as Int32Array, from)).toBeGreaterThan(3.4 * rate);
    await expect(monitor).toHaveAttribute("data-gaps", "0");
  });

  await test.step("the next strand goes on at the same moment", async () => {
    await sheet.getByRole("gridcell", { name: /^Label of strand 1/ }).click();
    await startTape(page, 20);
    await page.keyboard.press(" ");
    await until(page, 1);
    await page.keyboard.press("ArrowRight");
    await expect(hearing).toHaveText(/strand 2/);
    await until(page, 2);
    await page.keyboard.press("Escape");
    await expect(hearing).toHaveText(/^Silent/);
    const x = await played(page);
    const begun = x.findIndex((v) => v !== 0);
    const one = same(x, begun + 256, channels[0] as Int32Array, 256);
    expect(one).toBeGreaterThan(0.5 * rate);
    const change = begun + 256 + one;
    const late = change + 512; // both fade over 4 ms
    expect(whence(x, late, channels[1] as Int32Array), "not a sample is left out or said twice").toBe(late - begun);
    for (let i = change; i < late; i++)
      expect(Math.abs(x[i] ?? 0), "the one fades as the other comes").toBeLessThan(0.16);
  });

  await test.step("two are compared at the same moment, and a held key gives back what was going on", async () => {
    await startTape(page, 20);
    await page.keyboard.press("=");
    await expect(hearing).toHaveText(/strand 2 of H-1, compared with strand 1/);
    await expect(page.getByTestId("way")).toHaveText(/alone, on both sides at 0 dB/);
    await until(page, 0.7);
    await page.keyboard.press("=");
    await expect(hearing).toHaveText(/strand 1 of H-1, compared with strand 2/);
    await until(page, 1.2);
    await page.keyboard.press("Escape");
    await expect(hearing).toHaveText(/^Silent/);
    const x = await played(page);
    const begun = x.findIndex((v) => v !== 0);
    const end = x.findLastIndex((v) => v !== 0);
    expect(end - begun, "without a gap").toBeGreaterThan(rate);
    expect(whence(x, end - 3000, channels[0] as Int32Array), "the first goes on where the second was").toBe(
      end - 3000 - begun,
    );
    await page.keyboard.press("Shift+4");
    await expect(hearing).toHaveText(/strand 4.*kept/);
    await page.keyboard.down("5");
    await expect(hearing).toHaveText(/strand 5/);
    await page.keyboard.up("5");
    await expect(hearing).toHaveText(/strand 4.*kept/);
    await page.keyboard.press("Escape");
  });

  await test.step("a stretch is heard over and over", async () => {
    const strip = page.getByRole("button", { name: /Waveform of strand 2/ });
    const box = await strip.boundingBox();
    if (!box) throw new Error("no waveform");
    const at = (part: number) => [box.x + box.width * part, box.y + box.height / 2] as const;
    await page.keyboard.down("Shift");
    await page.mouse.move(...at(0.2));
    await page.mouse.down();
    await page.mouse.move(...at(0.24), { steps: 4 });
    await page.mouse.up();
    await page.keyboard.up("Shift");
    await sheet.getByRole("gridcell", { name: /^Label of strand 2/ }).click();
    await startTape(page, 20);
    await page.keyboard.press(" ");
    await expect(monitor.getByText("in a loop")).toBeVisible();
    await expect.poll(async () => (await monitor.getAttribute("data-rounds")) ?? "0").toMatch(/[3-9]/);
    await page.keyboard.press("\\");
    await expect(monitor.getByText("in a loop")).toHaveCount(0);
    await page.keyboard.press("Escape");
    const x = await played(page);
    const begun = x.findIndex((v) => v !== 0);
    const from = whence(x, begun + 400, channels[1] as Int32Array) - 400;
    expect(from).toBeGreaterThan(0.19 * seconds * rate);
    expect(from).toBeLessThan(0.21 * seconds * rate);
    const first = same(x, begun + 400, channels[1] as Int32Array, from + 400) + 400;
    expect(first).toBeGreaterThan(0.03 * seconds * rate);
    // Ends are faded over 3 ms; between them the second round is the first again.
    expect(whence(x, begun + first + 144 + 400, channels[1] as Int32Array)).toBeCloseTo(from + 400, -3);
  });

  await test.step("the whole take is folded down in words; twice as fast keeps the place", async () => {
    await page
      .getByRole("button", { name: /Waveform of strand 2/ })
      .click({ modifiers: ["Shift"], position: { x: 2, y: 10 } });
    await sheet.focus();
    await page.keyboard.press(";");
    await expect(hearing).toHaveText(/take H-1, 6 strands/);
    await expect(page.getByTestId("way")).toHaveText("6 mono on both sides, each at -7.8 dB");
    await page.getByLabel("How it is heard").selectOption({ label: "strand 3 | strand 4" });
    await expect(page.getByTestId("way")).toHaveText("strand 3 left, strand 4 right, at 0 dB");
    await expect(page.getByRole("button", { name: /Full scale was reached by strand 6/ })).toBeVisible();
    await page.getByLabel("Speed").selectOption({ label: "2×" });
    await until(page, 2);
    await page.getByRole("button", { name: /Full scale was reached/ }).click();
    await expect(page.getByRole("button", { name: "No clipping was heard" })).toBeVisible();
    await page.keyboard.press("F8");
    await expect(monitor.getByText("−20.0 dB")).toBeVisible();
    await page.keyboard.press("F9");
    await expect(monitor.getByText("+3.0 dB")).toBeVisible();
    await page.keyboard.press("F7");
    await page.getByLabel("Speed").selectOption({ label: "1×" });
    await accessible(page);
    await page.keyboard.press("Escape");
  });

  await test.step("dragging along a waveform sounds as fast as the hand moves", async () => {
    const strip = page.getByRole("button", { name: /Waveform of strand 1/ });
    const box = await strip.boundingBox();
    if (!box) throw new Error("no waveform");
    await page.mouse.move(box.x + box.width * 0.3, box.y + 10);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width * 0.32, box.y + 10, { steps: 3 });
    await expect(page.getByTestId("way")).toHaveText(/moved along by hand/);
    await startTape(page, 10);
    await page.mouse.move(box.x + box.width * 0.4, box.y + 10, { steps: 20 });
    await expect.poll(async () => (await position(page)) / rate).toBeCloseTo(0.4 * seconds, 0);
    await page.mouse.up();
    await expect(hearing).toHaveText(/^Silent/);
    const x = await played(page);
    expect(Math.max(...x.subarray(0, rate).map(Math.abs))).toBeGreaterThan(0.01);
  });

  await test.step("a strand is let go, moved, and brought home", async () => {
    await page.getByLabel("More for strand 2").selectOption({ label: "Let it go from its take" });
    const panel = page.getByRole("region", { name: "Strands of take H-1" });
    await expect(panel.getByText("let go, and at home")).toBeVisible();
    await page.getByRole("button", { name: "Strand 2 a frame later" }).click();
    await expect(panel.getByText("1.00 frames, 40.00 ms late from home")).toBeVisible();
    await page.getByRole("button", { name: "Strand 2 a sample earlier" }).click();
    await expect(panel.getByText("1.00 frames, 39.98 ms late from home")).toBeVisible();
    await sheet.focus();
    await page.keyboard.press("ControlOrMeta+Enter");
    await go(page, "Reel");
    await expect(page.getByText(/\+1\.00 f, \+39\.98 ms from home/).first()).toBeAttached();
    await go(page, "Takes");
    await page.getByRole("button", { name: "Bring it home" }).click();
    await expect(page.getByText(/from home/)).toHaveCount(0);
    await go(page, "Reel");
    await expect(page.getByText(/from home/)).toHaveCount(0);
    await page.keyboard.press("ControlOrMeta+z");
    await expect(page.getByText(/\+1\.00 f, \+39\.98 ms from home/).first()).toBeAttached();
  });
});
