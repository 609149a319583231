import type { ErrorComponentProps } from "@tanstack/react-router";
import { useRouter } from "@tanstack/react-router";
import { useOutbox } from "../api/outbox";
import { Button, Empty } from "./controls";
import { typedLast } from "./typed";

/** What is shown in the place of a view that broke: what broke, what was typed, and a way on. */
export function Broken({ error: thrown, reset }: ErrorComponentProps) {
  const error = thrown instanceof Error ? thrown : new Error(String(thrown));
  const router = useRouter();
  const waiting = useOutbox((o) => o.waiting.length);
  const typed = typedLast();
  return (
    <div role="alert" className="h-full overflow-auto">
      <Empty title="This view broke">
        <p>What was done before stands: the server has it. This is a defect of the program; please report it.</p>
        {waiting > 0 && <p>{waiting} edits that were not sent yet are kept in this browser, and are sent.</p>}
        <p className="figures select-text">{error.message}</p>
        {typed.length > 0 && (
          <div className="select-text text-left">
            <p>Typed last, in case it was not kept:</p>
            <dl>
              {typed.map((t) => (
                <div key={t.field} className="flex gap-2">
                  <dt>{t.field}:</dt>
                  <dd className="min-w-0 break-words text-ink">{t.text}</dd>
                </div>
              ))}
            </dl>
          </div>
        )}
        <div className="flex justify-center gap-2">
          <Button
            primary
            autoFocus
            onClick={() => {
              reset();
              void router.invalidate();
            }}
          >
            Go on
          </Button>
          <Button onClick={() => location.reload()}>Load the page anew</Button>
          <Button onClick={() => void navigator.clipboard.writeText(`${error.message}\n${error.stack ?? ""}`)}>
            Copy what broke
          </Button>
        </div>
      </Empty>
    </div>
  );
}
