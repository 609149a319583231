// usage: node shot.mjs out.png url 'js steps'
import { chromium } from "@playwright/test";

const [, , script] = process.argv;
const browser = await chromium.launch({
  executablePath: "/usr/bin/chromium",
  args: [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
  ],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const mod = await import(script);
await mod.default(page, "http://127.0.0.1:8080");
await browser.close();
