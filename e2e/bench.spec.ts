import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { expect, go, test } from "./app";
import { copies, newProduction, recordings, takeIn } from "./many";
import { samples, wav } from "./sound";
import { played, rate, same, startTape, until, whence } from "./tape";

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
    await expect(monitor.getByText(/^Silent/)).toBeVisible();
  }
  delays.sort((a, b) => a - b);
  const ms = (n: number) => `${(delays[n] ?? 0).toFixed(0)} ms`;
  console.log(`from key to sound, ${delays.length} times: median ${ms(15)}, slowest ${ms(29)}, first ${ms(0)} at best`);
});

/** From the click that chooses another place to the first sample from there. */
test("seeking", async ({ page, app }) => {
  await page.goto(app.url);
  await page.waitForURL(/intake/);
  await go(page, "Takes");
  await page
    .getByRole("gridcell", { name: /^Label of strand 3 of take 21A-3/ })
    .first()
    .click();
  const monitor = page.getByRole("region", { name: "Monitor" });
  const strip = page.getByRole("button", { name: /Waveform of strand 3/ });
  await strip.click({ position: { x: 5, y: 10 } });
  await expect(monitor).toHaveAttribute("data-delay", /\d/);
  const delays: number[] = [];
  for (let i = 0; i < 30; i++) {
    await strip.click({ position: { x: 20 + ((i * 137) % 300), y: 10 } });
    await expect(monitor).toHaveAttribute("data-delay", /\d/);
    delays.push(Number(await monitor.getAttribute("data-delay")));
    await page.waitForTimeout(150);
  }
  console.log(
    `bench: seeking, ${delays.length} times: median ${middle(delays).toFixed(0)} ms, slowest ${Math.max(...delays).toFixed(0)} ms`,
  );
});

/** Ten minutes of play while the interface is used: how often there was nothing to play, and what was played. */
test("ten minutes of listening", async ({ page, app }) => {
  test.setTimeout(900_000);
  const length = 610;
  const channel = samples(1, length * rate);
  mkdirSync(join(app.home, "lantern-ferry", "long"), { recursive: true });
  writeFileSync(join(app.home, "lantern-ferry", "long", "L-1.wav"), wav([channel], rate, 0));
  const production = await newProduction(page, app.url, "Long");
  await takeIn(page, app.url, production, ["long/L-1.wav"]);
  await page.goto(`${app.url}/${production}/takes`);
  await page.getByRole("gridcell", { name: /^Label of strand 1/ }).click();
  await page.keyboard.press(" ");
  const monitor = page.getByRole("region", { name: "Monitor" });
  await expect(monitor).toHaveAttribute("data-delay", /\d/);
  const stages = ["Intake", "Reel", "Weave", "Delivery", "Sync", "Takes"];
  let exact = 0;
  let taped = 0;
  for (let second = 5; second < 600; second += 5) {
    if (second % 60 === 30) await startTape(page, 20);
    await go(page, stages[(second / 5) % stages.length] ?? "Takes");
    await page.keyboard.press("ControlOrMeta+k");
    await page.keyboard.type("go to");
    await page.keyboard.press("Escape");
    await until(page, second);
    if (second % 60 === 50) {
      const x = await played(page);
      const begun = x.findIndex((v) => v !== 0);
      const near = Math.max(0, (second - 30) * rate);
      const from = whence(x, begun, channel.subarray(near));
      taped += x.length - begun;
      if (from >= 0) exact += same(x, begun, channel, near + from);
    }
  }
  const gaps = await monitor.getAttribute("data-gaps");
  console.log(
    `bench: ten minutes of listening: ${gaps} gaps; of ${(taped / rate).toFixed(0)} s that were kept, ${((100 * exact) / taped).toFixed(2)} % are the file's samples, one after the other`,
  );
});

const middle = (x: number[]) => [...x].sort((a, b) => a - b)[Math.floor(x.length / 2)] ?? 0;
const nearly = (x: number[], share: number) => [...x].sort((a, b) => a - b)[Math.floor(x.length * share)] ?? 0;

