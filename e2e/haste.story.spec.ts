import type { Page } from "@playwright/test";
import { expect, go, test } from "./app";
import { copyOf } from "./ferry";

/** Keeps back what is asked of the server under an address, until it is let go. */
async function keptBack(page: Page, path: RegExp): Promise<() => void> {
  let letGo = () => {};
  const open = new Promise<void>((resolve) => {
    letGo = resolve;
  });
  await page.route(path, async (route) => {
    await open;
    await route.continue();
  });
  return letGo;
}

test("what is done before the server has answered adds up: figures, columns, and an order by what is chosen", async ({
  page,
  app,
}) => {
  const { production: ferry } = await copyOf(page, app.url, "Reel 1", "In haste");

  await test.step("two figures of a treatment", async () => {
    await page.goto(`${app.url}/${ferry}/reel`);
    await page
      .getByRole("row", { name: /^Track/ })
      .first()
      .click();
    await page.keyboard.press("ControlOrMeta+m");
    const panel = page.getByRole("complementary", { name: "Treatment" });
    await panel.getByRole("checkbox", { name: "High-pass" }).press("Space");
    await expect(panel.getByLabel("Slope of the high-pass")).toBeEnabled();
    const letGo = await keptBack(page, /\/api\/reels\/[^/]+\/edits$/);
    await panel.getByLabel("Frequency of the high-pass", { exact: true }).fill("1k");
    await panel.getByLabel("Frequency of the high-pass", { exact: true }).press("Enter");
    await panel.getByLabel("Slope of the high-pass").selectOption("24 dB an octave");
    letGo();
    await expect(panel.getByText("high-pass 1 kHz 24 dB/oct")).toBeVisible();
    await page.keyboard.press("Escape");
  });

  await test.step("an order goes by the specification that is shown", async () => {
    await go(page, "Delivery");
    const spec = page.getByLabel("Specification", { exact: true });
    await spec.selectOption({ label: "Editorial handover" });
    await expect(page.getByRole("button", { name: /^Order / })).toBeEnabled();
    const letGo = await keptBack(page, /\/api\/reels\/[^/]+\/spec$/);
    await spec.selectOption({ label: "The outputs as they are" });
    await expect(spec.locator("option:checked")).toHaveText("The outputs as they are");
    const asked = page.waitForRequest((r) => r.method() === "POST" && r.url().endsWith("/deliveries"));
    await page.getByRole("heading", { level: 1, name: "Delivery" }).click();
    await page.keyboard.press("Shift+Enter");
    const body = (await asked).postDataJSON() as { spec: string };
    const specs = (await (await page.request.get(`${app.url}/api/specs`)).json()) as {
      id: string;
      spec: { name: string };
    }[];
    expect(specs.find((s) => s.id === body.spec)?.spec.name).toBe("The outputs as they are");
    letGo();
  });

  await test.step("three columns of a report", async () => {
    await page.goto(`${app.url}/${ferry}/takes`);
    await page.getByRole("button", { name: "Report…" }).click();
    const panel = page.getByRole("dialog", { name: "Sound report" });
    await panel.getByLabel("Report to read").setInputFiles({
      name: "haste.csv",
      mimeType: "text/csv",
      buffer: Buffer.from("by hand\nK;L;M\n21A;1;in haste\n"),
    });
    await expect(panel.getByText(/What its columns hold is not known/)).toBeVisible();
    const letGo = await keptBack(page, /\/sound-report$/);
    const columns = [
      ["K", "scene"],
      ["L", "take"],
      ["M", "note"],
    ];
    for (const [i, [heading, holds]] of columns.entries()) {
      const column = panel.getByLabel(`Column ${i + 1}, ${heading}, holds`);
      await column.selectOption(holds ?? "");
      await expect(column).toHaveValue(holds ?? "");
    }
    await expect(panel.getByRole("button", { name: /^Take over/ })).toBeDisabled();
    letGo();
    await expect(panel.getByText(/haste\.csv: 1 take found/)).toBeVisible();
    for (const [i, [heading, holds]] of columns.entries())
      await expect(panel.getByLabel(`Column ${i + 1}, ${heading}, holds`)).toHaveValue(holds ?? "");
  });

  await test.step("an undo is of what was typed last, though that is not answered yet", async () => {
    await page.keyboard.press("Escape");
    const label = (n: number) =>
      page.getByRole("gridcell", { name: new RegExp(`^Label of strand ${n} of take 21A-3`) });
    await label(1).first().click();
    await page.keyboard.type("First");
    await page.keyboard.press("Enter");
    await expect(label(1).first()).toContainText("First");
    const letGo = await keptBack(page, /\/api\/productions\/[^/]+\/sheet$/);
    await label(2).first().click();
    await page.keyboard.type("Second");
    await page.keyboard.press("Enter");
    await expect(label(2).first()).toContainText("Second");
    await page.keyboard.press("ControlOrMeta+z");
    letGo();
    await expect(label(2).first()).not.toContainText("Second");
    await expect(label(1).first()).toContainText("First");
    await page.reload();
    await expect(label(1).first()).toContainText("First");
    await expect(label(2).first()).not.toContainText("Second");
  });
});
