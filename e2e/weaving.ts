import { expect, type Page } from "@playwright/test";

/** Uses a template in Weave, by keys: as many actions as it takes. What would change is shown first. */
export async function useTemplate(page: Page, template: string): Promise<number> {
  let actions = 2; // the key, and Enter
  await page.keyboard.press("t");
  const list = page.getByRole("listbox", { name: "Templates" });
  const chosen = list.getByRole("option", { selected: true });
  await list.focus();
  while (!(await chosen.textContent())?.startsWith(template)) {
    await page.keyboard.press("ArrowDown");
    actions++;
    expect(actions, `${template} is in the list`).toBeLessThan(30);
  }
  await expect(page.getByRole("table", { name: "Rows that change" })).toBeVisible();
  await expect(page.getByRole("button", { name: /^Use it/ })).toBeEnabled();
  await list.focus();
  await page.keyboard.press("Enter");
  await expect(list).toHaveCount(0);
  return actions;
}