/** A thousand takes of eight strands: how soon the sheet is there, and how smoothly it scrolls. */
test("the sheet of a thousand takes", async ({ page, app }) => {
  test.setTimeout(900_000);
  const production = await newProduction(page, app.url, "Many");
  const files = recordings(join(app.home, "lantern-ferry", "many"), 1000);
  await takeIn(
    page,
    app.url,
    production,
    files.map((f) => `many/${f}`),
  );
  const opened: number[] = [];
  for (let i = 0; i < 5; i++) {
    await page.goto(`${app.url}/${production}/intake`);
    await expect(page.getByRole("article").first()).toBeVisible();
    opened.push(
      await page.evaluate(async () => {
        const link = [...document.querySelectorAll<HTMLElement>("nav a")].find((a) => a.textContent?.includes("Takes"));
        const began = performance.now();
        link?.click();
        while (!document.querySelector("[data-sheet] [role=rowheader] ~ [role=gridcell]")) {
          await new Promise(requestAnimationFrame);
        }
        await new Promise(requestAnimationFrame);
        return performance.now() - began;
      }),
    );
  }
  const frames = await page.evaluate(async () => {
    const sheet = document.querySelector("[data-sheet]")?.parentElement?.parentElement; // what scrolls
    if (!sheet) throw new Error("no sheet");
    const gaps: number[] = [];
    let last = await new Promise<number>(requestAnimationFrame);
    for (let i = 0; i < 300; i++) {
      sheet.scrollTop += 40;
      const now = await new Promise<number>(requestAnimationFrame);
      gaps.push(now - last);
      last = now;
    }
    return gaps;
  });
  const rows = await page.getByRole("grid", { name: "Takes" }).getAttribute("aria-rowcount");
  expect(rows).toBe("1000");
  console.log(
    `bench: sheet of 1000 takes × 8 strands: opens in ${middle(opened).toFixed(0)} ms (median of ${opened.length}); scrolling, a frame takes ${middle(frames).toFixed(1)} ms, 95 % within ${nearly(frames, 0.95).toFixed(1)} ms`,
  );
});

/** Ten thousand takes: how soon the sheet is there, and how soon an edit is seen in another browser. */
test("ten thousand takes", async ({ page, app, browser }) => {
  test.setTimeout(300_000);
  const production = await newProduction(page, app.url, "Very many");
  const [one = ""] = recordings(join(app.home, "lantern-ferry", "very many"), 1);
  await takeIn(page, app.url, production, [`very many/${one}`]);
  copies(app.home, production, 10_000);
  await page.goto(`${app.url}/${production}/intake`);
  await expect(page.getByRole("article").first()).toBeVisible();
  const opened: number[] = [];
  const whole: number[] = [];
  for (let i = 0; i < 5; i++) {
    await page.goto(`${app.url}/${production}/delivery`);
    await expect(page.getByRole("heading", { level: 1, name: "Delivery" })).toBeVisible();
    const [rows, all] = await page.evaluate(async () => {
      const link = [...document.querySelectorAll<HTMLElement>("nav a")].find((a) => a.textContent?.includes("Takes"));
      const began = performance.now();
      link?.click();
      const frame = () => new Promise(requestAnimationFrame);
      while (!document.querySelector("[data-sheet] [role=rowheader] ~ [role=gridcell]")) await frame();
      await frame();
      const rows = performance.now() - began;
      while (document.querySelector('[role=grid][aria-label="Takes"]')?.getAttribute("aria-rowcount") !== "10000")
        await frame();
      await frame();
      return [rows, performance.now() - began];
    });
    opened.push(rows ?? 0);
    whole.push(all ?? 0);
  }
  const other = await (await browser.newContext()).newPage();
  await other.goto(`${app.url}/${production}/takes`);
  const first = /^Note of take /;
  await expect(other.getByRole("gridcell", { name: first }).first()).toBeVisible();
  await expect(other.getByRole("grid", { name: "Takes" })).toHaveAttribute("aria-rowcount", "10000");
  const seen: number[] = [];
  for (let i = 0; i < 20; i++) {
    const note = `seen ${i}`;
    const there = other.evaluate(async (note) => {
      while (!document.querySelector("[data-sheet]")?.textContent?.includes(note))
        await new Promise(requestAnimationFrame);
      return performance.timeOrigin + performance.now();
    }, note);
    await page.getByRole("gridcell", { name: first }).first().click();
    await page.keyboard.press("Enter");
    await page.keyboard.press("ControlOrMeta+a");
    await page.keyboard.type(note);
    const typed = await page.evaluate(() => performance.timeOrigin + performance.now());
    await page.keyboard.press("Enter");
    seen.push((await there) - typed);
  }
  console.log(
    `bench: sheet of 10000 takes × 8 strands: opens in ${middle(opened).toFixed(0)} ms, all rows there after ${middle(whole).toFixed(0)} ms (medians of ${opened.length}); an edit is seen in another browser after ${middle(seen).toFixed(0)} ms, slowest of ${seen.length} ${Math.max(...seen).toFixed(0)} ms`,
  );
});

