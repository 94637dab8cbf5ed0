import { useEffect, useMemo, useState, type ReactNode } from "react";
import { Link, useNavigate, useParams } from "react-router";

import type { Shapes } from "../api/client";
import { useCases, useDesk, useExpectations, useSurveys, useUnknowns } from "../api/queries";
import { useKeep } from "../change/keep";
import { Failed, Working } from "../ui/States";
import { Underway } from "../ui/Underway";
import { many } from "../ui/words";
import { editsOf, pairsOf, stacks, sum } from "./stacks";

type Desk = Shapes["DeskShape"];
type Group = Shapes["DeskGroupShape"];

/** Where to begin: what fails, grouped by cause, and beside it what turned and what is not known. */
export function DeskPage() {
  const survey = Number(useParams().survey);
  const desk = useDesk(survey);
  const surveys = useSurveys();
  const here = surveys.data?.surveys.find((item) => item.id === survey);
  useEffect(() => {
    document.title = "Desk – Trochos";
  }, []);
  const data = desk.data;
  return (
    <div className="flex h-full min-h-0 flex-col">
      <header className="flex flex-wrap items-baseline gap-x-4 px-4 pt-4 pb-2">
        <h1 className="text-lg font-semibold">Where to begin</h1>
        {here ? <span className="soft">{here.title}, of {here.network}</span> : null}
      </header>
      {desk.isPending ? <Working what="Asking every pair of hosts" /> : null}
      {desk.error ? <Failed error={desk.error} /> : null}
      {data && data.state === "working" ? (
        <div className="px-4"><Underway doing="Grouping what fails by its cause, each proven on a copy" label="Causes tried" state={data} /></div>
      ) : null}
      {data?.answer ? <Answer survey={survey} desk={data.answer} before={data.before} /> : null}
    </div>
  );
}

function Answer({ survey, desk, before }: { survey: number; desk: Desk; before: Shapes["OlderShape"] | null }) {
  const open = useMemo(() => desk.groups.filter((group) => !group.folded), [desk]);
  const folded = desk.groups.filter((group) => group.folded);
  const rows = useMemo(() => stacks(open), [open]);
  // What fails on purpose, or failed before as well, stands below.
  const failing = open.reduce((sum, group) => sum + group.pairs, 0);
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_clamp(15rem,24vw,21rem)]">
      <div className="min-h-0 overflow-auto px-4 pb-6">
        {open.length === 0 ? (
          <p className="good py-2 text-[14px] font-semibold" data-testid="calm">
            {desk.doubtful ? "Nothing is known to fail that should work." : "Everything that should work does."}
          </p>
        ) : (
          <p className="py-2" data-testid="desk-says">
            <b className="stop">{many(failing, "pair")} of {desk.pairs.n} fail</b>, {many(rows.length, "group")}, worst first{desk.complete ? "." : "; the time was over before all causes were tried."}
          </p>
        )}
        <ol className="space-y-2">
          {rows.map((row, index) => row.length > 1
            ? <Stack key={index} survey={survey} groups={row} first={index === 0} />
            : <Row key={index} survey={survey} group={row[0]} first={index === 0} />)}
        </ol>
        {folded.length ? <Folded survey={survey} groups={folded} /> : null}
      </div>
      <aside className="min-h-0 space-y-4 overflow-auto border-l border-base-300 px-4 pb-6" aria-label="Beside it">
        <Turned survey={survey} desk={desk} before={before} />
        <Expected survey={survey} />
        <NotKnown survey={survey} desk={desk} />
        <OpenCases survey={survey} />
      </aside>
    </div>
  );
}

interface CardProps {
  survey: number;
  groups: [Group, ...Group[]];
  first: boolean;
  /** What fails, in a few words. */
  head: ReactNode;
  who: string;
  /** What mends it; empty where nothing is known that does. */
  title: string;
  /** What stands before the button that rehearses. */
  looks: ReactNode;
  children?: ReactNode;
}

