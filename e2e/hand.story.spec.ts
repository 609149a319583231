import type { Page } from "@playwright/test";
import { accessible, expect, go, test } from "./app";
import { copyOf } from "./ferry";

type Doc = { tracks: { label: string; gain_db?: number; clips: { at: number; length: number }[] }[] };

/** A copy of the demonstration's first reel, which is shown. */
async function copied(page: Page, url: string, name: string) {
  const { production, reel } = await copyOf(page, url, "Reel 1", name);
  await page.goto(`${url}/${production}/reel`);
  await expect(page.getByTestId("lanes")).toHaveAttribute("data-drawn", "yes");
  return async () => (await reel<{ doc: Doc }>()).doc;
}

test("by pointer alone: what is under it is cut, removed and undone from its menu and from the bar", async ({
  page,
  app,
}) => {
  const doc = await copied(page, app.url, "By hand");
  const clips = async () => (await doc()).tracks.reduce((n, t) => n + t.clips.length, 0);
  const had = await clips();
  const kin = (await doc()).tracks.filter((t) => t.clips[0]?.at === undefined || t.clips.length > 0).length;
  expect(kin).toBeGreaterThan(4);
  const lanes = (await page.getByTestId("lanes").boundingBox()) ?? { x: 0, y: 0, width: 0, height: 0 };
  const boom = (await page.getByRole("row", { name: /^Track Boom/ }).boundingBox()) ?? {
    x: 0,
    y: 0,
    width: 0,
    height: 0,
  };
  const over = [lanes.x + lanes.width * 0.52, boom.y + boom.height * 0.7] as const;

  await page.mouse.click(...over, { button: "right" });
  const menu = page.getByRole("menu");
  await expect(menu.getByText("With the chosen clips")).toBeVisible();
  await accessible(page);
  await menu.getByRole("menuitem", { name: /^Cut here/ }).click();
  await expect(menu).toHaveCount(0);
  await expect.poll(clips).toBeGreaterThan(had);
  const cut = await clips();

  const bar = page.getByRole("toolbar", { name: "What can be done with the chosen clips" });
  await bar.getByRole("button", { name: /^Remove/ }).click();
  await expect.poll(clips).toBeLessThan(cut);
  await page.getByRole("button", { name: "Undo", exact: true }).click();
  await expect.poll(clips).toBe(cut);
  await page.getByRole("button", { name: "Undo", exact: true }).click();
  await expect.poll(clips).toBe(had);
  await page.getByRole("button", { name: "Redo", exact: true }).click();
  await expect.poll(clips).toBe(cut);
  await page.getByRole("button", { name: "Undo", exact: true }).click();
  await expect.poll(clips).toBe(had);

  // All that keys do is in the menu; a head's is about its track, and Escape leaves everything as it was.
  await page.mouse.click(boom.x + 60, boom.y + boom.height / 2, { button: "right" });
  await expect(menu.first().getByText("With the chosen tracks")).toBeVisible();
  for (const group of [
    "Hear",
    "Go to",
    "Choose and mark",
    "Cut and move",
    "Levels, fades and treatment",
    "Send",
    "Look",
    "Picture",
  ])
    await expect(menu.first().getByRole("menuitem", { name: group, exact: true })).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(menu).toHaveCount(0);
  await expect(page.getByRole("row", { name: /^Track Boom/ })).toHaveAttribute("aria-selected", "true");

  // Its level is typed as a sum, stepped by the arrows, and brought back to rest.
  const level = page.getByLabel("Level of the track in dB");
  const is = async () => (await doc()).tracks.find((t) => t.label === "Boom")?.gain_db ?? 0;
  await level.fill("-23+2");
  await level.press("Enter");
  await expect.poll(is).toBe(-21);
  await level.press("ArrowUp");
  await level.press("Shift+ArrowUp");
  await expect.poll(is).toBe(-10);
  await level.dblclick();
  await expect.poll(is).toBe(0);
});

