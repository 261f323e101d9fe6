import type { Placing } from "../app/workbench";

/** Something that is placed on the sheet: by its button, or by its key. */
export interface Tool {
  places: Exclude<Placing, null>;
  key: string;
  words: string;
}