/** Five hundred files arriving: how soon a key that is typed is seen. */
test("typing while files arrive", async ({ page, app }) => {
  test.setTimeout(900_000);
  const production = await newProduction(page, app.url, "Arriving");
  const files = recordings(join(app.home, "lantern-ferry", "arriving"), 500);
  await page.goto(`${app.url}/${production}/intake`);
  const search = page.getByRole("searchbox", { name: "Search files" });
  await search.focus();
  await takeIn(
    page,
    app.url,
    production,
    files.map((f) => `arriving/${f}`),
    false,
  );
  const answers: number[] = [];
  let left = 500;
  while (left > 0 && answers.length < 400) {
    answers.push(
      await page.evaluate(async () => {
        const field = document.activeElement as HTMLInputElement;
        const began = performance.now();
        const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value")?.set;
        set?.call(field, field.value.length > 3 ? "" : `${field.value}M`);
        field.dispatchEvent(new Event("input", { bubbles: true }));
        await new Promise(requestAnimationFrame);
        await new Promise((done) => setTimeout(done));
        return performance.now() - began;
      }),
    );
    const list = await (await page.request.get(`${app.url}/api/productions/${production}/takes?limit=1`)).json();
    left = 500 - list.total;
  }
  console.log(
    `bench: while 500 files arrive, ${answers.length} inputs: seen after ${middle(answers).toFixed(0)} ms, 95 % within ${nearly(answers, 0.95).toFixed(0)} ms, slowest ${Math.max(...answers).toFixed(0)} ms`,
  );
});

