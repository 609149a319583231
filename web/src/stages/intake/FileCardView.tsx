import { useQueryClient } from "@tanstack/react-query";
import { Play, RotateCcw, Trash2, TriangleAlert } from "lucide-react";
import { api, type FileCard, must, type Snag } from "../../api/client";
import { useProgress } from "../../api/events";
import { keys } from "../../api/queries";
import { bytes, count, dbfs, duration, plural } from "../../format";
import { hear, stop } from "../../listening/engine";
import { Button, Progress } from "../../ui/controls";
import { failing } from "../../ui/notes";
import { Waveform } from "../../waveform/Waveform";

/** Whether something is amiss with a file. */
export function hasSnags(f: FileCard): boolean {
  return f.snags.length > 0 || f.state === "refused" || f.state === "duplicate";
}

/** What can be done about a snag, in words. */
const remedies: Record<string, string> = {
  cut_short: "Ask for the original again, or go on with what is there.",
  size_lost: "Listen to the end: if it is whole, nothing needs doing.",
  empty_channel: "Leave it off, or check the recorder's other files.",
  other_rate: "",
  not_audio: "Remove the card; take in the sound file that was meant.",
  picture_unreadable: "Ask for the file again, or write its sound out as WAV.",
  no_sound: "Take the sound in separately.",
  clipped: "Listen to the loudest places; another microphone may have them whole.",
  part_frame: "",
  original_moved: "",
  source_changed: "",
  source_gone: "",
  put_back: "Remove this card: nothing else needs doing.",
  original_changed: "",
  hash_list_differs: "",
};

export function FileCardView({ file, production }: { file: FileCard; production: string }) {
  const client = useQueryClient();
  const progress = useProgress((s) => s[file.id]);
  const refresh = () => client.invalidateQueries({ queryKey: keys.production(production) });
  const remove = () =>
    must(api.DELETE("/api/files/{file}", { params: { path: { file: file.id } } })).then(refresh, failing(file.name));
  const retry = () =>
    must(api.POST("/api/files/{file}/retry", { params: { path: { file: file.id } } })).then(
      refresh,
      failing(file.name),
    );
  const busy = file.state === "waiting" || file.state === "analysing";
  return (
    <article aria-label={file.name} className="border border-line bg-panel p-3">
      <header className="mb-1 flex items-center gap-2">
        <h2 className="ticket min-w-0 truncate bg-raised px-2 py-0.5 font-semibold" title={file.name}>
          {file.name}
        </h2>
        <span className="flex-1" />
        {file.state === "refused" && (
          <Button onClick={retry} aria-label={`Try ${file.name} again`}>
            <RotateCcw size={14} aria-hidden="true" /> Again
          </Button>
        )}
        <button
          type="button"
          onClick={remove}
          aria-label={busy ? `Cancel ${file.name}` : `Remove ${file.name}`}
          className="flex h-7 w-7 shrink-0 items-center justify-center text-quiet hover:text-ink"
        >
          <Trash2 size={14} />
        </button>
      </header>
      {busy && (
        <Progress
          label={`Reading ${file.name}`}
          done={progress?.done ?? 0}
          total={progress?.total ?? 1}
          say={
            file.state === "waiting"
              ? "waiting"
              : progress
                ? `${count(progress.done)} of ${count(progress.total)}`
                : "reading"
          }
        />
      )}
      {file.channels > 0 && (
        <p className="figures mb-1 text-quiet text-small">
          {file.channels} ch, {file.container} {file.coding}, {file.sample_rate / 1000} kHz,{" "}
          {duration(file.frames, file.sample_rate)}
          {file.start_timecode && `, from ${file.start_timecode}`}, {bytes(file.size)}
          {file.origin === "linked" && ", in place"}
          {file.listed === "matches" && <span className="text-good">, as its hash list says</span>}
        </p>
      )}
      {file.streams.length > 0 && (
        <p className="mb-1 text-quiet text-small">
          {[file.picture && `Picture ${file.picture}`, ...file.streams].filter(Boolean).join("; ")}. Heard and used is a
          working copy of the sound; the original is untouched.
        </p>
      )}
      {file.strip && (
        <img
          src={`/api/files/${file.id}/strip`}
          alt={`Stills of ${file.name}`}
          width={file.strip.count * file.strip.width}
          height={file.strip.height}
          className="mb-1 h-9 w-full object-cover object-left"
        />
      )}
      {file.state === "refused" && <SnagLine snag={file.error} bad />}
      {file.state === "duplicate" && (
        <SnagLine
          snag={{
            code: "duplicate",
            message: `The same content is here already, as ${file.duplicate_of}. Nothing was kept twice.`,
          }}
        />
      )}
      {file.snags.map((s) => (
        <SnagLine key={s.code + s.message} snag={s} />
      ))}
      <Strips file={file} />
    </article>
  );
}

