import type { Schemas } from "../../api/client";

/** One thing that is not the same in all runs. */
export type Mismatch = Schemas["Mismatch"];
