import { accessible, expect, go, test } from "./app";

// A trace takes pictures all the while, of which those of the camera would then have to do without.
test.use({ trace: "off" });

/** What the demonstration has to be lined up comes out right, by the interface's own keys. */
test("cameras and a second recorder are lined up", async ({ page, app }) => {
  test.setTimeout(360_000);
  await page.goto(app.url);
  await page.waitForURL(/intake/);
  await page.getByLabel("Production", { exact: true }).selectOption({ label: "Lantern Ferry, Ep 2 Low Water" });
  await expect(page.getByText(/^27 files/)).toBeVisible();
  // Only what has been read is looked for: all of it, then, whoever was here before.
  const production = page.url().split("/").at(-2);
  await expect
    .poll(async () => {
      const { items } = await (await page.request.get(`${app.url}/api/productions/${production}/files`)).json();
      return items.filter((f: { state: string }) => f.state === "waiting" || f.state === "analysing").length;
    })
    .toBe(0);
  await go(page, "Sync");
  await expect(page.getByText("Nothing is being lined up")).toBeVisible();
  await page.keyboard.press("p");
  const pairs = page.getByRole("listbox", { name: "Pairs" });
  const pair = (what: string, take: string) => pairs.getByRole("option", { name: new RegExp(`${what} with ${take}`) });
  await expect(pair("CAM_A_0031", "21A-3")).toContainText("aligned", { timeout: 90_000 });
  await expect(pairs.getByRole("option", { name: /waiting|listening/ })).toHaveCount(0, { timeout: 90_000 });

  await test.step("a camera whose clock was two hours and eleven seconds off", async () => {
    await expect(pair("CAM_A_0031", "21A-3")).toContainText("its clock was off by 2 h 10.98");
    for (const other of ["21A-1", "22-1", "22-2"]) await expect(pair("CAM_A_0031", other)).toContainText("no match");
    await pair("CAM_A_0031", "21A-3").click();
    const view = page.getByRole("region", { name: "CAM_A_0031 with 21A-3" });
    await expect(view.getByText("2 in, 2 kept: all move together")).toBeVisible();
    for (const key of ["+", "+", "+", "ArrowRight", "-", "0"]) await page.keyboard.press(key);
    await expect(page.locator("[data-drawn=no]")).toHaveCount(0);

    // By ear: one a side, both on both, one against the other; the picture runs in step.
    await page.keyboard.press(" ");
    const way = page.getByTestId("way");
    await expect(way).toHaveText(/21A-3 left, CAM_A_0031 right/);
    const picture = view.getByLabel("Picture of CAM_A_0031, in step with the sound");
    const frames = async () => Number(await picture.getAttribute("data-frames"));
    await expect.poll(frames, { timeout: 30_000 }).toBeGreaterThan(30);
    const off = async () => Math.abs(Number(await picture.getAttribute("data-off")));
    await expect
      .poll(off, { message: "ms that the middle of the last frames is off: under one frame" })
      .toBeLessThan(40);
    await page.keyboard.press("b");
    await expect(way).toHaveText(/both on both sides/);
    await page.keyboard.press("=");
    await expect(way).toHaveText(/21A-3 alone/);
    await page.keyboard.press("=");
    await expect(way).toHaveText(/CAM_A_0031 alone/);
    await page.keyboard.press("Escape");
    await page.keyboard.down("2");
    await expect(way).toHaveText(/CAM_A_0031 alone/);
    await page.keyboard.up("2");
    await accessible(page);

    // By hand: by frame, millisecond and sample; and back.
    await page.keyboard.press("ControlOrMeta+ArrowRight");
    await page.keyboard.press("Shift+ArrowRight");
    await page.keyboard.press("ControlOrMeta+Shift+ArrowLeft");
    await expect(view.getByText(/moved 1967 samples, 40.98 ms, 1.02 frames later/)).toBeVisible();
    for (const key of ["ControlOrMeta+ArrowLeft", "Shift+ArrowLeft", "ControlOrMeta+Shift+ArrowRight"])
      await page.keyboard.press(key);
    await expect(view.getByText(/moved \d/)).toHaveCount(0);
    await page.keyboard.press("Enter");
    await expect(pair("CAM_A_0031", "21A-3")).toContainText("accepted");
  });

  await test.step("it moved, and is undone and done again", async () => {
    await go(page, "Takes");
    const lined = page
      .getByRole("grid", { name: "Takes" })
      .getByRole("rowheader", { name: /^22:10:32:\d\d.*lined up/ });
    await page.getByLabel("Search takes").fill("CAM");
    await page.keyboard.press("Enter"); // back to the sheet
    await expect(lined.first()).toBeVisible();
    await page.keyboard.press("ControlOrMeta+z");
    await expect(lined).toHaveCount(0);
    await page.keyboard.press("ControlOrMeta+Shift+z");
    await expect(lined.first()).toBeVisible();
    await go(page, "Sync");
  });

  await test.step("its clock is set right for the day", async () => {
    await pair("CAM_A_0031", "21A-3").click();
    await page.keyboard.press("k");
    await expect(page.getByText(/set right by 2 h 10.98/)).toBeVisible();
  });

  await test.step("a recording that matches nothing", async () => {
    const all = pairs.getByRole("option", { name: /CAM_A_0032/ });
    expect(await all.count()).toBeGreaterThan(3);
    await expect(all.filter({ hasText: "no match" })).toHaveCount(await all.count());
  });

  await test.step("a second recorder that drifts", async () => {
    await pair("23-1 LFB02", "23-1 LF07").click();
    const view = page.getByRole("region", { name: "23-1 LFB02 with 23-1 LF07" });
    await expect(view.getByText(/4[45]\.\d ppm, 2\.\d+ ms apart at the end; corrected once accepted/)).toBeVisible();
    await page.keyboard.press("Enter");
    await expect(pair("23-1 LFB02", "23-1 LF07")).toContainText("accepted");
  });

  await test.step("a camera that ran through three takes, as one picture", async () => {
    await pair("CAM_B_0007", "21A-3").click();
    const line = page.getByRole("button", { name: /The line that all have in common/ });
    for (const name of ["21A-1", "21A-3", "22-1", "CAM_B_0007"])
      await expect(line.getByText(name, { exact: true })).toBeVisible();
    await page.keyboard.press("Enter");
    await expect(page.getByText("2 further pairs of CAM_B_0007 say the same")).toBeVisible();
    for (const take of ["21A-1", "21A-3", "22-1"]) await expect(pair("CAM_B_0007", take)).toContainText("accepted");
  });

  await test.step("a pair is refused", async () => {
    await pair("CAM_A_0032", "22-1").click();
    await page.keyboard.press("Delete");
    await expect(pair("CAM_A_0032", "22-1")).toContainText("refused");
  });
});
