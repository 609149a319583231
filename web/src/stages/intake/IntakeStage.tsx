import { useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { FileCheck, FolderOpen, RotateCcw, Upload as UploadIcon, X } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";
import { useFiles } from "../../api/queries";
import { bytes, plural } from "../../format";
import { useProductionId } from "../../Shell";
import { type Command, useCommandList } from "../../ui/commands";
import { Button, Empty, Progress, StageHead, TextField } from "../../ui/controls";
import { failing, mended, wrong } from "../../ui/notes";
import { pickFile } from "../../ui/pick";
import { FileCardView, hasSnags } from "./FileCardView";
import { HashLists, isHashList, useGiveHashLists } from "./HashLists";
import { Offered } from "./Offered";
import { Shelf } from "./Shelf";
import { again, cancel, goOn, send, throwAway, unfinished, useUploads } from "./uploads";

/** Where files arrive: what they hold, and whether they are whole. */
export function IntakeStage() {
  const production = useProductionId();
  const { data: files } = useFiles(production);
  const [shelf, setShelf] = useState(false);
  const [lists, setLists] = useState(false);
  const give = useGiveHashLists(production);
  // Hash lists may come among the files.
  const receive = (all: File[]) => {
    send(
      production,
      all.filter((f) => !isHashList(f.name)),
    );
    void give(all.filter((f) => isHashList(f.name)));
  };
  const received = useRef(receive);
  received.current = receive;
  const [snagsOnly, setSnagsOnly] = useState(false);
  const [search, setSearch] = useState("");
  const [over, setOver] = useState(false);
  const picker = useRef<HTMLInputElement>(null);

  const list = useMemo<Command[]>(
    () => [
      { id: "pick", name: "Choose files to take in", key: "a", run: () => picker.current?.click() },
      { id: "shelf", name: "Take in files the server can see", key: "s", run: () => setShelf(true) },
      { id: "lists", name: "Compare with a hash list, or write one", key: "h", run: () => setLists(true) },
      { id: "snags", name: "Show only files with snags, or all", key: "g", run: () => setSnagsOnly((v) => !v) },
    ],
    [],
  );
  useCommandList("Intake", list);

  // Dropped anywhere on the stage.
  useEffect(() => {
    const allow = (e: DragEvent) => {
      if (!e.dataTransfer?.types.includes("Files")) return;
      e.preventDefault();
      setOver(e.type !== "dragleave" || e.relatedTarget !== null);
    };
    const drop = (e: DragEvent) => {
      if (!e.dataTransfer?.files.length) return;
      e.preventDefault();
      setOver(false);
      received.current([...e.dataTransfer.files]);
    };
    window.addEventListener("dragover", allow);
    window.addEventListener("dragleave", allow);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener("dragover", allow);
      window.removeEventListener("dragleave", allow);
      window.removeEventListener("drop", drop);
    };
  }, []);

  const shown = useMemo(() => {
    const wanted = search.trim().toLowerCase();
    return (files ?? [])
      .filter((f) => (!snagsOnly || hasSnags(f)) && (wanted === "" || f.name.toLowerCase().includes(wanted)))
      .reverse(); // the newest first: what was just dropped is what one looks for
  }, [files, snagsOnly, search]);
  const withSnags = files?.filter(hasSnags).length ?? 0;

  return (
    <>
      <StageHead title="Intake" says={files ? `${plural(files.length, "file")}, ${withSnags} with snags` : ""}>
        <TextField
          type="search"
          aria-label="Search files"
          placeholder="Search"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
          className="w-40"
        />
        <Button
          aria-pressed={snagsOnly}
          onClick={() => setSnagsOnly((v) => !v)}
          className={snagsOnly ? "!bg-line" : ""}
        >
          {snagsOnly ? "Show all" : "Snags only"}
        </Button>
        <Button onClick={() => setLists(true)}>
          <FileCheck size={14} aria-hidden="true" /> Hash lists
        </Button>
        <Button onClick={() => setShelf(true)}>
          <FolderOpen size={14} aria-hidden="true" /> Shelf
        </Button>
        <Button primary onClick={() => picker.current?.click()}>
          <UploadIcon size={14} aria-hidden="true" /> Choose files
        </Button>
        <input
          ref={picker}
          type="file"
          multiple
          aria-label="Files to take in"
          className="hidden"
          onChange={(e) => {
            receive([...(e.target.files ?? [])]);
            e.target.value = "";
          }}
        />
      </StageHead>
      <Offered production={production} />
      <Uploads production={production} />
      {files?.length === 0 ? (
        <Empty title="Nothing has arrived yet">
          <p>Drop recorder files anywhere here: WAV, RF64, BW64, Wave64, AIFF or FLAC, with any number of channels.</p>
          <Button primary onClick={() => picker.current?.click()}>
            Choose files
          </Button>
        </Empty>
      ) : (
        <Cards files={shown} production={production} />
      )}
      {files && files.length > 0 && shown.length === 0 && (
        <Empty title="No file is like that">Search for something else, or show all.</Empty>
      )}
      {over && (
        <div className="pointer-events-none fixed inset-3 z-30 flex items-center justify-center border-2 border-focus border-dashed bg-ground/80 text-title">
          Drop to take in
        </div>
      )}
      <HashLists production={production} open={lists} onOpenChange={setLists} />
      <Shelf production={production} open={shelf} onOpenChange={setShelf} />
    </>
  );
}

