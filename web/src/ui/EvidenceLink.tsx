import { Link } from "react-router";

import type { Shapes } from "../api/client";

export type Evidence = Shapes["EvidenceShape"];

export function evidencePlace(item: Evidence): string {
  if (item.default) return `${item.device}, by default`;
  return item.line ? `${item.device} line ${item.line}` : `${item.device} ${item.file}`;
}

export function evidenceUrl(survey: number, item: Evidence): string {
  const query = new URLSearchParams({ file: item.file });
  if (item.line) query.set("line", String(item.line));
  return `/s/${survey}/devices/${encodeURIComponent(item.device)}?${query.toString()}`;
}

/** A link to the line that says so. */
export function EvidenceLink({ survey, item }: { survey: number; item: Evidence }) {
  return (
    <Link
      to={evidenceUrl(survey, item)}
      title={item.text}
      className="underline decoration-dotted underline-offset-2 hover:decoration-solid"
    >
      {evidencePlace(item)}
    </Link>
  );
}
