import { useMemo, useRef, useState } from "react";
import type { Take } from "../../api/client";
import { alongWith, columns, edits, knownLabels, type Place, type SheetCell, stemAndPart, strandAt } from "./cells";

type Labels = ReturnType<typeof knownLabels>;

const none: Labels = new Map();

type Props = {
  takes: Take[];
  at: Place;
  send: (what: string, cells: SheetCell[]) => void;
  go: (row: number, col: number) => void;
  focus: () => void;
};

/** What is being typed into the cell of the cursor: `draft` is its text, null while nothing is. */
export function useTyping({ takes, at, send, go, focus }: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  const typing = draft !== null;
  // Stem and part go with a label that has them elsewhere. Only who types is offered labels.
  const known = useMemo(() => (typing ? knownLabels(takes) : none), [takes, typing]);
  const done = useRef(true); // leaving the field by a key blurs it as well: what was typed goes once
  if (typing) done.current = false;
  const take = takes[at.row];

  const commit = (down: number, right: number) => {
    if (done.current) return;
    done.current = true;
    if (draft !== null && take) {
      const s = strandAt(take, at.col);
      const label = edits(take, at.col, draft);
      const along = s && label.length > 0 ? alongWith(s, draft, known) : [];
      const going = stemAndPart(known.get(draft.trim()) ?? { stem: "", part: "" });
      send(
        s
          ? `label strand ${s.position} of ${take.name} “${draft.trim()}”${along.length > 0 ? `, ${going}` : ""}`
          : `type the ${columns[at.col]} of ${take.name}`,
        [...label, ...along],
      );
    }
    setDraft(null);
    go(at.row + down, at.col + right);
    focus();
  };
  /** Takes a key while one types; false for one that writes. */
  const onKey = (e: React.KeyboardEvent) => {
    if (e.key === "Enter") commit(e.shiftKey ? -1 : 1, 0);
    else if (e.key === "Tab") commit(0, e.shiftKey ? -1 : 1);
    else if (e.key === "Escape") {
      done.current = true;
      setDraft(null);
      focus();
    } else return false;
    return true;
  };
  return { draft, setDraft, known, commit, onKey };
}
