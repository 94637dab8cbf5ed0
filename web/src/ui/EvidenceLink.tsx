import { Link } from "react-router";

import type { Shapes } from "../api/client";

export type Evidence = Shapes["EvidenceShape"];

export function evidencePlace(item: Evidence): string {
  if (item.missing) return `${item.device}, behind line ${item.after ?? 0}`;
  if (item.default) return `${item.device}, by default`;
  return item.line ? `${item.device} line ${item.line}` : `${item.device} ${item.file}`;
}

export function evidenceUrl(survey: number, item: Evidence): string {
  const query = new URLSearchParams({ file: item.file });
  const line = item.line ?? item.after;
  if (line) query.set("line", String(line));
  return `/s/${survey}/devices/${encodeURIComponent(item.device)}?${query.toString()}`;
}

/** A link to the line that says so. */
export function EvidenceLink({ survey, item, short }: {
  survey: number; item: Evidence;
  /** The device that needs no naming here. */
  short?: string;
}) {
  const place = evidencePlace(item);
  return (
    <Link
      to={evidenceUrl(survey, item)}
      title={item.text}
      className="underline decoration-dotted underline-offset-2 hover:decoration-solid"
    >
      {short && place.startsWith(`${short} `) ? place.slice(short.length + 1) : place}
    </Link>
  );
}
