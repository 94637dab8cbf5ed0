import { search, searchKeymap } from "@codemirror/search";
import type { Extension } from "@codemirror/state";
import { EditorView, keymap } from "@codemirror/view";

/** How texts of devices look, to be read and to be edited: as everything monospaced here does. */
const LOOK = EditorView.theme({
  "&": { height: "100%", backgroundColor: "transparent", color: "inherit" },
  "&.cm-focused": { outline: "2px solid var(--mark-edge)", outlineOffset: "-2px" },
  ".cm-scroller": { fontFamily: "inherit", fontSize: "inherit", lineHeight: "19px", overflow: "auto" },
  ".cm-content": { padding: "0.25rem 0 0.5rem", caretColor: "currentColor" },
  ".cm-cursor": { borderLeftColor: "currentColor" },
  ".cm-line": { padding: "0 0.75rem 0 0.25rem" },
  ".cm-gutters": { backgroundColor: "transparent", color: "var(--soft)", border: "none" },
  ".cm-lineNumbers .cm-gutterElement": { minWidth: "2.5rem", padding: "0 0.5rem 0 0" },
  ".cm-selectionBackground, &.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground": {
    backgroundColor: "color-mix(in oklab, currentColor 22%, transparent)",
  },
  ".cm-searchMatch": { backgroundColor: "transparent", outline: "1px solid var(--mark-edge)" },
  ".cm-searchMatch-selected": { backgroundColor: "var(--mark)", outline: "2px solid var(--mark-edge)" },
  ".cm-panels": { backgroundColor: "var(--color-base-200)", color: "inherit", border: "none", fontFamily: "'Inter Variable', sans-serif" },
  ".cm-panel.cm-search": { padding: "0.25rem 1.75rem 0.25rem 0.5rem" },
  ".cm-panel.cm-search input, .cm-panel.cm-search button": { fontFamily: "inherit" },
  ".cm-panel.cm-search label": { fontSize: "12px" },
  ".cm-textfield": { fontSize: "12px", backgroundColor: "var(--color-base-100)", border: "1px solid var(--color-base-300)", borderRadius: "4px", color: "inherit" },
  ".cm-button": { fontSize: "12px", backgroundImage: "none", backgroundColor: "var(--color-base-100)", border: "1px solid var(--color-base-300)", borderRadius: "4px", color: "inherit" },
});

export const WORDS: Extension[] = [LOOK, search({ top: true }), keymap.of(searchKeymap)];
