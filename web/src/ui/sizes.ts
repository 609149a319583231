import { useCallback, useMemo, useState } from "react";

/**
 * Sizes in pixels that a person can change, and that are remembered on this machine under a name. What was never
 * changed has its default, which may depend on the room there is.
 */
export function useSizes<K extends string>(name: string, defaults: Record<K, number>) {
  const [own, setOwn] = useState<Partial<Record<K, number>>>(() => read(name));
  const resize = useCallback(
    (key: K, to: number | null) =>
      setOwn((was) => {
        const { [key]: _, ...rest } = was;
        const now = (to === null ? rest : { ...rest, [key]: Math.round(to) }) as Partial<Record<K, number>>;
        try {
          localStorage.setItem(`sizes.${name}`, JSON.stringify(now));
        } catch {
          // Where nothing can be remembered, the size holds for now.
        }
        return now;
      }),
    [name],
  );
  const sizes = useMemo(() => ({ ...defaults, ...own }) as Record<K, number>, [defaults, own]);
  return { sizes, own, resize };
}

function read<K extends string>(name: string): Partial<Record<K, number>> {
  try {
    const kept = JSON.parse(localStorage.getItem(`sizes.${name}`) ?? "{}") as unknown;
    if (typeof kept !== "object" || kept === null) return {};
    return Object.fromEntries(
      Object.entries(kept).filter(([, v]) => typeof v === "number" && v > 0 && v < 10000),
    ) as Partial<Record<K, number>>;
  } catch {
    return {};
  }
}