/** A reel of two hours, 64 tracks, 5,000 clips and 20,000 envelope points: opened, scrolled, zoomed, edited and played. */
test("a reel of two hours", async ({ page, app }) => {
  test.setTimeout(900_000);
  mkdirSync(join(app.home, "lantern-ferry", "full"), { recursive: true });
  const channels = Array.from({ length: 8 }, (_, c) => samples(c, 60 * rate));
  writeFileSync(join(app.home, "lantern-ferry", "full", "F-1.wav"), wav(channels, rate, 10 * 3600 * rate));
  const production = await newProduction(page, app.url, "Full");
  await takeIn(page, app.url, production, ["full/F-1.wav"]);
  const get = async (path: string) => (await page.request.get(`${app.url}/api/${path}`)).json();
  const strands = (await get(`productions/${production}/takes`)).items[0].strands.map((s: { id: string }) => s.id);
  const reel = await get(`productions/${production}/reel`);
  const [tracks, clips] = [64, 5000];
  const actions = Array.from({ length: tracks }, (_, t) => ({
    add_track: {
      index: t,
      sends: [{ to: ["DX", "MX", "FX"][t % 3], gain_db: -12, patch: { preset: "both" } }],
      track: {
        id: `track-${t}`,
        label: `Track ${t + 1}`,
        layout: "mono",
        off: false,
        clips: Array.from({ length: Math.ceil((clips - t) / tracks) }, (_, n) => ({
          id: `clip-${t}-${n}`,
          strands: [strands[t % 8]],
          name: `${n}A-${t}`,
          at: 10 * 3600 * rate + n * 92 * rate,
          in: rate,
          length: 58 * rate,
          tie: `tie-${n}`,
          fade_in: { length: 960 },
          fade_out: { length: 960, shape: "equal_power" },
          gain: [0, 10, 20, 30].map((s, i) => ({ at: rate * (5 + s), value: -2 * i })),
        })),
      },
    },
  }));
  const made = await page.request.post(`${app.url}/api/reels/${reel.id}/edits`, {
    data: { version: reel.version, what: "fill", actions },
  });
  expect(made.ok()).toBe(true);

  const opened: number[] = [];
  const lanes = page.getByTestId("lanes");
  for (let i = 0; i < 5; i++) {
    await page.goto(`${app.url}/${production}/weave`);
    await expect(page.getByRole("heading", { level: 1, name: "Weave" })).toBeVisible();
    const began = Date.now();
    await page.goto(`${app.url}/${production}/reel`);
    await lanes.waitFor();
    await expect(page.getByRole("grid", { name: "Tracks" }).getByRole("row").first()).toBeVisible();
    opened.push(Date.now() - began);
  }
  await expect(lanes).toHaveAttribute("data-drawn", "yes", { timeout: 120_000 });
  /** Frames between two moments while something is done in every one of them. */
  const frames = (what: "scroll" | "zoom") =>
    page.evaluate(async (what) => {
      const el = document.querySelector("[data-testid=lanes]") as HTMLElement;
      const box = el.getBoundingClientRect();
      const times: number[] = [];
      let last = performance.now();
      for (let i = 0; i < 120; i++) {
        const deltaY = what === "zoom" ? (i < 60 ? -20 : 20) : 0;
        el.dispatchEvent(
          new WheelEvent("wheel", {
            bubbles: true,
            cancelable: true,
            clientX: box.x + 300,
            clientY: box.y + 100,
            deltaX: what === "scroll" ? 40 : 0,
            deltaY,
            ctrlKey: what === "zoom",
          }),
        );
        await new Promise(requestAnimationFrame);
        times.push(performance.now() - last);
        last = performance.now();
      }
      return times;
    }, what);
  const whole = await frames("zoom");
  for (let i = 0; i < 5; i++) await page.keyboard.press("+");
  await expect(lanes).toHaveAttribute("data-drawn", "yes", { timeout: 120_000 });
  const scrolled = await frames("scroll");
  const zoomed = await frames("zoom");

  // An edit: from the key to what is drawn, and stored.
  const seen: number[] = [];
  for (const key of ["Home", "ArrowRight", "Enter"]) await page.keyboard.press(key);
  await expect(page.getByLabel("Gain of the clip in dB")).toBeVisible();
  for (let i = 0; i < 10; i++) {
    const answer = page.waitForResponse((r) => r.url().includes("/edits") && r.request().method() === "POST");
    const began = Date.now();
    await page.keyboard.press(i % 2 === 0 ? "]" : "[");
    await answer;
    seen.push(Date.now() - began);
  }
  const played: number[] = [];
  const monitor = page.getByRole("region", { name: "Monitor" });
  for (let i = 0; i < 10; i++) {
    await page.keyboard.press("g");
    await page.keyboard.type(`1${i % 2}:${10 + 4 * i}:20:00`);
    await page.keyboard.press("Enter");
    await page.keyboard.press(" ");
    await expect(monitor).toHaveAttribute("data-delay", /\d/);
    played.push(Number(await monitor.getAttribute("data-delay")));
    await page.keyboard.press(" ");
  }
  console.log(
    `bench: a reel of two hours, 64 tracks, 5,000 clips: opened in ${middle(opened)} ms (median); frames of ${middle(whole).toFixed(0)} ms zooming from the whole, ${middle(scrolled).toFixed(0)} ms scrolling (95 %: ${nearly(scrolled, 0.95).toFixed(0)}), ${middle(zoomed).toFixed(0)} ms zooming (95 %: ${nearly(zoomed, 0.95).toFixed(0)}); an edit stored and answered in ${middle(seen)} ms; playing begins ${middle(played).toFixed(0)} ms after the key (slowest ${Math.max(...played).toFixed(0)})`,
  );
});

