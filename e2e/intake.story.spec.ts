import { mkdirSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { accessible, expect, go, test } from "./app";
import { newProduction } from "./many";
import { samples, wav } from "./sound";

const rate = 48000;
const second = (c: number, frames = rate) => wav([samples(c, frames)], rate, 0);

/** A card copied to the shelf while one works: offered when it is finished, used where it lies, missed when it goes. */
test("a watched folder, files in place and a hash list", { tag: "@long" }, async ({ page, app }) => {
  const production = await newProduction(page, app.url, "Watched");
  const card = join(app.home, "lantern-ferry", "card");
  mkdirSync(card, { recursive: true });
  await page.goto(`${app.url}/${production}/intake`);
  await page.getByRole("button", { name: "Shelf" }).click();
  const shelf = page.getByRole("dialog", { name: "Files the server can see" });
  await shelf.getByRole("button", { name: "card /" }).click();
  await shelf.getByRole("button", { name: "Watch card" }).click();
  await expect(shelf.getByRole("button", { name: "Stop watching card" })).toBeVisible();
  await page.keyboard.press("Escape");
  const watched = page.getByRole("region", { name: "Watched folders" });
  await expect(watched.getByText("Watching card: nothing new.")).toBeVisible();

  for (const n of [1, 2]) writeFileSync(join(card, `c${n}.wav`), second(n));
  await expect(watched.getByRole("button", { name: "2 new files" })).toBeVisible();
  await watched.getByRole("button", { name: "2 new files" }).click();
  await expect(watched.getByText("card/c1.wav")).toBeVisible();
  await accessible(page);
  await watched.getByRole("button", { name: "Take in place" }).click();
  const file = page.getByRole("article", { name: "c1.wav" });
  await expect(file.getByText(/, in place/)).toBeVisible();
  await expect(watched.getByText("Watching card: nothing new.")).toBeVisible();

  // Its original goes, and comes back.
  renameSync(join(card, "c1.wav"), join(app.home, "c1.wav"));
  await expect(file.getByText(/not on the shelf any more/)).toBeVisible();
  renameSync(join(app.home, "c1.wav"), join(card, "c1.wav"));
  await expect(file.getByText(/not on the shelf any more/)).toHaveCount(0);

  // A list that says of one file what is so, of another what is not, and knows a third.
  const hash = await (await page.request.get(`${app.url}/api/productions/${production}/hash-list`)).text();
  const known = [...hash.matchAll(/<xxh64[^>]*>([0-9a-f]{16})</g)].map((m) => m[1]);
  expect(known).toHaveLength(2);
  const entry = (name: string, value: string | undefined) => `<hash><path>${name}</path><xxh64>${value}</xxh64></hash>`;
  const list = `<?xml version="1.0" encoding="UTF-8"?><hashlist version="2.0" xmlns="urn:ASC:MHL:v2.0"><hashes>${entry("c1.wav", known[1])}${entry("c2.wav", known[1])}${entry("c3.wav", known[0])}</hashes></hashlist>`;
  await page
    .getByLabel("Files to take in")
    .setInputFiles([{ name: "card.mhl", mimeType: "application/xml", buffer: Buffer.from(list) }]);
  await expect(file.getByText(/it is not what was listed/)).toBeVisible();
  await expect(page.getByRole("article", { name: "c2.wav" }).getByText("as its hash list says")).toBeVisible();
  await page.getByRole("button", { name: "Hash lists" }).click();
  const lists = page.getByRole("dialog", { name: "Hash lists" });
  await expect(lists.getByText("Not as listed: c1.wav")).toBeVisible();
  await expect(lists.getByText("Not here: c3.wav")).toBeVisible();
  await accessible(page);
  await page.keyboard.press("Escape");
  rmSync(card, { recursive: true });
});

/** Sets of mono files are mended by dragging, pairs are read as pairs, and both are laid so. */
test("groups and readings", async ({ page, app }) => {
  const production = await newProduction(page, app.url, "Groups");
  await page.goto(`${app.url}/${production}/intake`);
  await page.getByLabel("Files to take in").setInputFiles(
    ["mix_L", "mix_R", "other_L", "other_R"].map((name, i) => ({
      name: `${name}.wav`,
      mimeType: "audio/wav",
      buffer: second(i, rate),
    })),
  );
  await expect(page.getByRole("article")).toHaveCount(4);
  await go(page, "Takes");
  const grid = page.getByRole("grid", { name: "Takes" });
  await expect(grid).toHaveAttribute("aria-rowcount", "2");
  await page.keyboard.press("ControlOrMeta+k");
  await page.getByPlaceholder("What do you want to do?").fill("proposed groups");
  await page.keyboard.press("Enter");
  const panel = page.getByRole("dialog", { name: "Groups of mono files" });
  const members = (name: string) => panel.getByRole("list", { name: `Members of ${name}` }).getByRole("listitem");
  await expect(members("mix")).toHaveCount(2);
  await accessible(page);
  await panel.getByText("other_R.wav").dragTo(panel.getByRole("group", { name: "Group mix" }).first());
  await expect(members("mix")).toHaveCount(3);
  await panel
    .getByRole("group", { name: "Group mix" })
    .getByText("other_R.wav")
    .dragTo(panel.getByText("Drop here to split off"));
  await expect(members("mix")).toHaveCount(2);
  await page.keyboard.press("Escape");
  await expect(grid).toHaveAttribute("aria-rowcount", "3");
  await page.keyboard.press("ControlOrMeta+z");
  await page.keyboard.press("ControlOrMeta+z");
  await expect(grid).toHaveAttribute("aria-rowcount", "2");

  await page.getByRole("button", { name: "2 groups proposed…" }).click();
  await panel.getByRole("button", { name: "Accept all" }).click();
  await expect(panel.getByText("No group waits to be looked at.")).toBeVisible();
  await page.keyboard.press("Escape");

  // Read as mid-side: one stereo track is laid, decoded, by the stem that was chosen with the label.
  await page.getByRole("gridcell", { name: /^Label of strand 1 of take other/ }).click();
  await page.getByLabel("Stem of strand 1").selectOption("FX");
  await page.getByRole("gridcell", { name: /^Label of strand 1 of take other/ }).click();
  await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press("ControlOrMeta+g");
  const reading = page.getByRole("dialog", { name: "How the strands of other are read" });
  await reading.getByLabel("Read as").selectOption({ label: "mid-side pair, decoded" });
  await accessible(page);
  await reading.getByRole("button", { name: "Read strands 1, 2 so" }).click();
  await expect(reading.getByText("mid-side pair")).toHaveCount(2);
  await page.keyboard.press("Escape");
  await expect(page.getByText("1, 2: mid-side pair, decoded")).toBeVisible();
  await page.getByRole("grid", { name: "Takes" }).focus();
  await page.keyboard.press("ControlOrMeta+Enter");
  await expect(page.getByRole("button", { name: "In the reel" })).toBeVisible();
  await go(page, "Reel");
  const tracks = page.getByRole("grid", { name: "Tracks" });
  await expect(tracks.getByRole("row", { name: /, FX/ })).toHaveCount(1);
  await page.getByTestId("lanes").click({ position: { x: 60, y: 30 } });
  await expect(page.getByLabel("Which channels the clip plays")).toHaveValue("mid_side");
  await go(page, "Weave");
  await expect(page.getByLabel(/^Position of /).locator("option:checked")).toHaveText("as it is");
});
