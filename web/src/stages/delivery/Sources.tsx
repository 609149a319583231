import { useState } from "react";
import type { Schemas } from "../../api/client";
import { plural } from "../../format";

/** The recordings that a delivery was made of. */
export function Sources({ used }: { used: Schemas["Used"][] }) {
  const [open, setOpen] = useState(false);
  return (
    <div>
      <button type="button" aria-expanded={open} onClick={() => setOpen(!open)} className="text-quiet underline">
        Made of {plural(used.length, "recording")}
      </button>
      {open && (
        <table aria-label="What it was made of" className="mt-1 text-small">
          <tbody>
            {used.map((u) => (
              <tr key={u.file + u.hash}>
                <td className="pr-4">{u.file}</td>
                <td className="figures pr-4 text-quiet">channel {u.channels.join(", ")}</td>
                <td className="figures pr-4 text-quiet">{plural(u.clips, "clip")}</td>
                <td className="pr-4">{u.tracks.join(", ")}</td>
                <td className="figures text-quiet">xxh64 {u.hash}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
