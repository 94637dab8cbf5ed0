import type { ReactNode } from "react";

import { Wheel } from "./Wheel";

const BARS = [86, 62, 74, 48, 68];

/**
 * While something is under way: says what, turns the wheel, and keeps the room with bars where the
 * answer will stand. What is there within a moment does not flicker: it shows up a moment later.
 * Where nothing else of the view stands yet, `heading` names it for those who go by headings.
 */
export function Working({ what, heading }: { what: string; heading?: string }) {
  return (
    <>
      {heading ? <h1 className="sr-only">{heading}</h1> : null}
      <div role="status" className="late p-6">
        <p className="soft flex items-center gap-3"><Wheel className="h-6 w-6 animate-spin" /> {what}</p>
        <div aria-hidden className="space-y-3 pt-5">
          {BARS.map((width) => <div key={width} className="skeleton h-4" style={{ width: `${width}%` }} />)}
        </div>
      </div>
    </>
  );
}

/** Something went wrong: the server's sentence, and what one can do; `heading` as with `Working`. */
export function Failed({ error, heading, children }: { error: unknown; heading?: string; children?: ReactNode }) {
  return (
    <>
      {heading ? <h1 className="sr-only">{heading}</h1> : null}
      <div role="alert" className="m-4 rounded-box border-l-4 border-error bg-base-100 p-4">
        <p className="font-semibold">
          {error instanceof Error ? error.message : "Something went wrong."}
        </p>
        {children}
      </div>
    </>
  );
}

/** Nothing is here yet: says so, and how it gets here. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="soft m-4 rounded-box border border-dashed border-base-300 p-8 text-center">
      <p className="text-base font-semibold text-base-content">{title}</p>
      {children}
    </div>
  );
}
