import { Plus, X } from "lucide-react";
import type { Schemas } from "../../api/client";
import type { DeliverySpec } from "../../api/delivery";
import { Button, Choice, TextField } from "../../ui/controls";
import { SpecFiles } from "./SpecFiles";
import { Num, Row, replaced, Text, Tick } from "./specParts";
import { coders, codingWords, eyes, headsetWords, paperWords } from "./words";

type Props = { spec: DeliverySpec; set: (part: Partial<DeliverySpec>) => void };
type Segment = Schemas["SpecSegment"];
type Limits = Schemas["SpecLimits"];

/** What a specification asks for, field by field; what it has no field for stays as its JSON says. */
export function SpecFields({ spec, set }: Props) {
  const p = spec.programme;
  const programme = (part: Partial<typeof p>) => set({ programme: { ...p, ...part } });
  return (
    <div className="flex flex-col gap-3">
      <Text says="Name" value={spec.name} most={200} save={(name) => set({ name })} />
      <Text says="What it is for" value={spec.description} most={4000} save={(description) => set({ description })} />
      <Text says="Where it is written down" value={spec.source} most={1000} save={(source) => set({ source })} />
      <Row says="Sound">
        <Choice
          aria-label="Sample rate"
          value={spec.sample_rate}
          onChange={(e) => set({ sample_rate: Number(e.target.value) })}
        >
          {[...new Set([44100, 48000, 96000, spec.sample_rate])].map((r) => (
            <option key={r} value={r}>
              {r / 1000} kHz
            </option>
          ))}
        </Choice>
        <Choice aria-label="Coding" value={spec.coding} onChange={(e) => set({ coding: e.target.value })}>
          {["s16", "s24", "s32", "f32"].map((c) => (
            <option key={c} value={c}>
              {codingWords(c)}
            </option>
          ))}
        </Choice>
        <Tick says="dithered" value={spec.dither} save={(dither) => set({ dither })} />
      </Row>
      <Row says="Programme">
        <Choice
          aria-label="Length"
          value={p.length}
          onChange={(e) => programme({ length: e.target.value as typeof p.length })}
        >
          <option value="reel">to the reel's end</option>
          <option value="programme">to the end of the last clip</option>
        </Choice>
        <Tick says="whole frames" value={!!p.whole_frames} save={(v) => programme({ whole_frames: v || undefined })} />
        <label className="flex items-center gap-1 text-quiet">
          begins at
          <TextField
            aria-label="Start of programme"
            placeholder="anywhere"
            value={p.start ?? ""}
            onChange={(e) => programme({ start: e.target.value || undefined })}
            className="figures w-28"
          />
        </label>
      </Row>
      <Segments says="Before it" list={p.before ?? []} save={(before) => programme({ before })} />
      <Segments says="After it" list={p.after ?? []} save={(after) => programme({ after })} />
      <Row says="2-pop">
        <Tick
          says="a frame of tone two seconds before"
          value={!!p.pop}
          save={(on) => programme({ pop: on ? { level_dbfs: -18 } : undefined })}
        />
        {p.pop && (
          <>
            <Num
              says="Level of the pop"
              unit="dBFS"
              value={p.pop.level_dbfs}
              save={(v) => p.pop && programme({ pop: { ...p.pop, level_dbfs: v } })}
            />
            <Tick
              says="and after"
              value={!!p.pop.tail}
              save={(tail) => p.pop && programme({ pop: { ...p.pop, tail: tail || undefined } })}
            />
          </>
        )}
      </Row>
      <Text
        says="Outputs"
        title="The names that the weave's outputs must have, in order, with commas between; nothing where any will do"
        value={(spec.outputs ?? []).join(", ")}
        most={4000}
        save={(v) => set({ outputs: v ? v.split(",").map((o) => o.trimStart()) : undefined })}
      />
      <SpecFiles spec={spec} set={set} />
      <Row says="Names">
        <Tick
          says="A to Z, 0 to 9, - and _ alone"
          value={spec.names.letters === "plain"}
          save={(v) => set({ names: { ...spec.names, letters: v ? "plain" : undefined } })}
        />
        <Num
          says="Most letters of a name; 0 for any"
          unit="letters at most"
          value={spec.names.most ?? 0}
          save={(most) => set({ names: { ...spec.names, most: most || undefined } })}
        />
      </Row>
      <Text
        says="Folder"
        value={spec.folder ?? ""}
        most={200}
        save={(folder) => set({ folder: folder || undefined })}
      />
      <AllLimits list={spec.limits ?? []} save={(limits) => set({ limits: limits.length ? limits : undefined })} />
      <Row says="In the files">
        {(
          [
            ["no_bext", "bext", true],
            ["no_ixml", "iXML", true],
            ["loudness", "loudness in bext", false],
            ["mask", "speakers in the channel mask", false],
            ["adm", "beds and sound fields by the audio definition model (BW64)", false],
          ] as const
        ).map(([name, says, turned]) => (
          <Tick
            key={name}
            says={says}
            value={turned !== !!spec.metadata[name]}
            save={(v) => set({ metadata: { ...spec.metadata, [name]: v !== turned || undefined } })}
          />
        ))}
      </Row>
      <Row says="A picture that is cut">
        <Choice
          aria-label="How a picture is coded anew that is cut"
          title="It is copied where its edges allow it"
          value={spec.recode?.codec ?? ""}
          onChange={(e) =>
            set({ recode: e.target.value ? { codec: e.target.value as keyof typeof coders } : undefined })
          }
        >
          <option value="">is copied, or not cut</option>
          {Object.entries(coders).map(([value, words]) => (
            <option key={value} value={value}>
              is copied, or else coded anew as {words}
            </option>
          ))}
        </Choice>
        {spec.recode?.codec && !["vc3", "ffv1"].includes(spec.recode.codec) && (
          <Num
            says="Most megabits a second; 0 for a quality that is hard to tell from the original"
            unit="Mbit/s at most"
            value={spec.recode.megabits ?? 0}
            save={(megabits) => spec.recode && set({ recode: { ...spec.recode, megabits: megabits || undefined } })}
          />
        )}
      </Row>
      <Row says="A picture for headsets">
        <Choice
          aria-label="How the picture has to be marked to be seen with a headset"
          title="Marks st3d and sv3d, in MOV and MP4: a picture that says nothing is marked, one that says otherwise is refused"
          value={spec.headset ? `${spec.headset.degrees ?? 0} ${spec.headset.stereo ?? "one_picture"}` : ""}
          onChange={(e) => {
            const [degrees, stereo] = e.target.value.split(" ");
            set({
              headset: e.target.value
                ? { degrees: Number(degrees) as 0 | 180 | 360, stereo: stereo as keyof typeof eyes }
                : undefined,
            });
          }}
        >
          <option value="">is as it is marked</option>
          {([360, 180, 0] as const).flatMap((degrees) =>
            Object.keys(eyes)
              .filter((stereo) => degrees || stereo !== "one_picture")
              .map((stereo) => (
                <option key={`${degrees} ${stereo}`} value={`${degrees} ${stereo}`}>
                  {headsetWords({ degrees, stereo: stereo as keyof typeof eyes })}
                </option>
              )),
          )}
        </Choice>
      </Row>
      <Row says="Papers">
        {(["pdf", "csv", "json", "mhl"] as const).map((k) => (
          <Tick
            key={k}
            says={paperWords[k] ?? k}
            value={spec.papers.includes(k)}
            save={(on) => set({ papers: on ? [...spec.papers, k] : spec.papers.filter((x) => x !== k) })}
          />
        ))}
      </Row>
    </div>
  );
}

