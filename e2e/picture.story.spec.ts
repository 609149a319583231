import type { Page } from "@playwright/test";
import { accessible, expect, go, test } from "./app";
import { newProduction, takeIn } from "./many";

type Picture = { name: string; at: number; in: number; length: number };
type Reel = { id: string; doc: { pictures?: Picture[]; tracks: { label: string; gain_db?: number }[] } };

const rate = 48000;
const start = (22 * 60 + 10) * 60 * rate; // 22:10:00:00 at 25

async function reelOf(page: Page, url: string, production: string): Promise<Reel> {
  const answer = await page.request.get(`${url}/api/productions/${production}/reel`);
  return (await answer.json()) as Reel;
}

test("a picture is laid, plays in step, and keeps step while time is put in and taken out", {
  tag: ["@long", "@alone"],
}, async ({ page, app }) => {
  test.setTimeout(150_000);
  const production = await newProduction(page, app.url, "Picture");
  await takeIn(page, app.url, production, ["CAM_A_0031.mov", "CAM_B_0007.mov"]);
  await page.goto(`${app.url}/${production}/takes`);
  await page
    .getByRole("gridcell", { name: /^Label of strand 1/ })
    .last()
    .click();
  await page.keyboard.press("ControlOrMeta+Enter");
  await expect(page.getByText(/taken into the reel/)).toBeVisible();
  await go(page, "Reel");
  const pictures = async () => (await reelOf(page, app.url, production)).doc.pictures ?? [];

  // By key: at its timecode; another one over it, which makes room.
  await page.keyboard.press("ControlOrMeta+p");
  const panel = page.getByRole("dialog", { name: "Lay a picture" });
  await accessible(page);
  await panel.getByRole("button", { name: "Lay CAM_B_0007.mov at 22:10:00:00" }).press("Enter");
  await expect.poll(pictures).toHaveLength(1);
  const [whole] = await pictures();
  expect(whole).toMatchObject({ at: start, in: 0, length: 84 * rate });
  await page.keyboard.press("g");
  await page.keyboard.type("22:10:10:00");
  await page.keyboard.press("Enter");
  await page.keyboard.press("ControlOrMeta+p");
  await panel.getByRole("button", { name: "Lay CAM_A_0031.mov at the pointer" }).press("Enter");
  await expect
    .poll(async () => (await pictures()).map((p) => [p.name, (p.at - start) / rate, p.in / rate]))
    .toEqual([
      ["CAM_B_0007.mov", 0, 0],
      ["CAM_A_0031.mov", 10, 0],
      ["CAM_B_0007.mov", 28, 28],
    ]);

  // It is seen where the pointer is, and while it plays, within a frame.
  const window = page.getByRole("region", { name: "Picture" });
  const video = (name: string) => window.getByLabel(`Picture of ${name}, in step with the sound`);
  await expect(video("CAM_A_0031.mov")).toBeVisible();
  await page.keyboard.press("ArrowRight");
  await expect
    .poll(() => video("CAM_A_0031.mov").evaluate((v: HTMLVideoElement) => v.currentTime))
    .toBeCloseTo(0.05, 3);
  await page.keyboard.press("g");
  await page.keyboard.type("22:10:05:00");
  await page.keyboard.press("Enter");
  await page.keyboard.press(" ");
  const off = (name: string) =>
    expect
      .poll(
        async () => {
          const v = video(name);
          if ((await v.count()) === 0 || Number(await v.getAttribute("data-frames")) < 20) return 99;
          return Math.abs(Number(await v.getAttribute("data-off")) - 20); // a frame stands for the 40 ms that it is seen
        },
        { timeout: 20_000 },
      )
      .toBeLessThan(40);
  await off("CAM_B_0007.mov");
  await off("CAM_A_0031.mov"); // past the cut
  await page.keyboard.press("Escape");

  // What is chosen is typed, nudged by frames, cut and taken out; all of it is undone.
  const strip = page.getByRole("list", { name: "Pictures" });
  await strip.getByRole("button", { name: /^Picture CAM_A_0031/ }).click();
  const bar = page.getByRole("region", { name: "What is chosen" });
  await bar.getByLabel(/^How far into the file/).fill("+10f");
  await bar.getByLabel(/^How far into the file/).press("Enter");
  await expect.poll(async () => (await pictures())[1]?.in).toBe(10 * 1920);
  await page.keyboard.press("ControlOrMeta+z");
  await expect.poll(async () => (await pictures())[1]?.in).toBe(0);
  await page.keyboard.press("Delete");
  await expect.poll(pictures).toHaveLength(2);
  await page.keyboard.press("ControlOrMeta+z");
  await expect.poll(pictures).toHaveLength(3);

  // Carried by the pointer, by whole frames, to where it has room.
  await strip.getByRole("button", { name: /from 22:10:28:00/ }).click();
  await page.keyboard.press("ControlOrMeta+k");
  await page.keyboard.type("take the picture out");
  await page.keyboard.press("Enter");
  await expect.poll(pictures).toHaveLength(2);
  const box = (await strip.getByRole("button", { name: /^Picture CAM_A_0031/ }).boundingBox()) ?? {
    x: 0,
    y: 0,
    width: 0,
    height: 0,
  };
  await page.mouse.move(box.x + 20, box.y + 10);
  await page.mouse.down();
  await page.mouse.move(box.x + 60, box.y + 10, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => (await pictures())[1]?.at ?? 0).toBeGreaterThan(start + 10 * rate);
  expect((((await pictures())[1]?.at ?? 0) - start) % 1920).toBe(0);

  // Time that is taken out on all tracks takes the picture along.
  const before = await pictures();
  await page.keyboard.press("Escape");
  await page.keyboard.press("g");
  await page.keyboard.type("22:10:04:00");
  await page.keyboard.press("Enter");
  await page.keyboard.press("s");
  await page.keyboard.press("g");
  await page.keyboard.type("22:10:05:00");
  await page.keyboard.press("Enter");
  await page.keyboard.press("e");
  await page
    .getByRole("row", { name: /^Track/ })
    .first()
    .click();
  await page.keyboard.press("ControlOrMeta+Delete");
  await expect
    .poll(async () => (await pictures()).map((p) => p.at))
    .toEqual([start, start + 4 * rate, (before[1]?.at ?? 0) - rate]);
  expect((await pictures())[1]?.in).toBe(5 * rate);

  // Out of the way, and back.
  await window.getByRole("button", { name: "Hide the picture" }).click();
  await expect(window).toHaveCount(0);
  await page.keyboard.press("ControlOrMeta+Shift+p");
  await expect(window).toBeVisible();

  // A file whose picture is laid is not removed.
  const files = (await (await page.request.get(`${app.url}/api/productions/${production}/files`)).json()) as {
    items: { id: string; name: string }[];
  };
  const used = files.items.find((f) => f.name === "CAM_A_0031.mov");
  const refused = await page.request.delete(`${app.url}/api/files/${used?.id}`);
  expect(await refused.json()).toMatchObject({ code: "in_use", detail: expect.stringContaining("is the picture of") });
});

