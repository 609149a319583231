import { type ReactNode, useEffect, useRef, useState } from "react";
import { TextField } from "../../ui/controls";

/** A switch of a strand. */
export function Toggle({
  on,
  says,
  title,
  onClick,
  children,
}: {
  on: boolean;
  says: string;
  title: string;
  onClick: () => void;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      aria-pressed={on}
      aria-label={says}
      title={title}
      onClick={onClick}
      className={`h-7 w-8 shrink-0 border text-small ${on ? "border-focus text-focus" : "border-line text-quiet"}`}
    >
      {children}
    </button>
  );
}

type TextProps = {
  says: string;
  title?: string;
  value: string;
  empty: string;
  list?: string[];
  onSave: (v: string) => void;
  className: string;
};

/** A text that is saved when it is left, or with Enter. */
export function Text({ says, title, value, empty, list, onSave, className }: TextProps) {
  const [draft, setDraft] = useState<string | null>(null);
  const save = () => {
    if (draft !== null && draft.trim() !== value) onSave(draft.trim());
    setDraft(null);
  };
  return (
    <>
      <TextField
        aria-label={says}
        title={title}
        value={draft ?? value}
        placeholder={empty}
        maxLength={200}
        list={list ? `parts-${says}` : undefined}
        onChange={(e) => setDraft(e.target.value)}
        onFocus={(e) => e.target.select()}
        onBlur={save}
        onKeyDown={(e) => {
          if (e.key === "Enter") e.currentTarget.blur();
          if (e.key === "Escape") setDraft(null);
        }}
        className={`px-1.5 ${className}`}
      />
      {list && draft !== null && (
        <datalist id={`parts-${says}`}>
          {list.map((v) => (
            <option key={v} value={v} />
          ))}
        </datalist>
      )}
    </>
  );
}

/** A figure with its unit, 0 shown as the unit alone. */
export function Figure({
  says,
  unit,
  value,
  onSave,
}: {
  says: string;
  unit: string;
  value: number;
  onSave: (v: number) => void;
}) {
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (field.current && document.activeElement !== field.current) field.current.value = value ? String(value) : "";
  }, [value]);
  const save = () => {
    const v = Number((field.current?.value ?? "").replace(",", ".").replace("−", "-"));
    if (Number.isFinite(v)) onSave(v);
    if (field.current) field.current.value = value ? String(value) : "";
  };
  return (
    <TextField
      ref={field}
      aria-label={says}
      title={says}
      inputMode="decimal"
      defaultValue={value ? String(value) : ""}
      placeholder={unit}
      onFocus={(e) => e.target.select()}
      onBlur={save}
      onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      className="figures w-13 shrink-0 px-1 text-right text-small"
    />
  );
}
