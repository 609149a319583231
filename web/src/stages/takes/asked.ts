import type { Take } from "../../api/client";

/** What has to be said of a take's channels before anything of it is laid. */
export const asked = (t: Take) => t.suggestions.filter((s) => s.asks);