test("what was changed in a copy of a reel is brought back, looked at first", { tag: "@long" }, async ({
  page,
  app,
}) => {
  test.setTimeout(90_000);
  const production = await newProduction(page, app.url, "Bring");
  await takeIn(page, app.url, production, ["CAM_A_0031.mov"]);
  await page.goto(`${app.url}/${production}/takes`);
  await page.getByRole("gridcell", { name: /^Label of strand 1/ }).click();
  await page.keyboard.press("ControlOrMeta+Enter");
  await expect(page.getByText(/taken into the reel/)).toBeVisible();
  await go(page, "Reel");
  const palette = async (text: string) => {
    await page.keyboard.press("ControlOrMeta+k");
    await page.keyboard.type(text);
    await page.keyboard.press("Enter");
  };
  await palette("copy this reel");
  await page.getByLabel("Name of the copy").fill("Try");
  await page.keyboard.press("Enter");
  const chooser = page.getByRole("combobox", { name: "Reel", exact: true });
  await expect(chooser.locator("option:checked")).toHaveText("Try");
  const row = page.getByRole("row", { name: /^Track/ }).first();
  await row.click();
  await page.keyboard.press("}");
  await page.keyboard.press("}");
  await page.keyboard.press("d");
  await expect(page.getByRole("row", { name: /^Track .*, DX$/ }).first()).toBeVisible();
  // In a rate of its own, which its timecode then counts in.
  await palette("count this reel");
  await page.getByLabel("What the reel's timecode counts in").selectOption("23.976 frames a second");
  await expect(page.getByText(/, 23.976 fps$/)).toBeVisible();
  await expect(page.getByTestId("pointer-ticket").or(page.getByLabel(/^Pointer: timecode/))).not.toHaveValue(
    /^20:10:21:10$/,
  );
  await chooser.selectOption({ label: "Reel 1" });
  await expect(page.getByRole("row", { name: /^Track .*no stem$/ }).first()).toBeVisible();
  await expect(page.getByText(/23.976 fps/)).toHaveCount(0);
  await palette("bring over");
  const panel = page.getByRole("dialog", { name: "Bring over from another reel" });
  const first = panel.getByRole("row").nth(1);
  await expect(first).toContainText("level +2.0 dB instead of +0.0 dB");
  await expect(first).toContainText("instead of: sent nowhere");
  await accessible(page);
  await panel.getByRole("button", { name: "Bring over 1 track" }).press("Enter");
  await expect(panel).toHaveCount(0);
  await expect.poll(async () => (await reelOf(page, app.url, production)).doc.tracks[0]?.gain_db).toBe(2);
  await expect(page.getByRole("row", { name: /^Track .*, DX$/ }).first()).toBeVisible();
  await page.keyboard.press("ControlOrMeta+z");
  await expect.poll(async () => (await reelOf(page, app.url, production)).doc.tracks[0]?.gain_db ?? 0).toBe(0);
});