/** What one row of the desk says and offers, whether for one cause or for many of a kind. */
function Card({ survey, groups, first, head, who, title, looks, children }: CardProps) {
  const navigate = useNavigate();
  const keep = useKeep(survey, (place) => void navigate(place));
  const edits = editsOf(groups);
  const [pairs, further, unsure] = [pairsOf(groups), sum(groups, "further"), sum(groups, "unsure")];
  return (
    <li className={`rounded-box border bg-base-100 p-3 ${first ? "border-base-content" : "border-base-300"}`} data-testid="desk-group">
      <div className="flex gap-4">
        <p className="w-16 shrink-0 text-right"><b className="stop text-xl leading-none">{pairs}</b><span className="soft block">{pairs === 1 ? "pair" : "pairs"}</span></p>
        <div className="min-w-0 flex-1">
          {head}
          <p className="soft pt-0.5">{who}{further ? ` For ${further === pairs ? "all" : further} of them other faults have to be mended, too.` : ""}{unsure ? ` ${unsure} of them then end at what could not be read, so the rest of their way is not known.` : ""}</p>
          {title ? <p className="pt-1.5">{title}</p> : <p className="soft pt-1.5">No change that is known here heals it alone: open the example.</p>}
          <p className="flex flex-wrap gap-2 pt-2">
            {looks}
            {edits.length ? (
              <button type="button" className="btn btn-sm btn-neutral" disabled={keep.isPending}
                onClick={() => keep.mutate({ title: title.slice(0, 300), edits, question: groups[0].example })}>
                Rehearse{groups.length > 1 ? ` all ${groups.length}` : ""}
              </button>
            ) : null}
          </p>
          {keep.error ? <p role="alert" className="stop pt-1">{keep.error.message}</p> : null}
        </div>
      </div>
      {children}
    </li>
  );
}

function Row({ survey, group, first }: { survey: number; group: Group; first: boolean }) {
  const [who, what] = split(group);
  return (
    <Card
      survey={survey} groups={[group]} first={first} who={who}
      head={group.causes.length > 1 ? (
        <>
          <p><b>{group.causes.length} faults hide behind each other</b></p>
          <ul className="list-disc pl-5">{group.causes.map((cause) => <li key={cause.id}>{cause.summary}</li>)}</ul>
        </>
      ) : <p><b>{what}</b></p>}
      title={group.causes.map((cause) => cause.remedy?.title ?? "").filter(Boolean).join(" ")}
      looks={(
        <Link className="btn btn-sm" to={`/s/${survey}/case?from=${encodeURIComponent(group.example.from)}&to=${encodeURIComponent(group.example.to)}`}>
          {group.example.from} → {group.example.to}
        </Link>
      )}
    />
  );
}

/** Many causes of one kind at one device: one row, that opens to each. */
function Stack({ survey, groups, first }: { survey: number; groups: [Group, ...Group[]]; first: boolean }) {
  const [open, setOpen] = useState(false);
  const [, what] = split(groups[0]);
  const cause = groups[0].causes[0];
  const device = cause?.device ?? "";
  return (
    <Card
      survey={survey} groups={groups} first={first} head={<p><b>{what}</b></p>}
      who={`${groups.length} causes of one kind on ${device}; each heals pairs of its own.`}
      title={`${cause?.remedy?.title ?? what} And ${groups.length - 1} more of the kind on ${device}.`}
      looks={<button type="button" className="btn btn-sm" aria-expanded={open} onClick={() => setOpen(!open)}>{open ? "Fold" : `Show all ${groups.length}`}</button>}
    >
      {open ? <ol className="space-y-2 pt-3" aria-label={`Each of them on ${device}`}>{groups.map((item, index) => <Row key={index} survey={survey} group={item} first={false} />)}</ol> : null}
    </Card>
  );
}

/** Whose conversations fail, and why: the two halves of a group's sentence. */
export function split(group: Pick<Group, "summary">): [string, string] {
  const at = group.summary.indexOf(": ");
  if (at < 0) return ["", group.summary];
  return [`${group.summary.slice(0, at)}.`, group.summary.slice(at + 2)];
}

function Folded({ survey, groups }: { survey: number; groups: Group[] }) {
  const [open, setOpen] = useState(false);
  const pairs = groups.reduce((sum, group) => sum + group.pairs, 0);
  return (
    <section className="pt-4" aria-label="On purpose">
      <button type="button" className="btn btn-ghost btn-sm" aria-expanded={open} onClick={() => setOpen(!open)}>
        {many(pairs, "pair")} more fail on purpose, as far as anybody can tell
      </button>
      {open ? (
        <ul className="pt-1">
          {groups.map((group, index) => (
            <li key={index}>{group.summary} <Link className="underline decoration-dotted" to={`/s/${survey}/case?from=${encodeURIComponent(group.example.from)}&to=${encodeURIComponent(group.example.to)}`}>an example</Link></li>
          ))}
        </ul>
      ) : null}
    </section>
  );
}

