/** What can be pressed, by whatever lies in it. */
const PRESSED = "button, a[href], summary, label, [role='button'], [role='tab'], [role='option']";
/** Pixels that a hand moves without meaning it. */
const TREMBLE = 4;

/**
 * What was pressed counts as pressed although an answer that came in meanwhile moved it away.
 *
 * Between press and release of a button the page may grow above it; the release then lands on
 * something else, and the browser tells neither of the two of a click. Whoever moves the pointer
 * away before letting go takes the press back, as everywhere.
 */
export function keepPresses(page: Document): void {
  let held: { target: HTMLElement; x: number; y: number } | null = null;
  page.addEventListener(
    "pointerdown",
    (event) => {
      const target = event.button === 0 && event.isPrimary && event.target instanceof Element ? event.target.closest<HTMLElement>(PRESSED) : null;
      held = target ? { target, x: event.clientX, y: event.clientY } : null;
    },
    true,
  );
  page.addEventListener("pointercancel", () => { held = null; }, true);
  page.addEventListener(
    "pointerup",
    (event) => {
      const was = held;
      held = null;
      if (!was?.target.isConnected || !(event.target instanceof Node) || was.target.contains(event.target)) return;
      if (Math.hypot(event.clientX - was.x, event.clientY - was.y) > TREMBLE) return;
      const { ctrlKey, metaKey, shiftKey, altKey, clientX, clientY } = event;
      was.target.focus();
      was.target.dispatchEvent(
        new MouseEvent("click", { bubbles: true, cancelable: true, view: window, detail: 1, ctrlKey, metaKey, shiftKey, altKey, clientX, clientY }),
      );
    },
    true,
  );
}
