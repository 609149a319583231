import type { Take } from "../../api/client";

/** How far lining a take up is: a mark each, and what it means. */
export const syncs: Record<Take["sync"], { mark: string; says: string; look: string }> = {
  "": { mark: "", says: "", look: "" },
  waiting: { mark: "…", says: "being compared in Sync", look: "text-quiet" },
  aligned: { mark: "◇", says: "aligned in Sync, to be accepted", look: "text-focus" },
  doubtful: { mark: "?", says: "doubtful in Sync", look: "text-caution" },
  none: { mark: "×", says: "matches nothing in Sync", look: "text-quiet" },
  accepted: { mark: "◆", says: "lined up", look: "text-good" },
};