/** Silence and tone before or after the programme, one after the other. */
function Segments({
  says,
  list,
  save,
}: {
  says: string;
  list: Segment[];
  save: (list: Segment[] | undefined) => void;
}) {
  const put = (i: number, s: Segment | null) => {
    const next = replaced(list, i, s);
    save(next.length ? next : undefined);
  };
  return (
    <Row says={says}>
      {list.map((s, i) => (
        <span key={`${i} ${s.what}`} className="flex items-center gap-1">
          <Choice
            aria-label={`${says}, stretch ${i + 1}`}
            value={s.what}
            onChange={(e) =>
              put(
                i,
                e.target.value === "tone"
                  ? { what: "tone", seconds: s.seconds, level_dbfs: -18 }
                  : { what: e.target.value as Segment["what"], seconds: s.seconds },
              )
            }
          >
            <option value="silence">silence</option>
            <option value="slate">slate</option>
            <option value="black">black</option>
            <option value="tone">tone</option>
          </Choice>
          <Num
            says={`Seconds of stretch ${i + 1}`}
            unit="s"
            value={s.seconds}
            save={(seconds) => put(i, { ...s, seconds })}
          />
          {s.what === "tone" && (
            <>
              <Num
                says={`Level of stretch ${i + 1}`}
                unit="dBFS"
                value={s.level_dbfs ?? -18}
                save={(level_dbfs) => put(i, { ...s, level_dbfs })}
              />
              <Num
                says={`Hertz of stretch ${i + 1}`}
                unit="Hz"
                value={s.hz || 1000}
                save={(hz) => put(i, { ...s, hz })}
              />
            </>
          )}
          <Button aria-label={`Take stretch ${i + 1} ${says.toLowerCase()} away`} onClick={() => put(i, null)}>
            <X size={14} aria-hidden="true" />
          </Button>
        </span>
      ))}
      <Button aria-label={`${says}: one stretch more`} onClick={() => save([...list, { what: "silence", seconds: 4 }])}>
        <Plus size={14} aria-hidden="true" /> {list.length === 0 ? "Silence or tone" : "More"}
      </Button>
    </Row>
  );
}

