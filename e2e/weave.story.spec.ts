import type { Page } from "@playwright/test";
import { accessible, expect, test } from "./app";
import { copyOf } from "./ferry";
import { useTemplate } from "./weaving";

type Reel = {
  id: string;
  doc: {
    weave: {
      outputs: { name: string; bus: string; channel: number }[];
      groups?: { layout: string }[];
      sends: Record<string, { to: string; patch: { preset?: string; places?: { azimuth?: number }[] } }[]>;
      levels?: Record<string, { gain_db: number }>;
    };
    tracks: { id: string; label: string }[];
  };
};

/** A copy of the demonstration's first reel, which the page then works on: each test has one of its own. */
async function ownReel(page: Page, url: string, name: string): Promise<() => Promise<Reel>> {
  const { production, id, reel } = await copyOf(page, url, "Reel 1", name);
  await page.goto(`${url}/${production}/weave`);
  await expect(page.getByRole("heading", { level: 1, name: "Weave" })).toBeVisible();
  await expect(page.getByRole("combobox", { name: "Reel" })).toHaveValue(id);
  return () => reel<Reel>();
}

/** By keys: a stereo reel becomes 5.1 and stereo on eight channels, its mixes are sums, and its group goes into film order. */
test("a template, mixes that are sums, another order, and back", async ({ page, app }) => {
  const reel = await ownReel(page, app.url, "Eight channels");
  const before = await reel();
  await useTemplate(page, "5.1 and stereo on eight channels");
  await expect(page.getByLabel("Name of output 8")).toHaveValue("Full mix stereo R");
  await expect(page.getByRole("row", { name: "Boom on the outputs" }).getByText("−4.0").first()).toBeVisible();
  await expect(page.getByRole("button", { name: "DX in Full mix 5.1" })).toHaveAttribute("aria-pressed", "true");
  await accessible(page);

  await page.getByRole("button", { name: "Boom on output 1: its ways" }).click();
  const way = page.getByRole("region", { name: "Ways of Boom to output 1" });
  await expect(way.getByRole("listitem").filter({ hasText: "→ Full mix 5.1" })).toBeVisible();
  await expect(way.getByText("all gains on the way")).toBeVisible();

  await page.keyboard.press("n");
  const nulls = page.getByRole("list", { name: "Null figures" });
  await expect(nulls.getByRole("listitem")).toHaveCount(2);
  for (const text of await nulls.getByRole("listitem").allTextContents()) {
    const off = /at most (-[\d.]+) dBFS/.exec(text);
    if (off) expect(Number(off[1])).toBeLessThan(-130);
    else expect(text).toContain("bit for bit");
  }

  // What nobody asked Space for is pressed twice.
  await page.keyboard.press("p");
  await expect(page.getByText(/press P once more/)).toBeVisible();
  await page.keyboard.press("p");
  await expect(page.getByTestId("hearing")).toContainText("in turn, by tone and pips");
  await expect(page.getByRole("meter")).not.toHaveAttribute("aria-valuetext", "silent");
  await page.keyboard.press("p");
  await expect(page.getByTestId("hearing")).toContainText("Silent");

  await page.keyboard.press("o");
  const output = page.getByRole("region", { name: "Output 1" });
  // What sounds on an output at the pointer is said beside it.
  await expect(output.getByRole("region", { name: "What sounds on output 1" })).toBeVisible();
  await output.getByLabel("Order of the group's speakers").selectOption("film");
  await expect(page.getByLabel("Name of output 2")).toHaveValue("Full mix 5.1 C");
  await expect(page.getByLabel("Name of output 6")).toHaveValue("Full mix 5.1 LFE");
  expect((await reel()).doc.weave.groups?.[0]?.layout).toBe("custom L C R Ls Rs LFE");
  await output.getByLabel(/^Trim/).fill("-2");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("row", { name: /^1 / }).getByText("-2.0 dB")).toBeVisible();

  await page.locator("body").press("Control+z");
  await page.keyboard.press("Control+z");
  await page.keyboard.press("Control+z");
  await expect(page.getByLabel("Name of output 7")).toHaveCount(0);
  expect((await reel()).doc.weave).toEqual(before.doc.weave);
});

