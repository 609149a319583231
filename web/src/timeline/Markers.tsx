import { Download, Upload } from "lucide-react";
import { useEffect, useReducer, useRef } from "react";
import type { Production, Reel } from "../api/client";
import { useReadMarkers } from "../api/reel";
import { point, useEditor } from "../editor/store";
import { markerLook } from "../ui/markers";
import { type View, xOf } from "./geometry";
import { headWidth, timecodeIn } from "./place";

type Props = { reel: Reel; production: Production; view: () => View };

/** The markers of the reel as tickets on one strip: a press goes there, and over its length where it has one. */
export function Markers({ reel, production, view }: Props) {
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  const picker = useRef<HTMLInputElement>(null);
  const chosen = useEditor((s) => s.marker);
  const { mutate: read } = useReadMarkers(production.id);
  useEffect(
    () =>
      useEditor.subscribe((now, was) => {
        if (now.from !== was.from || now.px !== was.px || now.extent !== was.extent) redraw();
      }),
    [],
  );
  const markers = reel.doc.markers ?? [];
  const v = view();
  const until = v.from + v.width / v.px;
  const seen = markers.filter((m) => m.at + (m.length ?? 0) >= v.from && m.at <= until);
  return (
    <div className="flex h-6 shrink-0 border-line border-b bg-ground">
      <div
        className="flex shrink-0 items-center gap-1 border-line border-r px-3 text-quiet text-small"
        style={{ width: headWidth }}
      >
        <span className="flex-1">Markers</span>
        <button
          type="button"
          aria-label="Read markers from a table"
          title="Read markers from a table (CSV: timecode, length, name, colour, note)"
          onClick={() => picker.current?.click()}
          className="flex h-5 w-6 items-center justify-center hover:text-ink"
        >
          <Upload size={13} aria-hidden="true" />
        </button>
        <input
          ref={picker}
          type="file"
          accept=".csv,text/csv"
          aria-label="Table of markers"
          className="hidden"
          onChange={async (e) => {
            const f = e.target.files?.[0];
            e.target.value = "";
            if (f) read({ reel: reel.id, table: await f.text() });
          }}
        />
        <a
          aria-label="Write the markers as a table"
          title="Write the markers as a table (CSV)"
          href={`/api/reels/${reel.id}/markers`}
          download={`${reel.name} markers.csv`}
          className="flex h-5 w-6 items-center justify-center hover:text-ink"
        >
          <Download size={13} aria-hidden="true" />
        </a>
      </div>
      <ul aria-label="Markers" className="relative min-w-0 flex-1 overflow-hidden">
        {seen.map((m, i) => {
          const look = markerLook(m.colour);
          const x = xOf(v, m.at);
          const next = seen[i + 1];
          const room = next ? Math.max(18, xOf(v, next.at) - x - 2) : 240;
          return (
            <li key={m.id} className="absolute inset-y-0" style={{ left: x }}>
              {!!m.length && (
                <span
                  aria-hidden="true"
                  className="absolute bottom-0 left-0 h-1"
                  style={{ width: Math.max(2, m.length * v.px), background: look.colour }}
                />
              )}
              <button
                type="button"
                aria-label={`Marker ${m.name} at ${timecodeIn(production, m.at)}`}
                aria-pressed={chosen === m.id}
                title={`${m.name}${m.note ? `\n${m.note}` : ""}`}
                onClick={() => {
                  useEditor.setState({
                    marker: m.id,
                    picture: "",
                    clips: new Set(),
                    span: m.length ? { from: m.at, to: m.at + m.length } : null,
                    ...(m.length ? { tracks: reel.doc.tracks.map((t) => t.id) } : {}),
                  });
                  point(m.at);
                }}
                className={`ticket flex h-5 items-center gap-1 truncate px-1.5 text-small ${chosen === m.id ? "bg-line text-ink" : "bg-raised text-quiet hover:text-ink"}`}
                style={{ maxWidth: room, borderLeft: `2px solid ${look.colour}` }}
              >
                <span aria-hidden="true" style={{ color: look.colour }}>
                  {look.sign}
                </span>
                <span className="truncate">{m.name}</span>
              </button>
            </li>
          );
        })}
      </ul>
    </div>
  );
}