const asked = [
  ["integrated_lufs", "LUFS", -23],
  ["tolerance_lu", "± LU", 0.5],
  ["max_true_peak_dbtp", "dBTP at most", -1],
  ["max_short_term_lufs", "LUFS short-term", -18],
  ["max_momentary_lufs", "LUFS momentary", -15],
  ["max_range_lu", "LU of range", 15],
] as const;

/** Limits of loudness and peaks, each of some of what is delivered. */
function AllLimits({ list, save }: { list: Limits[]; save: (list: Limits[]) => void }) {
  const put = (i: number, part: Partial<Limits>) => save(list.map((l, k) => (k === i ? { ...l, ...part } : l)));
  return (
    <Row says="Limits">
      {list.map((l, i) => (
        <span key={`${i}`} className="flex w-full flex-wrap items-center gap-x-2 gap-y-1">
          <label className="flex items-center gap-1 text-quiet">
            of
            <TextField
              aria-label={`What limits ${i + 1} are of`}
              title="mixes, stems, all, or a bus by its name"
              value={l.of}
              onChange={(e) => put(i, { of: e.target.value })}
              className="w-24"
            />
          </label>
          <TextField
            aria-label={`Name of limits ${i + 1}`}
            value={l.name}
            onChange={(e) => put(i, { name: e.target.value })}
            className="w-32"
          />
          {asked.map(([name, unit, usual]) =>
            l[name] === undefined ? (
              <Button
                key={name}
                aria-label={`Limits ${i + 1}: ask for ${unit}`}
                onClick={() => put(i, { [name]: usual })}
              >
                <Plus size={14} aria-hidden="true" /> {unit}
              </Button>
            ) : (
              <Num
                key={name}
                says={`Limits ${i + 1}, ${unit}`}
                unit={unit}
                value={l[name]}
                save={(v) => put(i, { [name]: v })}
              />
            ),
          )}
          <Button aria-label={`Take limits ${i + 1} away`} onClick={() => save(list.filter((_, k) => k !== i))}>
            <X size={14} aria-hidden="true" />
          </Button>
        </span>
      ))}
      <Button
        onClick={() =>
          save([
            ...list,
            { of: "mixes", name: "EBU R 128", integrated_lufs: -23, tolerance_lu: 0.5, max_true_peak_dbtp: -1 },
          ])
        }
      >
        <Plus size={14} aria-hidden="true" /> Loudness and peaks
      </Button>
    </Row>
  );
}
