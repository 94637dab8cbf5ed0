import type { KeyboardEvent } from "react";

const STEPS: Record<string, number> = { ArrowRight: 1, ArrowLeft: -1 };

/** Moves between the tabs of a list by arrow keys, Home and End; the tab that one comes to opens. */
export function alongTabs(event: KeyboardEvent<HTMLElement>): void {
  const tabs = [...event.currentTarget.querySelectorAll<HTMLElement>("[role=tab]")];
  const here = tabs.indexOf(document.activeElement as HTMLElement);
  const step = STEPS[event.key];
  const next = event.key === "Home" ? 0 : event.key === "End" ? tabs.length - 1 : step && here >= 0 ? (here + step + tabs.length) % tabs.length : -1;
  if (next < 0 || here < 0) return;
  event.preventDefault();
  tabs[next]?.focus();
  tabs[next]?.click();
}

/** Of the tabs of a list, Tab leads to the chosen one alone. */
export const tabStop = (chosen: boolean) => (chosen ? 0 : -1);
