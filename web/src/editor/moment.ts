import { useEffect, useState } from "react";
import { position, useMonitor } from "../listening/engine";
import { useEditor } from "./store";

/** Where a reel is heard from as it plays, looked at every so many ms, or else the pointer. */
export function useMoment(reel: string, often: number): number {
  const pointer = useEditor((s) => s.pointer);
  const plays = useMonitor((s) => s.hearing !== null && "reel" in s.hearing.of && s.hearing.of.reel === reel);
  const [at, setAt] = useState(0);
  useEffect(() => {
    if (!plays) return;
    const look = () => setAt(Math.round(position()));
    look();
    const timer = setInterval(look, often);
    return () => clearInterval(timer);
  }, [plays, often]);
  return plays ? at : pointer;
}
