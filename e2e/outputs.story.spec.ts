import { readFileSync } from "node:fs";
import type { Page } from "@playwright/test";
import { accessible, expect, go, test } from "./app";
import { readWav, samples, wav } from "./sound";
import { useTemplate } from "./weaving";

const rate = 48000;
const frames = rate * 3;
const start = rate * (22 * 3600 + 10 * 60 + 5);

type Files = { name: string; names?: string[]; channels: Int32Array[] }[];

/** A production of its own, with one take that is laid in its reel. */
async function laid(page: Page, url: string, name: string, files: Files, says = "") {
  await page.goto(`${url}/new`);
  await page.getByLabel("Name").fill(name);
  await page.getByLabel("Timecode rate").selectOption("25");
  await page.getByRole("button", { name: "Make the production" }).click();
  await page
    .getByLabel("Files to take in")
    .setInputFiles(
      files.map((f) => ({ name: f.name, mimeType: "audio/wav", buffer: wav(f.channels, rate, start, f.names) })),
    );
  await expect(page.getByRole("article").getByText("22:10:05:00")).toHaveCount(files.length);
  await go(page, "Takes");
  await page.getByRole("gridcell", { name: /^Note of take/ }).click();
  await page.keyboard.press("ControlOrMeta+Enter");
  if (files.length > 1) {
    // Several files are but proposed as one take, and say so.
    await expect(page.getByText(/: proposed, and not laid\./)).toBeVisible();
    if (says) await expect(page.getByText(says)).toBeVisible();
    await page.getByRole("button", { name: "Accept the group" }).click();
    return;
  }
  await expect(page.getByRole("button", { name: "In the reel" })).toBeVisible();
}

const tracks = (page: Page) => page.getByRole("grid", { name: "Tracks" });

/** Sends tracks to stems by key, in Reel. */
async function toStems(page: Page, stems: Record<string, string>) {
  await go(page, "Reel");
  for (const [track, key] of Object.entries(stems)) {
    await tracks(page)
      .getByRole("row", { name: `Track ${track},` })
      .click();
    await page.keyboard.press(key);
    const stem = { d: "DX", m: "MX", f: "FX", v: "VO" }[key];
    await expect(tracks(page).getByRole("row", { name: `Track ${track}, ${stem}` })).toBeVisible();
  }
}

/** Orders by key what a specification asks for, waits until it is proven, and reads the file as it was sent. */
async function ordered(page: Page, spec: string, channels: number, link: RegExp) {
  await go(page, "Delivery");
  const choice = page.getByLabel("Specification", { exact: true });
  if ((await choice.locator("option:checked").textContent()) !== spec) await choice.selectOption({ label: spec });
  await expect(
    page.getByRole("button", { name: new RegExp(`^Order (${channels} channel|all the same)`) }),
  ).toBeEnabled();
  const notes = page.getByRole("region", { name: "Deliveries" }).getByRole("article");
  const had = await notes.count();
  await page.getByRole("heading", { level: 1, name: "Delivery" }).click();
  await page.keyboard.press("Enter");
  await expect(notes).toHaveCount(had + 1);
  const note = notes.first();
  await expect(note.getByText("proven", { exact: true })).toBeVisible({ timeout: 90_000 });
  const [download] = await Promise.all([page.waitForEvent("download"), note.getByRole("link", { name: link }).click()]);
  return { ...readWav(readFileSync(await download.path())), note };
}

/** The greatest difference of a channel from what it must be, in steps of 24 bits. */
function off(x: Int32Array | undefined, want: (i: number) => number): number {
  expect(x?.length).toBe(frames);
  let most = 0;
  for (let i = 0; i < frames; i++) most = Math.max(most, Math.abs((x?.[i] ?? 0) - want(i)));
  return most;
}

const five = ["Boom", "Lav Ines", "Score L", "Score R", "Ferry"];
const fiveChannels = five.map((_, c) => samples(c + 20, frames));
const of = (c: number) => (i: number) => fiveChannels[c]?.[i] ?? 0;
const half = Math.SQRT1_2;

