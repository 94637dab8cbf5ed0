import { useEffect, useRef } from "react";

const KEYS: [string, string][] = [
  ["/", "write a complaint"],
  ["Ctrl K", "go to anything"],
  ["k", "desk: where to begin"],
  ["c", "cases"],
  ["m", "map"],
  ["d", "devices"],
  ["n", "neighbours"],
  ["f", "findings"],
  ["h", "a change"],
  ["x", "single failures"],
  ["e", "expectations"],
  ["r", "what was read"],
  ["s", "surveys"],
  ["g", "gather from live devices"],
  ["← →", "along the journey, on a hop; between tabs"],
  ["b", "the manual"],
  ["t", "theme: system, light, dark"],
  ["?", "this list"],
];

export function Help({ open, onClose }: { open: boolean; onClose: () => void }) {
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    if (open) dialog.current?.showModal();
    else dialog.current?.close();
  }, [open]);
  return (
    <dialog ref={dialog} className="modal" aria-label="Shortcuts" onClose={onClose}>
      <div className="modal-box">
        <h2 className="pb-3 text-lg font-semibold">Shortcuts</h2>
        <dl className="grid grid-cols-[6rem_1fr] gap-y-1.5">
          {KEYS.map(([key, text]) => (
            <div key={key} className="contents"><dt><kbd className="kbd kbd-sm">{key}</kbd></dt><dd>{text}</dd></div>
          ))}
        </dl>
        <div className="modal-action"><button type="button" className="btn btn-sm" onClick={onClose}>Close</button></div>
      </div>
    </dialog>
  );
}
