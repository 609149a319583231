import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { accessible, expect, go, test } from "./app";
import { readWav, samples, wav } from "./sound";

const rate = 48000;
const frames = rate * 3;
const start = rate * (22 * 3600 + 10 * 60 + 5); // 22:10:05:00

/**
 * The whole way of a recorder's file, in the real interface: taken in, heard, labelled, laid,
 * routed, ordered, proven, downloaded; and what was downloaded is, sample by sample, what an
 * independent computation says it must be.
 */
test("from a recorder file to a proven stem master", async ({ page, app }) => {
  const channels = Array.from({ length: 8 }, (_, c) => (c === 7 ? new Int32Array(frames) : samples(c, frames)));
  const poly = wav(channels, rate, start);

  await page.goto(`${app.url}/new`);
  await accessible(page);
  await page.getByLabel("Name").fill("Story");
  await page.getByLabel("Timecode rate").selectOption("25");
  await page.getByRole("button", { name: "Make the production" }).click();
  await expect(page.getByText("Nothing has arrived yet")).toBeVisible();
  await accessible(page);

  // Intake: a good file, one cut short and one that is none, at once.
  await page.getByLabel("Files to take in").setInputFiles([
    { name: "day_1.wav", mimeType: "audio/wav", buffer: poly },
    { name: "cut.wav", mimeType: "audio/wav", buffer: poly.subarray(0, 500_000) },
    { name: "notes.wav", mimeType: "audio/wav", buffer: Buffer.from("not a recording at all, just words") },
  ]);
  const card = page.getByRole("article", { name: "day_1.wav" });
  await expect(card.getByText("8 ch, RIFF s24, 48 kHz, 0:03.0, from 22:10:05:00")).toBeVisible();
  await expect(card.getByRole("listitem")).toHaveCount(8);
  await expect(card.getByText(/Channel 8 is empty/)).toBeVisible();
  await expect(
    page.getByRole("article", { name: "cut.wav" }).getByText(/header promises 144000 frames and/),
  ).toBeVisible();
  await expect(page.getByRole("article", { name: "notes.wav" }).getByText(/not a sound file/)).toBeVisible();
  await page.getByLabel("Files to take in").setInputFiles([{ name: "copy.wav", mimeType: "audio/wav", buffer: poly }]);
  await expect(page.getByRole("article", { name: "copy.wav" }).getByText(/here already, as day_1.wav/)).toBeVisible();
  await accessible(page);

  // Takes: hear a strand with its key, label all, take it into the reel.
  await go(page, "Takes");
  await page.getByRole("gridcell", { name: /^Note of take day_1/ }).click();
  const hearing = page.getByRole("region", { name: "Monitor" });
  const strip = page.getByRole("button", { name: /Waveform of strand 3/ });
  const box = (await strip.boundingBox()) ?? { x: 0, y: 0, width: 0, height: 0 };
  await page.mouse.move(box.x + box.width / 4, box.y + box.height / 2);
  await page.keyboard.down("3");
  await expect(hearing.getByText("strand 3, no label, take day_1")).toBeVisible();
  await expect(hearing).toHaveAttribute("data-delay", /\d/); // the worklet has played its first sample
  await expect(hearing.getByRole("meter")).not.toHaveAttribute("aria-valuetext", "silent");
  await expect(hearing.getByText(/^22:10:0[5-8]/)).toBeVisible();
  await page.keyboard.up("3");
  await expect(hearing.getByText(/^Silent/)).toBeVisible();
  await page.keyboard.press("Shift+Digit4");
  await expect(hearing.getByText("(kept)")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(hearing.getByText(/^Silent/)).toBeVisible();

  // Typed straight into the sheet: the cursor stands on a cell, letters begin, Tab goes on.
  const cellOf = (n: number) => page.getByRole("gridcell", { name: new RegExp(`^Label of strand ${n} of take day_1`) });
  const label = (n: number) => page.getByRole("textbox", { name: `Label of strand ${n}`, exact: true });
  await cellOf(3).click();
  for (const text of ["Boom", "Lav Ines", "Score L", "Score R", "Ferry"]) {
    await page.keyboard.type(text);
    await page.keyboard.press("Tab");
  }
  await expect(label(7)).toHaveValue("Ferry");
  await cellOf(1).click();
  await page.keyboard.type("MixL");
  await page.keyboard.press("Tab");
  await page.keyboard.type("Wrong");
  await page.keyboard.press("Enter");
  await expect(cellOf(2)).toContainText("Wrong");
  await page.keyboard.press("ControlOrMeta+z");
  await expect(label(2)).toHaveValue("");
  await cellOf(2).click();
  await page.keyboard.type("MixR");
  await page.keyboard.press("Enter");
  await expect(label(2)).toHaveValue("MixR");
  await page.reload();
  await expect(page.getByRole("grid", { name: "Takes" })).toBeFocused();
  await cellOf(4).click();
  await expect(label(4)).toHaveValue("Lav Ines");
  // What the labels say is offered, with its reason, and accepted by key.
  const hints = page.getByRole("list", { name: "Hints" });
  await expect(hints.getByText(/Channel 8 is empty/)).toBeVisible();
  await accessible(page);
  await hints.getByRole("button", { name: /Refuse: channel 8 is empty/ }).click();
  await page.keyboard.press("ControlOrMeta+Enter");
  await expect(page.getByRole("button", { name: "In the reel" })).toBeVisible();

  // Reel: everything is laid, the mix is off; tracks are sent by key.
  await go(page, "Reel");
  const tracks = page.getByRole("grid", { name: "Tracks" });
  await expect(tracks.getByRole("row")).toHaveCount(8);
  await expect(tracks.getByRole("row", { name: "Track MixL, no stem, off" })).toBeVisible();
  for (const [track, key] of [
    ["Boom", "d"],
    ["Lav Ines", "d"],
    ["Score L", "m"],
    ["Score R", "m"],
    ["Ferry", "f"],
  ] as const) {
    await tracks.getByRole("row", { name: `Track ${track},` }).click();
    await page.keyboard.press(key);
    await expect(
      tracks.getByRole("row", { name: `Track ${track}, ${{ d: "DX", m: "MX", f: "FX" }[key]}` }),
    ).toBeVisible();
  }
  await accessible(page);

  // Weave: sides by the crossings, the width grows and shrinks and keeps every route.
  await go(page, "Weave");
  await page.getByRole("button", { name: "Score L to MX R" }).click();
  await expect(page.getByLabel("Position of Score L")).toHaveValue("left");
  await page.getByLabel("Position of Score R").selectOption("right");
  await page.getByLabel("Position of Lav Ines").selectOption("both");
  await page.getByRole("button", { name: "One output more" }).click();
  await expect(page.getByLabel("Name of output 7")).toHaveValue("VO L");
  await page.getByRole("button", { name: "One output fewer" }).click();
  await expect(page.getByLabel("Name of output 7")).toHaveCount(0);
  await expect(page.getByRole("row", { name: "Ferry on the outputs" }).getByText("0.0")).toHaveCount(2);
  // Keys are quicker than answers: each counts, in its order, and none is told to do it again.
  let answer = () => {};
  const pressed = new Promise<void>((go) => {
    answer = go;
  });
  await page.route("**/api/reels/*/edits", async (route) => {
    await pressed;
    await route.continue();
  });
  await page.getByRole("grid", { name: "Tracks to stem channels" }).getByText("Ferry", { exact: true }).click();
  for (const key of ["+", "+", "+", "-", "d", "+", "f"]) await page.keyboard.press(key);
  answer();
  const gainOfFerry = page.getByLabel("Gain of Ferry in dB");
  await expect(gainOfFerry).toHaveValue(/3\.0/);
  await expect(page.getByLabel("Stem of Ferry")).toHaveValue("FX");
  await page.unroute("**/api/reels/*/edits");
  for (let i = 0; i < 6; i++) await page.keyboard.press("ControlOrMeta+z");
  await expect(gainOfFerry).toHaveValue(/1\.0/);
  await page.keyboard.press("-");
  await expect(gainOfFerry).toHaveValue(/^[^1-9]*0\.0/);
  await expect(page.getByText(/Somebody else/)).toHaveCount(0);
  await accessible(page);

  // Delivery: names are shown filled in, snags are listed, the master is made and proven.
  await go(page, "Delivery");
  await page.getByLabel("File names").fill("{production}_{reel}_{number}_{output}");
  const order = page.getByRole("form", { name: "Order" });
  await expect(order.getByRole("cell", { name: "Story_Reel 1.wav" })).toBeVisible();
  await expect(order.getByText("MixL, MixR: not heard, because somebody has said so.")).toBeVisible();
  await expect(order.getByText(/ 8 has no stem/)).toBeVisible();
  await accessible(page);
  await order.getByRole("button", { name: /Order (6 channels|all the same)/ }).click();
  const made = page.getByRole("region", { name: "Deliveries" }).getByRole("article");
  await expect(made.getByText("proven", { exact: true })).toBeVisible({ timeout: 60_000 });
  await made.getByRole("button", { name: /Proof: .* 6 channels/ }).click();
  await expect(made.getByText("all as ordered")).toHaveCount(6);
  await accessible(page);
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    made.getByRole("link", { name: "Story_Reel 1.wav" }).click(),
  ]);
  expect(download.suggestedFilename()).toBe("Story_Reel 1.wav");
  const got = readWav(readFileSync(await download.path()));
  expect(got.rate).toBe(rate);
  expect(got.start).toBe(start);
  const [, , boom, lav, left, right, ferry] = channels as [
    Int32Array,
    Int32Array,
    Int32Array,
    Int32Array,
    Int32Array,
    Int32Array,
    Int32Array,
  ];
  const dialogue = boom.map((v, i) => v + (lav[i] ?? 0));
  expect(got.channels.map((c) => c.length)).toEqual(Array(6).fill(frames));
  for (const [i, want] of [dialogue, dialogue, left, right, ferry, ferry].entries()) {
    expect(
      got.channels[i]?.every((v, k) => v === want[k]),
      `output ${i + 1}`,
    ).toBe(true);
  }

  // Six mono files of the same order.
  await page.getByLabel("one mono file an output").check();
  await expect(order.getByRole("cell", { name: "Story_Reel 1_05_FX L.wav" })).toBeVisible();
  await order.getByRole("button", { name: /Order (6 channels|all the same)/ }).click();
  await expect(made.first().getByText("proven", { exact: true })).toBeVisible({ timeout: 60_000 });
  await expect(made.first().getByRole("list", { name: "Files" }).getByRole("link")).toHaveCount(6);

  // The master comes back as anybody's would: as a recording, which is laid as it was sent.
  await go(page, "Intake");
  const master = readFileSync(await download.path());
  await page
    .getByLabel("Files to take in")
    .setInputFiles([{ name: "MASTER.wav", mimeType: "audio/wav", buffer: master }]);
  await expect(page.getByRole("article", { name: "MASTER.wav" }).getByText(/^6 ch, RIFF s24/)).toBeVisible();
  await go(page, "Takes");
  await page.getByRole("gridcell", { name: /^Note of take MASTER/ }).click();
  await page.keyboard.press("ControlOrMeta+k");
  await page.getByPlaceholder("What do you want to do?").fill("finished masters");
  await page.keyboard.press("Enter");
  await page.waitForURL(/reel$/);
  for (const stem of ["DX", "MX", "FX"])
    await expect(tracks.getByRole("row", { name: new RegExp(`^Track ${stem}, ${stem}`) })).toBeVisible();
  await go(page, "Weave");
  await expect(page.getByLabel("Name of output 4")).toHaveValue("MX R");
});

