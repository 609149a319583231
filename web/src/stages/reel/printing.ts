import { create } from "zustand";
import type { Reel, Schemas } from "../../api/client";

export type PrintOrder = Schemas["PrintOrder"];

/** What is to be printed, while it is looked at. */
export const usePrinting = create<{ reel: string; order: PrintOrder | null }>(() => ({ reel: "", order: null }));

/** Asks for a print of something of a reel, and shows what it would be. */
export const openPrint = (reel: Reel, order: PrintOrder) => usePrinting.setState({ reel: reel.id, order });
