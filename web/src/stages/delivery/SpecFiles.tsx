import { Plus, X } from "lucide-react";
import type { Schemas } from "../../api/client";
import type { DeliverySpec } from "../../api/delivery";
import { layoutSays, useLayouts } from "../../api/weave";
import { Button, Choice, TextField } from "../../ui/controls";
import { Row, replaced, Tick } from "./specParts";
import { pictured } from "./words";

type Packing = Schemas["SpecPacking"];
type FileRule = Schemas["SpecFile"];
type Group = Schemas["SpecGroup"];

const eachOf: [NonNullable<FileRule["each"]>, string][] = [
  ["", "one file"],
  ["output", "a file an output"],
  ["group", "a file a group of outputs"],
  ["track", "a file a track"],
  ["stem", "a file a stem"],
  ["part", "a file a part"],
  ["mix", "a file a mix"],
];

const containers: Record<string, string> = {
  wav: "WAV",
  rf64: "RF64",
  bw64: "BW64",
  w64: "Wave64",
  aiff: "AIFF-C",
  flac: "FLAC",
  mov: "MOV",
  mxf: "MXF",
  mp4: "MP4",
};

const restOf: [NonNullable<Group["each"]>, string][] = [
  ["stem", "every other stem"],
  ["part", "every other part"],
  ["mix", "every other mix"],
  ["track", "every track"],
  ["group", "every other group of outputs"],
];

/** The files of each way of packing: for what there is one, what it holds in which order, and what it is called. */
export function SpecFiles({ spec, set }: { spec: DeliverySpec; set: (part: Partial<DeliverySpec>) => void }) {
  const put = (i: number, p: Packing | null) => set({ packings: replaced(spec.packings, i, p) });
  const more = () => {
    const taken = new Set(spec.packings.map((p) => p.id));
    let n = spec.packings.length + 1;
    while (taken.has(`files${n}`)) n++;
    const first = spec.packings[0];
    if (first)
      set({
        packings: [...spec.packings, { ...structuredClone(first), id: `files${n}`, says: `${first.says} (${n})` }],
      });
  };
  return (
    <>
      {spec.packings.map((p, i) => (
        <Row key={p.id} says={i === 0 ? "Files" : "or"}>
          <TextField
            aria-label={`What packing ${i + 1} is called`}
            value={p.says}
            onChange={(e) => put(i, { ...p, says: e.target.value })}
            className="min-w-0 flex-1"
          />
          {spec.packings.length > 1 && (
            <Button aria-label={`Take packing ${i + 1} away`} onClick={() => put(i, null)}>
              <X size={14} aria-hidden="true" />
            </Button>
          )}
          {p.files.map((f, k) => (
            <Rule
              key={`${k}`}
              rule={f}
              says={`packing ${i + 1}, rule ${k + 1}`}
              alone={p.files.length === 1}
              save={(f) => put(i, { ...p, files: replaced(p.files, k, f) })}
            />
          ))}
          <Button onClick={() => put(i, { ...p, files: [...p.files, structuredClone(p.files.at(-1) as FileRule)] })}>
            <Plus size={14} aria-hidden="true" /> Another file
          </Button>
        </Row>
      ))}
      <Row says="">
        <Button onClick={more}>
          <Plus size={14} aria-hidden="true" /> Another way to pack it
        </Button>
      </Row>
    </>
  );
}

type RuleProps = { rule: FileRule; says: string; alone: boolean; save: (f: FileRule | null) => void };

