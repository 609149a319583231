import { Link, Outlet, useLocation, useNavigate, useParams } from "@tanstack/react-router";
import {
  AlignHorizontalJustifyStart,
  Gauge,
  Grid3x3,
  Inbox,
  ListMusic,
  type LucideIcon,
  PackageCheck,
  Redo2,
  Rows3,
  Search,
  Undo2,
} from "lucide-react";
import { useMemo, useState } from "react";
import { useEvents } from "./api/events";
import { useProduction, useProductionEnd, useProductions, useUndo } from "./api/queries";
import { useUndoOf } from "./api/reel";
import { stop, useMonitor } from "./listening/engine";
import { MonitorStrip } from "./listening/MonitorStrip";
import { Condition } from "./ui/Condition";
import { type Command, useCommandKeys, useCommandList } from "./ui/commands";
import { Choice, Empty, Key, unfocused } from "./ui/controls";
import { History } from "./ui/History";
import { KeysHelp, Palette } from "./ui/Palette";
import { changeTheme } from "./ui/theme";

export const stages = [
  { path: "intake", name: "Intake", icon: Inbox },
  { path: "takes", name: "Takes", icon: ListMusic },
  { path: "sync", name: "Sync", icon: AlignHorizontalJustifyStart },
  { path: "reel", name: "Reel", icon: Rows3 },
  { path: "weave", name: "Weave", icon: Grid3x3 },
  { path: "measure", name: "Measure", icon: Gauge },
  { path: "delivery", name: "Delivery", icon: PackageCheck },
] as const;

/** The id of the production that is shown. */
export function useProductionId(): string {
  return useParams({ strict: false }).production ?? "";
}

