import type { Shapes } from "../../api";
import { inWords } from "../../base/format";

/** How a suite stands: "4 of 7; two fail since Friday 06:40, one known". `said`: how a moment is said. */
export function suiteSentence(suite: Shapes["SuiteOverTime"], said: (moment: string) => string): string {
  const { cases, badNow, knownNow, uncheckedNow, badSince } = suite;
  if (!cases) return "No runs in this stretch";
  const apart: string[] = [];
  if (badNow)
    apart.push(
      `${inWords(badNow)} ${badNow > 1 ? "fail" : "fails"}${badSince ? ` since ${said(badSince)}` : ""}`,
    );
  if (knownNow) apart.push(`${inWords(knownNow)} known`);
  if (uncheckedNow) apart.push(`${inWords(uncheckedNow)} unchecked`);
  return `${cases - badNow - knownNow - uncheckedNow} of ${cases}${apart.length ? `; ${apart.join(", ")}` : ""}`;
}
