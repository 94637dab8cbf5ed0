import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";

import { ask, client, done as finished, type Shapes } from "../api/client";
import { useDiagnosis, useSurveys, type Question } from "../api/queries";
import { useMay } from "../ui/may";
import { Removal } from "../ui/Removal";
import { many, when } from "../ui/words";
import { packetOf, queryOf } from "./question";
import { STATE_WORDS, useStep, type Step } from "./steps";

type Case = Shapes["CaseShape"];

type Works = Case["works"];

/** What became of a complaint between two surveys. */
export function turnedWords(then: Works, now: Works): string {
  const words: Record<Works, string> = { yes: "works", no: "fails", partly: "works for some flows only", unknown: "is not certain" };
  if (then === now) return now === "yes" ? "it works, then and now" : `it still ${words[now]}`;
  return `it ${words[now]} now, and ${words[then].replace(/^works/, "worked").replace(/^fails/, "failed").replace(/^is/, "was")} then`;
}

const DONE = ["verified", "closed-unverified"];

/** The life of a case: its state, the next steps, and what was done. */
export function CaseWork({ survey, stored, works, question }: {
  survey: number; stored: Case; works: string | undefined; question: Question | null;
}) {
  const step = useStep(survey);
  const surveys = useSurveys();
  const [note, setNote] = useState("");
  const [open, setOpen] = useState(false);
  const [going, setGoing] = useState(false);
  const [closing, setClosing] = useState(false);
  const [why, setWhy] = useState("");
  const mayWork = useMay("engineer");
  const mayDelete = useMay("administrator");
  const navigate = useNavigate();
  const queries = useQueryClient();
  const diagnosis = useDiagnosis(survey, works && works !== "yes" && works !== "unknown" ? question : null);
  const proven = diagnosis.data?.answer?.causes.find((cause) => cause.certainty === "proven");
  const take = (body: Step) => step.mutate({ case: stored.id, body });
  const done = DONE.includes(stored.state);
  const titleOf = (id: number) => surveys.data?.surveys.find((item) => item.id === id)?.title ?? "a newer survey";
  // A case is asked again on every newer survey of its network; its own is where it was opened.
  const from = stored.opened_on ?? null;
  const own = surveys.data?.surveys.find((item) => item.id === stored.survey);
  const newer = (surveys.data?.surveys ?? [])
    .filter((item) => item.id !== stored.survey && (!own?.taken_at || !item.taken_at || item.taken_at > own.taken_at))
    .sort((one, other) => Number(other.network === own?.network) - Number(one.network === own?.network));
  return (
    <section aria-label="The case" className="border-b border-base-300 px-4 py-1.5">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <span className="soft min-w-0">
          Case {stored.id}{stored.reporter ? `, told by ${stored.reporter}` : ""}: <span className="text-base-content">{stored.complaint}</span>
        </span>
        <span data-testid="case-state" className="rounded-field border border-base-content px-1.5 font-semibold">{STATE_WORDS[stored.state]}</span>
        {stored.same_cause.length ? (
          <span className="soft">same cause as {stored.same_cause.map((id, index) => <span key={id}>{index ? ", " : ""}<Link className="underline" to={`/s/${survey}/cases/${id}`}>case {id}</Link></span>)}</span>
        ) : null}
        <span className="ml-auto flex flex-wrap items-center gap-1.5">
          {mayWork && ["reported", "not-reproduced"].includes(stored.state) && works && works !== "yes" ? <Button onClick={() => take({ step: "confirm" })}>Confirm</Button> : null}
          {mayWork && !from && ["reported", "confirmed"].includes(stored.state) && works === "yes" ? <Button onClick={() => take({ step: "not-reproduced" })}>Not reproduced</Button> : null}
          {mayWork && !from && ["reported", "confirmed"].includes(stored.state) && proven ? <Button onClick={() => take({ step: "cause", finding: proven.id })}>This is the cause</Button> : null}
          {stored.proposal ? <Link className="btn btn-xs" to={`/s/${stored.survey}/change/${stored.proposal}`}>The proposal</Link> : null}
          {mayWork && !done && from && works === "yes" ? <Button onClick={() => take({ step: "verify", survey })}>Verify on this survey</Button> : null}
          {mayWork && !done && newer.length && !(from && works === "yes") ? (
            <select className="select select-xs w-48" aria-label="Verify on a newer survey" value="" onChange={(event) => event.target.value && take({ step: "verify", survey: Number(event.target.value) })}>
              <option value="">Verify on a newer survey</option>
              {newer.map((item) => <option key={item.id} value={item.id}>{item.title}, {when(item.taken_at)}{item.network === own?.network ? "" : ` (${item.network})`}</option>)}
            </select>
          ) : null}
          {mayWork && done ? <KeepSo survey={survey} id={stored.id} /> : null}
          {!mayWork ? null : !done ? <Button expanded={closing} onClick={() => setClosing(!closing)}>Close unverified</Button> : <Button onClick={() => take({ step: "reopen" })}>Open again</Button>}
          <Link className="btn btn-xs" to={`/s/${survey}/cases/${stored.id}/report`}>Report</Link>
          <button type="button" className="btn btn-ghost btn-xs" aria-expanded={open} onClick={() => setOpen(!open)}>
            {stored.steps.length ? many(stored.steps.length, "step") : "Notes"}
          </button>
        </span>
      </div>
      {from ? (
        <p className="soft pt-1" data-testid="opened-on">
          Opened on <Link className="underline decoration-dotted" to={`/s/${from.id}/cases/${stored.id}`}>{from.title}</Link>, asked again on this survey{from.works && works ? `: ${turnedWords(from.works, works as Works)}` : ""}.
          {stored.verified_on === survey ? <b className="good"> ✓ Solved: this survey shows it.</b> : null}
        </p>
      ) : null}
      {stored.state === "verified" && stored.verified_on !== null && !from ? (
        <p className="good pt-1 font-semibold" data-testid="verified-banner">
          ✓ Solved: {titleOf(stored.verified_on)} shows it. What is below is how it was on this survey.{" "}
          <Link className="underline" to={`/s/${stored.verified_on}/case?${queryOf(packetOf({ ...stored, from: stored.sender, to: stored.receiver })).toString()}`}>The way now</Link>{" "}
          <Link className="underline" to={`/surveys/compare?old=${survey}&new=${stored.verified_on}`}>What else changed</Link>
        </p>
      ) : null}
      {closing && !done ? (
        <form className="flex flex-wrap items-center gap-2 pt-1" onSubmit={(event) => { event.preventDefault(); take({ step: "close", text: why }); setClosing(false); setWhy(""); }}>
          <label className="soft" htmlFor="why-closed">Why is it closed although no newer survey shows it solved?</label>
          <input id="why-closed" className="input input-xs min-w-60 flex-1" autoFocus maxLength={4000} value={why} onChange={(event) => setWhy(event.target.value)} />
          <button type="submit" className="btn btn-xs btn-neutral" disabled={!why.trim()}>Close it</button>
        </form>
      ) : null}
      {step.error ? <p role="alert" className="stop pt-1 font-semibold">{step.error.message}</p> : null}
      {open ? (
        <div className="grid grid-cols-[minmax(0,1fr)_22rem] gap-4 py-2">
          <ol className="max-h-36 space-y-0.5 overflow-auto">
            {stored.steps.length === 0 ? <li className="soft">Nothing was noted yet.</li> : null}
            {stored.steps.map((item, index) => (
              <li key={index}><span className="soft">{when(item.at)}{item.by ? `, ${item.by}` : ""}:</span> <b>{item.step.replaceAll("-", " ")}</b> {item.text}</li>
            ))}
          </ol>
          <form className="flex items-start gap-2" onSubmit={(event) => { event.preventDefault(); take({ step: "note", text: note }); setNote(""); }}>
            <textarea className="textarea textarea-sm min-h-14 flex-1" aria-label="A note" maxLength={4000} value={note} onChange={(event) => setNote(event.target.value)} />
            <span className="flex flex-col gap-1">
              <button type="submit" className="btn btn-sm" disabled={!note.trim() || !mayWork}>Note</button>
              {mayDelete ? <button type="button" className="btn btn-ghost btn-xs" onClick={() => setGoing(true)}>Delete case</button> : null}
            </span>
          </form>
        </div>
      ) : null}
      {going ? (
        <Removal title={`Delete case ${stored.id}`} onClose={() => setGoing(false)}
          look={() => ask(client.GET("/api/cases/{case}/deletion", { params: { path: { case: stored.id } } }))}
          remove={() => finished(client.DELETE("/api/cases/{case}", { params: { path: { case: stored.id } } }))}
          onGone={() => { void queries.invalidateQueries(); void navigate(`/s/${survey}/cases`); }}
          says={(found) => [`Its ${many(found.steps, "step")} and ${many(found.evidence, "pasted text")} go with it.`]} />
      ) : null}
    </section>
  );
}

function Button({ onClick, children, expanded }: { onClick: () => void; children: string; expanded?: boolean }) {
  return <button type="button" className="btn btn-xs" aria-expanded={expanded} onClick={onClick}>{children}</button>;
}

/** A settled complaint becomes an expectation, checked on every survey that comes in. */
function KeepSo({ survey, id }: { survey: number; id: number }) {
  const queries = useQueryClient();
  const keep = useMutation({
    mutationFn: () => ask(client.POST("/api/cases/{case}/expectation", { params: { path: { case: id } } })),
    onSuccess: () => void queries.invalidateQueries(),
  });
  if (keep.data) {
    return <span role="status"><Link className="btn btn-xs" to={`/s/${survey}/expectations`}>{keep.data.added ? "Kept: expected from now on" : "It is expected already"}</Link></span>;
  }
  return (
    <>
      <button type="button" className="btn btn-xs" disabled={keep.isPending} onClick={() => keep.mutate()}>Keep it so</button>
      {keep.error ? <span role="alert" className="stop">{keep.error.message}</span> : null}
    </>
  );
}