test("the demonstration: every stage, in both themes, is accessible and shows what it holds", { tag: "@long" }, async ({
  page,
  app,
}) => {
  test.setTimeout(240_000); // axe looks at every stage, twice
  await page.goto(app.url);
  await page.waitForURL(/intake/);
  await page.getByLabel("Production", { exact: true }).selectOption({ label: "Lantern Ferry, Ep 2 Low Water" });
  await expect(page.getByText(/^\d+ files, \d+ with snags$/)).toBeVisible();
  for (const theme of ["Dusk", "Linen"]) {
    for (const stage of ["Intake", "Takes", "Sync", "Reel", "Weave", "Measure", "Delivery"]) {
      await go(page, stage);
      await accessible(page);
      const wide = await page.evaluate(
        () => document.documentElement.scrollWidth > document.documentElement.clientWidth,
      );
      expect(wide, `${stage} in ${theme} needs no horizontal scrolling`).toBe(false);
    }
    await page.keyboard.press("ControlOrMeta+k");
    await page.getByPlaceholder("What do you want to do?").fill("dusk linen");
    await accessible(page);
    await page.keyboard.press("Enter");
    await expect(page.locator("html")).toHaveAttribute("data-theme", theme === "Dusk" ? "linen" : "dusk");
  }
  await go(page, "Takes");
  await page.keyboard.press("?");
  await expect(
    page.getByRole("dialog", { name: "Keys of this stage" }).getByText("Take the chosen takes into the reel"),
  ).toBeVisible();
  await accessible(page);
});

