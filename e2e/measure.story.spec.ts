import { execFileSync } from "node:child_process";
import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Page } from "@playwright/test";
import { accessible, expect, go, test } from "./app";
import { copyOf } from "./ferry";

type Correction = { id: string; buses: string[]; gain?: { at: number; value: number }[]; peaks?: unknown[] };
type Reel = { id: string; version: number; doc: { weave: { corrections?: Correction[] } } };

/** A copy of one of the demonstration's reels, which the page measures. */
async function measuring(page: Page, url: string, of: string, name: string): Promise<() => Promise<Reel>> {
  const { production, id, reel } = await copyOf(page, url, of, name);
  await page.goto(`${url}/${production}/measure`);
  await expect(page.getByRole("combobox", { name: "Reel" })).toHaveValue(id);
  return () => reel<Reel>();
}

const places = (page: Page) => page.getByRole("list", { name: "Places where a limit is not kept" });
const hearing = (page: Page) => page.getByTestId("hearing");

/**
 * The demonstration's mix in 5.1 breaks limits in three ways. They are found and heard by keys, corrected with the stems,
 * compared before and after, and delivered: what was written keeps the limits.
 */
test("three limits are found, heard, corrected, compared and delivered", { tag: "@long" }, async ({ page, app }) => {
  const reel = await measuring(page, app.url, "Reel 1 in 5.1", "Low water, measured");
  await page.getByRole("combobox", { name: "Limits" }).selectOption({ label: "EBU R 128, short form" });
  const readings = page.getByRole("table", { name: "Readings" });
  await expect(readings.getByRole("row", { name: /^Full mix 5.1 mix/ })).toContainText("3 limits not kept", {
    timeout: 60_000,
  });
  await expect(readings.getByRole("row", { name: /^Outputs 1–6 Full mix 5.1/ })).toBeVisible();
  // The gravest first: half a minute of music, a hatch, a glass between the samples.
  const of = places(page).getByRole("listitem");
  await expect(of.nth(0)).toContainText(/22:10:00:00.*short-term loudness up to -13/);
  await expect(of.nth(1)).toContainText(/22:10:5\d.*short-term loudness up to -15/);
  await expect(of.nth(2)).toContainText(/22:10:58.*true peak up to 0\.2 dBTP/);
  await accessible(page);
  for (const i of [0, 1, 2]) {
    await page.keyboard.press("g");
    await expect(of.nth(i).getByRole("button")).toHaveAttribute("aria-current", "true");
    await expect(hearing(page)).toContainText("Low water, measured as it is routed");
  }
  await expect(page.getByRole("region", { name: "Both sides" })).toContainText(/correlation −?[01]\.\d\d/);
  await page.keyboard.press(" ");
  await expect(hearing(page)).toContainText("Silent");

  // As loud as it is, with short-term and true peaks held down.
  const form = page.getByRole("region", { name: "Correct Full mix 5.1" });
  await form.getByRole("checkbox", { name: "loudness to" }).uncheck();
  await form.getByRole("button", { name: "Show what that takes" }).click();
  await expect(form.getByRole("row", { name: /^short-term at most −13\.2 −18\.0/ })).toBeVisible();
  await expect(form.getByText(/a slow gain that goes down by up to .* true peaks held in one place/)).toBeVisible();
  await form.getByRole("button", { name: "Do it", exact: true }).click();
  const corrected = page.getByRole("region", { name: "Correction of Full mix 5.1" });
  await expect(corrected.getByRole("row", { name: /^true peak at most 0\.2 −1\.\d/ })).toBeVisible({ timeout: 60_000 });
  await expect(readings.getByRole("row", { name: /^Full mix 5.1 mix, corrected/ })).not.toContainText("3 limits");
  await expect(places(page).getByRole("listitem")).toHaveCount(0);
  const was = (await reel()).doc.weave.corrections?.[0];
  expect(was?.buses).toHaveLength(3);
  expect(was?.peaks).not.toHaveLength(0);
  await accessible(page);

  // Before and after at the same moment, as it is and as loud as each other.
  await page.keyboard.press(" ");
  await expect(hearing(page)).toContainText("Hearing Low water, measured");
  await page.keyboard.press("b");
  await expect(hearing(page)).toContainText("Hearing before corrections, Low water");
  await page.keyboard.press("b");
  await expect(hearing(page)).toContainText("Hearing Low water, measured");
  await page.keyboard.press("l");
  await expect(hearing(page)).toContainText(/before corrections, −\d+\.\d dB to be as loud/);
  await page.keyboard.press("Escape");
  await page.keyboard.press("b");
  await page.keyboard.press("b");
  await page.keyboard.press(" ");
  await expect(hearing(page)).toContainText("Silent");

  // The slow gain is drawn in by hand, typed and dragged, and undone.
  await corrected.getByRole("checkbox", { name: "draw the slow gain by hand" }).check();
  const gain = corrected.getByLabel(/^Slow gain at the pointer/);
  await gain.fill("-9");
  await gain.press("Enter");
  await expect(corrected.getByText(/drawn by hand/)).toBeVisible();
  const points = page.getByRole("img", { name: /^Slow gain of Full mix 5.1/ });
  const box = await points.boundingBox();
  if (!box) throw new Error("the slow gain is not drawn");
  const before = (await reel()).doc.weave.corrections?.[0]?.gain?.length ?? 0;
  await page.mouse.move(box.x + box.width * 0.9, box.y + box.height * 0.3);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.92, box.y + box.height * 0.6, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => (await reel()).doc.weave.corrections?.[0]?.gain?.length).toBe(before + 1);
  await page.locator("body").press("Control+z");
  await page.locator("body").press("Control+z");
  await expect(corrected.getByText(/drawn by hand/)).toHaveCount(0);
  expect((await reel()).doc.weave.corrections?.[0]?.gain).toEqual(was?.gain);

  // Another level of the music is another sound: it says so, and is made anew.
  const version = (await reel()).version;
  const edited = await page.request.post(`${app.url}/api/reels/${(await reel()).id}/edits`, {
    data: {
      version,
      what: "raise the music",
      actions: [{ weave: { set_levels: { levels: { [was?.buses[1] ?? ""]: { gain_db: 3 } } } } }],
    },
  });
  expect(edited.status()).toBe(200);
  await expect(corrected.getByRole("status")).toContainText("The sound has changed", { timeout: 60_000 });
  const anew = page.getByRole("region", { name: "Correct Full mix 5.1" });
  await anew.getByRole("button", { name: "Show what that takes" }).click();
  await anew.getByRole("button", { name: "Do it", exact: true }).click();
  await expect(corrected.getByRole("status")).toHaveCount(0, { timeout: 60_000 });
  await expect(places(page).getByRole("listitem")).toHaveCount(0);

  // Six files, measured by themselves.
  await go(page, "Delivery");
  await page.getByLabel("Specification", { exact: true }).selectOption({ label: "Discrete 5.1 with speaker suffixes" });
  const articles = page.getByRole("region", { name: "Deliveries" }).getByRole("article");
  const had = await articles.count();
  await page.getByRole("button", { name: /^Order (6 channel|all the same)/ }).click();
  await expect(articles).toHaveCount(had + 1);
  await expect(articles.first().getByText("proven", { exact: true })).toBeVisible({ timeout: 120_000 });
  const dir = mkdtempSync(join(tmpdir(), "zestyloom-measured-"));
  const files: string[] = [];
  for (const speaker of ["L", "R", "C", "LFE", "Ls", "Rs"]) {
    const [download] = await Promise.all([
      page.waitForEvent("download"),
      articles
        .first()
        .getByRole("link", { name: new RegExp(`MIX51\\.${speaker}\\.wav$`) })
        .click(),
    ]);
    const path = join(dir, download.suggestedFilename());
    await download.saveAs(path);
    files.push(path);
  }
  const said = execFileSync("bin/zestyloom", ["measure", "--json", "--together", ...files], { encoding: "utf8" });
  const found = JSON.parse(said) as { layout: string; max_short_term_lufs: number; true_peak_dbtp: number };
  expect(found.layout).toBe("5.1");
  expect(found.max_short_term_lufs).toBeLessThanOrEqual(-18);
  expect(found.max_short_term_lufs).toBeGreaterThan(-18.5);
  expect(found.true_peak_dbtp).toBeLessThanOrEqual(-0.95);
});