/** By pointer: a stem becomes 5.1, a sound is carried in the room, and what would lose its place is shown before. */
test("a sound is carried among the speakers, and nothing is lost unasked", { tag: "@long" }, async ({ page, app }) => {
  const reel = await ownReel(page, app.url, "Room");
  const buses = page.getByRole("toolbar", { name: "Buses" });
  await buses.getByRole("button", { name: "DX" }).click();
  await page.getByLabel("Layout of the bus").selectOption("5.1");
  await expect(page.getByText("every route keeps its place.")).toBeVisible();
  await page.getByRole("button", { name: "Do it", exact: true }).click();
  await expect(buses.getByRole("button", { name: "DX 5.1" })).toBeVisible();

  await page.getByRole("row", { name: /^Boom/ }).first().getByText("Boom").click();
  await page.getByLabel("How Boom enters DX").selectOption("placed");
  const room = page.getByRole("img", { name: /^The room from above/ });
  await expect(room).toBeVisible();
  const box = await room.boundingBox();
  if (!box) throw new Error("the room has no place");
  const middle = { x: box.x + 118, y: box.y + 118 };
  await page.mouse.move(middle.x, middle.y - 88); // straight ahead, on the ring
  await page.mouse.down();
  await page.mouse.move(middle.x - 88, middle.y, { steps: 5 });
  await page.mouse.up();
  await expect(page.getByTestId("ways")).toContainText("placed at 90°");
  const now = await reel();
  const boom = now.doc.tracks.find((t) => t.label === "Boom")?.id ?? "";
  expect(now.doc.weave.sends[boom]?.[0]?.patch.places?.[0]?.azimuth).toBe(90);
  await accessible(page);

  await buses.getByRole("button", { name: "DX 5.1" }).click();
  await page.getByRole("button", { name: "Remove", exact: true }).click();
  const asked = page.getByRole("alertdialog", { name: "remove DX" });
  await expect(asked.getByText("Boom is not sent to DX any more")).toBeVisible();
  await expect(asked.getByText("output 1 (DX L) carries silence")).toBeVisible();
  await asked.getByRole("button", { name: "Leave it" }).click();
  await expect(buses.getByRole("button", { name: "DX 5.1" })).toBeVisible();

  // A layout of one's own: begun with the bus's, a speaker carried, another added, kept, and used.
  await page.getByRole("button", { name: "Of one's own…" }).click();
  const own = page.getByRole("dialog", { name: "Layouts of one's own" });
  const plan = await own.getByRole("img", { name: /^The speakers from above/ }).boundingBox();
  if (!plan) throw new Error("the plan has no place");
  const centre = { x: plan.x + 200, y: plan.y + 200 };
  await page.mouse.move(centre.x, centre.y - 160); // C, straight ahead
  await page.mouse.down();
  await page.mouse.move(centre.x + 160, centre.y, { steps: 5 });
  await page.mouse.up();
  await expect(own.getByLabel(/^Azimuth of C,/)).toHaveValue("-90");
  await own.getByRole("button", { name: "Add a speaker" }).click();
  await own.getByLabel("Name of speaker 7").fill("Top");
  await own.getByLabel(/^Elevation of Top/).fill("90");
  await own.getByLabel(/^Elevation of Top/).press("Enter");
  await own.getByLabel(/^Azimuth of Top/).fill("0");
  await own.getByLabel(/^Azimuth of Top/).press("Enter");
  await own.getByLabel("Name", { exact: true }).fill("Lantern room");
  await accessible(page);
  await own.getByRole("button", { name: "Keep it, and use it for DX" }).click();
  await page.getByRole("button", { name: "Do it", exact: true }).click();
  await expect(buses.getByRole("button", { name: "DX Lantern room" })).toBeVisible();
  await expect(page.getByLabel("Layout of the bus")).toContainText("Lantern room");
});

