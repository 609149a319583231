import type { Order } from "../../api/delivery";

/** What a state of an order is called, in which colour, and in which weave its seal is. */
export const seals: Record<Order["state"], { says: string; tone: string; weave: string }> = {
  waiting: { says: "waiting", tone: "text-quiet", weave: "weave-none" },
  held: { says: "held", tone: "text-caution", weave: "weave-dots" },
  making: { says: "being made", tone: "text-ink", weave: "weave-VO" },
  laying: { says: "being laid", tone: "text-ink", weave: "weave-VO" },
  proving: { says: "reading back", tone: "text-ink", weave: "weave-VO" },
  proven: { says: "proven", tone: "text-good", weave: "weave-MX" },
  failed: { says: "failed", tone: "text-bad", weave: "weave-zigzag" },
  cancelled: { says: "cancelled", tone: "text-quiet", weave: "weave-none" },
};
