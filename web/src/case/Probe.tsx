import { useMutation } from "@tanstack/react-query";
import { useEffect } from "react";

import { ask, client, type Shapes } from "../api/client";
import { useInventory } from "../api/gathering";
import type { Question } from "../api/queries";

type Row = Shapes["ProbedHopShape"];
const STATES: Record<Row["state"], string> = {
  same: "as computed",
  silent: "silent",
  stops: "no answer from here on",
  elsewhere: "another way",
  more: "not computed",
};

/** Asks the device itself, and sets what it saw beside the journey. */
export function Probe({ survey, question, device }: { survey: number; question: Question; device: string }) {
  const inventory = useInventory();
  const live = inventory.data?.devices.find((item) => item.name === device);
  const probe = useMutation({
    mutationFn: () =>
      ask(
        client.POST("/api/surveys/{survey}/probes", {
          params: { path: { survey } },
          body: { from: question.from, to: question.to, source: question.source ?? "", size: question.size ?? 0, dont_fragment: question.dont_fragment ?? false },
        }),
      ),
  });
  const { reset } = probe;
  useEffect(reset, [question.from, question.to, question.source, survey, reset]);
  if (!live || live.method !== "ssh") return null;
  const seen = probe.data;
  return (
    <section aria-label="Probe">
      <h2 className="flex items-center gap-2 pb-1">
        <b>Probe</b> <span className="soft">from {device}, live</span>
        <button type="button" className="btn btn-xs ml-auto" disabled={probe.isPending} onClick={() => probe.mutate()}>{seen ? "Ask again" : "Ask it now"}</button>
      </h2>
      {probe.isPending ? <p role="status" className="soft">{device} is asking; up to half a minute.</p> : null}
      {probe.error ? <p role="alert" className="stop font-semibold">{probe.error.message}</p> : null}
      {seen ? (
        <>
          <p className={seen.agrees ? "" : "stop font-semibold"}>{seen.says} <span className="soft font-normal">{seen.received} of {seen.sent} echoes.</span></p>
          {seen.traced ? (
            <ol className="space-y-0.5 pt-1">
              {seen.hops.map((row) => (
                <li key={row.hop} className="grid grid-cols-[1.2rem_minmax(0,1fr)_auto] gap-1">
                  <span className="soft text-right">{row.hop}</span>
                  <span>{row.computed.join(" or ") || row.device || ""} <span className="mono soft">{row.answered ?? ""}</span></span>
                  <span className={row.state === "same" ? "good" : row.state === "elsewhere" || row.state === "more" ? "stop" : "soft"}>{STATES[row.state]}</span>
                </li>
              ))}
            </ol>
          ) : <p className="soft">It has no program that traces hops.</p>}
        </>
      ) : null}
    </section>
  );
}
