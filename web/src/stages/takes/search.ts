import type { Take } from "../../api/client";

/** Words that a search may name a field by, as in `scene:21` or `label:boom`. */
const fields: Record<string, (t: Take) => string> = {
  scene: (t) => t.scene,
  take: (t) => t.take,
  roll: (t) => t.roll,
  note: (t) => t.note,
  day: (t) => t.day,
  recorder: (t) => t.recorder,
  label: (t) => t.strands.map((s) => s.label).join("\n"),
  stem: (t) => t.strands.map((s) => s.stem).join("\n"),
  part: (t) => t.strands.map((s) => s.part).join("\n"),
  file: (t) => t.strands.map((s) => s.file_name).join("\n"),
};

/** Words that stand for a state rather than for text. */
const states: Record<string, (t: Take) => boolean> = {
  circled: (t) => t.circled,
  wild: (t) => t.wild_track,
  snag: (t) => t.snags.length > 0,
  proposed: (t) => !t.final,
  suggested: (t) => t.suggestions.length > 0,
  laid: (t) => t.in_reel,
  unlabelled: (t) => t.strands.some((s) => !s.label && !s.silent && !s.off),
};

/** Takes a search apart: words, and what is in double quotes as one; a minus in front turns it round. */
function words(query: string): string[] {
  return query.match(/-?(?:\w+:)?"[^"]*"?|\S+/g) ?? [];
}

/**
 * Makes a test of takes from a search such as `scene:21 circled boom -plant "low water"`: all of it
 * must hold. `scene:` and `take:` match from the beginning, other fields and free words anywhere.
 */
export function search(query: string): (t: Take) => boolean {
  const tests = words(query.toLowerCase()).map((w) => {
    const not = w.length > 1 && w.startsWith("-");
    const word = not ? w.slice(1) : w;
    const at = word.indexOf(":");
    const field = at > 0 ? fields[word.slice(0, at)] : undefined;
    const text = (field ? word.slice(at + 1) : word).replaceAll('"', "");
    const state = field ? undefined : states[text];
    const test = (t: Take) => {
      if (state) return state(t);
      if (field && (field === fields.scene || field === fields.take)) return field(t).toLowerCase().startsWith(text);
      if (field) return field(t).toLowerCase().includes(text);
      return [t.name, ...Object.values(fields).map((f) => f(t)), t.no_good ? "no good" : ""].some((v) =>
        v.toLowerCase().includes(text),
      );
    };
    return not ? (t: Take) => !test(t) : test;
  });
  return (t) => tests.every((test) => test(t));
}
