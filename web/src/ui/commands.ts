import { useEffect } from "react";
import { create } from "zustand";

/** An action with its plain name. Every one of them is in the palette and, with its key, under `?`. */
export type Command = {
  id: string;
  name: string;
  /** Such as "r", "shift+1", "mod+z" (Ctrl or Cmd) or " ". */
  key?: string;
  /** A second key, where keyboards differ. */
  also?: string;
  /** Under which heading it stands in a menu. */
  group?: string;
  /** What it would do now, where the name says it in general. */
  offers?: string;
  run: () => void;
};

export const useCommands = create<{ lists: Record<string, Command[]> }>(() => ({ lists: {} }));

/** Offers actions for as long as a component is shown. `where` is its name in the palette. */
export function useCommandList(where: string, list: Command[]) {
  useEffect(() => {
    useCommands.setState((s) => ({ lists: { ...s.lists, [where]: list } }));
  }, [where, list]);
  useEffect(
    () => () =>
      useCommands.setState((s) => {
        const { [where]: _, ...lists } = s.lists;
        return { lists };
      }),
    [where],
  );
}

const lastUsed = "commands.used";
const mostUsed = 6;

/** Remembers that an action was chosen in the palette. `where` is the list it is of. */
export function used(where: string, c: Command) {
  const name = `${where}/${c.id}`;
  const now = [name, ...recent().filter((n) => n !== name)].slice(0, mostUsed);
  try {
    localStorage.setItem(lastUsed, JSON.stringify(now));
  } catch {
    // It is only a convenience.
  }
}

function recent(): string[] {
  try {
    const kept = JSON.parse(localStorage.getItem(lastUsed) ?? "[]") as unknown;
    return Array.isArray(kept) ? kept.filter((n): n is string => typeof n === "string") : [];
  } catch {
    return [];
  }
}

/**
 * How well a name answers to what is typed, 0 for not: each word of it must stand in the name. Letters that are scattered over
 * a name find nothing: with a hundred actions they find the wrong one.
 */
export function named(name: string, typed: string): number {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const places = words.map((w) => ` ${name.toLowerCase()}`.indexOf(w));
  if (places.some((at) => at < 0)) return 0;
  const begins = words.every((w) => ` ${name.toLowerCase()}`.includes(` ${w}`));
  return begins ? 1 : 0.5;
}

/** Lists that belong to no stage. */
const everywhere = ["Everywhere", "Monitor"];

/** The actions as the palette shows them: those of the stage first, then those used last, then the rest. */
export function ordered(lists: Record<string, Command[]>): [where: string, list: Command[]][] {
  const stage = Object.entries(lists).filter(([where]) => !everywhere.includes(where));
  const rest = Object.entries(lists).filter(([where]) => everywhere.includes(where));
  const again = recent().flatMap((name) => {
    const [where = "", id] = name.split("/");
    return everywhere.includes(where) ? (lists[where] ?? []).filter((c) => c.id === id) : [];
  });
  const shown = rest.map(([where, list]): [string, Command[]] => [where, list.filter((c) => !again.includes(c))]);
  return [...stage, ...(again.length > 0 ? [["Used last", again] as [string, Command[]]] : []), ...shown];
}

/** The list an action is of. */
export function listOf(lists: Record<string, Command[]>, c: Command): string {
  return Object.entries(lists).find(([, list]) => list.includes(c))?.[0] ?? "";
}

/** Actions under a heading of menus. */
export const grouped = (group: string, list: Command[]): Command[] => list.map((c) => ({ ...c, group }));

/** Whether keys belong to what is focused: a field that takes text, a dialog, or a menu. */
export function typing(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target.closest("[role=dialog], [role=menu]")) return true;
  return target.matches("input:not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable=true]");
}

/** The name of a key press, as commands write it. */
export function keyName(e: KeyboardEvent): string {
  let name = e.key.length === 1 ? e.key.toLowerCase() : e.key;
  if (e.shiftKey && e.key.length > 1) name = `shift+${name}`;
  if (e.shiftKey && (e.ctrlKey || e.metaKey) && e.key.length === 1) name = `shift+${name}`;
  if (e.ctrlKey || e.metaKey) name = `mod+${name}`;
  return name;
}

/** The action of a key: the stage's own, or else one that is there everywhere. */
export function inScope(lists: Record<string, Command[]>, key: string): Command | undefined {
  const of = (lists: [string, Command[]][]) =>
    lists.flatMap(([, list]) => list).find((c) => c.key === key || c.also === key);
  const all = Object.entries(lists);
  return (
    of(all.filter(([where]) => !everywhere.includes(where))) ?? of(all.filter(([where]) => everywhere.includes(where)))
  );
}

/** Runs commands by their keys. Used once, by the application. */
export function useCommandKeys() {
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const name = keyName(e);
      if (typing(e.target) && !name.startsWith("mod+k") && !/^F\d/.test(name)) return;
      // Space presses what is focused.
      if (name === " " && e.target instanceof HTMLElement && e.target.matches("button, input")) return;
      const c = inScope(useCommands.getState().lists, name);
      if (!c) return;
      e.preventDefault();
      c.run();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}

const printed: Record<string, string> = {
  mod: "Ctrl",
  shift: "Shift",
  " ": "Space",
  ArrowUp: "↑",
  ArrowDown: "↓",
  ArrowLeft: "←",
  ArrowRight: "→",
};

/** A key for people: "Ctrl Z", "Space", "R". */
export function keyLabel(key: string): string {
  if (key === "+") return key;
  return key
    .split("+")
    .map((k) => printed[k] ?? (k.length === 1 ? k.toUpperCase() : k))
    .join(" ");
}
