import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { api, must, type Strand, type Take } from "../../api/client";
import { keys } from "../../api/queries";
import { fromHome } from "../../format";
import { Button } from "../../ui/controls";
import { failed } from "../../ui/notes";

/** Lets a strand go from its take, moves it to so many samples from home, or brings it home. */
export function useDetach(production: string) {
  const client = useQueryClient();
  return useCallback(
    (s: Strand, detached: boolean, shift: number) =>
      must(
        api.PUT("/api/strands/{strand}/detached", {
          params: { path: { strand: s.id } },
          body: { detached, shift: Math.round(shift), was: s.shift },
        }),
      ).then(
        () => client.invalidateQueries({ queryKey: keys.production(production) }),
        (e) => {
          failed("Offset of a strand", e);
          return client.invalidateQueries({ queryKey: keys.production(production) });
        },
      ),
    [client, production],
  );
}

type Props = { strand: Strand; take: Take; production: string; rate: { num: number; den: number } };

/** How far a strand that was let go is from home, and what moves it. */
export function DetachedLine({ strand: s, take, production, rate }: Props) {
  const move = useDetach(production);
  const frame = (take.sample_rate * rate.den) / rate.num;
  const steps: [string, number][] = [
    ["frame", frame],
    ["ms", take.sample_rate / 1000],
    ["sample", 1],
  ];
  return (
    <div className="flex h-8 shrink-0 items-center gap-2 border-caution border-l-4 bg-raised/60 pl-3 text-small">
      <span className="figures text-caution">{fromHome(s.shift, take.sample_rate, rate)}</span>
      <span className="flex-1" />
      {steps.map(([name, by]) => (
        <span key={name} className="flex items-center">
          <Button
            className="h-6 px-1.5"
            aria-label={`Strand ${s.position} a ${name} earlier`}
            onClick={() => move(s, true, s.shift - by)}
          >
            −
          </Button>
          <span className="w-14 text-center text-quiet">{name}</span>
          <Button
            className="h-6 px-1.5"
            aria-label={`Strand ${s.position} a ${name} later`}
            onClick={() => move(s, true, s.shift + by)}
          >
            +
          </Button>
        </span>
      ))}
      <Button primary className="h-6" onClick={() => move(s, false, 0)}>
        Bring it home
      </Button>
    </div>
  );
}
