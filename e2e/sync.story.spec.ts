import { accessible, expect, go, test } from "./app";

/** A camera whose clock was two hours and eleven seconds off finds its take by what it hears, by keys alone. */
test("a camera is lined up with its take", async ({ page, app }) => {
  await page.goto(app.url);
  await page.waitForURL(/intake/);
  await page.getByLabel("Production", { exact: true }).selectOption({ label: "Lantern Ferry, Ep 2 Low Water" });
  await expect(page.getByText(/^22 files/)).toBeVisible();
  await go(page, "Sync");
  await expect(page.getByText("Nothing is being lined up")).toBeVisible();
  await page.keyboard.press("p");
  const pairs = page.getByRole("listbox", { name: "Pairs" });
  const camera = (take: string) => pairs.getByRole("option", { name: new RegExp(`CAM_A_0031.*${take}`) });
  await expect(camera("21A-3")).toContainText("aligned", { timeout: 60_000 });
  await expect(camera("21A-3")).toContainText("its clock was off by 2 h 10.98");
  for (const other of ["21A-1", "22-1", "22-2"]) {
    await expect(camera(other)).toContainText("no match", { timeout: 60_000 });
  }
  await camera("21A-3").click();
  const view = page.getByRole("region", { name: "CAM_A_0031 with 21A-3" });
  await expect(view.getByText("2 in, 2 kept: all move together")).toBeVisible();
  for (const key of ["+", "+", "+", "ArrowRight", "-", "0"]) await page.keyboard.press(key);
  await expect(page.locator("[data-drawn=no]")).toHaveCount(0);
  await page.keyboard.down("2");
  await expect(page.getByRole("region", { name: "Monitor" }).getByText(/CAM_A_0031/)).toBeVisible();
  await page.keyboard.up("2");
  await accessible(page);
  await page.keyboard.press("Enter");
  await expect(camera("21A-3")).toContainText("accepted");
  await go(page, "Takes");
  const sheet = page.getByRole("grid", { name: "Takes" });
  await expect(sheet.getByRole("rowheader", { name: /22:10:32:\d\d, .*snag/ }).first()).toBeVisible();
  await page.keyboard.press("ControlOrMeta+z");
  await go(page, "Sync");
  await expect(camera("21A-3")).toContainText("aligned");
  await camera("21A-3").click();
  await page.keyboard.press("Delete");
  await expect(camera("21A-3")).toContainText("refused");
});
