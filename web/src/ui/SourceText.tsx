import { EditorState, RangeSetBuilder, Text, type Extension } from "@codemirror/state";
import {
  Decoration, EditorView, GutterMarker, ViewPlugin, WidgetType, gutterLineClass, lineNumberMarkers, lineNumbers,
  type DecorationSet, type ViewUpdate,
} from "@codemirror/view";
import { useEffect, useRef } from "react";

import { WORDS } from "./codeLook";

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
  /** Wraps every line that is wider than the box. */
  wrap?: boolean;
  label: string;
}

/** Texts with longer lines are wrapped: one line of data may hold a whole configuration. */
const LONG = 300;
const CROWDED = 200;

class Unread extends GutterMarker {
  constructor(readonly line: number) { super(); }
  override eq(other: Unread) { return other.line === this.line; }
  override toDOM() {
    const said = document.createElement("span");
    said.textContent = `? ${this.line}`;
    said.title = "not understood, and it matters";
    return said;
  }
}

class MarkedLine extends GutterMarker {
  override elementClass = "source-marked";
}

class Gap extends WidgetType {
  constructor(readonly text: string) { super(); }
  override eq(other: Gap) { return other.text === this.text; }
  override toDOM() {
    const said = document.createElement("div");
    said.className = "source-gap hatched stop border-l-4 border-error py-0.5 pl-2 font-bold";
    said.dataset.missing = "";
    said.textContent = `missing: ${this.text}`;
    return said;
  }
}

/** Indentation keeps its depth and takes less room, so that nested data stays in sight. */
const INDENTS = ViewPlugin.fromClass(
  class {
    decorations: DecorationSet;
    constructor(view: EditorView) { this.decorations = indents(view); }
    update(update: ViewUpdate) {
      if (update.docChanged || update.viewportChanged) this.decorations = indents(update.view);
    }
  },
  { decorations: (held) => held.decorations },
);

function indents(view: EditorView): DecorationSet {
  const out = new RangeSetBuilder<Decoration>();
  const small = Decoration.mark({ class: "source-indent" });
  for (const { from, to } of view.visibleRanges) {
    for (let at = from; at <= to; ) {
      const line = view.state.doc.lineAt(at);
      const depth = line.text.length - line.text.trimStart().length;
      if (depth) out.add(line.from, line.from + depth, small);
      at = line.to + 1;
    }
  }
  return out.finish();
}

function marked({ marks, open, gaps }: Pick<Props, "marks" | "open" | "gaps">, doc: Text): Extension[] {
  const shown = new RangeSetBuilder<Decoration>();
  const numbers = new RangeSetBuilder<GutterMarker>();
  const edges = new RangeSetBuilder<GutterMarker>();
  const edge = new MarkedLine();
  const meant = [...new Set([...marks.keys(), ...(open ?? []), ...(gaps?.keys() ?? [])])].filter((number) => number >= 1 && number <= doc.lines);
  for (const number of meant.sort((a, b) => a - b)) {
    const line = doc.line(number);
    if (marks.has(number)) {
      shown.add(line.from, line.from, Decoration.line({ class: "source-marked", attributes: { "data-marked": "true" } }));
      edges.add(line.from, line.from, edge);
    }
    const part = partOf(marks.get(number), line.text);
    if (part) shown.add(line.from + part.from, line.from + part.to, Decoration.mark({ tagName: "mark", class: "source-part" }));
    if (open?.has(number)) numbers.add(line.from, line.from, new Unread(number));
    const gap = gaps?.get(number);
    if (gap) shown.add(line.to, line.to, Decoration.widget({ widget: new Gap(gap), block: true, side: 1 }));
  }
  return [
    EditorView.decorations.of(shown.finish()),
    lineNumberMarkers.of(numbers.finish()),
    gutterLineClass.of(edges.finish()),
  ];
}

/** Where in a crowded line the part stands that is meant. */
export function partOf(part: string | null | undefined, line: string): { from: number; to: number } | null {
  const from = part && line.length >= CROWDED ? line.indexOf(part) : -1;
  return part && from >= 0 ? { from, to: from + part.length } : null;
}

/** A device's own text with line numbers, to be searched; the deciding lines are marked. */
export default function SourceText({ lines, marks, open, gaps, focus, wrap = false, label }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  useEffect(() => {
    // Lines are the server's: whatever else ends a line elsewhere does not here.
    const doc = Text.of(lines.length ? lines : [""]);
    const state = EditorState.create({
      doc,
      extensions: [
        lineNumbers(), INDENTS, WORDS,
        wrap || lines.some((line) => line.length > LONG) ? EditorView.lineWrapping : [],
        EditorState.readOnly.of(true), EditorView.editable.of(false),
        EditorView.contentAttributes.of({ tabindex: "0", "aria-label": label }),
        marked({ marks, open, gaps }, doc),
      ],
    });
    const made = new EditorView({ state, parent: box.current ?? undefined });
    view.current = made;
    return () => made.destroy();
  }, [lines, marks, open, gaps, wrap, label]);
  useEffect(() => {
    const shown = view.current;
    if (!shown || !focus) return;
    const number = Math.min(focus, shown.state.doc.lines);
    const line = shown.state.doc.line(number);
    const part = partOf(marks.get(number), line.text);
    shown.dispatch({ effects: EditorView.scrollIntoView(line.from + (part?.from ?? 0), { y: "center" }) });
  }, [focus, lines, marks, open, gaps, wrap, label]);
  return <div ref={box} role="region" aria-label={label} className="source mono h-full min-h-0" />;
}
