import { expect, go, test } from "./app";

/** From the key going down to the first sample played, as the audio worklet says. */
test("from key to sound", async ({ page, app }) => {
  await page.goto(app.url);
  await page.waitForURL(/intake/);
  await go(page, "Takes");
  await page
    .getByRole("gridcell", { name: /^Label of strand 3 of take 21A-3/ })
    .first()
    .click();
  const monitor = page.getByRole("region", { name: "Monitor" });
  const delays: number[] = [];
  for (let i = 0; i < 30; i++) {
    await page.keyboard.down(String(3 + (i % 4)));
    await expect(monitor).toHaveAttribute("data-delay", /\d/);
    delays.push(Number(await monitor.getAttribute("data-delay")));
    await page.keyboard.up(String(3 + (i % 4)));
    await expect(monitor.getByText(/Nothing is heard/)).toBeVisible();
  }
  delays.sort((a, b) => a - b);
  const ms = (n: number) => `${(delays[n] ?? 0).toFixed(0)} ms`;
  console.log(`from key to sound, ${delays.length} times: median ${ms(15)}, slowest ${ms(29)}, first ${ms(0)} at best`);
});
