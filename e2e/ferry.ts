import type { Page } from "@playwright/test";

/** The demonstration: its production's id. */
export async function ferry(page: Page, url: string): Promise<string> {
  const list = (await (await page.request.get(`${url}/api/productions`)).json()) as {
    items: { id: string; name: string }[];
  };
  return list.items.find((p) => p.name.includes("Lantern Ferry"))?.id ?? "";
}

/** A copy of one of its reels, which the page works on from its next visit on. */
export async function copyOf(page: Page, url: string, of: string, name: string) {
  const production = await ferry(page, url);
  const reels = (await (await page.request.get(`${url}/api/productions/${production}/reels`)).json()) as {
    id: string;
    name: string;
  }[];
  const copy = reels.find((r) => r.name === of)?.id;
  const made = await page.request.post(`${url}/api/productions/${production}/reels`, { data: { name, copy } });
  const { id } = (await made.json()) as { id: string };
  await page.addInitScript(([p, r]) => localStorage.setItem(`reel.${p}`, r ?? ""), [production, id]);
  /** The reel as the server has it. */
  const reel = async <Reel>() => (await page.request.get(`${url}/api/reels/${id}`)).json() as Promise<Reel>;
  return { production, id, reel };
}
