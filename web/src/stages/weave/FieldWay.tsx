import type { Patch } from "../../api/client";
import { Choice } from "../../ui/controls";
import { Line, NumberField } from "./parts";

const mirrors = {
  "": "not mirrored",
  "left-right": "left and right exchanged",
  "front-back": "front and back exchanged",
  "up-down": "above and below exchanged",
} as const;

const decodings = {
  fitted: "fitted: from where it comes, as loud all around",
  "": "all-round: nearly so, on any speakers",
  "energy-preserving": "energy-preserving: as loud all around",
  "mode-matching": "mode-matching: exact in the middle",
} as const;

const turns = [
  ["yaw", "Turned", "to the left"],
  ["pitch", "Tilted", "the front up"],
  ["roll", "Rolled", "the left up"],
] as const;

/** How a sound field is turned and mirrored, decoded to speakers, or what speakers are encoded into it with. */
export function FieldWay({ patch: p, set }: { patch: Patch; set: (p: Patch) => void }) {
  switch (p.preset) {
    case "field":
      return (
        <>
          {turns.map(([key, name, says]) => (
            <Line key={key} name={name}>
              <NumberField
                says={`${name}, ${says}`}
                value={p.turn?.[key] ?? 0}
                unit="°"
                from={-360}
                to={360}
                rest={0}
                save={(v) => set({ ...p, turn: { ...p.turn, [key]: v } })}
              />
              <span className="text-quiet">{says}</span>
            </Line>
          ))}
          <Line name="Mirrored">
            <Choice
              aria-label="Mirrored"
              value={p.mirror ?? ""}
              onChange={(e) => set({ ...p, mirror: e.target.value as NonNullable<Patch["mirror"]> })}
            >
              {Object.entries(mirrors).map(([key, says]) => (
                <option key={key} value={key}>
                  {says}
                </option>
              ))}
            </Choice>
          </Line>
        </>
      );
    case "decoded":
      return (
        <Line name="Decoded">
          <Choice
            aria-label="How it is decoded"
            value={p.decoding === "all-round" ? "" : (p.decoding ?? "")}
            onChange={(e) => set({ ...p, decoding: e.target.value as NonNullable<Patch["decoding"]> })}
          >
            {Object.entries(decodings).map(([key, says]) => (
              <option key={key} value={key}>
                {says}
              </option>
            ))}
          </Choice>
        </Line>
      );
    case "encoded":
      return (
        <Line name="Spread">
          <NumberField
            says="Over how many degrees each speaker is spread"
            value={p.spread ?? 0}
            unit="°"
            from={0}
            to={360}
            rest={0}
            save={(v) => set({ ...p, spread: v })}
          />
        </Line>
      );
  }
  return null;
}
