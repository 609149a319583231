import { afterEach, expect, test, vi } from "vitest";
import { type Command, keyLabel, keyName, listOf, named, ordered, used } from "./commands";

afterEach(() => vi.unstubAllGlobals());

/** A localStorage that holds what is put into it. */
function remembering(kept: Record<string, string> = {}) {
  vi.stubGlobal("localStorage", {
    getItem: (k: string) => kept[k] ?? null,
    setItem: (k: string, v: string) => {
      kept[k] = v;
    },
  });
  return kept;
}

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

const command = (id: string): Command => ({ id, name: id, run: () => {} });
const lists = {
  Everywhere: ["undo", "redo", "theme"].map(command),
  Takes: ["lay", "write"].map(command),
  Monitor: ["dim", "speed"].map(command),
};
const said = () => ordered(lists).map(([where, list]) => `${where}: ${list.map((c) => c.id).join(" ")}`);

test("the palette shows the stage first, then what was used last, and nothing twice", () => {
  remembering();
  expect(said()).toEqual(["Takes: lay write", "Everywhere: undo redo theme", "Monitor: dim speed"]);
  const [undo, , theme] = lists.Everywhere;
  const [dim] = lists.Monitor;
  for (const c of [undo, dim, theme, undo]) if (c) used(listOf(lists, c), c);
  expect(said()).toEqual(["Takes: lay write", "Used last: undo theme dim", "Everywhere: redo", "Monitor: speed"]);
});

test("the palette works where nothing can be remembered, or what was is spoilt", () => {
  expect(said()).toHaveLength(3); // there is no localStorage at all here
  remembering({ "commands.used": '{"not": "a list"}' });
  expect(said()).toHaveLength(3);
  remembering({ "commands.used": '["Everywhere/undo", 7, "Everywhere/of an older version"]' });
  expect(said()[1]).toBe("Used last: undo");
});

test("the palette finds what has the words that are typed, and nothing by scattered letters", () => {
  expect(named("Change between Dusk and Linen", "linen")).toBe(1);
  expect(named("Change between Dusk and Linen", "linen dusk")).toBe(1);
  expect(named("Look at the specification, edit it, read one from a file", "linen")).toBe(0);
  expect(named("Listen softer", "often")).toBe(0);
  expect(named("Listen softer", "oft")).toBe(0.5);
  expect(named("Undo", "")).toBe(1);
});
