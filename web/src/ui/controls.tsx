import type { ButtonHTMLAttributes, ComponentProps, MouseEvent, ReactNode } from "react";

const base =
  "inline-flex h-7 shrink-0 items-center whitespace-nowrap gap-1.5 px-2.5 disabled:cursor-not-allowed disabled:opacity-60";

/** A button; `primary` for the one thing a place is for. */
export function Button({
  primary,
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { primary?: boolean }) {
  const look = primary
    ? "bg-focus font-semibold text-on-focus"
    : "bg-raised text-ink hover:bg-line aria-pressed:text-focus";
  return <button type="button" className={`${base} ${look} ${className}`} {...rest} />;
}

export function TextField({ className = "", ...rest }: ComponentProps<"input">) {
  return <input className={`h-7 border border-line bg-ground px-2 text-ink ${className}`} {...rest} />;
}

export function Choice({ className = "", ...rest }: ComponentProps<"select">) {
  return (
    <select className={`h-7 min-w-0 max-w-full border border-line bg-ground px-1 text-ink ${className}`} {...rest} />
  );
}

/** For onMouseDown: a press of the pointer leaves the keys where they were, and Space goes on playing. */
export const unfocused = (e: MouseEvent) => e.preventDefault();

/** A key as it is printed on the keyboard. */
export function Key({ children }: { children: ReactNode }) {
  return (
    <kbd className="figures min-w-5 shrink-0 whitespace-nowrap border border-line bg-ground px-1 text-center text-small text-quiet">
      {children}
    </kbd>
  );
}

/** Progress with what is done of what. */
export function Progress({ done, total, label, say }: { done: number; total: number; label: string; say: string }) {
  const part = total > 0 ? Math.min(1, done / total) : 0;
  return (
    <div className="flex items-center gap-2">
      <div
        role="progressbar"
        aria-label={label}
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(part * 100)}
        className="h-2 flex-1 bg-ground"
      >
        <div className="h-full bg-focus" style={{ width: `${part * 100}%` }} />
      </div>
      <span className="figures text-small text-quiet">{say}</span>
    </div>
  );
}

/** What to do where there is nothing yet. */
export function Empty({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="flex h-full flex-col items-center justify-center gap-3 p-8 text-center text-quiet">
      <h2 className="text-large text-ink">{title}</h2>
      {children}
    </div>
  );
}

/** Head of a stage: its name, what it holds, its actions. */
export function StageHead({ title, says, children }: { title: string; says: ReactNode; children?: ReactNode }) {
  return (
    <header className="flex h-12 shrink-0 items-center gap-3 border-line border-b px-4">
      <h1 className="text-title">{title}</h1>
      <p className="min-w-0 flex-1 truncate text-quiet" title={typeof says === "string" ? says : undefined}>
        {says}
      </p>
      <div className="flex shrink-0 items-center gap-2">{children}</div>
    </header>
  );
}
