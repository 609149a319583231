import type { Take } from "../../api/client";
import { plural } from "../../format";
import { note } from "../../ui/notes";
import { readTSV, writeTSV } from "../../ui/tsv";
import { columns, corners, edits, fillDown, flags, type Place, paste, type SheetCell, strandAt, textAt } from "./cells";
import type { useTyping } from "./useTyping";

type Props = {
  takes: Take[];
  at: Place;
  anchor: Place;
  onMove: (at: Place, anchor: Place) => void;
  send: (what: string, cells: SheetCell[]) => void;
  go: (row: number, col: number, extend?: boolean) => void;
  typing: ReturnType<typeof useTyping>;
  /** How many rows a page is. */
  pageRows: () => number;
};

/** Keys, copying and pasting belong to the grid as a whole: its cells are reached by the arrows. */
export function useSheetKeys({ takes, at, anchor, onMove, send, go, typing, pageRows }: Props) {
  const { draft, setDraft } = typing;
  const take = takes[at.row];
  const onKeyDown = (e: React.KeyboardEvent) => {
    if (draft !== null) {
      if (!typing.onKey(e)) return;
      e.preventDefault();
      e.stopPropagation();
      return;
    }
    const mod = e.ctrlKey || e.metaKey;
    const page = pageRows();
    const steps: Record<string, [number, number]> = {
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
      PageUp: [-page, 0],
      PageDown: [page, 0],
    };
    const step = steps[e.key];
    if (step && !mod) go(at.row + step[0], at.col + step[1], e.shiftKey);
    else if (e.key === "Home") go(mod ? 0 : at.row, 0, e.shiftKey);
    else if (e.key === "End")
      go(mod ? takes.length - 1 : at.row, columns.length + (take?.strands.length ?? 1) - 1, e.shiftKey);
    else if (mod && e.key.toLowerCase() === "d") {
      const cells = fillDown(takes, anchor, at);
      if (corners(anchor, at).top === corners(anchor, at).bottom)
        note("Choose rows with Shift and the arrows first: the top one is filled down.");
      send(`fill ${plural(cells.length, "cell")} down`, cells);
    } else if (mod && e.key.toLowerCase() === "a")
      onMove({ row: takes.length - 1, col: at.col }, { row: 0, col: at.col });
    else if ((e.key === "Delete" || e.key === "Backspace") && !mod) {
      const c = corners(anchor, at);
      send(
        "clear cells",
        takes
          .slice(c.top, c.bottom + 1)
          .flatMap((t) => Array.from({ length: c.right - c.left + 1 }, (_, k) => edits(t, c.left + k, "")).flat()),
      );
    } else if (columns[at.col] === "flags" && !mod && !e.altKey && flags.some((f) => f.key === e.key.toLowerCase())) {
      const f = flags.find((f) => f.key === e.key.toLowerCase());
      const c = corners(anchor, at);
      const rows = takes.slice(c.top, c.bottom + 1);
      const on = !take?.[f?.field ?? "circled"];
      if (f)
        send(
          `${on ? "mark" : "unmark"} ${plural(rows.length, "take")} ${f.name}`,
          rows.filter((t) => t[f.field] !== on).map((t) => ({ row: t.id, field: f.field, value: on, was: t[f.field] })),
        );
    } else if (e.key === "Enter" || e.key === "F2") {
      if (mod || !take || columns[at.col] === "flags") return;
      setDraft(textAt(take, at.col));
    } else if (
      e.key.length === 1 &&
      !mod &&
      !e.altKey &&
      /[\p{L}_("'&]/u.test(e.key) &&
      columns[at.col] !== "flags" &&
      take
    ) {
      if (at.col >= columns.length && !strandAt(take, at.col)) return;
      setDraft(e.key);
    } else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const onCopy = (e: React.ClipboardEvent) => {
    if (draft !== null) return;
    const c = corners(anchor, at);
    const rows = takes
      .slice(c.top, c.bottom + 1)
      .map((t) => Array.from({ length: c.right - c.left + 1 }, (_, k) => textAt(t, c.left + k)));
    e.clipboardData.setData("text/plain", writeTSV(rows));
    e.preventDefault();
  };
  const onPaste = (e: React.ClipboardEvent) => {
    if (draft !== null) return;
    const cells = paste(takes, anchor, at, readTSV(e.clipboardData.getData("text/plain")));
    send(`paste ${plural(cells.length, "cell")}`, cells);
    e.preventDefault();
  };
  return { onKeyDown, onCopy, onPaste };
}