test("tracks are as tall as one likes, by pointer and by keys, and are so after a reload", async ({ page, app }) => {
  await copied(page, app.url, "Heights");
  const row = (name: RegExp) => page.getByRole("row", { name });
  const height = async (name: RegExp) => (await row(name).boundingBox())?.height ?? 0;
  const boom = /^Track Boom/;
  const ines = /^Track Lav Ines/;
  const before = await height(ines);
  const edge = page.getByRole("separator", { name: "Height of Boom" });
  const at = (await edge.boundingBox()) ?? { x: 0, y: 0, width: 0, height: 0 };
  await page.mouse.move(at.x + 40, at.y + 3);
  await page.mouse.down();
  await page.mouse.move(at.x + 40, at.y + 73, { steps: 4 });
  await page.mouse.up();
  await expect.poll(() => height(boom)).toBe(before + 70);
  expect(await height(ines)).toBe(before);

  // By keys: the chosen one to the next height, and drawn louder to the eye, which its head says.
  await row(ines).getByText("Lav Ines").click();
  await page.keyboard.press("ControlOrMeta+Shift+ArrowUp");
  await expect.poll(() => height(ines)).toBe(72);
  await page.keyboard.press("*");
  await page.keyboard.press("*");
  await expect(row(ines).getByText("×4")).toBeVisible();
  await page.keyboard.press("/");
  await expect(row(ines).getByText("×2")).toBeVisible();

  // A place, and all of it again after a reload.
  await page.keyboard.press("g");
  await page.keyboard.type("22:10:33:00");
  await page.keyboard.press("Enter");
  const pointer = page.getByLabel(/^Pointer: timecode/);
  await expect(pointer).toHaveValue("22:10:33:00");
  await go(page, "Weave");
  await page.reload();
  await go(page, "Reel");
  await expect.poll(() => height(boom)).toBe(before + 70);
  expect(await height(ines)).toBe(72);
  await expect(row(ines).getByText("×2")).toBeVisible();
  await expect(pointer).toHaveValue("22:10:33:00");

  // All alike with Shift, and back to sharing the window by a double click.
  const low = (await edge.boundingBox()) ?? { x: 0, y: 0, width: 0, height: 0 };
  await page.keyboard.down("Shift");
  await page.mouse.move(low.x + 40, low.y + 3);
  await page.mouse.down();
  await page.mouse.move(low.x + 40, low.y + 3 - (before + 70 - 30), { steps: 4 });
  await page.mouse.up();
  await page.keyboard.up("Shift");
  await expect.poll(() => height(ines)).toBe(30);
  await edge.dblclick();
  await expect.poll(() => height(boom)).toBeGreaterThan(100);
});

test("the address is what is shown: whoever opens it sees the same reel, place and clips", async ({
  page,
  app,
  browser,
}) => {
  await copied(page, app.url, "Address");
  const lanes = (await page.getByTestId("lanes").boundingBox()) ?? { x: 0, y: 0, width: 0, height: 0 };
  const boom = await page.getByRole("row", { name: /^Track Boom/ }).boundingBox();
  await page.mouse.click(lanes.x + lanes.width * 0.52, (boom?.y ?? 0) + 30);
  await expect(page.getByRole("toolbar", { name: "What can be done with the chosen clips" })).toBeVisible();
  await page.keyboard.press("g");
  await page.keyboard.type("22:10:33:12");
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(/\?reel=[0-9a-f-]+&at=22:10:33:12&clips=[0-9a-f-]+&tracks=/);

  const other = await (await browser.newContext()).newPage();
  await other.goto(page.url());
  await expect(other.getByLabel(/^Pointer: timecode/)).toHaveValue("22:10:33:12");
  await expect(other.getByLabel("Reel", { exact: true }).locator("option:checked")).toHaveText("Address");
  await expect(other.getByRole("toolbar", { name: "What can be done with the chosen clips" })).toBeVisible();
  await expect(other.getByRole("row", { name: /^Track Boom/ })).toHaveAttribute("aria-selected", "true");
  // Another stage, and back by the browser's own way.
  await go(other, "Weave");
  await other.goBack();
  await expect(other.getByLabel(/^Pointer: timecode/)).toHaveValue("22:10:33:12");
  // A reel that is gone is the first one.
  await other.goto(page.url().replace(/reel=[0-9a-f-]+/, "reel=0192f0c0-0000-7000-8000-000000000001"));
  await expect(other.getByTestId("lanes")).toHaveAttribute("data-drawn", "yes");
  await other.context().close();
});
