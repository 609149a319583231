import { useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { useForgetLayout, useKeepLayout, useLayouts } from "../../api/weave";
import { Button, Choice, TextField } from "../../ui/controls";
import { saveText } from "../../ui/download";
import { wrong } from "../../ui/notes";
import { Panel } from "../../ui/Panel";
import { NumberField } from "./parts";
import { SpeakerPlan } from "./SpeakerPlan";

export type Placed = Schemas["PlacedSpeaker"];
type Own = Schemas["OwnLayout"];

type Props = {
  open: boolean;
  onClose: () => void;
  /** The bus that is looked at: its layout is begun with, and it can have the one that is kept. */
  bus: { name: string; layout: string };
  use: (layout: string) => void;
};

/** Layouts of one's own: speakers by name, carried in the plan of the room or typed, and kept by name. */
export function LayoutsPanel({ open, onClose, bus, use }: Props) {
  const { data: all = [] } = useLayouts();
  const beds = all.filter((l) => l.kind === "bed" && l.speakers.length > 0 && !l.speakers.every((s) => s.no_place));
  const own = all.filter((l) => l.own);
  const [edited, setEdited] = useState<Own | null>(null);
  const keep = useKeepLayout();
  const forget = useForgetLayout();
  const file = useRef<HTMLInputElement>(null);
  const ofBus = all.find((l) => l.name === bus.layout);
  const start = ofBus && ofBus.kind === "bed" ? ofBus : beds.find((l) => l.name === "5.1");
  const begin = (l?: Schemas["LayoutOffered"]): Own => ({
    format: 1,
    name: l?.own ? l.says : "",
    description: l?.description ?? "",
    speakers: l?.speakers ?? [],
  });
  const now = edited ?? begin(start);
  const set = (part: Partial<Own>) => setEdited({ ...now, ...part });
  const speakers = now.speakers;
  const place = (i: number, part: Partial<Placed>) =>
    set({ speakers: speakers.map((s, k) => (k === i ? { ...s, ...part } : s)) });
  const kept = own.find((l) => l.says === now.name.trim());
  const good = now.name.trim() !== "" && speakers.length > 0;
  const doc = () => ({ ...now, name: now.name.trim() });
  const close = () => {
    setEdited(null);
    onClose();
  };
  const read = async (f: File) => {
    try {
      setEdited(JSON.parse(await f.text()));
    } catch {
      wrong("Layouts", `${f.name} is no JSON: a layout that was written here is expected.`);
    }
  };
  return (
    <Panel
      open={open}
      onOpenChange={(o) => !o && close()}
      title="Layouts of one's own"
      className="flex w-[1080px] max-w-[94vw] flex-col"
    >
      <div className="flex flex-wrap items-center gap-2 px-4 pb-3">
        <label className="flex items-center gap-2 text-quiet">
          Begin with
          <Choice
            value=""
            aria-label="Begin with"
            className="w-52"
            onChange={(e) => setEdited(begin(all.find((l) => l.name === e.target.value)))}
          >
            <option value="">a layout…</option>
            {own.map((l) => (
              <option key={l.own} value={l.name}>
                {l.says}
              </option>
            ))}
            {beds.map((l) => l.own || <option key={l.name}>{l.name}</option>)}
          </Choice>
        </label>
        <label className="flex min-w-0 flex-1 items-center gap-2 text-quiet">
          Name
          <TextField
            value={now.name}
            maxLength={60}
            placeholder="what it is kept under"
            onChange={(e) => set({ name: e.target.value })}
            className="min-w-0 flex-1"
          />
        </label>
        <Button onClick={() => file.current?.click()}>Read one from a file…</Button>
        <input
          ref={file}
          type="file"
          accept=".json"
          aria-label="Layout to read"
          className="sr-only"
          onChange={(e) => {
            const f = e.target.files?.[0];
            e.target.value = "";
            if (f) read(f);
          }}
        />
      </div>
      <div className="flex min-h-0 flex-1 gap-4 px-4" style={{ height: 420 }}>
        <SpeakerPlan speakers={speakers} place={(i, azimuth) => place(i, { azimuth })} />
        <div className="min-h-0 flex-1 overflow-auto border border-line">
          <table aria-label="Speakers" className="w-full border-separate border-spacing-0">
            <thead className="sticky top-0 bg-panel text-left text-quiet text-small">
              <tr>
                {["", "Speaker", "Azimuth", "Elevation", "Distance", "Trim", ""].map((h, i) => (
                  <th key={`${h} ${i > 1}`} scope="col" className="border-line border-b px-2 py-1 font-normal">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {speakers.map((s, i) => (
                <tr key={i}>
                  <td className="figures px-2 py-0.5 text-quiet">{i + 1}</td>
                  <td className="px-2 py-0.5">
                    <TextField
                      aria-label={`Name of speaker ${i + 1}`}
                      value={s.name}
                      maxLength={16}
                      className="w-24"
                      onChange={(e) => {
                        const name = e.target.value.replace(/\s/g, "");
                        place(i, { name, no_place: name === "LFE" || undefined });
                      }}
                    />
                  </td>
                  {s.no_place ? (
                    <td colSpan={4} className="px-2 py-0.5 text-quiet text-small">
                      low frequencies alone, without a place
                    </td>
                  ) : (
                    <>
                      <td className="px-2 py-0.5">
                        <NumberField
                          says={`Azimuth of ${s.name}, to the left`}
                          value={s.azimuth}
                          unit="°"
                          from={-180}
                          to={180}
                          save={(azimuth) => place(i, { azimuth })}
                        />
                      </td>
                      <td className="px-2 py-0.5">
                        <NumberField
                          says={`Elevation of ${s.name}`}
                          value={s.elevation}
                          unit="°"
                          from={-90}
                          to={90}
                          save={(elevation) => place(i, { elevation })}
                        />
                      </td>
                      <td className="px-2 py-0.5">
                        <NumberField
                          says={`Distance of ${s.name}, 0 where it is not known`}
                          value={s.distance ?? 0}
                          unit="m"
                          from={0}
                          to={100}
                          places={2}
                          save={(distance) => place(i, { distance: distance || undefined })}
                        />
                      </td>
                      <td className="px-2 py-0.5">
                        <NumberField
                          says={`Trim of ${s.name}`}
                          value={s.trim_db ?? 0}
                          unit="dB"
                          from={-40}
                          to={20}
                          save={(trim) => place(i, { trim_db: trim || undefined })}
                        />
                      </td>
                    </>
                  )}
                  <td className="whitespace-nowrap px-2 py-0.5">
                    <Button
                      aria-label={`Put ${s.name} before`}
                      disabled={i === 0}
                      onClick={() => set({ speakers: speakers.toSpliced(i, 1).toSpliced(i - 1, 0, s) })}
                    >
                      ↑
                    </Button>{" "}
                    <Button
                      aria-label={`Remove ${s.name}`}
                      onClick={() => set({ speakers: speakers.filter((_, k) => k !== i) })}
                    >
                      ×
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <div className="p-2">
            <Button
              disabled={speakers.length >= 64}
              onClick={() =>
                set({
                  speakers: [...speakers, { name: freeName(speakers), azimuth: freeAzimuth(speakers), elevation: 0 }],
                })
              }
            >
              Add a speaker
            </Button>
          </div>
        </div>
      </div>
      <p className="px-4 pt-2 text-quiet text-small">
        What is rendered goes by directions. Distances and trims are for who sets the room up: they stand in the papers
        of a delivery that has this layout, with everything else here.
      </p>
      <footer className="flex items-center gap-2 px-4 py-3">
        <Button
          disabled={!good}
          onClick={() => saveText(`${now.name.trim()}.json`, JSON.stringify(doc(), null, 2), "application/json")}
        >
          Write it to a file
        </Button>
        {kept?.own && (
          <Button className="text-bad" onClick={() => kept.own && forget.mutate(kept.own)}>
            Forget {kept.says}
          </Button>
        )}
        <span className="flex-1" />
        <Button disabled={!good || keep.isPending} onClick={() => keep.mutate(doc())}>
          Keep it{kept ? " in place of the one of this name" : ""}
        </Button>
        <Button
          primary
          disabled={!good || keep.isPending}
          onClick={() =>
            keep.mutate(doc(), {
              onSuccess: (l) => {
                use(l.name);
                close();
              },
            })
          }
        >
          Keep it, and use it for {bus.name}
        </Button>
      </footer>
    </Panel>
  );
}

/** A name that no speaker has. */
function freeName(speakers: Placed[]): string {
  const taken = new Set(speakers.map((s) => s.name.toLowerCase()));
  let n = speakers.length + 1;
  while (taken.has(`s${n}`)) n++;
  return `S${n}`;
}

/** The middle of the widest gap between speakers, in whole degrees. */
function freeAzimuth(speakers: Placed[]): number {
  const around = speakers.filter((s) => !s.no_place).map((s) => s.azimuth);
  around.sort((a, b) => a - b);
  let [at, wide] = [0, 0];
  around.forEach((a, i) => {
    const gap = (around[i + 1] ?? (around[0] ?? 0) + 360) - a;
    if (gap > wide) [at, wide] = [a + gap / 2, gap];
  });
  return Math.round(at > 180 ? at - 360 : at);
}
