import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { unifiedMergeView } from "@codemirror/merge";
import { EditorState, Text } from "@codemirror/state";
import { EditorView, drawSelection, highlightActiveLine, keymap, lineNumbers } from "@codemirror/view";
import { useEffect, useRef } from "react";

import { WORDS } from "../ui/codeLook";

/** What differs can be put back where it stands; keeping it needs no button. */
function putBack(type: "reject" | "accept", action: (event: MouseEvent) => void): HTMLElement {
  const made = document.createElement(type === "reject" ? "button" : "span");
  if (type === "reject") {
    made.className = "btn btn-xs";
    made.textContent = "Put it back";
    made.onmousedown = action;
  }
  return made;
}

/** A device's text to be edited, with what was there before beside what differs from it. */
export default function TextEditor({ was, text, label, onText }: {
  /** The text that differences are told from. */
  was: string;
  /** What is in the editor at first. */
  text: string;
  label: string;
  onText: (text: string) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const told = useRef(onText);
  useEffect(() => { told.current = onText; }, [onText]);
  useEffect(() => {
    const made = new EditorView({
      state: EditorState.create({
        doc: text,
        extensions: [
          lineNumbers(), history(), drawSelection(), highlightActiveLine(), WORDS,
          keymap.of([...defaultKeymap, ...historyKeymap]),
          // Only a newline ends a line, as the server counts them: other characters stay as they are.
          EditorState.lineSeparator.of("\n"),
          unifiedMergeView({ original: Text.of(was.split("\n")), mergeControls: putBack, highlightChanges: false, syntaxHighlightDeletions: false }),
          EditorView.contentAttributes.of({ "aria-label": label, tabindex: "0" }),
          EditorView.updateListener.of((update) => { if (update.docChanged) told.current(update.state.doc.toString()); }),
        ],
      }),
      parent: box.current ?? undefined,
    });
    return () => made.destroy();
  }, [was, text, label]);
  return <div ref={box} className="mono editor h-full overflow-hidden rounded-box border border-base-300 bg-base-100" />;
}