function Turned({ survey, desk, before }: { survey: number; desk: Desk; before: Shapes["OlderShape"] | null }) {
  return (
    <section aria-label="What turned">
      <h2 className="pb-1 font-semibold">Since the survey before</h2>
      {before === null || desk.turned === null ? <p className="soft">There is no older survey of this network.</p> : (
        <p>
          <Link className="underline decoration-dotted" to={`/surveys/compare?old=${before.id}&new=${survey}`}>{before.title}</Link>:{" "}
          {desk.turned.broken ? <b className="stop">{many(desk.turned.broken, "pair")} broke</b> : "nothing broke"}
          {desk.turned.healed ? <>, <b className="good">{many(desk.turned.healed, "pair")} healed</b></> : null}.
        </p>
      )}
    </section>
  );
}

/** What was expected and does not hold, if anything is expected of this network. */
function Expected({ survey }: { survey: number }) {
  const told = useExpectations(survey);
  const results = told.data?.answer?.results;
  if (!told.data?.text.trim()) return null;
  const failing = results?.filter((item) => !item.holds) ?? [];
  return (
    <section aria-label="Expectations">
      <h2 className="pb-1 font-semibold">Expectations</h2>
      {results === undefined ? <p role="status" className="soft">Holding this survey against them.</p> : failing.length === 0 ? <p className="good">All {results.length} hold.</p> : (
        <ul>
          {failing.slice(0, 5).map((item, index) => <li key={index}><span className="stop">✕</span> <Link className="underline decoration-dotted" title={item.reason} to={`/s/${survey}/expectations`}>{item.name}</Link></li>)}
          {failing.length > 5 ? <li className="soft">and {failing.length - 5} more of {results.length}</li> : null}
        </ul>
      )}
    </section>
  );
}

function NotKnown({ survey, desk }: { survey: number; desk: Desk }) {
  return (
    <section aria-label="What is not known">
      <h2 className="pb-1 font-semibold">What is not known</h2>
      {desk.doubtful ? <p>Of {many(desk.doubtful, "pair")} it cannot be said whether {desk.doubtful === 1 ? "it works" : "they work"}.</p> : <p className="soft">Every pair has a certain answer.</p>}
      <ReadNext survey={survey} wanted={desk.doubtful > 0} />
      {desk.unread.length ? (
        <p>
          <Link className="underline decoration-dotted" to={`/s/${survey}/reading`}>{many(desk.unread.length, "device was", "devices were")} not read</Link>: {desk.unread.slice(0, 6).join(", ")}{desk.unread.length > 6 ? ` and ${desk.unread.length - 6} more` : ""}.
        </p>
      ) : null}
    </section>
  );
}

/** Which device to read next: what hangs on it alone comes first. */
function ReadNext({ survey, wanted }: { survey: number; wanted: boolean }) {
  const found = useUnknowns(survey, wanted);
  const answer = found.data?.answer;
  if (!wanted) return null;
  if (!answer) return <p role="status" className="soft pt-1">Working out what hangs on which{found.data?.what ? `: ${found.data.what}` : ""}</p>;
  return (
    <ol className="pt-1">
      {answer.unread.filter((item) => item.questions).slice(0, 6).map((item) => (
        <li key={item.device}><b>{item.device}</b>: {many(item.decides, "pair hangs", "pairs hang")} on it alone{item.questions > item.decides ? `, ${item.questions} in all` : ""}.</li>
      ))}
      {answer.lines.filter((line) => line.questions).slice(0, 4).map((line, index) => (
        <li key={index}>{line.device} {line.file}{line.line ? `, line ${line.line}` : ""}: <span className="mono">{line.text.slice(0, 60)}</span>, {many(line.questions, "pair")}.</li>
      ))}
    </ol>
  );
}

function OpenCases({ survey }: { survey: number }) {
  const cases = useCases(survey);
  const open = (cases.data?.cases ?? []).filter((item) => !["verified", "closed-unverified"].includes(item.state));
  return (
    <section aria-label="Open cases">
      <h2 className="pb-1 font-semibold">Open cases</h2>
      {open.length ? (
        <ul>
          {open.slice(0, 8).map((item) => (
            <li key={item.id} className="truncate"><Link className="underline decoration-dotted" title={item.complaint} to={`/s/${survey}/cases/${item.id}`}>{item.id}: {item.complaint}</Link></li>
          ))}
          {open.length > 8 ? <li><Link className="underline" to={`/s/${survey}/cases`}>all {open.length}</Link></li> : null}
        </ul>
      ) : <p className="soft">None.</p>}
    </section>
  );
}
