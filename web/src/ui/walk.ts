/** The walk that a first visit offers: what is kept of it in this browser, and where it stands. */

export type Walk = { survey: number; case: number; step: 1 | 2 };
const KEY = "trochos-walk";
export const LEFT = "left";

/** What is kept: nothing yet, that somebody left it, or how far it is. */
export function readWalk(text: string | null): Walk | typeof LEFT | null {
  if (text === null) return null;
  try {
    const held: unknown = JSON.parse(text);
    if (typeof held === "object" && held !== null && "survey" in held && "case" in held && "step" in held) return held as Walk;
  } catch {
    // Whatever else stands there: it does not come back by itself.
  }
  return LEFT;
}

export function keptWalk(): Walk | typeof LEFT | null {
  try {
    return readWalk(localStorage.getItem(KEY));
  } catch {
    return LEFT;
  }
}

export function keepWalk(walk: Walk | typeof LEFT): void {
  try {
    localStorage.setItem(KEY, walk === LEFT ? LEFT : JSON.stringify(walk));
  } catch {
    // A browser that keeps nothing is asked once per page.
  }
}

/** The complaint that shows most: true, about a ping, and not taken up yet. */
export function chosenCase<Case extends { id: number; works: string; state: string; protocol?: string }>(cases: Case[]): Case | undefined {
  const true_ = cases.filter((item) => item.works === "no" && item.state === "reported");
  return true_.find((item) => !item.protocol || item.protocol === "icmp") ?? true_[0];
}

/** The step that is shown: the third begins where a change is rehearsed. */
export function stepAt(walk: Walk, path: string): 1 | 2 | 3 | null {
  if (/^\/s\/\d+\/change\/\d+/.test(path)) return 3;
  return path === `/s/${walk.survey}/cases/${walk.case}` ? walk.step : null;
}
