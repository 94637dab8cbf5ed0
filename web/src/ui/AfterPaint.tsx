import type { ReactNode } from "react";

import { useAfterPaint } from "./painted";

/** What stands beside an answer, which waits for nothing else to be drawn. Whatever holds this keeps its room. */
export function AfterPaint({ children }: { children: ReactNode }) {
  return useAfterPaint() ? children : null;
}
