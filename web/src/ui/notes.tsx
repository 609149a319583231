import { X } from "lucide-react";
import { create } from "zustand";

type Note = { id: number; text: string; about?: string };

/** What is said in passing, and what went wrong and stays. */
const useNotes = create<{ passing: Note[]; wrong: Note[] }>(() => ({ passing: [], wrong: [] }));
const mostPassing = 3;
const mostWrong = 4;
let next = 1;

/** Says something in passing. */
export function note(text: string) {
  const id = next++;
  useNotes.setState((s) => ({ passing: [...s.passing.slice(1 - mostPassing), { id, text }] }));
  setTimeout(() => useNotes.setState((s) => ({ passing: s.passing.filter((n) => n.id !== id) })), 4000);
}

/**
 * Says what went wrong, and of what: it stays until it is put away, or until the same goes well.
 *
 * @param about - what it is about, in the words of the interface.
 * @param subject - what it is about more closely, such as the edit that was refused.
 */
export function wrong(about: string, text: string, subject?: string) {
  const said = { id: next++, text: subject ? `${subject}: ${text}` : text, about };
  useNotes.setState((s) => ({
    wrong: [...s.wrong.filter((n) => n.about !== about || n.text !== said.text).slice(1 - mostWrong), said],
  }));
}

/** What went wrong before has gone well: its notes go. */
export function mended(about: string) {
  if (useNotes.getState().wrong.some((n) => n.about === about))
    useNotes.setState((s) => ({ wrong: s.wrong.filter((n) => n.about !== about) }));
}

/** Says what a request failed with. */
export function failed(about: string, error: unknown, subject?: string) {
  wrong(about, error instanceof Error ? error.message : String(error), subject);
}

/** `failed`, for what is waited for. */
export const failing = (about: string) => (error: unknown) => failed(about, error);

/** What is said in passing: over the page for a few seconds, and nothing that the pointer meets. */
export function Notes() {
  const passing = useNotes((s) => s.passing);
  return (
    <div
      className="pointer-events-none fixed right-4 bottom-16 z-60 flex w-96 flex-col gap-2"
      role="status"
      aria-live="polite"
    >
      {passing.map((n) => (
        <p key={n.id} className="border-focus border-l-4 bg-raised p-3 shadow-lg">
          {n.text}
        </p>
      ))}
    </div>
  );
}

/** What went wrong: below the page, which makes room for it, and over nothing. A panel that is open stays so when it is put away. */
export function Wrongs() {
  const notes = useNotes((s) => s.wrong);
  return (
    <div
      data-notes
      role="status"
      aria-live="polite"
      aria-label="What went wrong"
      className="pointer-events-auto relative z-50 shrink-0"
    >
      {notes.map((n) => (
        <p key={n.id} className="flex items-start gap-2 border-bad border-l-4 bg-raised px-3 py-1.5">
          <span className="flex-1">
            <strong>{n.about}</strong> {n.text}
          </span>
          <button
            type="button"
            aria-label={`Put this note away: ${n.about}`}
            onClick={() => useNotes.setState((s) => ({ wrong: s.wrong.filter((o) => o.id !== n.id) }))}
            className="flex h-6 w-6 items-center justify-center text-quiet hover:text-ink"
          >
            <X size={14} aria-hidden="true" />
          </button>
        </p>
      ))}
    </div>
  );
}