/** A reel of one stereo mix becomes a stem master of six channels, in ten actions at the most from the key to the file. */
test("a stereo reel becomes six channels by a template, and grows by M&E with its stems kept", {
  tag: "@long",
}, async ({ page, app }) => {
  test.setTimeout(120_000);
  await laid(page, app.url, "Six", [{ name: "six.wav", names: five, channels: fiveChannels }]);
  await toStems(page, { Boom: "d", "Lav Ines": "d", "Score L": "m", "Score R": "m", Ferry: "f" });
  await go(page, "Weave");
  await page.getByLabel("Position of Score L").selectOption("left");
  await page.getByLabel("Position of Score R").selectOption("right");
  await page.getByRole("button", { name: "Add a mix" }).click();
  await page.getByRole("button", { name: "Full mix L to output 1" }).click();
  await page.getByRole("button", { name: "Full mix R to output 2" }).click();
  for (let n = 6; n > 2; n--) await page.getByRole("button", { name: "One output fewer" }).click();
  await expect(page.getByLabel("Name of output 3")).toHaveCount(0);
  const before = await ordered(page, "The outputs as they are", 2, /\.wav$/);
  expect(off(before.channels[0], (i) => of(0)(i) + of(1)(i) + of(4)(i) + of(2)(i))).toBe(0);

  await go(page, "Weave");
  let actions = await useTemplate(page, "Stereo stems DX MX FX");
  await expect(page.getByLabel("Name of output 6")).toHaveValue("FX R");
  actions += 1 + 2 + 1; // the stage, the specification, Enter
  const six = await ordered(page, "Stem master, three stereo stems", 6, /\.wav$/);
  expect(actions, "from the key to the order").toBeLessThanOrEqual(10);
  const sides = (mono: (i: number) => number) => [mono, mono];
  const want = [...sides((i) => of(0)(i) + of(1)(i)), of(2), of(3), ...sides(of(4))];
  expect(six.channels).toHaveLength(6);
  for (const [c, f] of want.entries()) expect(off(six.channels[c], f), `channel ${c + 1}`).toBe(0);

  // By hand: a mix of music and effects, on two more outputs.
  await go(page, "Weave");
  await page.getByRole("button", { name: "Add a mix" }).click();
  await page.getByRole("button", { name: "DX in Full mix" }).click();
  await expect(page.getByRole("button", { name: "DX in Full mix" })).toHaveAttribute("aria-pressed", "false");
  await page
    .getByRole("toolbar", { name: "Buses" })
    .getByRole("button", { name: /^Full mix/ })
    .click();
  await page.getByLabel("Name of the bus").fill("M&E");
  await page.getByLabel("Name of the bus").press("Enter");
  await expect(page.getByRole("button", { name: "M&E L to output 6" })).toBeVisible();
  for (const [n, side] of ["L", "R"].entries()) {
    await page.getByRole("button", { name: "One output more" }).click();
    await page.getByRole("button", { name: `M&E ${side} to output ${7 + n}` }).click();
    await expect(page.getByLabel(`Name of output ${7 + n}`)).toBeVisible();
  }
  await accessible(page);
  const eight = await ordered(page, "The outputs as they are", 8, /\.wav$/);
  expect(eight.channels).toHaveLength(8);
  for (let c = 0; c < 6; c++)
    expect(
      off(eight.channels[c], (i) => six.channels[c]?.[i] ?? 0),
      `channel ${c + 1} is as it was`,
    ).toBe(0);
  for (const side of [0, 1])
    expect(
      off(eight.channels[6 + side], (i) => of(4)(i) + of(2 + side)(i)),
      "M&E",
    ).toBe(0);
});

/** Six mono files from a mix house in film order, as their names say, leave in broadcast order. */
test("film order comes in, broadcast order goes out", async ({ page, app }) => {
  const film = ["L", "C", "R", "Ls", "Rs", "LFE"];
  await laid(
    page,
    app.url,
    "Film",
    film.map((speaker, c) => ({ name: `harbour_${c + 1}.${speaker}.wav`, channels: [samples(c + 40, frames)] })),
  );
  await page.keyboard.press("ControlOrMeta+k");
  await page.keyboard.type("finished masters");
  await page.keyboard.press("Enter");
  await page.waitForURL(/reel$/);
  const sent = await ordered(page, "The outputs as they are", 6, /\.wav$/);
  const broadcast = ["L", "R", "C", "LFE", "Ls", "Rs"];
  expect(sent.channels).toHaveLength(6);
  for (const [c, speaker] of broadcast.entries()) {
    const x = samples(40 + film.indexOf(speaker), frames);
    expect(
      off(sent.channels[c], (i) => x[i] ?? 0),
      `${speaker} is channel ${c + 1}`,
    ).toBe(0);
  }
});

