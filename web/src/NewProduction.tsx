import { useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, must } from "./api/client";
import { keys } from "./api/queries";
import { Button, Choice, TextField } from "./ui/controls";
import { rateNames } from "./ui/rates";

/** The form that makes a production. */
export function NewProduction({ first }: { first?: boolean }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [error, setError] = useState("");
  const submit = async (e: React.FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const f = new FormData(e.currentTarget);
    const text = (k: string) => String(f.get(k) ?? "");
    try {
      const p = await must(
        api.POST("/api/productions", {
          body: {
            name: text("name"),
            episode: text("episode"),
            sample_rate: Number(text("sample_rate")),
            timecode_rate: text("rate"),
            start_timecode: text("start"),
          },
        }),
      );
      await client.invalidateQueries({ queryKey: keys.productions });
      navigate({ to: "/$production/intake", params: { production: p.id } });
    } catch (err) {
      setError(err instanceof Error ? err.message : String(err));
    }
  };
  return (
    <main className="mx-auto flex h-full w-96 flex-col justify-center gap-4">
      <h1 className="text-title">{first ? "Zesty Loom" : "New production"}</h1>
      <p className="text-quiet">A production holds the recordings, the reel and the deliveries of one programme.</p>
      <form onSubmit={submit} className="flex flex-col gap-3">
        <label className="flex flex-col gap-1">
          Name
          <TextField name="name" required maxLength={200} autoFocus />
        </label>
        <label className="flex flex-col gap-1">
          Episode
          <TextField name="episode" maxLength={200} />
        </label>
        <div className="flex gap-3">
          <label className="flex flex-1 flex-col gap-1">
            Sample rate
            <Choice name="sample_rate" defaultValue="48000">
              {[44100, 48000, 88200, 96000, 192000].map((r) => (
                <option key={r} value={r}>
                  {r / 1000} kHz
                </option>
              ))}
            </Choice>
          </label>
          <label className="flex flex-1 flex-col gap-1">
            Timecode rate
            <Choice name="rate" defaultValue="25">
              {rateNames.map((r) => (
                <option key={r}>{r}</option>
              ))}
            </Choice>
          </label>
        </div>
        <label className="flex flex-col gap-1">
          Start timecode
          <TextField name="start" defaultValue="10:00:00:00" className="figures" />
        </label>
        {error && (
          <p role="alert" className="text-bad">
            {error}
          </p>
        )}
        <Button primary type="submit" className="justify-center">
          Make the production
        </Button>
      </form>
    </main>
  );
}
