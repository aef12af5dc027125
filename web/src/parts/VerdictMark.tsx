import type { Verdict } from "../api";

export type MarkKind = Verdict | "running" | "waiting";

const WORDS: Record<MarkKind, string> = {
  passed: "passed",
  failed: "failed",
  blocked: "blocked",
  skipped: "skipped",
  unchecked: "unchecked",
  running: "running",
  waiting: "not run yet",
};

const SHAPES: Record<MarkKind, React.ReactNode> = {
  passed: (
    <>
      <circle cx="8" cy="8" r="6.500" fill="var(--passed)" />
      <path d="M5 8.300 L7.200 10.500 L11.200 5.800" stroke="var(--card)" strokeWidth="1.800" fill="none" />
    </>
  ),
  failed: (
    <>
      <rect x="2" y="2" width="12" height="12" fill="var(--failed)" />
      <path
        d="M5.500 5.500 L10.500 10.500 M10.500 5.500 L5.500 10.500"
        stroke="var(--card)"
        strokeWidth="1.800"
      />
    </>
  ),
  blocked: (
    <>
      <path d="M8 1.500 L15 14 L1 14 Z" fill="var(--blocked)" />
      <path d="M8 6 L8 9.800 M8 11.200 L8 12.600" stroke="#1E2B31" strokeWidth="1.600" />
    </>
  ),
  skipped: <path d="M4 8 L12 8" stroke="var(--grey)" strokeWidth="2.200" />,
  unchecked: (
    <circle
      cx="8"
      cy="8"
      r="6"
      fill="none"
      stroke="var(--grey)"
      strokeWidth="1.600"
      strokeDasharray="2.600 2.100"
    />
  ),
  running: (
    <circle
      className="turning"
      cx="8"
      cy="8"
      r="6"
      fill="none"
      stroke="var(--marsh)"
      strokeWidth="2"
      strokeDasharray="24 14"
    />
  ),
  waiting: <circle cx="8" cy="8" r="2" fill="var(--line)" />,
};

/** A verdict by shape and colour; read out as a word. */
export function VerdictMark({ verdict, size = 15 }: { verdict: MarkKind; size?: number }) {
  return (
    <svg
      className="mark"
      width={size}
      height={size}
      viewBox="0 0 16 16"
      role="img"
      aria-label={WORDS[verdict]}
    >
      <title>{WORDS[verdict]}</title>
      {SHAPES[verdict]}
    </svg>
  );
}

const OUTLINES: Record<MarkKind, React.ReactNode> = {
  passed: <circle cx="12" cy="12" r="10" stroke="var(--passed)" />,
  failed: <rect x="2" y="2" width="20" height="20" stroke="var(--failed)" />,
  blocked: <path d="M12 1 L23.200 21.500 L0.800 21.500 Z" stroke="var(--blocked)" strokeLinejoin="round" />,
  skipped: <rect x="1" y="4" width="22" height="16" rx="8" stroke="var(--grey)" />,
  unchecked: <circle cx="12" cy="12" r="10" stroke="var(--grey)" strokeDasharray="4 3" />,
  running: (
    <circle cx="12" cy="12" r="10" stroke="var(--marsh)" strokeDasharray="44 19" className="turning" />
  ),
  waiting: <circle cx="12" cy="12" r="10" stroke="var(--line)" />,
};

const INKS: Record<MarkKind, string> = {
  passed: "var(--passed)",
  failed: "var(--failed)",
  blocked: "var(--blocked-text)",
  skipped: "var(--grey)",
  unchecked: "var(--grey)",
  running: "var(--marsh)",
  waiting: "var(--muted)",
};

/** A step's number on the trail, in the shape of its verdict. */
export function StepNumber({ number, verdict }: { number: string; verdict: MarkKind }) {
  const label = `step ${number}, ${WORDS[verdict]}`;
  return (
    <svg className="step-number" width={26} height={26} viewBox="-1 -1 26 26" role="img" aria-label={label}>
      <title>{label}</title>
      <g fill="var(--card)" strokeWidth="2">
        {OUTLINES[verdict]}
      </g>
      <text
        x="12"
        y={verdict === "blocked" ? 18.5 : 16.2}
        textAnchor="middle"
        fill={INKS[verdict]}
        fontSize={number.length > 2 ? 9 : undefined}
      >
        {number}
      </text>
    </svg>
  );
}

/** The last verdicts as a small line: high where it passed, low where it did not, newest at the right. */
export function VerdictLine({ verdicts }: { verdicts: Verdict[] }) {
  const oldestFirst = [...verdicts].reverse();
  const width = 64;
  const step = width / Math.max(oldestFirst.length, 1);
  const heights: Record<Verdict, number> = { passed: 3, unchecked: 8, skipped: 8, blocked: 12, failed: 13 };
  const path = oldestFirst
    .map(
      (verdict, index) =>
        `${index ? "L" : "M"}${index * step} ${heights[verdict]} L${(index + 1) * step} ${heights[verdict]}`,
    )
    .join(" ");
  const passed = verdicts.filter((verdict) => verdict === "passed").length;
  const label = `${passed} of the last ${verdicts.length} runs passed`;
  return (
    <svg width={width} height={16} role="img" aria-label={label} className="verdict-line">
      <title>{label}</title>
      <path d={path} fill="none" stroke="var(--marsh)" strokeWidth="1.600" />
    </svg>
  );
}
