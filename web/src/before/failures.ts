import type { Shapes } from "../api/client";
import type { Edit, Question } from "../api/queries";
import { queryOf } from "../case/question";

export type Failure = Shapes["FailureShape"];
interface End {
  device: string;
  interface: string | null;
}

/** The ends that a failure takes down; a device as a whole has no interface. */
export function endsOf(failure: Pick<Failure, "down">): End[] {
  const down = failure.down as unknown as { link?: End[]; device?: string; interface?: string | null };
  if (down.link) return down.link;
  return [{ device: down.device ?? "", interface: down.interface ?? null }];
}

/** What fails, as a person would say it. */
export function nameOf(failure: Pick<Failure, "down">): string {
  return endsOf(failure).map((end) => [end.device, end.interface].filter(Boolean).join(" ")).join(" – ");
}

/** True for a whole device. */
export function isDevice(failure: Pick<Failure, "down">): boolean {
  const ends = endsOf(failure);
  return ends.length === 1 && ends[0]?.interface === null;
}

/** The failure as an edit that can be rehearsed. */
export function editOf(failure: Pick<Failure, "down">): Edit {
  const ends = endsOf(failure);
  return { down: ends.length === 1 ? ends[0] : { link: ends } } as unknown as Edit;
}

/** A failure as a URL holds it: `gull`, `gull:eth1`, or both ends of a link with a tilde between. */
export function downText(ends: End[]): string {
  return ends.map((end) => (end.interface === null ? end.device : `${end.device}:${end.interface}`)).join("~");
}

/** The failures that a URL holds, as edits. */
export function downsOf(query: URLSearchParams): Edit[] {
  return query.getAll("down").filter(Boolean).map((text) => {
    const ends = text.split("~").map((part) => {
      const at = part.indexOf(":");
      return at < 0 ? { device: part, interface: null } : { device: part.slice(0, at), interface: part.slice(at + 1) };
    });
    return editOf({ down: (ends.length === 1 ? ends[0] : { link: ends }) as unknown as Failure["down"] });
  });
}

/** Where a failure is looked at: the network with it, and the way of one question before and after. */
export function lookAt(survey: number, ends: End[], question: Partial<Question>): string {
  const query = question.from && question.to ? queryOf(question as Question) : new URLSearchParams();
  query.set("down", downText(ends));
  query.set("show", question.from ? "journey" : "effect");
  return `/s/${survey}/change?${query.toString()}`;
}

/** What cuts first, most first; then what an expectation falls under, what only moves, the rest. */
export function ranked(failures: Failure[]): Failure[] {
  const weight = (item: Failure) => [item.cuts, item.expectations.length, item.gone, item.moves];
  return [...failures].sort((one, other) => {
    const left = weight(one), right = weight(other);
    for (let at = 0; at < left.length; at += 1) {
      const differ = (right[at] ?? 0) - (left[at] ?? 0);
      if (differ) return differ;
    }
    return nameOf(one).localeCompare(nameOf(other));
  });
}
