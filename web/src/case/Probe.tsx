import { useMutation } from "@tanstack/react-query";
import { useEffect } from "react";
import { useParams } from "react-router";

import type { Shapes } from "../api/client";
import { probeDevice, useInventory } from "../api/gathering";
import { useStoredProbes, type Question } from "../api/queries";
import { when } from "../ui/words";
import { useMay } from "../ui/may";
import { useStep } from "./steps";

type Seen = Shapes["ProbeShape"];
type Row = Shapes["ProbedHopShape"];
const STATES: Record<Row["state"], string> = {
  same: "as computed",
  silent: "silent",
  stops: "no answer from here on",
  branch: "an equal way",
  elsewhere: "another way",
  stranger: "nobody surveyed has it",
  more: "not computed",
};

/** What the device itself saw, set beside the journey: as the survey holds it, and asked live. */
export function Probe({ survey, question, device }: { survey: number; question: Question; device: string }) {
  const params = useParams<{ case: string }>();
  const inventory = useInventory();
  const may = useMay("operator");
  const stored = useStoredProbes(survey, question);
  const live = inventory.data?.devices.find((item) => item.name === device && item.method === "ssh");
  const probe = useMutation({
    mutationFn: () =>
      probeDevice({ survey, body: { from: question.from, to: question.to, source: question.source ?? "", size: question.size ?? 0, dont_fragment: question.dont_fragment ?? false } }),
  });
  const { reset } = probe;
  useEffect(reset, [question.from, question.to, question.source, survey, reset]);
  const note = useStep(survey);
  const seen = probe.data;
  const held = stored.data?.probes ?? [];
  if (!live && held.length === 0) return null;
  return (
    <section aria-label="Probe">
      <h2 className="flex items-center gap-2 pb-1">
        <b>Probe</b> <span className="soft">from {device}</span>
        {live && may ? (
          <button type="button" className="btn btn-xs ml-auto" disabled={probe.isPending} onClick={() => { note.reset(); probe.mutate(); }}>{seen ? "Ask again" : "Ask it now"}</button>
        ) : null}
      </h2>
      {probe.isPending ? <p role="status" className="soft">{device} is asking; up to half a minute.</p> : null}
      {probe.error ? <p role="alert" className="stop font-semibold">{probe.error.message}</p> : null}
      {seen ? <What seen={seen} when="now" /> : null}
      {seen && params.case ? (
        <p className="pt-1">
          <button
            type="button"
            className="btn btn-xs"
            disabled={note.isPending || note.isSuccess}
            onClick={() => note.mutate({ case: Number(params.case), body: { step: "note", text: wordsOf(seen) } })}
          >
            {note.isSuccess ? "Noted in the case" : "Note it in the case"}
          </button>
        </p>
      ) : null}
      {note.error ? <p role="alert" className="stop font-semibold">{note.error.message}</p> : null}
      {held.map((item, index) => <What key={index} seen={item} when={item.taken ? when(item.taken) : "in this survey"} />)}
    </section>
  );
}

/** Who stands at a hop: whoever is computed there, or whoever answered instead. */
function nameOf(row: Row): string {
  const computed = row.computed.join(" or ");
  if (row.state === "elsewhere" || row.state === "stranger") return `${row.device ?? "somebody"}, not ${computed}`;
  return computed || (row.device ?? "");
}

/** A probe as a note that a colleague understands without the picture. */
function wordsOf(seen: Seen): string {
  const hops = seen.traced ? ` Hops: ${seen.hops.map((row) => `${row.device ?? row.answered ?? "silent"}`).join(", ") || "none answered"}.` : "";
  return `Probe from ${seen.device} to ${seen.target}: ${seen.received} of ${seen.sent} echoes. ${seen.says}${hops}`;
}

export function What({ seen, when: time, plain = false }: { seen: Seen; when: string; plain?: boolean }) {
  return (
    <div className="pb-2">
      <p className={seen.agrees ? "" : "stop font-semibold"}>{seen.says} <span className="soft font-normal">{seen.traced && seen.sent <= 1 ? "" : `${seen.received} of ${seen.sent} echoes${time ? ", " : "."}`}{time ? `${time}.` : ""}</span></p>
      {seen.traced ? (
        <ol className="space-y-0.5 pt-1">
          {seen.hops.map((row) => (
            <li key={row.hop} className="grid grid-cols-[1.2rem_minmax(0,1fr)_auto] gap-1">
              <span className="soft text-right">{row.hop}</span>
              <span>{nameOf(row)} <span className="mono soft">{row.answered ?? ""}</span></span>
              <span className={row.state === "same" ? "good" : ["elsewhere", "stranger", "more"].includes(row.state) ? "stop" : "soft"}>{STATES[row.state]}</span>
            </li>
          ))}
        </ol>
      ) : plain ? null : <p className="soft">It has no program that traces hops.</p>}
    </div>
  );
}
