import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";

import { ask, client } from "../api/client";
import type { Question } from "../api/queries";
import { useMay } from "../ui/may";

/** Keeps the question as a case, with what the person said. */
export function KeepCase({ survey, question }: { survey: number; question: Question }) {
  const dialog = useRef<HTMLDialogElement>(null);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [complaint, setComplaint] = useState("");
  const [reporter, setReporter] = useState("");
  const may = useMay("engineer");
  const keep = useMutation({
    mutationFn: () =>
      ask(
        client.POST("/api/surveys/{survey}/cases", {
          params: { path: { survey } },
          body: {
            complaint, reporter,
            sender: question.from, receiver: question.to,
            source: question.source ?? "", protocol: question.protocol ?? "icmp",
            port: question.port ?? null, size: question.size ?? 0,
            dont_fragment: question.dont_fragment ?? false,
          },
        }),
      ),
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: ["cases", survey] });
      void queries.invalidateQueries({ queryKey: ["surveys"] });
      dialog.current?.close();
      void navigate(`/s/${survey}/cases/${made.id}`);
    },
  });
  if (!may) return null;
  return (
    <>
      <button type="button" className="btn btn-sm" onClick={() => dialog.current?.showModal()}>Keep as case</button>
      <dialog ref={dialog} className="modal" aria-label="Keep as case">
        <form
          className="modal-box space-y-3"
          onSubmit={(event) => {
            event.preventDefault();
            keep.mutate();
          }}
        >
          <h2 className="text-lg font-semibold">Keep as case</h2>
          <label className="block">
            What was said
            <input className="input w-full" required maxLength={300} value={complaint} onChange={(event) => setComplaint(event.target.value)} placeholder={`${question.from} cannot reach ${question.to}`} />
          </label>
          <label className="block">
            By whom
            <input className="input w-full" maxLength={100} value={reporter} onChange={(event) => setReporter(event.target.value)} />
          </label>
          {keep.error ? <p role="alert" className="stop font-semibold">{keep.error.message}</p> : null}
          <div className="modal-action">
            <button type="button" className="btn btn-ghost" onClick={() => dialog.current?.close()}>Cancel</button>
            <button type="submit" className="btn btn-primary" disabled={keep.isPending}>Keep</button>
          </div>
        </form>
      </dialog>
    </>
  );
}
