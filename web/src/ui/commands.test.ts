import { expect, test } from "vitest";
import { keyLabel, keyName } from "./commands";

const press = (key: string, mods: Partial<Record<"ctrlKey" | "metaKey" | "shiftKey", boolean>> = {}) =>
  ({ key, ctrlKey: false, metaKey: false, shiftKey: false, ...mods }) as KeyboardEvent;

test("key presses are named as commands write them", () => {
  expect(keyName(press("z", { ctrlKey: true }))).toBe("mod+z");
  expect(keyName(press("Z", { metaKey: true, shiftKey: true }))).toBe("mod+shift+z");
  expect(keyName(press("?", { shiftKey: true }))).toBe("?");
  expect(keyName(press("R"))).toBe("r");
  expect(keyName(press("ArrowDown"))).toBe("ArrowDown");
});

test("keys are said as they are printed", () => {
  expect(keyLabel("mod+shift+z")).toBe("Ctrl Shift Z");
  expect(keyLabel(" ")).toBe("Space");
  expect(keyLabel("+")).toBe("+");
});