/** Commentary left and actuality right, for a newsroom; and what comes back so is mono on both sides again. */
test("news is split, and comes back", { tag: "@long" }, async ({ page, app }) => {
  test.setTimeout(120_000);
  const names = ["Commentary", "Actuality"];
  const channels = [samples(60, frames), samples(61, frames)];
  const news = (c: number) => (i: number) => channels[c]?.[i] ?? 0;
  await laid(page, app.url, "News", [{ name: "news.wav", names, channels }]);
  await toStems(page, { Commentary: "d", Actuality: "d" });
  await go(page, "Weave");
  // Two mono tracks of a stereo stem become its sides, and mono on both again, each in one action.
  for (let n = await page.getByLabel(/^Name of output \d+$/).count(); n > 2; n--) {
    await page.getByRole("button", { name: "One output fewer" }).click();
    await expect(page.getByLabel(`Name of output ${n}`)).toHaveCount(0);
  }
  await page
    .getByRole("row", { name: /^Commentary/ })
    .first()
    .getByText("Commentary")
    .click();
  await page.getByRole("button", { name: "Make a pair" }).click();
  await expect(page.getByTestId("ways")).toContainText("one side of a stereo pair");
  const pair = await ordered(page, "The outputs as they are", 2, /\.wav$/);
  for (const c of [0, 1]) expect(off(pair.channels[c], news(c)), `${names[c]} on its side`).toBe(0);
  await go(page, "Weave");
  await page.getByRole("button", { name: "Mono on both" }).click();
  await expect(page.getByTestId("ways")).toContainText("mono on both");
  const both = await ordered(page, "The outputs as they are", 2, /\.wav$/);
  for (const c of [0, 1])
    expect(
      off(both.channels[c], (i) => news(0)(i) + news(1)(i)),
      "mono on both",
    ).toBe(0);

  // By a template they have a mono output each.
  await toStems(page, { Commentary: "v" });
  await go(page, "Weave");
  await useTemplate(page, "News split");
  const split = await ordered(page, "The outputs as they are", 2, /\.wav$/);
  expect(split.channels).toHaveLength(2);
  for (const c of [0, 1]) expect(off(split.channels[c], news(c)), `${names[c]} alone`).toBe(0);

  await split.note.getByRole("button", { name: "Take it back in as a reel" }).click();
  await page.waitForURL(/reel$/, { timeout: 60_000 });
  await expect(tracks(page).getByRole("row", { name: /^Track Commentary/ })).toBeVisible();
  await go(page, "Weave");
  await expect(page.getByLabel("Name of output 2")).toHaveValue("Actuality");
  await page.getByRole("button", { name: "Add a mix" }).click();
  for (const [n, side] of ["L", "R"].entries())
    await page.getByRole("button", { name: `Full mix ${side} to output ${n + 1}` }).click();
  const back = await ordered(page, "The outputs as they are", 2, /\.wav$/);
  for (const c of [0, 1])
    expect(
      off(back.channels[c], (i) => news(0)(i) + news(1)(i)),
      "both at 0 dB",
    ).toBe(0);
});

/** A mix in 5.1 on channels 1 to 6 in broadcast order, and what BS.775 makes of it on 7 and 8. */
test("5.1 and stereo on eight channels", { tag: "@long" }, async ({ page, app }) => {
  await laid(page, app.url, "Wide", [{ name: "wide.wav", names: five, channels: fiveChannels }]);
  await toStems(page, { Boom: "d", "Lav Ines": "d", "Score L": "m", "Score R": "m", Ferry: "f" });
  await go(page, "Weave");
  await page.getByLabel("Position of Score L").selectOption("left");
  await page.getByLabel("Position of Score R").selectOption("right");
  await useTemplate(page, "5.1 and stereo on eight channels");
  await page
    .getByRole("row", { name: /^Ferry/ })
    .first()
    .getByText("Ferry")
    .click();
  await page.getByLabel("How Ferry enters FX").selectOption("placed");
  const azimuth = page.getByLabel(/^Azimuth/);
  await azimuth.fill("110");
  await azimuth.press("Enter");
  await expect(page.getByTestId("ways")).toContainText("placed at 110°");
  await page.getByRole("row", { name: /^Boom/ }).first().getByText("Boom").click();
  await page.getByLabel("How Boom enters DX").selectOption("centre");
  await expect(page.getByTestId("ways")).toContainText("centre only");
  const wide = await ordered(page, "5.1 and stereo on eight channels", 8, /_51-20\.wav$/);
  const silence = () => 0;
  // What nobody put anywhere goes to the centre, now that there is one.
  const spoken = (i: number) => of(0)(i) + of(1)(i);
  const mix = [of(2), of(3), spoken, silence, of(4), silence];
  for (const [c, f] of mix.entries())
    expect(off(wide.channels[c], f), `channel ${c + 1}`).toBeLessThanOrEqual(c === 4 ? 0.6 : 0);
  const down = [(i: number) => of(2)(i) + half * (spoken(i) + of(4)(i)), (i: number) => of(3)(i) + half * spoken(i)];
  for (const [side, f] of down.entries()) expect(off(wide.channels[6 + side], f), `side ${side}`).toBeLessThan(0.6);
});
