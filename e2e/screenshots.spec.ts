import { join } from "node:path";
import { ended, expect, go, run, started, test } from "./app";

test("pictures for the README", async ({ page, app, browser }) => {
  test.setTimeout(300_000); // every stage, and three deliveries
  const shot = async (name: string) => {
    await expect(page.locator("[data-drawn=no]")).toHaveCount(0);
    await page.screenshot({ path: join(import.meta.dirname, "..", "docs", "screenshots", `${name}.png`) });
  };
  await page.goto(app.url);
  await page.waitForURL(/intake/);
  await page.getByLabel("Search files").fill("LF07");
  await shot("intake");
  await go(page, "Takes");
  await page
    .getByRole("gridcell", { name: /^Label of strand 3 of take 21A-3/ })
    .first()
    .click();
  const strip = page.getByRole("button", { name: /Waveform of strand 4/ });
  await strip.hover({ position: { x: 300, y: 10 } });
  await page.keyboard.down("4");
  await expect(page.getByRole("meter")).not.toHaveAttribute("aria-valuetext", "silent");
  await shot("takes");
  await page.keyboard.up("4");
  await go(page, "Sync");
  await page.keyboard.press("p");
  await expect(page.getByRole("option", { name: /CAM_A_0031.*21A-3/ })).toContainText("aligned", { timeout: 60_000 });
  await expect(page.getByRole("option").filter({ hasText: /waiting|listening/ })).toHaveCount(0, { timeout: 60_000 });
  await page.getByRole("option", { name: /CAM_A_0031.*21A-3/ }).click();
  await expect(page.getByText(/being listened to/)).toHaveCount(0, { timeout: 30_000 });
  await shot("sync");
  await go(page, "Reel");
  const chooser = page.getByLabel("Reel", { exact: true });
  await chooser.selectOption({ label: "Scene 21A, edited" });
  await expect(page.getByText(/^13 tracks, /)).toBeVisible();
  const goTo = async (text: string) => {
    await page.keyboard.press("g");
    await page.keyboard.type(text);
    await page.keyboard.press("Enter");
  };
  // The scene, with the line that was borrowed chosen.
  for (const [at, key] of [
    ["22:10:31:00", "s"],
    ["22:10:51:00", "e"],
  ] as const) {
    await goTo(at);
    await page.keyboard.press(key);
  }
  for (const key of ["z", "Escape", "ArrowDown"]) await page.keyboard.press(key);
  await goTo("22:10:38:20");
  await page.keyboard.press("Enter");
  await shot("reel");
  await page.getByRole("row", { name: /^Track Boom/ }).click();
  await page.keyboard.press("ControlOrMeta+m");
  await expect(page.getByText(/compressor 2.5:1/)).toBeVisible();
  await expect(page.getByRole("img", { name: /^What the filters do/ }).locator("polygon")).toBeVisible();
  await shot("treatment");
  await page.keyboard.press("ControlOrMeta+m");
  await goTo("22:10:44:00");
  await page.keyboard.press("Escape");
  await page.keyboard.press("s");
  await goTo("22:10:46:00");
  await page.keyboard.press("e");
  await page.keyboard.press("ControlOrMeta+b");
  await expect(page.getByRole("listbox", { name: "Lines to borrow" }).getByRole("option").first()).toBeVisible();
  await page.keyboard.press("Space");
  await expect(page.getByRole("meter")).not.toHaveAttribute("aria-valuetext", "silent");
  await shot("borrow");
  await page.keyboard.press("Escape");
  await page.keyboard.press("Escape");
  const picker = page.waitForEvent("filechooser");
  await chooser.selectOption({ label: "Lay a cut list from picture…" });
  await (await picker).setFiles(join(app.home, "cut lists", "low water, cut 1.edl"));
  await expect(page.getByText(/4 events/)).toBeVisible();
  await shot("cut-list");
  await page.keyboard.press("Escape");
  await chooser.selectOption({ label: "Reel 1 in 5.1" });
  await go(page, "Weave");
  await page.getByRole("row", { name: /^Boom/ }).first().getByText("Boom").click();
  await expect(page.getByRole("img", { name: /^The room from above/ })).toBeVisible();
  await shot("weave");
  await go(page, "Measure");
  await expect(page.getByRole("table", { name: "Readings" })).toBeVisible({ timeout: 60_000 });
  await page.getByRole("button", { name: "Show what that takes" }).click();
  await expect(page.getByRole("table", { name: "Before and after" })).toBeVisible();
  await shot("measure");
  await go(page, "Reel");
  await chooser.selectOption({ label: "Reel 1" });
  await go(page, "Delivery");
  await page.getByRole("button", { name: /Order (6 channels|all the same)/ }).click();
  await expect(page.getByText("proven", { exact: true })).toBeVisible({ timeout: 60_000 });
  // A second one to another specification, with limits, which the reel is woven for.
  await page.getByLabel("Specification", { exact: true }).selectOption({ label: "R 128 stereo" });
  await page.getByRole("button", { name: "Weave the reel as the specification asks…" }).click();
  await page.getByRole("button", { name: /^Use it/ }).click();
  await page.getByRole("button", { name: /Order (2 channels|all the same)/ }).click();
  await expect(page.getByText("failed", { exact: true })).toBeVisible({ timeout: 60_000 });
  await page.getByLabel("Specification", { exact: true }).selectOption({ label: "Stereo stems and full mix" });
  await page.getByRole("button", { name: /Order (8 channels|all the same)/ }).click();
  await expect(page.getByText("proven", { exact: true })).toHaveCount(2, { timeout: 60_000 });
  await expect(page.getByRole("button", { name: /Put this note away/ })).toHaveCount(0, { timeout: 30_000 });
  await shot("delivery");

  // A layback onto the deck, and the deck's own page meanwhile.
  const deck = run("deck", "--home", app.home);
  const deckURL = await started(deck);
  await go(page, "Reel");
  await chooser.selectOption({ label: "Reel 1 in 5.1" });
  await go(page, "Delivery");
  await page.keyboard.press("l");
  await expect(page.getByText(`Answers at ${deckURL}`)).toBeVisible();
  await page.getByLabel("From", { exact: true }).fill("22:10:30:00");
  await page.getByLabel("To", { exact: true }).fill("22:10:45:00");
  await page.getByRole("button", { name: "Lay back onto the deck" }).click();
  await expect(page.getByRole("listitem", { name: /^Layback .*, playing/ })).toBeVisible();
  const machine = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: "dark" });
  await machine.goto(deckURL);
  await machine.getByLabel("Layout").selectOption("5.1");
  await machine.getByRole("button", { name: "Measure from now on" }).click();
  await expect(machine.locator("#short")).toHaveText(/LUFS$/, { timeout: 10_000 });
  await machine.screenshot({ path: join(import.meta.dirname, "..", "docs", "screenshots", "deck.png") });
  await expect(page.getByRole("listitem", { name: /^Layback .*, proven/ })).toBeVisible({ timeout: 60_000 });
  await shot("layback");
  await page.keyboard.press("Escape");
  await ended(deck);
  await page.keyboard.press("ControlOrMeta+k");
  await page.getByPlaceholder("What do you want to do?").fill("linen");
  await page.keyboard.press("Enter");
  await go(page, "Reel");
  await shot("reel-linen");
});
