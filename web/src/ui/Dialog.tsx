import { useEffect, useRef, type ReactNode } from "react";

interface Props {
  title: string;
  open: boolean;
  onClose: () => void;
  onSubmit: () => void;
  submit: string;
  busy: boolean;
  error: Error | null;
  children: ReactNode;
  wide?: boolean;
  extra?: ReactNode;
}

/** A form in a dialog: one sentence where something is refused, and nothing typed is lost. */
export function Dialog({ title, open, onClose, onSubmit, submit, busy, error, children, wide, extra }: Props) {
  const dialog = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    if (open) dialog.current?.showModal();
    else dialog.current?.close();
  }, [open]);
  return (
    <dialog ref={dialog} className="modal" aria-label={title} onClose={onClose}>
      {open ? (
        <form
          className={`modal-box space-y-3 ${wide ? "max-w-3xl" : "max-w-xl"}`}
          onSubmit={(event) => {
            event.preventDefault();
            onSubmit();
          }}
        >
          <h2 className="text-lg font-semibold">{title}</h2>
          {children}
          {error ? <p role="alert" className="stop font-semibold">{error.message}</p> : null}
          <div className="modal-action items-center">
            {extra ? <span className="mr-auto">{extra}</span> : null}
            <button type="button" className="btn btn-ghost" onClick={onClose}>Cancel</button>
            <button type="submit" className="btn btn-primary" disabled={busy}>{submit}</button>
          </div>
        </form>
      ) : null}
    </dialog>
  );
}
