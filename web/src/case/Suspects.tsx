import { Check, CircleHelp } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate } from "react-router";

import type { Shapes } from "../api/client";
import { useDiagnosis, type Question } from "../api/queries";
import { EditLines } from "../change/EditLines";
import { useKeep } from "../change/keep";
import { ManualLink } from "../manual/ManualLink";
import { EvidenceLink, evidencePlace } from "../ui/EvidenceLink";
import { Underway } from "../ui/Underway";
import { many } from "../ui/words";
import { queryOf } from "./question";

type Cause = Shapes["CauseShape"];

function Certainty({ proven }: { proven: boolean }) {
  return proven ? (
    <span className="good inline-flex items-center gap-1 rounded-field border border-success px-1.5 text-xs font-semibold">
      <Check aria-hidden size={13} /> proven
    </span>
  ) : (
    <span className="soft inline-flex items-center gap-1 rounded-field border border-dashed border-current px-1.5 text-xs font-semibold">
      <CircleHelp aria-hidden size={13} /> does not heal alone
    </span>
  );
}

function Count({ value, word, bad }: { value: number; word: string; bad?: boolean }) {
  return (
    <span className={`rounded-field border border-base-300 px-2 py-0.5 ${bad && value ? "stop border-error" : ""}`}>
      <b className="text-[14px] leading-none">{value}</b> <span className="soft">{word}</span>
    </span>
  );
}

function Suspect({ survey, question, cause, first, partOf }: {
  survey: number; question: Question; cause: Cause; first: boolean; partOf: number;
}) {
  const navigate = useNavigate();
  const [open, setOpen] = useState(first);
  const keep = useKeep(survey, (place) => void navigate(place));
  const { remedy, proof } = cause;
  return (
    <li className={`rounded-box border p-2 ${first ? "border-base-content" : "border-base-300"}`} data-testid="suspect">
      <p><b>{cause.summary}</b></p>
      {open ? <p className="soft pt-1">{cause.detail} <ManualLink page="findings" word={cause.kind} className="text-xs underline decoration-dotted">In the manual</ManualLink></p> : null}
      <p className="flex flex-wrap items-center gap-x-2 gap-y-1 pt-1">
        <Certainty proven={cause.certainty === "proven"} />
        {telling(cause.evidence).map((item, index) => (
          <EvidenceLink key={index} survey={survey} item={item} />
        ))}
      </p>
      {remedy && open ? (
        <>
          <p className="pt-1.5">{remedy.title}</p>
          {remedy.basis ? <p className="soft">{remedy.basis}</p> : null}
          <EditLines edits={remedy.edits} />
          {cause.before ? <p className="soft pt-1">{cause.before}</p> : null}
          <p className="flex flex-wrap gap-1.5 pt-1.5" aria-label="What the remedy does to all pairs">
            <Count value={proof.heals} word="heal" />
            <Count value={proof.breaks} word="break" bad />
            <Count value={proof.moves} word="move" />
          </p>
          {question.protocol && question.protocol !== "icmp" ? (
            <p className="soft pt-1">Counted are pings between all addresses; the complaint about {question.protocol} {question.port} itself {proof.complaint_works ? "works" : "still fails"}.</p>
          ) : null}
          {partOf > 1 ? <p className="soft pt-1">One of {partOf} that are needed together.</p> : null}
          <p className="flex gap-2 pt-2">
            <button
              type="button" className="btn btn-sm btn-neutral" disabled={keep.isPending}
              onClick={() => keep.mutate({ title: remedy.title, edits: remedy.edits, question })}
            >
              Rehearse
            </button>
          </p>
          {cause.alternatives.length ? (
            <div className="pt-2">
              <p className="soft">Other ways to mend it</p>
              <ul>
                {cause.alternatives.map((other) => (
                  <li key={other.title} className="border-t border-base-300 py-1">
                    {other.title} <span className="soft">{consequence(other.proof)}</span>{" "}
                    <button
                      type="button" className="btn btn-ghost btn-xs" disabled={keep.isPending} aria-label={`Rehearse: ${other.title}`}
                      onClick={() => keep.mutate({ title: other.title, edits: other.edits, question })}
                    >
                      Rehearse
                    </button>
                  </li>
                ))}
              </ul>
            </div>
          ) : null}
          {keep.error ? <p role="alert" className="stop pt-1 font-semibold">{keep.error.message}</p> : null}
        </>
      ) : null}
      {!open ? (
        <button type="button" className="btn btn-ghost btn-xs mt-1 -ml-2" onClick={() => setOpen(true)} aria-label={`More on: ${cause.summary}`}>More</button>
      ) : null}
    </li>
  );
}

/** The first two places, and one at the other end if both are at the same. */
function telling(evidence: Cause["evidence"]): Cause["evidence"] {
  const lines = evidence.filter((item) => !item.default);
  const places = lines.filter((item, index) => lines.findIndex((one) => evidencePlace(one) === evidencePlace(item)) === index);
  const shown = places.slice(0, 2);
  const other = places.slice(2).find((item) => shown.every((one) => one.device !== item.device));
  return other ? [...shown, other] : shown;
}

function consequence(proof: Cause["alternatives"][number]["proof"]): string {
  if (!proof) return "Not tried yet.";
  const pairs = `${proof.heals} heal, ${proof.breaks} break, ${proof.moves} move.`;
  return proof.complaint_works ? pairs : `The complaint still fails: ${pairs}`;
}

/** The suspects of a complaint that is true, best first. */
export function Suspects({ survey, question }: { survey: number; question: Question }) {
  const diagnosis = useDiagnosis(survey, question);
  const navigate = useNavigate();
  const keep = useKeep(survey, (place) => void navigate(place));
  const data = diagnosis.data;
  const answer = data?.answer;
  const cure = answer ? answer.causes.filter((cause) => answer.cure.includes(cause.id)) : [];
  return (
    <section aria-label="Suspects">
      <h2 className="pb-1.5">
        <b>Suspects</b>{" "}
        <span className="soft">{answer ? many(answer.tried, "remedy tried", "remedies tried") : ""}</span>
      </h2>
      {diagnosis.error ? <p role="alert" className="stop">{diagnosis.error.message}</p> : null}
      {!diagnosis.error && (!data || data.state === "working") ? (
        <Underway doing="Trying remedies on a copy" label="Remedies tried" state={data} />
      ) : null}
      {answer && cure.length > 1 ? (
        <p className="pb-2">
          <b>{cure.length} faults hide behind each other.</b> The complaint works only with all of their remedies.{" "}
          <button
            type="button" className="btn btn-xs"
            onClick={() =>
              keep.mutate({
                title: cure.map((cause) => cause.remedy?.title ?? "").join(" "),
                edits: cure.flatMap((cause) => cause.remedy?.edits ?? []),
                question,
              })
            }
          >
            Rehearse them together
          </button>
        </p>
      ) : null}
      {answer && answer.cure.length === 0 ? <p className="pb-2">{answer.says}</p> : null}
      <ul className="space-y-2">
        {answer?.causes.map((cause, index) => (
          <Suspect
            key={cause.id} survey={survey} question={question} cause={cause}
            first={index === 0} partOf={answer.cure.includes(cause.id) ? answer.cure.length : 1}
          />
        ))}
      </ul>
      {answer && !answer.complete ? <p className="soft pt-1">Not everything was tried: this is the best answer so far.</p> : null}
      {answer ? (
        <p className="pt-1.5">
          <Link className="underline" to={`/s/${survey}/change?${queryOf(question).toString()}`}>Try a change of your own</Link>
        </p>
      ) : null}
    </section>
  );
}