/** A weave of 64 tracks, 32 channels of buses and 64 outputs: opened, walked through by keys, typed into, filled down. */
test("a wide weave", async ({ page, app }) => {
  test.setTimeout(60_000);
  const production = await newProduction(page, app.url, "Wide");
  const get = async (path: string) => (await page.request.get(`${app.url}/api/${path}`)).json();
  let reel = await get(`productions/${production}/reel`);
  const change = async (what: string, actions: unknown[]) => {
    const made = await page.request.post(`${app.url}/api/reels/${reel.id}/edits`, {
      data: { version: reel.version, what, actions },
    });
    expect(made.ok(), await made.text()).toBe(true);
    reel = await get(`productions/${production}/reel`);
  };
  await change(
    "stems",
    Array.from({ length: 12 }, (_, i) => ({
      weave: { add_bus: { bus: { name: `Stem ${i + 5}`, role: "stem", layout: "stereo" } } },
    })),
  );
  const buses: { id: string }[] = reel.doc.weave.buses;
  await change("outputs", [
    ...[...buses, ...buses].map((b, i) => ({ weave: { insert_outputs: { at: 2 * i, bus: b.id } } })),
    { weave: { remove_outputs: { at: 64, count: 6 } } },
  ]);
  await change(
    "tracks",
    Array.from({ length: 64 }, (_, t) => ({
      add_track: {
        index: t,
        sends: [{ to: buses[t % 16]?.id, gain_db: -3, patch: { preset: "both" } }],
        track: { id: `track-${t}`, label: `Track ${t + 1}`, layout: "mono", off: false, clips: [] },
      },
    })),
  );
  expect(reel.doc.weave.outputs).toHaveLength(64);
  const opened: number[] = [];
  const grid = page.getByRole("grid", { name: "Tracks to stem channels" });
  for (let i = 0; i < 5; i++) {
    await page.goto(`${app.url}/${production}/reel`);
    await expect(page.getByRole("heading", { level: 1, name: "Reel" })).toBeVisible();
    const began = Date.now();
    await page.getByRole("navigation", { name: "Stages" }).getByRole("link", { name: "Weave" }).click();
    await grid.getByRole("button", { name: "Track 1 to DX L" }).waitFor();
    opened.push(Date.now() - began);
  }
  const drawn = await page.getByRole("gridcell").count();
  await grid.focus();
  /** Frames between two moments while the cursor walks. */
  const steps = async (key: string, n: number) => {
    const times: number[] = [];
    for (let i = 0; i < n; i++)
      times.push(
        await page.evaluate(
          (key) =>
            new Promise<number>((done) => {
              const began = performance.now();
              document.activeElement?.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true }));
              requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - began)));
            }),
          key,
        ),
      );
    return times;
  };
  const right = await steps("ArrowRight", 31);
  const down = await steps("ArrowDown", 63);
  await expect(grid.getByRole("button", { name: "Track 64 to Stem 16 R" })).toBeVisible();
  const typed: number[] = [];
  for (let i = 0; i < 10; i++) {
    await grid.focus();
    await page.keyboard.type(`-${i + 1}`);
    const began = Date.now();
    await page.keyboard.press("Enter");
    await grid
      .getByRole("button", { name: "Track 64 to Stem 16 R" })
      .getByText(`−${i + 1}.0`)
      .waitFor();
    typed.push(Date.now() - began);
  }
  await page.keyboard.press("Control+Home");
  await page.keyboard.type("-6");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Control+Home");
  await page.keyboard.press("Shift+Control+End");
  const filling = Date.now();
  await page.keyboard.press("Control+d");
  await page.keyboard.press("Control+Home");
  await grid.getByRole("button", { name: "Track 12 to DX L" }).getByText("−6.0").waitFor();
  const filled = Date.now() - filling;
  console.log(
    `bench: a weave of 64 tracks × 32 channels × 64 outputs: opened in ${middle(opened)} ms (median), ${drawn} crossings drawn; two frames after an arrow ${middle(right).toFixed(0)} ms right, ${middle(down).toFixed(0)} ms down (95 %: ${nearly([...right, ...down], 0.95).toFixed(0)}); a typed level is shown after ${middle(typed)} ms; 2,016 cells filled down in ${filled} ms`,
  );
});