test("files of the shelf, a stale page and an upload that is cancelled", { tag: "@long" }, async ({ page, app }) => {
  await page.goto(`${app.url}/new`);
  await page.getByLabel("Name").fill("Shelf");
  await page.getByRole("button", { name: "Make the production" }).click();
  await expect(page.getByText("Nothing has arrived yet")).toBeVisible();
  await page.getByRole("button", { name: "Shelf" }).click();
  const shelf = page.getByRole("dialog", { name: "Files the server can see" });
  await shelf.getByLabel("LF_VO_EN.wav").check();
  await shelf.getByLabel("LFB02_21A-3_1.wav").check();
  await accessible(page);
  await shelf.getByRole("button", { name: "Copy 2 files" }).click();
  await expect(page.getByRole("article", { name: "LF_VO_EN.wav" }).getByText("VO EN")).toBeVisible();

  // Two pages of one production: what one types, the other shows without being asked.
  const other = await page.context().newPage();
  await other.goto(page.url());
  await go(other, "Takes");
  await go(page, "Takes");
  const cell = (p: typeof page) => p.getByRole("gridcell", { name: /^Label of strand 1 of take Narration-EN/ });
  await cell(page).click();
  await page.keyboard.type("Narrator");
  await page.keyboard.press("Enter");
  await expect(cell(other)).toContainText("Narrator");
  // What one hasn't seen is not typed over: the line to the other page is cut, and its edit is refused.
  await other.route("**/sheet", async (route) => {
    const body = route.request().postDataJSON() as { cells: { was: string }[] };
    for (const c of body.cells) c.was = "VO EN";
    await route.continue({ postData: JSON.stringify(body) });
  });
  await cell(other).click();
  await other.keyboard.type("Somebody else");
  await other.keyboard.press("Enter");
  await expect(other.getByText(/somebody else has changed it/)).toBeVisible();
  await expect(cell(other)).toContainText("Narrator");
  await other.close();

  // The line is held up, so that the upload can be cancelled in its midst.
  await go(page, "Intake");
  await page.route("**/api/uploads/*", (route) =>
    route.request().method() === "PATCH" ? undefined : route.continue(),
  );
  await page
    .getByLabel("Files to take in")
    .setInputFiles([{ name: "slow.wav", mimeType: "audio/wav", buffer: Buffer.alloc(100_000) }]);
  await expect(page.getByRole("progressbar", { name: "Upload of slow.wav" })).toBeVisible();
  await page.getByRole("button", { name: "Cancel the upload of slow.wav" }).click();
  await expect(page.getByText("slow.wav")).toHaveCount(0);
  await page.unroute("**/api/uploads/*");
  await expect(page.getByRole("article")).toHaveCount(2);

  // One that is left in its midst is there as unfinished: it is gone on with by the same file alone, or thrown away.
  for (const name of ["left.wav", "thrown.wav"])
    writeFileSync(join(app.home, name), wav([samples(name.length, 48_000)], rate, start));
  const leave = async (name: string) => {
    await page.route("**/api/uploads/*", (route) =>
      route.request().method() === "PATCH" ? undefined : route.continue(),
    );
    await page.getByLabel("Files to take in").setInputFiles(join(app.home, name));
    await expect(page.getByRole("progressbar", { name: `Upload of ${name}` })).toBeVisible();
    await expect
      .poll(() => page.evaluate(() => Object.keys(localStorage).filter((k) => k.startsWith("tus::")).length))
      .toBe(1);
    await page.reload();
    await page.unrouteAll({ behavior: "ignoreErrors" });
    await expect(page.getByText("unfinished: 0 B of")).toBeVisible();
  };
  await leave("left.wav");
  await accessible(page);
  const goOn = async (name: string) => {
    const picking = page.waitForEvent("filechooser");
    await page.getByRole("button", { name: "Go on with the upload of left.wav" }).click();
    await (await picking).setFiles(join(app.home, name));
  };
  await goOn("thrown.wav");
  await expect(page.getByRole("status", { name: "What went wrong" })).toContainText("thrown.wav: this is not the file");
  await goOn("left.wav");
  await expect(page.getByRole("article", { name: "left.wav" })).toBeVisible();
  await expect(page.getByText("unfinished:")).toHaveCount(0);
  await leave("thrown.wav");
  await page.getByRole("button", { name: "Throw the upload of thrown.wav away" }).click();
  await expect(page.getByText("unfinished:")).toHaveCount(0);
  await page.reload();
  await expect(page.getByRole("article")).toHaveCount(3);
  await expect(page.getByText("thrown.wav")).toHaveCount(0);
});
