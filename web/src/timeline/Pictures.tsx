import { type PointerEvent, useEffect, useReducer, useState } from "react";
import type { EditAction, Picture, Production, Reel } from "../api/client";
import { point, useEditor } from "../editor/store";
import { type View, xOf } from "./geometry";
import { headWidth, timecodeIn } from "./place";

type Props = {
  reel: Reel;
  production: Production;
  view: () => View;
  act: (what: string, action: EditAction) => void;
};

/** What is seen, as lengths of ribbon on one strip: a press chooses one and goes there, a drag moves it by whole frames. */
export function Pictures({ reel, production: p, view, act }: Props) {
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  const chosen = useEditor((s) => s.picture);
  const [dragged, setDragged] = useState<{ id: string; by: number } | null>(null);
  useEffect(
    () =>
      useEditor.subscribe((now, was) => {
        if (now.from !== was.from || now.px !== was.px || now.extent !== was.extent) redraw();
      }),
    [],
  );
  const v = view();
  const until = v.from + v.width / v.px;
  const frame = (p.sample_rate * p.rate.den) / p.rate.num;
  const seen = (reel.doc.pictures ?? []).filter((x) => x.at + x.length >= v.from && x.at <= until);

  const choose = (x: Picture) =>
    useEditor.setState({ picture: x.id, marker: "", clips: new Set(), span: null, tracks: [] });

  const drag = (x: Picture) => (e: PointerEvent<HTMLButtonElement>) => {
    if (e.button !== 0) return;
    const from = e.clientX;
    const left = e.currentTarget.parentElement?.parentElement?.getBoundingClientRect().left ?? 0;
    const el = e.currentTarget;
    el.setPointerCapture(e.pointerId);
    let by = 0;
    let moved = false;
    const move = (m: globalThis.PointerEvent) => {
      moved ||= Math.abs(m.clientX - from) > 3;
      if (!moved) return;
      by = Math.round(Math.round((m.clientX - from) / v.px / frame) * frame);
      setDragged({ id: x.id, by });
    };
    const end = (m: globalThis.PointerEvent) => {
      el.removeEventListener("pointermove", move);
      el.removeEventListener("pointerup", end);
      el.removeEventListener("pointercancel", end);
      setDragged(null);
      choose(x);
      if (m.type === "pointercancel") return;
      if (!moved) point(Math.max(x.at, Math.min(x.at + x.length - 1, v.from + (m.clientX - left) / v.px)));
      else if (by !== 0 && x.at + by >= 0)
        act(`move the picture ${x.name}`, { set_pictures: { put: [{ ...x, at: x.at + by }] } });
    };
    el.addEventListener("pointermove", move);
    el.addEventListener("pointerup", end);
    el.addEventListener("pointercancel", end);
  };

  return (
    <div className="flex h-6 shrink-0 border-line border-b bg-ground">
      <div
        className="flex shrink-0 items-center border-line border-r px-3 text-quiet text-small"
        style={{ width: headWidth }}
      >
        Picture
      </div>
      <ul aria-label="Pictures" className="relative min-w-0 flex-1 overflow-hidden">
        {seen.map((x) => {
          const at = x.at + (dragged?.id === x.id ? dragged.by : 0);
          const left = Math.max(-2, xOf(v, at));
          const width = Math.max(4, Math.min(v.width + 2, xOf(v, at + x.length)) - left - 1);
          return (
            <li key={x.id} className="absolute inset-y-0" style={{ left, width }}>
              <button
                type="button"
                aria-label={`Picture ${x.name} from ${timecodeIn(p, x.at)} to ${timecodeIn(p, x.at + x.length)}`}
                aria-pressed={chosen === x.id}
                title={`${x.name}: drag to move it by frames`}
                onPointerDown={drag(x)}
                onKeyDown={(e) => {
                  if (e.key !== "Enter" && e.key !== " ") return;
                  e.preventDefault();
                  choose(x);
                  point(x.at);
                }}
                style={{ borderColor: "var(--sky)" }}
                className={`my-0.5 h-5 w-full truncate border-y px-1.5 text-left text-small ${chosen === x.id ? "bg-line text-ink" : "bg-raised text-quiet hover:text-ink"}`}
              >
                {x.name}
              </button>
            </li>
          );
        })}
      </ul>
    </div>
  );
}
