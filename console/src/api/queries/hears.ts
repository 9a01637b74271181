import type { Heard } from "../live";

/* What makes a reading old: topics of the service's changes. */
export const fleet: Heard = { hears: ["devices", "reports"] };
export const edited: Heard = { hears: ["edits"] };
export const rolling: Heard = { hears: ["rollouts"] };