function Cards({ files, production }: { files: Parameters<typeof FileCardView>[0]["file"][]; production: string }) {
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: files.length,
    lanes: 2,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => 96 + 24 * (files[i]?.tracks.length ?? 0) + 20 * (files[i]?.snags.length ?? 0),
    getItemKey: (i) => files[i]?.id ?? i,
    overscan: 4,
    gap: 8,
  });
  return (
    <div ref={scroller} className="min-h-0 flex-1 overflow-auto p-4">
      <ul aria-label="Files" className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((v) => {
          const file = files[v.index];
          return (
            file && (
              <li
                key={v.key}
                ref={virtual.measureElement}
                data-index={v.index}
                className="absolute top-0 w-[calc(50%-4px)]"
                style={{ transform: `translateY(${v.start}px)`, left: v.lane === 0 ? 0 : "calc(50% + 4px)" }}
              >
                <FileCardView file={file} production={production} />
              </li>
            )
          );
        })}
      </ul>
    </div>
  );
}

function Uploads({ production }: { production: string }) {
  const all = useUploads((s) => s.uploads);
  const uploads = all.filter((u) => u.production === production);
  const { data: left = [], refetch } = useQuery({
    queryKey: ["unfinished uploads", production, all.map((u) => u.id)],
    queryFn: () => unfinished(production),
    staleTime: 0,
  });
  if (uploads.length + left.length === 0) return null;
  return (
    <ul aria-label="Uploads" className="max-h-48 shrink-0 overflow-auto border-line border-b bg-panel px-4 py-2">
      {uploads.map((u) => (
        <li key={u.id} className="flex h-8 items-center gap-3">
          <span className="w-72 truncate">{u.name}</span>
          <div className="flex-1">
            {u.state === "failed" ? (
              <span className="text-bad">{u.error}</span>
            ) : (
              <Progress
                label={`Upload of ${u.name}`}
                done={u.sent}
                total={u.size}
                say={u.state === "queued" ? "waiting" : `${bytes(u.sent)} of ${bytes(u.size)}`}
              />
            )}
          </div>
          {u.state === "failed" && (
            <Button onClick={() => again(u.id)} aria-label={`Try ${u.name} again`}>
              <RotateCcw size={14} aria-hidden="true" /> Again
            </Button>
          )}
          <Button onClick={() => cancel(u.id)} aria-label={`Cancel the upload of ${u.name}`}>
            <X size={14} aria-hidden="true" /> Cancel
          </Button>
        </li>
      ))}
      {left.map((u) => (
        <li key={u.key} className="flex h-8 items-center gap-3">
          <span className="w-72 truncate">{u.name}</span>
          <span className="min-w-0 flex-1 truncate text-caution">
            unfinished: {bytes(u.arrived)} of {bytes(u.size)} have arrived, and it is taken in when all has
          </span>
          <Button
            onClick={() =>
              pickFile("", async (f) => {
                if (!(await goOn(production, u, f)))
                  wrong("Uploads", `this is not the file that was being sent, or it was changed since`, f.name);
                else mended("Uploads");
              })
            }
            aria-label={`Go on with the upload of ${u.name}`}
          >
            Go on…
          </Button>
          <Button
            onClick={() => throwAway(u).then(() => refetch(), failing("Uploads"))}
            aria-label={`Throw the upload of ${u.name} away`}
          >
            Throw away
          </Button>
        </li>
      ))}
    </ul>
  );
}
