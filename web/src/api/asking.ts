/** How the API is asked, whatever for. */
import { readExact } from "../base/exact";
import type { Case } from "./shapes";

/** What went wrong, in a sentence that can be shown. */
export class ApiProblem extends Error {
  readonly status: number;
  readonly code: string;

  constructor(status: number, sentence: string, code = "") {
    super(sentence);
    this.status = status;
    this.code = code;
  }
}

/** Has whoever works here show that it is they, by their password; false: they would not. Set by what can ask them. */
let confirmed: (() => Promise<boolean>) | undefined;

export function confirmBy(way: (() => Promise<boolean>) | undefined) {
  confirmed = way;
}

/** Told to the window when whoever works here is signed in no more. */
export const SIGNED_OUT = "saltpath-signed-out";

interface Problem {
  title?: string;
  remedy?: string;
  code?: string;
}

export async function ask<Answer>(path: string, init?: RequestInit): Promise<Answer> {
  return (await (await answered(path, init)).json()) as Answer;
}

/** A case, its document with numbers as they were written. */
export async function askCase(path: string, init?: RequestInit): Promise<Case> {
  const text = await (await answered(path, init)).text();
  const exact = readExact(text) as unknown as Case;
  return { ...(JSON.parse(text) as Case), document: exact.document, everyAnswer: exact.everyAnswer };
}

export async function answered(path: string, init?: RequestInit): Promise<Response> {
  let answer: Response;
  try {
    answer = await fetch(`/api/v1${path}`, init);
  } catch {
    throw new ApiProblem(0, "Salt Path does not answer. Is it running? This page tries again by itself.");
  }
  if (!answer.ok) {
    const problem = (await answer.json().catch(() => ({}))) as Problem;
    if (answer.status === 401 && problem.code === "signed-out") window.dispatchEvent(new Event(SIGNED_OUT));
    const asksAgain = answer.status === 403 && problem.code === "confirm";
    if (asksAgain && (await confirmed?.())) return answered(path, init);
    const sentences = [problem.title ?? `The server answered ${answer.status}.`, problem.remedy];
    throw new ApiProblem(answer.status, sentences.filter(Boolean).join(" "), problem.code);
  }
  return answer;
}

export function send<Answer>(
  path: string,
  body: unknown,
  headers: Record<string, string> = {},
): Promise<Answer> {
  return ask<Answer>(path, posted(body, headers));
}

export function posted(body: unknown, headers: Record<string, string> = {}, method = "POST"): RequestInit {
  const json = { "Content-Type": "application/json", ...headers };
  return { method, body: JSON.stringify(body), headers: json };
}

export const q = encodeURIComponent;

/** An answer whose numbers stay as they were written. */
export async function askExact<Answer>(path: string, init?: RequestInit): Promise<Answer> {
  return readExact(await (await answered(path, init)).text()) as unknown as Answer;
}