/** Snags are shown with their remedy. */
export function SnagLine({ snag, bad }: { snag: Snag; bad?: boolean }) {
  const remedy = remedies[snag.code];
  return (
    <p className={`mb-1 flex items-start gap-1.5 ${bad ? "text-bad" : "text-caution"}`}>
      <TriangleAlert size={14} className="mt-0.5 shrink-0" aria-hidden="true" />
      <span>
        {snag.message.charAt(0).toUpperCase() + snag.message.slice(1)}
        {!/[.!?]$/.test(snag.message) && "."} {remedy && <span className="text-quiet">{remedy}</span>}
      </span>
    </p>
  );
}

function Strips({ file }: { file: FileCard }) {
  return (
    <ul aria-label={`Channels of ${file.name}`}>
      {file.tracks.map((t) => (
        <li key={t.channel} className="flex h-6 items-center gap-2">
          <span className="figures w-5 text-right text-quiet text-small">{t.channel}</span>
          <button
            type="button"
            disabled={!t.strand}
            aria-label={`Hear channel ${t.channel} of ${file.name} while held`}
            className="flex h-6 w-6 items-center justify-center text-quiet hover:text-focus disabled:opacity-40"
            onPointerDown={(e) => {
              e.currentTarget.setPointerCapture(e.pointerId);
              void hear({
                of: { strands: [t.strand] },
                labels: [t.label || `channel ${t.channel}`],
                from: 0,
                sampleRate: file.sample_rate,
                mode: { kind: "alone", channel: 0 },
                says: `channel ${t.channel}, ${t.label || "no label"}, ${file.name}`,
                start: null,
              });
            }}
            onPointerUp={stop}
            onPointerCancel={stop}
          >
            <Play size={12} />
          </button>
          <span className={`w-28 truncate ${t.label ? "" : "text-quiet"}`} title={t.label}>
            {t.label || "no label"}
          </span>
          {t.strand ? (
            <Waveform
              strand={t.strand}
              from={0}
              to={file.frames}
              colour={t.silent ? "var(--quiet)" : "var(--ink)"}
              className="h-5 flex-1 bg-ground"
              zoom={2}
            />
          ) : (
            <span className="h-5 flex-1 bg-ground" />
          )}
          <Findings track={t} />
          <span className={`figures w-12 text-right text-small ${t.silent ? "text-caution" : "text-quiet"}`}>
            {t.silent ? "empty" : dbfs(t.peak_dbfs)}
          </span>
        </li>
      ))}
    </ul>
  );
}

/** What the one pass at intake found on a channel, beyond its peak: the unusual in view, all of it on hover. */
function Findings({ track: t }: { track: FileCard["tracks"][number] }) {
  const all = [
    `peak ${dbfs(t.peak_dbfs)} dBFS`,
    `RMS ${dbfs(t.rms_dbfs)} dBFS`,
    `noise floor ${dbfs(t.noise_dbfs)} dBFS`,
    `DC offset ${(t.dc * 100).toFixed(2)} %`,
    `silent for ${Math.round(t.silence * 100)} % of its length`,
    t.clipped_runs > 0 && `clipped in ${plural(t.clipped_runs, "place")}, ${count(t.clipped)} samples at full scale`,
  ].filter(Boolean);
  const unusual =
    t.clipped_runs > 0
      ? `clip ${count(t.clipped_runs)}`
      : Math.abs(t.dc) > 0.01
        ? `DC ${(t.dc * 100).toFixed(1)} %`
        : !t.silent && t.silence > 0.5
          ? `${Math.round(t.silence * 100)} % silent`
          : "";
  return (
    <span
      title={all.join(", ")}
      className={`figures w-20 truncate text-right text-small ${unusual && !unusual.endsWith("silent") ? "text-caution" : "text-quiet"}`}
    >
      {unusual || (t.silent ? "" : `floor ${dbfs(t.noise_dbfs)}`)}
    </span>
  );
}
