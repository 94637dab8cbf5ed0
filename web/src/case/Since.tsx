import { useState } from "react";
import { useNavigate } from "react-router";

import type { Shapes } from "../api/client";
import { useSince, useSurveys, type Question } from "../api/queries";
import { useKeep } from "../change/keep";
import { EvidenceLink } from "../ui/EvidenceLink";
import { Underway } from "../ui/Underway";
import { many, when } from "../ui/words";

/** "It worked on ...": which differences to an older survey of the network broke the complaint. */
export function Since({ survey, question }: { survey: number; question: Question }) {
  const surveys = useSurveys();
  const [worked, setWorked] = useState<number | null>(null);
  const found = useSince(survey, question, worked);
  const here = surveys.data?.surveys.find((item) => item.id === survey);
  const older = (surveys.data?.surveys ?? []).filter(
    (item) => item.id !== survey && item.network === here?.network && (!here?.taken_at || !item.taken_at || item.taken_at < here.taken_at),
  );
  if (!older.length) return null;
  const data = found.data;
  return (
    <section aria-label="What broke it">
      <h2 className="pb-1.5"><b>What broke it</b></h2>
      <label className="flex flex-wrap items-center gap-2">It worked on
        <select className="select select-sm w-full overflow-hidden pr-9 text-ellipsis" aria-label="It worked on" value={worked ?? ""} onChange={(event) => setWorked(event.target.value ? Number(event.target.value) : null)}>
          <option value="">choose an older survey</option>
          {older.map((item) => <option key={item.id} value={item.id}>{item.title}, {when(item.taken_at)}</option>)}
        </select>
      </label>
      {found.error ? <p role="alert" className="stop pt-1 font-semibold">{found.error.message}</p> : null}
      {worked !== null && !found.error && (!data || data.state === "working") ? (
        <div className="pt-1.5"><Underway doing="Taking differences back on a copy" label="Differences tried" state={data} /></div>
      ) : null}
      {data?.answer ? <Answer survey={survey} older={worked ?? 0} question={question} answer={data.answer} /> : null}
    </section>
  );
}

function Answer({ survey, older, question, answer }: { survey: number; older: number; question: Question; answer: Shapes["SinceShape"] }) {
  const navigate = useNavigate();
  const keep = useKeep(survey, (place) => void navigate(place));
  if (!answer.guilty.length) return <p className="pt-1.5">{answer.says}</p>;
  const title = `Take back: ${answer.guilty.map((item) => item.summary).join(" ")}`.slice(0, 300);
  return (
    <div className="pt-1.5">
      <ul className="space-y-2">
        {answer.guilty.map((item) => (
          <li key={item.id} className="rounded-box border border-base-content p-2" data-testid="guilty">
            <p><b>{item.summary}</b></p>
            {item.old.map((source, index) => <p key={`o${index}`}><span className="soft">was</span> <EvidenceLink survey={older} item={source} /> <span className="mono">{source.text}</span></p>)}
            {item.new.map((source, index) => <p key={`n${index}`}><span className="soft">is</span> <EvidenceLink survey={survey} item={source} /> <span className="mono">{source.text}</span></p>)}
            <p className="soft pt-0.5">Taken back, {many(item.proof.heals, "pair heals", "pairs heal")} and {item.proof.breaks} break{answer.guilty.length > 1 ? "; needed together with the others" : ""}.</p>
          </li>
        ))}
      </ul>
      <p className="flex flex-wrap items-center gap-2 pt-2">
        <button type="button" className="btn btn-sm btn-neutral" disabled={keep.isPending} onClick={() => keep.mutate({ title, edits: answer.guilty.flatMap((item) => item.edits), question })}>
          Rehearse taking {answer.guilty.length > 1 ? "them" : "it"} back
        </button>
        <span className="soft">{many(answer.innocent, "other difference is", "other differences are")} innocent.</span>
      </p>
      {keep.error ? <p role="alert" className="stop pt-1 font-semibold">{keep.error.message}</p> : null}
    </div>
  );
}
