import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, must, type Reel } from "../../api/client";
import { keys } from "../../api/queries";
import { duration, plural } from "../../format";
import { Button } from "../../ui/controls";
import { note } from "../../ui/notes";
import { Panel } from "../../ui/Panel";
import { usePrinting } from "./printing";

/** What would be printed, a new recording each, before it is: of what, how many channels, from where to where. */
export function PrintPanel({ production, reel }: { production: string; reel: Reel }) {
  const asked = usePrinting();
  const client = useQueryClient();
  const [plain, setPlain] = useState(false);
  const order = asked.reel === reel.id ? asked.order : null;
  useEffect(() => {
    if (order) setPlain(false);
  }, [order]);
  const send = (preview: boolean) =>
    must(
      api.POST("/api/reels/{reel}/prints", {
        params: { path: { reel: reel.id } },
        body: { ...order, plain, preview },
      }),
    );
  const plan = useQuery({
    queryKey: ["prints", reel.id, reel.version, order, plain],
    queryFn: () => send(true),
    enabled: !!order,
    retry: false,
    gcTime: 0,
  });
  const close = () => usePrinting.setState({ order: null });
  const print = useMutation({
    mutationFn: () => send(false),
    onSuccess: (prints) => {
      note(
        `${plural(prints.length, "print is", "prints are")} being made, and laid when done. Delivery has the queue.`,
      );
      close();
    },
    meta: { about: "Print" },
    onSettled: () => client.invalidateQueries({ queryKey: keys.queue(production) }),
  });
  const prints = plan.data ?? [];
  const bus = !!order?.bus;
  return (
    <Panel
      open={!!order}
      onOpenChange={(o) => !o && close()}
      title="Print in place"
      className="flex w-[760px] max-w-[96vw] flex-col"
    >
      <p className="px-4 text-quiet">
        {bus
          ? "What feeds the bus becomes one new recording, which takes its place on a track of its own."
          : "What is chosen becomes a new recording for each take, a channel for each channel of its tracks, and lies where it lay."}{" "}
        What it takes the place of is kept, on tracks below that are off.
      </p>
      {!bus && (
        <fieldset className="flex gap-4 px-4 pt-3">
          <legend className="sr-only">What is printed</legend>
          {[
            { value: false, says: "with everything that was done to it" },
            { value: true, says: "as it was recorded" },
          ].map((o) => (
            <label key={o.says} className="flex items-center gap-1.5">
              <input type="radio" name="plain" checked={plain === o.value} onChange={() => setPlain(o.value)} />
              {o.says}
            </label>
          ))}
        </fieldset>
      )}
      <div className="max-h-80 min-h-16 overflow-auto px-4 pt-3">
        {plan.isError && <p className="text-bad">{plan.error.message}.</p>}
        {prints.length > 0 && (
          <table aria-label="What would be printed" className="w-full">
            <tbody>
              {prints.map((p) => (
                <tr key={p.file} className="border-line border-t align-top">
                  <td className="py-1 pr-3">
                    <span
                      className="ticket inline-block max-w-40 truncate whitespace-nowrap bg-raised px-2"
                      title={p.name}
                    >
                      {p.name}
                    </span>
                  </td>
                  <td className="py-1 pr-3">
                    {plural(p.channels.length, "channel")}
                    <span className="block text-quiet text-small">{p.channels.join(", ")}</span>
                  </td>
                  <td className="figures py-1 text-right text-quiet text-small">
                    <span className="whitespace-nowrap">
                      {p.from_timecode} to {p.to_timecode}, {duration(p.to - p.from, reel.sample_rate)}
                    </span>
                    <span className="block">{p.file}</span>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
      <footer className="flex items-center justify-end gap-2 p-4">
        <p className="min-w-0 flex-1 text-quiet text-small">WAV, 32 bits floating point; sums are kept as they are.</p>
        <Button onClick={close}>Leave it</Button>
        <Button primary disabled={prints.length === 0 || print.isPending} onClick={() => print.mutate()}>
          Print {plural(prints.length, "file")}
        </Button>
      </footer>
    </Panel>
  );
}