/** By keys: the grid is walked through, levels are typed, filled down, copied and pasted, heads are folded; outputs are heard alone. */
test("levels are typed into the grid, heads fold, and outputs are heard alone together", { tag: "@long" }, async ({
  page,
  app,
  context,
}) => {
  await context.grantPermissions(["clipboard-read", "clipboard-write"]);
  const reel = await ownReel(page, app.url, "Typed");
  const before = (await reel()).doc.weave;
  const grid = page.getByRole("grid", { name: "Tracks to stem channels" });
  const level = (track: string, channel: string) => grid.getByRole("button", { name: `${track} to ${channel}` });
  await page.keyboard.press("ArrowRight");
  await expect(grid).toBeFocused();
  await page.keyboard.press("Control+Home");
  await page.keyboard.type("-7,5 dB");
  await page.keyboard.press("Enter");
  await expect(level("Boom", "DX L")).toHaveText("−7.5");
  await expect(level("Boom", "DX R")).toHaveText("−4.0");
  // A level that was just typed is filled down as it was typed; kept with both columns in one step.
  await page.keyboard.press("Control+Home");
  await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press("Shift+ArrowDown");
  await page.keyboard.press("Shift+ArrowDown");
  await page.keyboard.press("Control+d");
  await expect(level("Lav Odell", "DX L")).toHaveText("−7.5");
  await expect(level("Lav Odell", "DX R")).toHaveText("−4.0");
  await accessible(page);
  // Copied to another stem, where nothing was sent, and cleared there again.
  await page.keyboard.press("Control+c");
  expect(await page.evaluate(() => navigator.clipboard.readText())).toBe("-7.5\t-4\n-7.5\t-4\n-7.5\t-4");
  await page.keyboard.press("Control+Home");
  for (let i = 0; i < 4; i++) await page.keyboard.press("ArrowRight");
  await page.keyboard.press("Control+v");
  await expect(level("Lav Odell", "FX R")).toHaveText("−4.0");
  await expect(level("Boom", "FX L")).toHaveText("−7.5");
  await page.keyboard.press("Shift+ArrowDown");
  await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press("Delete");
  await expect(level("Boom", "FX L")).toHaveText("");
  await expect(level("Lav Odell", "FX R")).toHaveText("−4.0");
  // What is no level is refused in words, and leaves what was there.
  await page.keyboard.press("Control+Home");
  await page.keyboard.type("99");
  await page.keyboard.press("Enter");
  await expect(page.getByText("“99” is no level from −96 to 24 dB.")).toBeVisible();
  await expect(level("Boom", "DX L")).toHaveText("−7.5");

  // A stretch by the pointer with Shift is chosen, and changes nothing; Space plays, wherever one has clicked.
  await level("Score", "FX R").click({ modifiers: ["Shift"] });
  await expect(grid.getByRole("gridcell", { selected: true })).not.toHaveCount(1);
  await expect(level("Score", "FX R")).toHaveText("");
  await page.keyboard.press(" ");
  await expect(page.getByTestId("hearing")).toContainText("as it is routed");
  await page.keyboard.press(" ");
  await expect(page.getByTestId("hearing")).toContainText("Silent");

  // Folded, a stem is a column with the level that is heard most, and what is typed is the gain into it.
  await page.keyboard.press("Control+Shift+F");
  await expect(level("Boom", "DX L")).toHaveCount(0);
  await expect(grid.getByRole("button", { name: "Boom to DX", exact: true })).toHaveText("−4.0");
  const product = page.getByRole("grid", { name: "Tracks to outputs, the product" });
  await expect(product.getByRole("columnheader").getByText("1–2")).toBeVisible();
  await page.getByRole("button", { name: "Unfold the group of output 1" }).click();
  await expect(page.getByLabel("Name of output 2")).toBeVisible();
  await page.getByRole("button", { name: "Fold the group of output 1" }).click();
  await page.locator("body").press("Control+Shift+F");
  await expect(level("Boom", "DX R")).toBeVisible();

  // Heard alone, several together: for the listening only.
  const outputs = page.getByRole("toolbar", { name: "Outputs" });
  await outputs.getByRole("button", { name: "1 DX L" }).click();
  await page.keyboard.press("a");
  await outputs.getByRole("button", { name: "5 FX L" }).click();
  await page.getByRole("button", { name: "Hear the group of output 5 alone" }).click();
  await expect(page.getByTestId("hearing")).toContainText(/outputs 1 DX L, 5 FX L, 6 FX R alone/);
  await expect(page.getByTestId("way")).toHaveText(/^DX, FX, folded down to two sides/);
  await page.getByRole("button", { name: "Hear all again" }).click();
  await expect(page.getByTestId("hearing")).not.toContainText("alone");
  await page.keyboard.press(" ");

  // Parts by what the labels say, looked at first.
  const buses = page.getByRole("toolbar", { name: "Buses" });
  await buses.getByRole("button", { name: /^DX/ }).click();
  await page.getByRole("button", { name: "Parts by label…" }).click();
  const asked = page.getByRole("alertdialog", { name: "parts of DX by label" });
  await expect(asked.getByText("bus Ines added")).toBeVisible();
  await expect(asked.getByText("track Lav Odell changed")).toBeVisible();
  await asked.getByRole("button", { name: "Do it", exact: true }).press("Enter");
  await expect(buses.getByRole("button", { name: /^Odell/ })).toBeVisible();
  await expect(level("Lav Ines", "Ines L")).toHaveText("−7.5");

  for (let i = 0; i < 5; i++) await page.locator("body").press("Control+z");
  await expect(level("Boom", "DX L")).toHaveText("−4.0");
  await expect.poll(async () => (await reel()).doc.weave).toEqual(before);
});

