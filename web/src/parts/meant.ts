import type { Outcome } from "../app/api";

/** The place that a reason proposes instead: “nothing at $.callSign; did you mean $.radioCallSign?”. */
export function meant(why: Outcome["why"] | undefined): string | undefined {
  return /did you mean (\$\S+)\?$/.exec(why?.sentence ?? "")?.[1];
}