function Rule({ rule: f, says, alone, save }: RuleProps) {
  const { data: layouts = [] } = useLayouts();
  const put = (part: Partial<FileRule>) => save({ ...f, ...part });
  const each = (value: NonNullable<FileRule["each"]>) =>
    put({
      each: value || undefined,
      groups: value ? undefined : f.groups,
      kinds: undefined,
      layout: value ? f.layout : undefined,
    });
  const picture = (value: NonNullable<FileRule["picture"]>) =>
    put(
      value === "alone"
        ? { picture: value, each: undefined, groups: undefined, kinds: undefined, layout: undefined, split: undefined }
        : { picture: value || undefined },
    );
  return (
    <div className="flex w-full flex-col gap-1 border-line border-l pl-2">
      <span className="flex flex-wrap items-center gap-x-2 gap-y-1">
        <Choice
          aria-label={`For what there is a file, ${says}`}
          value={f.each ?? ""}
          onChange={(e) => each(e.target.value as "")}
        >
          {eachOf.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </Choice>
        <Choice
          aria-label={`Container, ${says}`}
          value={f.container}
          onChange={(e) =>
            put({
              container: e.target.value,
              coding: e.target.value === "mp4" ? "aac" : undefined,
              picture: pictured(e.target.value) ? f.picture : undefined,
            })
          }
        >
          {Object.entries(containers).map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </Choice>
        <Choice
          aria-label={`Order of speakers, ${says}`}
          title="The order in which the channels of a surround group stand"
          value={f.order ?? ""}
          onChange={(e) => put({ order: e.target.value || undefined })}
        >
          <option value="">order as routed</option>
          {[...new Set([...layouts.flatMap((l) => l.orders.map((o) => o.order)), ...(f.order ? [f.order] : [])])].map(
            (o) => (
              <option key={o} value={o}>
                {o} order
              </option>
            ),
          )}
        </Choice>
        {f.each && (
          <Choice
            aria-label={`Layout that each must have, ${says}`}
            value={f.layout ?? ""}
            onChange={(e) => put({ layout: e.target.value || undefined })}
          >
            <option value="">any layout</option>
            {[...new Set([...layouts.map((l) => l.name), ...(f.layout ? [f.layout] : [])])].map((l) => (
              <option key={l} value={l}>
                {layoutSays(l, layouts)}
              </option>
            ))}
          </Choice>
        )}
        {pictured(f.container) && (
          <Choice
            aria-label={`Picture, ${says}`}
            value={f.picture ?? ""}
            onChange={(e) => picture(e.target.value as "")}
          >
            <option value="">the picture goes along</option>
            {(f.container !== "mxf" || f.picture) && (
              <>
                <option value="alone">the picture alone</option>
                <option value="none">no picture</option>
              </>
            )}
          </Choice>
        )}
        <Tick says="a mono file a channel" value={!!f.split} save={(split) => put({ split: split || undefined })} />
        {!alone && (
          <Button aria-label={`Take ${says} away`} onClick={() => save(null)}>
            <X size={14} aria-hidden="true" />
          </Button>
        )}
      </span>
      <TextField
        aria-label={`Name pattern, ${says}`}
        title="{production} {episode} {reel} {version} {language} {date} {spec} {stem} {part} {bus} {track} {output} {number} {speaker} {rate} {layout} {from} {to}"
        value={f.name}
        onChange={(e) => put({ name: e.target.value })}
        className="figures w-full text-small"
      />
      {!f.each && f.picture !== "alone" && (
        <Groups
          list={f.groups ?? []}
          says={says}
          save={(groups) => put({ groups: groups.length ? groups : undefined })}
        />
      )}
    </div>
  );
}

/** The groups of channels that a file holds, in order: each a bus as a whole, or outputs by their names. */
function Groups({ list, says, save }: { list: Group[]; says: string; save: (list: Group[]) => void }) {
  const { data: layouts = [] } = useLayouts();
  const put = (i: number, g: Group | null) => save(replaced(list, i, g));
  return (
    <>
      {list.map((g, i) => {
        const bus = g.bus !== undefined;
        const of = `group ${i + 1} of ${says}`;
        const held = g.each ?? (bus ? "bus" : "outputs");
        const hold = (what: string) => {
          if (what === "bus") put(i, { layout: g.layout ?? "stereo", name: g.name, bus: (g.outputs ?? [])[0] ?? "" });
          else if (what === "outputs") put(i, { layout: g.layout ?? "stereo", name: g.name, outputs: [g.bus ?? ""] });
          else put(i, { each: what as Group["each"] });
        };
        return (
          <span key={`${i}`} className="flex items-center gap-1">
            <Choice aria-label={`Held, ${of}`} value={held} onChange={(e) => hold(e.target.value)}>
              <option value="bus">the bus</option>
              <option value="outputs">the outputs</option>
              {restOf.map(([value, words]) => (
                <option key={value} value={value}>
                  {words}
                </option>
              ))}
            </Choice>
            {g.each ? (
              <span className="min-w-0 flex-1 text-quiet">a group for each, as wide as it is</span>
            ) : (
              <>
                <TextField
                  aria-label={`Named, ${of}`}
                  title={
                    bus
                      ? "The name of a stem, a part or a mix"
                      : "Names of outputs, with commas between; nothing for silence"
                  }
                  value={bus ? g.bus : (g.outputs ?? []).join(", ")}
                  onChange={(e) =>
                    put(
                      i,
                      bus
                        ? { ...g, bus: e.target.value }
                        : { ...g, outputs: e.target.value.split(",").map((o) => o.trimStart()) },
                    )
                  }
                  className="min-w-0 flex-1"
                />
                <Choice
                  aria-label={`Layout, ${of}`}
                  value={g.layout}
                  onChange={(e) => put(i, { ...g, layout: e.target.value })}
                >
                  {[...new Set([...layouts.map((l) => l.name), g.layout ?? "stereo"])].map((l) => (
                    <option key={l} value={l}>
                      {layoutSays(l, layouts)}
                    </option>
                  ))}
                </Choice>
              </>
            )}
            {g.layout === "stereo" && /^ambisonic \d SN3D$/.test(list[i - 1]?.layout ?? "") && (
              <Tick
                says="head-locked"
                value={!!g.head_locked}
                save={(v) => put(i, { ...g, head_locked: v || undefined })}
              />
            )}
            <Button aria-label={`Take ${of} away`} onClick={() => put(i, null)}>
              <X size={14} aria-hidden="true" />
            </Button>
          </span>
        );
      })}
      <span className="flex items-center gap-2 text-quiet">
        {list.length === 0 && "all outputs, as the weave groups them"}
        <Button onClick={() => save([...list, { layout: "stereo", bus: "Full mix" }])}>
          <Plus size={14} aria-hidden="true" /> A group
        </Button>
      </span>
    </>
  );
}
