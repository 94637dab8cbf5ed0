import { useMutation } from "@tanstack/react-query";

import { client, done } from "../api/client";

interface State {
  id: number;
  tried: number;
  of: number;
  what: string;
}

/** How far a long answer is, and a way to have it end with the best so far. */
export function Underway({ doing, label, state }: { doing: string; label: string; state: State | undefined }) {
  const stop = useMutation({
    mutationFn: (answer: number) => done(client.POST("/api/answers/{answer}/stop", { params: { path: { answer } } })),
  });
  return (
    <div role="status" className="max-w-2xl">
      <p>{doing}{state?.what ? `: ${state.what}` : ""}</p>
      {state ? (
        <div className="flex max-w-md items-center gap-3 pt-1">
          <progress className="progress progress-primary grow" value={state.of ? state.tried : undefined} max={state.of || 1} aria-label={label} />
          <button type="button" className="btn btn-sm" disabled={stop.isPending || stop.isSuccess} onClick={() => stop.mutate(state.id)}>
            {stop.isSuccess ? "Stopping" : "Stop, best so far"}
          </button>
        </div>
      ) : null}
    </div>
  );
}
