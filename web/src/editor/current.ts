import { create } from "zustand";

const name = (production: string) => `reel.${production}`;

/** The reel that the address was opened with. */
function asked(): Record<string, string> {
  const production = location.pathname.split("/")[1];
  const reel = new URLSearchParams(location.search).get("reel");
  return production && reel ? { [production]: reel } : {};
}

/** Which reel of a production one works on: that of the address, else as it is remembered on this machine; the first where none was chosen. */
export const useCurrentReel = create<{ of: Record<string, string> }>(() => ({ of: asked() }));

export function currentReel(production: string): string {
  return useCurrentReel.getState().of[production] ?? localStorage.getItem(name(production)) ?? "";
}

/** Goes to a reel; empty for the first. */
export function goToReel(production: string, reel: string) {
  if (reel) localStorage.setItem(name(production), reel);
  else localStorage.removeItem(name(production));
  useCurrentReel.setState((s) => ({ of: { ...s.of, [production]: reel } }));
}
