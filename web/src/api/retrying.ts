import { ApiProblem } from ".";

/** Nobody answered, or the server said that it cannot just now (503; a proxy's 502 and 504): asking again will help. */
const AWAY = [0, 502, 503, 504];
export const ASK_AGAIN_AFTER_MS = 1000;

export const isAway = (problem: unknown): boolean =>
  problem instanceof ApiProblem && AWAY.includes(problem.status);

/** Whether a question is asked again: while the server is away. An answer, also one that says no, and a fault of the page's own would
 * only come again. */
export const askAgain = (_failures: number, problem: unknown): boolean => isAway(problem);