/** What is refused is said beside the page: of what, over nothing, and until the same goes well. Templates are said to be begun with. */
test("what went wrong lies over nothing and goes when it is mended; new reels begin with a template", async ({
  page,
  app,
}) => {
  const reel = await ownReel(page, app.url, "Wrongs");
  const detail = "A stereo track has no way into a mono stem that keeps both of its sides.";
  await page.route(/\/api\/reels\/[^/]+\/edits$/, (r) =>
    r.fulfill({
      status: 422,
      contentType: "application/problem+json",
      body: JSON.stringify({ type: "about:blank", title: "no", status: 422, code: "no_way", detail }),
    }),
  );
  await page.getByRole("button", { name: "Add a mix" }).click();
  const wrongs = page.getByRole("status", { name: "What went wrong" });
  await expect(wrongs).toContainText(/Edit .*mix.*: A stereo track has no way/);
  const note = await wrongs.boundingBox();
  const strip = await page.getByTestId("hearing").boundingBox();
  expect(note?.height).toBeGreaterThan(20);
  expect((strip?.y ?? 0) + (strip?.height ?? 0)).toBeLessThanOrEqual(note?.y ?? 0);
  await accessible(page);
  // A panel that is open stays so while a note is put away.
  await page.keyboard.press("t");
  const list = page.getByRole("listbox", { name: "Templates" });
  await expect(list).toBeVisible();
  await page.getByRole("button", { name: "Put this note away: Edit" }).click();
  await expect(wrongs).toHaveText("");
  await expect(list).toBeVisible();

  const here = page.getByRole("checkbox", { name: "in this production" });
  await here.click(); // what it shows comes with the change, not with the click
  await expect(here).toBeChecked();
  await expect(list.getByRole("option", { selected: true })).toContainText("new reels begin with it");
  await here.click();
  await expect(here).not.toBeChecked();
  await expect(list).not.toContainText("new reels begin with it");
  await page.keyboard.press("Escape");

  await page.getByRole("button", { name: "Add a mix" }).click();
  await expect(wrongs).toContainText("no way");
  await page.unroute(/\/api\/reels\/[^/]+\/edits$/);
  await page.getByRole("button", { name: "Add a mix" }).click();
  await expect(wrongs).toHaveText("");

  // A track that somebody has called otherwise says what its strands are called, and is called like them by one action.
  await expect.poll(async () => (await reel()).doc.weave.outputs.length).toBeGreaterThan(0);
  const now = (await reel()) as Reel & { version: number };
  const boom = now.doc.tracks.find((t) => t.label === "Boom")?.id ?? "";
  const renamed = await page.request.post(`${app.url}/api/reels/${now.id}/edits`, {
    data: { version: now.version, what: "rename", actions: [{ set_track: { id: boom, label: "Deck" } }] },
  });
  expect(renamed.ok()).toBe(true);
  await page.getByText("Deck", { exact: true }).first().click();
  const ways = page.getByRole("region", { name: "Ways of Deck" });
  await expect(ways.getByText("are called Boom")).toBeVisible();
  await ways.getByRole("button", { name: "Call the track Boom" }).click();
  await expect(page.getByRole("region", { name: "Ways of Boom" })).toBeVisible();
  await expect(page.getByText("are called Boom")).toHaveCount(0);
});
