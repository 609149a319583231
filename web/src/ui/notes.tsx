import { X } from "lucide-react";
import { Toast } from "radix-ui";
import { create } from "zustand";

type Tone = "plain" | "bad";
type Note = { id: number; text: string; tone: Tone };

const useNotes = create<{ notes: Note[] }>(() => ({ notes: [] }));
let next = 1;

/** Says something in passing. What went wrong stays until it is put away. */
export function note(text: string, tone: Tone = "plain") {
  const id = next++;
  useNotes.setState((s) => ({ notes: [...s.notes.slice(-3), { id, text, tone }] }));
}

function dismiss(id: number) {
  useNotes.setState((s) => ({ notes: s.notes.filter((n) => n.id !== id) }));
}

/** The notes that are there. One in passing stays while the pointer or the focus is on it; F8 goes to them. */
export function Notes() {
  const notes = useNotes((s) => s.notes);
  return (
    <Toast.Provider label="Note" swipeDirection="right">
      {notes.map((n) => (
        <Toast.Root
          key={n.id}
          type={n.tone === "bad" ? "foreground" : "background"}
          duration={n.tone === "bad" ? Number.POSITIVE_INFINITY : 4000}
          onOpenChange={(open) => !open && dismiss(n.id)}
          className={`flex items-start gap-2 border-l-4 bg-raised p-3 shadow-lg ${n.tone === "bad" ? "border-bad" : "border-focus"}`}
        >
          <Toast.Description className="flex-1">{n.text}</Toast.Description>
          <Toast.Close
            aria-label="Put this note away"
            className="flex h-6 w-6 items-center justify-center text-quiet hover:text-ink"
          >
            <X size={14} />
          </Toast.Close>
        </Toast.Root>
      ))}
      <Toast.Viewport
        label="Notes ({hotkey})"
        className="fixed right-4 bottom-16 z-50 flex w-96 flex-col gap-2 outline-none"
      />
    </Toast.Provider>
  );
}
