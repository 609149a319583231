const plain = (v: unknown): v is Record<string, unknown> => typeof v === "object" && v !== null && !Array.isArray(v);

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/**
 * What was changed of something as it was shown, done to it as it is when the edit's turn comes: quick changes of several figures
 * add up, though each is sent as a whole. What was not changed stays as it is now; of lists of one length, element by element.
 */
export function rebased<T>(shown: T, changed: T, now: T): T {
  if (same(shown, now) || same(changed, now)) return changed;
  if (same(shown, changed)) return now;
  if (plain(shown) && plain(changed) && plain(now)) {
    const out: Record<string, unknown> = {};
    for (const key of new Set([...Object.keys(now), ...Object.keys(changed), ...Object.keys(shown)]))
      out[key] = rebased(shown[key], changed[key], now[key]);
    return out as T;
  }
  if (Array.isArray(shown) && Array.isArray(changed) && Array.isArray(now))
    if (shown.length === changed.length && shown.length === now.length)
      return changed.map((c, i) => rebased(shown[i], c, now[i])) as T;
  return changed;
}
