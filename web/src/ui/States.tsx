import type { ReactNode } from "react";

import { Wheel } from "./Wheel";

/** While something is under way: says what, and turns the wheel. */
export function Working({ what }: { what: string }) {
  return (
    <div role="status" className="soft flex items-center gap-3 p-6">
      <Wheel className="h-6 w-6 animate-spin" /> {what}
    </div>
  );
}

/** Something went wrong: the server's sentence, and what one can do. */
export function Failed({ error, children }: { error: unknown; children?: ReactNode }) {
  return (
    <div role="alert" className="m-4 rounded-box border-l-4 border-error bg-base-100 p-4">
      <p className="font-semibold">
        {error instanceof Error ? error.message : "Something went wrong."}
      </p>
      {children}
    </div>
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
