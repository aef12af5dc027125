import type { ReactNode } from "react";

/** A page before one has come in: the mark, one sentence, one thing to do. */
export function EntryPage({ title, children }: { title: string; children: ReactNode }) {
  return (
    <main id="main" className="coming-in">
      <svg viewBox="0 0 120 34" className="coming-in-path" aria-hidden="true" fill="none">
        <path d="M6 28 C30 28 34 12 56 16 S92 24 114 6" stroke="var(--rail)" strokeWidth="3" />
        <circle cx="6" cy="28" r="4.500" fill="var(--marsh)" />
        <circle cx="56" cy="16" r="3.500" fill="var(--marsh)" />
        <circle cx="114" cy="6" r="4.500" fill="var(--card)" stroke="var(--marsh)" strokeWidth="3" />
      </svg>
      <p className="crumb">Salt Path</p>
      <h1>{title}</h1>
      {children}
    </main>
  );
}
