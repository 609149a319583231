import { X } from "lucide-react";
import { create } from "zustand";

type Tone = "plain" | "bad";
type Note = { id: number; text: string; tone: Tone };

const useNotes = create<{ notes: Note[] }>(() => ({ notes: [] }));
let next = 1;

/** Says something in passing. What went wrong stays until it is put away. */
export function note(text: string, tone: Tone = "plain") {
  const id = next++;
  useNotes.setState((s) => ({ notes: [...s.notes.slice(-3), { id, text, tone }] }));
  if (tone === "plain") setTimeout(() => dismiss(id), 4000);
}

function dismiss(id: number) {
  useNotes.setState((s) => ({ notes: s.notes.filter((n) => n.id !== id) }));
}

export function Notes() {
  const notes = useNotes((s) => s.notes);
  return (
    <div
      className="pointer-events-none fixed right-4 bottom-16 z-50 flex w-96 flex-col gap-2"
      role="status"
      aria-live="polite"
    >
      {notes.map((n) => (
        <div
          key={n.id}
          className={`pointer-events-auto flex items-start gap-2 border-l-4 bg-raised p-3 shadow-lg ${n.tone === "bad" ? "border-bad" : "border-focus"}`}
        >
          <p className="flex-1">{n.text}</p>
          <button
            type="button"
            aria-label="Put this note away"
            onClick={() => dismiss(n.id)}
            className="flex h-6 w-6 items-center justify-center text-quiet hover:text-ink"
          >
            <X size={14} />
          </button>
        </div>
      ))}
    </div>
  );
}
