import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { accessible, expect, test } from "./app";
import { newProduction, takeIn } from "./many";
import { readWav, samples, wav } from "./sound";

const rate = 48000;

/** A day's takes labelled, reported and written out by keys, as one does with hundreds of them. */
test("the sheet: typed into, filled, pasted, templated, reported and written out", async ({ page, app }) => {
  test.setTimeout(240_000);
  const folder = join(app.home, "lantern-ferry", "sheet");
  mkdirSync(folder, { recursive: true });
  const names = ["S1.wav", "S2.wav", "S3.wav"];
  const sound = names.map((_, n) => [0, 1, 2].map((c) => samples(10 * n + c, rate)));
  for (const [n, name] of names.entries())
    writeFileSync(join(folder, name), wav(sound[n] ?? [], rate, (10 * 3600 + 60 * n) * rate));
  const production = await newProduction(page, app.url, "Sheet");
  await takeIn(
    page,
    app.url,
    production,
    names.map((n) => `sheet/${n}`),
  );
  await page.goto(`${app.url}/${production}/takes`);
  // Without a network all of it goes on: the server is on this machine.
  await page.evaluate(() => window.dispatchEvent(new Event("offline")));
  const sheet = page.getByRole("grid", { name: "Takes" });
  const cell = (name: string | RegExp) => sheet.getByRole("gridcell", { name });
  await expect(cell(/^Label of strand 1 of take S1/)).toBeVisible();

  await test.step("cells are typed into, the cursor going on, and filled down", async () => {
    await cell("Scene of take S1: empty").click();
    await page.keyboard.press("Enter"); // figures by themselves hear strands
    await page.keyboard.type("21A");
    await page.keyboard.press("Tab");
    await expect(cell("Scene of take 21A: 21A")).toBeVisible();
    await page.keyboard.press("Enter");
    await page.keyboard.type("1");
    await page.keyboard.press("Enter");
    await expect(cell("Take of take 21A-1: 1")).toBeVisible();
    await cell("Scene of take 21A-1: 21A").click();
    await page.keyboard.press("Shift+ArrowDown");
    await page.keyboard.press("Shift+ArrowDown");
    await page.keyboard.press("ControlOrMeta+d");
    await expect(cell(/^Scene of take .*: 21A$/)).toHaveCount(3);
    await page.keyboard.press("ControlOrMeta+z");
    await expect(cell(/^Scene of take .*: 21A$/)).toHaveCount(1);
    await page.keyboard.press("ControlOrMeta+Shift+z");
    await expect(cell(/^Scene of take .*: 21A$/)).toHaveCount(3);
  });

  await test.step("a block is copied and pasted as a spreadsheet would", async () => {
    await cell(/^Label of strand 1 of take 21A-1/).click();
    await page.keyboard.type("Boom");
    await page.keyboard.press("Tab");
    await page.keyboard.type("Lav Ines");
    await page.keyboard.press("Tab");
    await page.keyboard.type("Lav Odell");
    await page.keyboard.press("Tab");
    await expect(cell("Label of strand 3 of take 21A-1: Lav Odell")).toBeVisible();
    await cell("Label of strand 1 of take 21A-1: Boom").click();
    await page.keyboard.press("Shift+ArrowRight");
    await page.keyboard.press("Shift+ArrowRight");
    await page.keyboard.press("ControlOrMeta+c");
    await page.keyboard.press("ArrowDown");
    await page.keyboard.press("Home");
    for (let i = 0; i < 5; i++) await page.keyboard.press("ArrowRight");
    await page.keyboard.press("ControlOrMeta+v");
    await expect(cell(/^Label of strand 3 of take .*: Lav Odell$/)).toHaveCount(2);
    await page.keyboard.press("ControlOrMeta+z");
    await expect(cell(/^Label of strand 3 of take .*: Lav Odell$/)).toHaveCount(1);
  });

  await test.step("labels are kept as a template and applied to all takes that match, what would change shown first", async () => {
    await cell("Label of strand 1 of take 21A-1: Boom").click();
    await page.keyboard.press("ControlOrMeta+l");
    const panel = page.getByRole("dialog", { name: "Label templates" });
    await panel.getByLabel("Name of the template").fill("Three tracks");
    await panel.getByRole("button", { name: "Keep the labels of 21A-1" }).click();
    await panel.getByLabel("Apply to").selectOption({ label: "all matching takes" });
    await expect(panel.getByRole("list", { name: "What would change" }).getByRole("listitem")).toHaveCount(2);
    await expect(panel.getByText("nothing → Boom, nothing → Lav Ines, nothing → Lav Odell").first()).toBeVisible();
    await accessible(page);
    await panel.getByRole("button", { name: "Apply to 2 takes" }).click();
    await expect(cell(/^Label of strand 2 of take .*: Lav Ines$/)).toHaveCount(3);
  });

  await test.step("flags, search and groups", async () => {
    await cell("Flags of take 21A-1: empty").click();
    await page.keyboard.press("c");
    await expect(cell("Flags of take 21A-1: C")).toBeVisible();
    await page.keyboard.press("/");
    await page.keyboard.type("scene:21 circled boom");
    await expect(sheet).toHaveAttribute("aria-rowcount", "1");
    await page.getByLabel("Search takes").fill("-circled");
    await expect(sheet).toHaveAttribute("aria-rowcount", "2");
    await page.getByLabel("Search takes").fill("");
    await page.getByLabel("Group takes").selectOption({ label: "By scene" });
    await expect(sheet.getByText("Scene 21A")).toBeVisible();
    await page.getByLabel("Group takes").selectOption({ label: "No groups" });
  });

  await test.step("takes are chosen by their heads, one, a range and all, and columns keep the width they are given", async () => {
    const head = (n: number) => page.getByRole("button", { name: /^Choose take / }).nth(n);
    const count = page.getByRole("button", { name: /^Choose (all takes|only the take of the cursor)$/ });
    await head(0).click();
    await expect(count).toHaveText("1");
    await expect(sheet).toBeFocused();
    await head(2).click({ modifiers: ["Shift"] });
    await expect(count).toHaveText("3");
    await expect(page.getByRole("button", { name: /Take 3 takes into the reel/ })).toBeVisible();
    await head(1).click();
    await expect(count).toHaveText("1");
    await count.click();
    await expect(count).toHaveText("3");
    await expect(count).toHaveAccessibleName("Choose only the take of the cursor");
    await count.click();
    await expect(count).toHaveText("1");
    const from = await head(0).boundingBox();
    const to = await head(1).boundingBox();
    if (!from || !to) throw new Error("no heads");
    await page.mouse.move(from.x + 4, from.y + 10);
    await page.mouse.down();
    await page.mouse.move(to.x + 4, to.y + 10, { steps: 4 });
    await page.mouse.up();
    await expect(count).toHaveText("2");

    const edge = page.getByRole("separator", { name: "Width of note" });
    const wide = Number(await edge.getAttribute("aria-valuenow"));
    await edge.focus();
    await page.keyboard.press("ArrowRight");
    await page.keyboard.press("ArrowRight");
    await expect(edge).toHaveAttribute("aria-valuenow", String(wide + 16));
    await page.reload();
    await expect(edge).toHaveAttribute("aria-valuenow", String(wide + 16));
    await edge.dblclick();
    await expect(edge).toHaveAttribute("aria-valuenow", String(wide));
  });

  await test.step("a report of another department is matched, and taken over once it was looked at", async () => {
    await page.getByRole("button", { name: "Report…" }).click();
    const panel = page.getByRole("dialog", { name: "Sound report" });
    await panel.getByLabel("Report to read").setInputFiles({
      name: "script.csv",
      mimeType: "text/csv",
      buffer: Buffer.from("Scene,Take,Comment,Lens\n21A,1,wind on the boom,35\n99,9,x,50\n"),
    });
    await expect(panel.getByText("script.csv: 1 take found, 1 cell would change.")).toBeVisible();
    const column = (n: number, heading: string) => panel.getByLabel(`Column ${n}, ${heading}, holds`);
    await expect(column(4, "Lens")).toHaveValue("");
    await expect(panel.getByText("nothing → wind on the boom")).toBeVisible();

    // One whose headings say nothing is read as is said, and the next of its kind by itself.
    const mute = (note: string) => ({
      name: "mixer.csv",
      mimeType: "text/csv",
      buffer: Buffer.from(`by hand\nA;B;C\n21A;1;${note}\n`),
    });
    await panel.getByLabel("Report to read").setInputFiles(mute("rain"));
    await expect(panel.getByText(/What its columns hold is not known/)).toBeVisible();
    await column(1, "A").selectOption("scene");
    await column(2, "B").selectOption("take");
    await column(3, "C").selectOption("note");
    await expect(panel.getByText("nothing → rain")).toBeVisible();
    await panel.getByRole("button", { name: "Take over 1 cell" }).click();
    await expect(cell("Note of take 21A-1: rain")).toBeVisible();
    await page.getByRole("button", { name: "Report…" }).click();
    await panel.getByLabel("Report to read").setInputFiles(mute("wind on the boom"));
    await expect(panel.getByText("Its columns are read as was said of such a table before.")).toBeVisible();
    await expect(panel.getByText("rain → wind on the boom")).toBeVisible();
    await panel.getByRole("button", { name: "Take over 1 cell" }).click();
    await expect(cell("Note of take 21A-1: wind on the boom")).toBeVisible();
    const csv = await (await page.request.get(`${app.url}/api/productions/${production}/sound-report`)).text();
    expect(csv).toContain("wind on the boom");
    expect(csv).toContain("Lav Odell");
  });

  await test.step("a take is written out as mono files, each read back, each the samples that were recorded", async () => {
    await cell("Scene of take 21A-1: 21A").click();
    await page.keyboard.press("ControlOrMeta+s");
    const panel = page.getByRole("dialog", { name: "Write out 1 take" });
    await panel.getByLabel("Files of a take").selectOption({ label: "A mono file a strand" });
    await panel.getByLabel("Name pattern").fill("same");
    await expect(panel.getByText(/same/).first()).toBeVisible();
    await expect(panel.getByRole("button", { name: /Write \d+ files/ })).toBeDisabled();
    await panel.getByLabel("Name pattern").fill("{scene}_{channel}_{label}_{name}");
    await panel.getByRole("button", { name: "Write 3 files" }).click();
    const written = panel.getByRole("list", { name: "Written takes" });
    await expect(written.getByText("proven", { exact: true })).toHaveCount(1, { timeout: 60_000 });
    const link = written.getByRole("link", { name: "21A_2_Lav Ines_21A-1.wav" });
    const file = await page.request.get(`${app.url}${await link.getAttribute("href")}`);
    const got = readWav(await file.body());
    expect(got.start).toBe(10 * 3600 * rate);
    expect(got.channels).toHaveLength(1);
    expect(got.channels[0]).toEqual(sound[0]?.[1]);
    await accessible(page);
  });
});
