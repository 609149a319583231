import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, must } from "../api/client";
import { Button, Choice, TextField } from "../ui/controls";
import { note } from "../ui/notes";
import { type Chain, treats } from "./treating";

const key = ["treatments"];

/** Treatments that are kept under a name, for all productions: one is used, this one is kept, one is forgotten. */
export function Settings({ chain, use }: { chain: Chain; use: (name: string, chain: Chain) => void }) {
  const client = useQueryClient();
  const { data: kept = [] } = useQuery({ queryKey: key, queryFn: () => must(api.GET("/api/treatments")) });
  const [naming, setNaming] = useState<string | null>(null);
  const [used, setUsed] = useState("");
  const done = { meta: { about: "Kept settings" }, onSettled: () => client.invalidateQueries({ queryKey: key }) };
  const keep = useMutation({
    mutationFn: (name: string) => must(api.POST("/api/treatments", { body: { name, chain } })),
    onSuccess: (k) => {
      setUsed(k.id);
      note(`Kept as ${k.name}: ${k.says}.`);
    },
    ...done,
  });
  const forget = useMutation({
    mutationFn: (id: string) =>
      must(api.DELETE("/api/treatments/{treatment}", { params: { path: { treatment: id } } })),
    onSuccess: () => setUsed(""),
    ...done,
  });
  const chosen = kept.find((k) => k.id === used);
  return (
    <section aria-label="Kept settings" className="flex flex-wrap items-center gap-1.5 px-3 py-1.5">
      {naming === null ? (
        <>
          <Choice
            aria-label="Use a kept setting"
            value={used}
            className="min-w-0 flex-1"
            disabled={kept.length === 0}
            onChange={(e) => {
              setUsed(e.target.value);
              const k = kept.find((k) => k.id === e.target.value);
              if (k) use(k.name, k.chain);
            }}
          >
            <option value="">{kept.length === 0 ? "no setting is kept yet" : "a kept setting…"}</option>
            {kept.map((k) => (
              <option key={k.id} value={k.id} title={k.says}>
                {k.name}
              </option>
            ))}
          </Choice>
          <Button disabled={!treats({ ...chain, off: false })} onClick={() => setNaming(chosen?.name ?? "")}>
            Keep this…
          </Button>
          {chosen && <Button onClick={() => forget.mutate(chosen.id)}>Forget it</Button>}
        </>
      ) : (
        <form
          className="flex flex-1 items-center gap-1.5"
          onSubmit={(e) => {
            e.preventDefault();
            if (naming.trim() === "") return;
            keep.mutate(naming.trim());
            setNaming(null);
          }}
        >
          <TextField
            autoFocus
            aria-label="Name of the setting"
            placeholder="Name"
            className="min-w-0 flex-1"
            value={naming}
            maxLength={200}
            onChange={(e) => setNaming(e.target.value)}
            onKeyDown={(e) => e.key === "Escape" && setNaming(null)}
          />
          <Button type="submit" primary>
            {kept.some((k) => k.name === naming.trim()) ? "Keep in its place" : "Keep"}
          </Button>
          <Button onClick={() => setNaming(null)}>Leave it</Button>
        </form>
      )}
    </section>
  );
}