/** What all stages share: the rail, the production's facts, the monitor, the palette. */
export function Shell() {
  const id = useProductionId();
  const navigate = useNavigate();
  const { data: p, error } = useProduction(id);
  const { data: all } = useProductions();
  const undo = useUndo(id);
  const [palette, setPalette] = useState(false);
  const [help, setHelp] = useState(false);
  const [history, setHistory] = useState(false);
  useEvents(id);
  useCommandKeys();

  const { mutate: step } = undo;
  const stage = useLocation({ select: (l) => l.pathname.split("/")[2] ?? "" });
  const undoOf = useUndoOf(id, stage);
  const { mutate: end } = useProductionEnd();
  const archived = p?.archived ?? false;
  const going = !!p?.removal;
  const list = useMemo<Command[]>(
    () => [
      { id: "palette", name: "Find an action", key: "mod+k", run: () => setPalette(true) },
      { id: "help", name: "Show the keys of this stage", key: "?", run: () => setHelp(true) },
      { id: "undo", name: "Undo", key: "mod+z", run: () => step({ way: "undo", of: undoOf() }) },
      { id: "redo", name: "Redo", key: "mod+shift+z", run: () => step({ way: "redo", of: undoOf() }) },
      { id: "history", name: "What was done: step back in it", key: "mod+shift+h", run: () => setHistory(true) },
      { id: "stop", name: "Stop listening", key: "Escape", run: () => useMonitor.getState().hearing && stop() },
      ...stages.map((s) => ({
        id: s.path,
        name: `Go to ${s.name}`,
        run: () => navigate({ to: `/$production/${s.path}`, params: { production: id } }),
      })),
      { id: "theme", name: "Change between Dusk and Linen", run: changeTheme },
      { id: "new", name: "New production", run: () => navigate({ to: "/new" }) },
      {
        id: "archive",
        name: archived ? "Bring this production back from the archive" : "Archive this production: out of the way",
        run: () => end({ production: id, how: archived ? "unarchive" : "archive" }),
      },
      {
        id: "remove",
        name: going ? "Keep this production: take its removal back" : "Remove this production and its files, in a day",
        run: () => end({ production: id, how: going ? "keep" : "remove" }),
      },
    ],
    [id, navigate, step, undoOf, end, archived, going],
  );
  useCommandList("Everywhere", list);

  if (error && !p) {
    return (
      <Empty title="This production can't be shown">
        <Condition />
        <p>{error.message}</p>
        <Link to="/" className="text-focus underline">
          Go to the newest production
        </Link>
      </Empty>
    );
  }
  if (!p) return null;
  const snags: Record<string, number> = p.snags;
  return (
    <div className="flex h-full flex-col">
      <header className="flex h-11 shrink-0 items-center gap-4 border-line border-b bg-panel px-4">
        <Choice
          aria-label="Production"
          value={id}
          onChange={(e) =>
            e.target.value === "new"
              ? navigate({ to: "/new" })
              : navigate({ to: "/$production/intake", params: { production: e.target.value } })
          }
          className="max-w-80 border-transparent font-semibold"
        >
          {(all ?? [p])
            .filter((o) => o.id === id || (!o.archived && !o.removal))
            .map((o) => (
              <option key={o.id} value={o.id}>
                {o.name}
                {o.episode && `, ${o.episode}`}
              </option>
            ))}
          {(all ?? []).some((o) => o.id !== id && (o.archived || o.removal)) && (
            <optgroup label="Out of the way">
              {(all ?? [])
                .filter((o) => o.id !== id && (o.archived || o.removal))
                .map((o) => (
                  <option key={o.id} value={o.id}>
                    {o.name}
                    {o.episode && `, ${o.episode}`} ({o.removal ? "removed" : "archived"})
                  </option>
                ))}
            </optgroup>
          )}
          <option value="new">New production…</option>
        </Choice>
        <dl className="figures hidden gap-4 text-quiet lg:flex">
          <Fact name="Sample rate">{p.sample_rate / 1000} kHz</Fact>
          <Fact name="Timecode rate">{p.rate_name} fps</Fact>
          <Fact name="Start timecode">from {p.start_timecode}</Fact>
        </dl>
        <span className="ml-auto flex shrink-0 gap-1">
          <Step says="Undo" of="Ctrl Z" icon={Undo2} onClick={() => step({ way: "undo", of: undoOf() })} />
          <Step says="Redo" of="Ctrl Shift Z" icon={Redo2} onClick={() => step({ way: "redo", of: undoOf() })} />
        </span>
        <button
          type="button"
          onClick={() => setPalette(true)}
          className="flex h-7 w-52 shrink-0 items-center whitespace-nowrap gap-2 border border-line bg-ground px-2 text-quiet"
        >
          <Search size={14} aria-hidden="true" /> Find an action <span className="ml-auto" />
          <Key>Ctrl K</Key>
        </button>
        <button
          type="button"
          onClick={() => setHelp(true)}
          aria-label="Show the keys of this stage"
          className="h-7 w-7 bg-raised"
        >
          ?
        </button>
      </header>
      <Condition />
      {p.removal && (
        <p role="status" className="flex shrink-0 items-center gap-3 bg-caution px-4 py-1 text-on-focus">
          This production was removed. It goes for good, with all its files, at{" "}
          {new Date(p.removal).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" })}.
          <button type="button" className="underline" onClick={() => end({ production: id, how: "keep" })}>
            Keep it
          </button>
        </p>
      )}
      <div className="flex min-h-0 flex-1">
        <nav aria-label="Stages" className="flex w-[88px] shrink-0 flex-col border-line border-r bg-panel py-2">
          {stages.map(({ path, name, icon: Icon }) => (
            <Link
              key={path}
              to={`/$production/${path}`}
              params={{ production: id }}
              className="relative flex h-14 flex-col items-center justify-center gap-1 border-transparent border-l-4 text-quiet hover:text-ink"
              activeProps={{ className: "!border-focus bg-raised !text-ink" }}
            >
              <Icon size={18} aria-hidden="true" />
              {name}
              {(snags[path] ?? 0) > 0 && (
                <span className="figures ticket absolute top-1 right-2 bg-caution px-1 text-ground text-small leading-4">
                  {snags[path]}
                  <span className="sr-only"> snags</span>
                </span>
              )}
            </Link>
          ))}
        </nav>
        <main className="flex min-w-0 flex-1 flex-col">
          <Outlet />
        </main>
      </div>
      <MonitorStrip production={p} />
      <Palette open={palette} onOpenChange={setPalette} />
      <KeysHelp open={help} onOpenChange={setHelp} />
      <History production={id} of={undoOf()} open={history} onOpenChange={setHistory} />
    </div>
  );
}

/** A step in what was done, always at hand. */
function Step(p: { says: string; of: string; icon: LucideIcon; onClick: () => void }) {
  return (
    <button
      type="button"
      title={`${p.says} (${p.of})`}
      onMouseDown={unfocused}
      onClick={p.onClick}
      className="flex h-7 items-center gap-1.5 bg-raised px-2 hover:bg-line"
    >
      <p.icon size={14} aria-hidden="true" /> {p.says}
    </button>
  );
}

function Fact({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <div>
      <dt className="sr-only">{name}</dt>
      <dd>{children}</dd>
    </div>
  );
}
