import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";

interface Props {
  lines: string[];
  /** Marked lines, with the part of a crowded line that is meant. */
  marks: Map<number, string | null>;
  /** Lines that were not understood and could change an answer. */
  open?: Set<number>;
  /** What should stand behind a line, and does not. */
  gaps?: Map<number, string>;
  /** The line to scroll to. */
  focus?: number | null;
  label: string;
}

function Marked({ text, part }: { text: string; part: string | null }) {
  if (!part || text.length < 200) return <>{text}</>;
  const at = text.indexOf(part);
  if (at < 0) return <>{text}</>;
  return (
    <>
      {text.slice(0, at)}
      <mark className="rounded bg-[var(--mark-edge)]/40 font-semibold text-inherit">{part}</mark>
      {text.slice(at + part.length)}
    </>
  );
}

/** Indentation keeps its depth and takes less room, so that nested data stays in sight. */
function Indent({ text }: { text: string }) {
  const depth = text.length - text.trimStart().length;
  return depth ? <span style={{ fontSize: "0.45em" }}>{text.slice(0, depth)}</span> : null;
}

/** A device's own text with line numbers; the deciding lines are marked. */
export function SourceText({ lines, marks, open, gaps, focus, label }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => box.current,
    estimateSize: () => 19,
    overscan: 20,
  });
  useEffect(() => {
    if (focus) rows.scrollToIndex(Math.min(focus, lines.length) - 1, { align: "center" });
  }, [focus, lines, rows]);
  return (
    <div
      ref={box}
      tabIndex={0}
      role="region"
      aria-label={label}
      className="mono h-full min-h-0 overflow-auto pb-2"
    >
      <div style={{ height: rows.getTotalSize(), position: "relative" }}>
        {rows.getVirtualItems().map((row) => {
          const number = row.index + 1;
          const marked = marks.has(number);
          const text = lines[row.index] ?? "";
          return (
            <div
              key={row.key}
              data-index={row.index}
              data-marked={marked || undefined}
              ref={rows.measureElement}
              className={`absolute left-0 w-max min-w-full ${marked ? "bg-[var(--mark)] shadow-[inset_3px_0_0_var(--mark-edge)]" : ""}`}
              style={{ transform: `translateY(${row.start}px)` }}
            >
              <div className="flex">
              <span className="soft w-11 shrink-0 pr-2.5 text-right select-none">
                {open?.has(number) ? <span title="not understood, and it matters">?</span> : null}
                {number}
              </span>
              <span className={text.length > 300 ? "w-96 break-all whitespace-pre-wrap" : "pr-3 whitespace-pre"}>
                <Indent text={text} />
                <Marked text={text.trimStart()} part={marks.get(number) ?? null} />
              </span>
              </div>
              {gaps?.has(number) ? (
                <div className="hatched stop flex border-l-4 border-error py-0.5 font-bold" data-missing>
                  <span className="w-2 shrink-0" /> missing: {gaps.get(number)}
                </div>
              ) : null}
            </div>
          );
        })}
      </div>
    </div>
  );
}
