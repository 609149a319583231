import { create } from "zustand";

const name = (production: string) => `reel.${production}`;

/** Which reel of a production one works on, remembered on this machine; the first where none was chosen. */
export const useCurrentReel = create<{ of: Record<string, string> }>(() => ({ of: {} }));

export function currentReel(production: string): string {
  return useCurrentReel.getState().of[production] ?? localStorage.getItem(name(production)) ?? "";
}

/** Goes to a reel; empty for the first. */
export function goToReel(production: string, reel: string) {
  if (reel) localStorage.setItem(name(production), reel);
  else localStorage.removeItem(name(production));
  useCurrentReel.setState((s) => ({ of: { ...s.of, [production]: reel } }));
}