/** Measured against limits of one's own, corrected with its stems by its loudness, kept as documents, and undone. */
test("a mix is held against limits of one's own, and brought to a loudness", async ({ page, app }) => {
  const reel = await measuring(page, app.url, "Reel 1", "Loud");
  await expect(page.getByText("There is no full mix in this weave")).toBeVisible({ timeout: 60_000 });
  await go(page, "Weave");
  await page.keyboard.press("t");
  await page
    .getByRole("listbox", { name: "Templates" })
    .getByRole("option", { name: /^Stereo stems and full mix/ })
    .click();
  await page.getByRole("button", { name: /^Use it/ }).click();
  await expect(page.getByRole("button", { name: "DX in Full mix" })).toHaveAttribute("aria-pressed", "true");
  await go(page, "Measure");
  await page.getByRole("combobox", { name: "Limits" }).selectOption({ label: "your own…" });
  const own = page.getByRole("region", { name: "Limits of your own" });
  const asked = own.getByLabel(/^integrated \(/);
  await asked.fill("-27");
  await asked.press("Enter");
  const verdicts = page.getByRole("table", { name: "Full mix against the limits" });
  await expect(verdicts.getByRole("row", { name: /^integrated/ })).toContainText("−27.0 LUFS ± 0.5 LU", {
    timeout: 60_000,
  });
  await own.getByRole("checkbox", { name: "momentary at most" }).check();
  await expect(verdicts.getByRole("row", { name: /^momentary loudness/ })).toBeVisible({ timeout: 60_000 });
  await expect(page.getByText("0 of 1 mix kept")).toBeVisible();
  await own.getByRole("checkbox", { name: "momentary at most" }).uncheck();

  await page.getByRole("button", { name: "Show what that takes" }).click();
  await expect(
    page.getByRole("table", { name: "Before and after" }).getByRole("row", { name: /^integrated .* −27\.0/ }),
  ).toBeVisible();
  await page.getByRole("button", { name: "Do it", exact: true }).click();
  await expect(page.getByText("1 of 1 mix kept")).toBeVisible({ timeout: 60_000 });
  expect((await reel()).doc.weave.corrections?.[0]?.buses).toHaveLength(3); // DX, MX and FX
  for (const [form, type] of [
    ["PDF", "pdf"],
    ["CSV", "csv"],
    ["JSON", "json"],
  ] as const) {
    const href = await page.getByRole("link", { name: form, exact: true }).getAttribute("href");
    const got = await page.request.get(`${app.url}${href}`);
    expect(got.headers()["content-type"]).toContain(type);
  }
  const [picture] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("button", { name: "PNG", exact: true }).click(),
  ]);
  expect(picture.suggestedFilename()).toBe("Loud loudness.png");
  const on = page.getByRole("checkbox", { name: "on", exact: true });
  await on.click();
  await expect(on).not.toBeChecked();
  await expect(page.getByText("0 of 1 mix kept")).toBeVisible({ timeout: 60_000 });
  await page.getByRole("button", { name: "Take it off" }).click();
  await expect(page.getByRole("region", { name: "Correction of Full mix" })).toHaveCount(0);
  await page.locator("body").press("Control+z");
  await page.locator("body").press("Control+z");
  await expect(page.getByText("1 of 1 mix kept")).toBeVisible({ timeout: 60_000 });
});
