import { useEffect, useState } from "react";

import { HIDDEN } from "../api/client";
import { many } from "./words";

/** How long it stays; long enough to be read twice. */
const MILLISECONDS = 12_000;

/** Says that something of what was just written looked like a secret and is not kept. */
export function Hidden() {
  const [count, setCount] = useState(0);
  useEffect(() => {
    const hear = (event: Event) => setCount((event as CustomEvent<number>).detail);
    window.addEventListener(HIDDEN, hear);
    return () => window.removeEventListener(HIDDEN, hear);
  }, []);
  useEffect(() => {
    if (!count) return;
    const over = setTimeout(() => setCount(0), MILLISECONDS);
    return () => clearTimeout(over);
  }, [count]);
  return (
    <div role="status" className="no-print">
      {count ? (
        <p className="fixed right-4 bottom-4 z-20 flex max-w-md items-center gap-3 rounded-box border border-base-content bg-base-100 p-3">
          <span>In {many(count, "text")} that you sent stood what looks like a secret. It is not kept: a mark <span className="mono">&lt;secret&gt;</span> stands in its place.</span>
          <button type="button" className="btn btn-sm" onClick={() => setCount(0)}>Close</button>
        </p>
      ) : null}
    </div>
  );
}
