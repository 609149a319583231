import type { Take } from "../../api/client";
import { useDecide } from "../../api/queries";
import { hearAnswer } from "../../listening/keys";
import { Button, Key } from "../../ui/controls";
import { asked } from "./asked";

/** What has to be said of a take's channels before anything of it is laid: both answers, heard and given. */
export function Questions({ take, production, at }: { take: Take; production: string; at: () => number }) {
  const { mutate: decide, isPending } = useDecide(production);
  const open = asked(take);
  if (open.length === 0) return null;
  return (
    <ul aria-label="Questions" className="mb-2">
      {open.map((s, i) => (
        <li
          key={s.id}
          className="mb-1 flex min-h-10 flex-wrap items-center gap-2 border-caution border-l-4 bg-raised px-3 py-1"
        >
          <span className="min-w-64 flex-1">
            Not certain: {s.says}.{" "}
            <span className="text-quiet text-small">
              {s.reason.charAt(0).toUpperCase() + s.reason.slice(1)}. Nothing of this take is laid until somebody says
              it.
            </span>
          </span>
          <Button onClick={() => hearAnswer(take, s.positions, true, at())}>
            Hear them together {i === 0 && <Key>,</Key>}
          </Button>
          <Button onClick={() => hearAnswer(take, s.positions, false, at())}>
            Hear each in the middle {i === 0 && <Key>.</Key>}
          </Button>
          <span className="w-3" />
          <Button primary disabled={isPending} onClick={() => decide({ suggestions: [s.id], accept: true })}>
            {together[s.kind] ?? "They belong together"} {i === 0 && <Key>Ctrl ,</Key>}
          </Button>
          <Button disabled={isPending} onClick={() => decide({ suggestions: [s.id], accept: false })}>
            Each by itself {i === 0 && <Key>Ctrl .</Key>}
          </Button>
        </li>
      ))}
    </ul>
  );
}

const together: Record<string, string> = {
  pair: "A stereo pair",
  mid_side: "Mid and side",
  surround: "Surround",
  ambisonic: "A sound field",
};
