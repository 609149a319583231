import type { ChildProcess } from "node:child_process";
import { createSocket } from "node:dgram";
import { chmodSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { accessible, ended, expect, go, run, started, test } from "./app";
import { newProduction, takeIn } from "./many";
import { samples, wav } from "./sound";

/** An even port that nobody listens at now. */
const freePort = () =>
  new Promise<number>((resolve) => {
    const socket = createSocket("udp4");
    socket.bind(0, "127.0.0.1", () => {
      const { port } = socket.address();
      socket.close(() => resolve(port - (port % 2)));
    });
  });

test("a reel is laid back onto a deck, bit for bit, and played to it", { tag: ["@long", "@alone"] }, async ({
  page,
  browser,
}) => {
  test.setTimeout(180_000);
  const home = mkdtempSync(join(tmpdir(), "zestyloom-lines-"));
  chmodSync(home, 0o711);
  const shelf = join(home, "shelf");
  mkdirSync(shelf);
  writeFileSync(join(shelf, "K-1.wav"), wav([samples(1, 960_000), samples(2, 960_000)], 48000, 10 * 3600 * 48000));
  const children: ChildProcess[] = [];
  const start = async (...args: string[]) => {
    const child = run(...args);
    children.push(child);
    return started(child);
  };
  try {
    const deckURL = await start("deck", "--listen", "127.0.0.1:0", "--home", home);
    const lines = `127.0.0.1:${await freePort()}`;
    const serve = ["serve", "--listen", "127.0.0.1:0", "--home", home, "--shelf", shelf];
    const url = await start(...serve, "--lines", lines, "--deck", deckURL);
    const production = await newProduction(page, url, "Back");
    await takeIn(page, url, production, ["K-1.wav"]);
    await page.goto(`${url}/${production}/takes`);
    await page.getByRole("gridcell", { name: /^Label of strand 1/ }).click();
    // Nothing says whether the two channels are a pair: that is answered before they are laid.
    await expect(page.getByRole("list", { name: "Questions" })).toContainText("channels 1 and 2 are a stereo pair");
    await page.keyboard.press("ControlOrMeta+.");
    await expect(page.getByRole("list", { name: "Questions" })).toHaveCount(0);
    await page.keyboard.press("ControlOrMeta+Enter");
    await expect(page.getByText(/taken into the reel, 2 strands/)).toBeVisible();
    await go(page, "Reel");
    const tracks = page.getByRole("row", { name: /^Track/ });
    await tracks.first().click();
    await page.keyboard.press("d");
    await expect(tracks.first()).toHaveAccessibleName(/DX/);
    await go(page, "Delivery");
    await page.keyboard.press("l");
    const panel = page.getByRole("dialog", { name: /outputs over the network, and the deck/ });
    await expect(panel.getByText(`Answers at ${deckURL}`)).toBeVisible();
    await expect(panel.getByRole("table", { name: "Streams" })).toContainText(lines);
    await accessible(page);

    // Some outputs, from a timecode to a timecode, while the deck's own page looks on.
    const deck = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
    await deck.goto(deckURL);
    await expect(deck.getByText("nothing to listen for")).toBeVisible();
    await panel.getByLabel("From", { exact: true }).fill("10:00:01:00");
    await panel.getByLabel("To", { exact: true }).fill("10:00:07:12");
    await panel.getByRole("checkbox", { name: "3 MX L" }).uncheck();
    await expect(panel.getByText("5 of 6 outputs")).toBeVisible();
    await panel.getByRole("button", { name: "Lay back onto the deck" }).click();
    await expect(panel.getByRole("listitem", { name: "Layback 10:00:01:00 to 10:00:07:12, playing" })).toBeVisible();
    await expect(deck.getByRole("status")).toContainText("recording Back, Reel 1 10:00:01:00");
    await expect(panel.getByRole("listitem", { name: /^Layback .*, proven/ })).toBeVisible({ timeout: 30_000 });
    await expect(panel).toContainText("samples of each of 5 outputs are on the deck bit for bit");
    await expect(deck.getByText("nothing lost")).toBeVisible();
    await expect(deck.getByRole("img", { name: /1 DX L .*5 FX R/ })).toBeVisible();
    await accessible(deck);

    // The whole reel, played to whoever listens: the deck hears it, and its loudness meter reads it.
    await panel.getByRole("button", { name: /^Play from/ }).click();
    await expect(panel.getByRole("status")).toHaveText(/^Playing: 10:00:0/);
    await deck.getByLabel("From channel").fill("1");
    await deck.getByRole("button", { name: "Measure from now on" }).click();
    await expect(deck.locator("#momentary")).toHaveText(/LUFS$/, { timeout: 10_000 });
    await panel.getByRole("button", { name: "Stop" }).click();
    await expect(panel.getByRole("status")).toHaveText("Silent");
    await expect(deck.getByRole("status")).toContainText("nothing is coming");

    // What can't be is said: by the deck, and where there is none.
    await deck.getByLabel("In", { exact: true }).fill("10:00:99:00");
    await deck.getByRole("button", { name: "Record", exact: true }).click();
    await expect(deck.getByRole("alert")).toContainText("10:00:99:00");
    await ended(children[0] as ChildProcess);
    await expect(panel.getByText(/no deck answers at .*zestyloom deck/)).toBeVisible({ timeout: 10_000 });
    await expect(panel.getByRole("button", { name: "Lay back onto the deck" })).toBeDisabled();

    // What plays is stopped in order with the application.
    await panel.getByRole("button", { name: /^Play from/ }).click();
    await expect(panel.getByRole("status")).toHaveText(/^Playing: 10:00:0/);
  } finally {
    for (const child of children.filter((c) => c.exitCode === null)) await ended(child);
    rmSync(home, { recursive: true, force: true });
  }
});
