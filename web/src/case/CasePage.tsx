import { useEffect, useMemo, useRef } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import { useCases, useDecision, useEnds, useNames, usePath, useSurveys, type EndsQuestion, type Question } from "../api/queries";
import { standing } from "../ui/address";
import { AfterPaint } from "../ui/AfterPaint";
import { Works } from "../ui/Badge";
import { downloadPng, downloadSvg } from "../ui/download";
import { Empty, Failed, Working } from "../ui/States";
import { WORKS_WORDS } from "../ui/words";
import { Aside } from "./Aside";
import { CaseWork } from "./CaseWork";
import { Decision } from "./Decision";
import { Ends } from "./Ends";
import { Journey } from "./Journey";
import { filtersOf, firstSelection, hopAt, hopText, parseHop, rewritesOf, targetAt, type HopKey, type Path, wrapOf } from "./journey";
import { KeepCase } from "./KeepCase";
import { packetOf, questionOf, queryOf } from "./question";
import { Sentence } from "./Sentence";
import { SourcePane } from "./SourcePane";

// The texts of devices are shown in any case: they are loaded beside the answer, not after it.
void import("../ui/SourceText");

/** One complaint: sentence, journey, and the three panes of the selected hop. */
export function CasePage() {
  const params = useParams();
  const survey = Number(params.survey);
  const [query, setQuery] = useSearchParams();
  const navigate = useNavigate();
  const cases = useCases(survey);
  const stored = params.case ? cases.data?.cases.find((item) => item.id === Number(params.case)) : undefined;
  const question = useMemo<Question | null>(() => {
    if (!params.case) return questionOf(query);
    if (!stored) return null;
    return packetOf({ ...stored, from: stored.sender, to: stored.receiver });
  }, [params.case, stored, query]);
  const path = usePath(survey, question);
  const surveys = useSurveys();
  const here = surveys.data?.surveys.find((item) => item.id === survey);

  // What fails on the survey of a case that is solved is how it was.
  const solved = stored?.state === "verified" && !stored.opened_on;
  const ask = (next: Question) => void navigate(`/s/${survey}/case?${queryOf(next).toString()}`);

  return (
    <div className="flex h-full min-h-0 flex-col">
      <header className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-base-300 px-4 py-2">
        <h1 className="sr-only">Case</h1>
        <Sentence survey={survey} question={question} onAsk={ask} />
        {path.data ? solved ? <Works state="yes" text="solved" /> : <Works state={path.data.works} text={WORKS_WORDS[path.data.works]} /> : null}
        <span className="ml-auto flex items-center gap-2">
          {question && !params.case ? <KeepCase survey={survey} question={question} /> : null}
          {question ? (
            <Link className="btn btn-ghost btn-xs" to={`/s/${survey}/map?${queryOf(question).toString()}`}>Map</Link>
          ) : null}
        </span>
      </header>
      {stored ? <CaseWork survey={survey} stored={stored} works={path.data?.works} question={question} /> : null}
      {params.case && cases.data && !stored ? <Failed error={new Error("This survey has no such case.")} /> : null}
      {params.case && cases.error ? <Failed error={cases.error} /> : null}
      {question === null && !params.case ? (
        <Empty title="Who cannot reach what?">
          <p>Name a device, an address, a prefix or device:interface in the sentence above, or open one of the cases.</p>
          <p className="pt-3">
            <Link className="btn btn-sm" to={`/s/${survey}/cases`}>{here ? `${here.cases} cases in this survey` : "Cases"}</Link>
          </p>
        </Empty>
      ) : null}
      {question && path.isPending ? <Working what="Following the packet and its reply" /> : null}
      {path.error ? <Failed error={path.error} /> : null}
      {path.data ? (
        <Answer
          key={JSON.stringify(question)}
          survey={survey}
          question={question as Question}
          path={path.data}
          past={solved}
          also={path.data.also ?? null}
          ids={path.data.touching}
          hopQuery={query.get("hop")}
          onHop={(key) => {
            const next = standing();
            next.set("hop", hopText(key));
            setQuery(next, { replace: true, preventScrollReset: true });
          }}
        />
      ) : null}
    </div>
  );
}

function Answer({ survey, question, path, past, also, ids, hopQuery, onHop }: {
  survey: number; question: Question; path: Path; past: boolean; also: Path | null; ids: string[]; hopQuery: string | null; onHop: (key: HopKey) => void;
}) {
  const names = useNames(survey);
  const svg = useRef<SVGSVGElement>(null);
  const roles = useMemo(() => new Map((names.data?.names ?? []).map((item) => [item.device, item.role])), [names.data]);
  const selected = parseHop(hopQuery, path) ?? firstSelection(path);
  const hop = hopAt(path, selected);
  const leg = selected.leg === "outbound" ? path.outbound : path.return;
  const branch = leg?.branches[selected.branch];
  const target = targetAt(path, selected);
  const device = hop?.device ?? "";
  const following = branch?.hops[selected.index + 1];
  const endsQuestion = useMemo<EndsQuestion | null>(() => {
    if (!hop?.out) return null;
    const near = hop.next_hop ?? (hop.route?.protocol === "local" ? null : target);
    return {
      device: hop.device,
      interface: hop.out,
      ...(near ? { next_hop: near } : {}),
      ...(following ? { toward: following.device } : {}),
    };
  }, [hop, following, target]);
  const decision = useDecision(survey, device || null, target || null);
  const ends = useEnds(survey, endsQuestion);
  const evidence = useMemo(() => {
    const routes = hop?.route?.because ?? [];
    const unusable = (decision.data?.candidates ?? []).filter((c) => c.state === "unusable").flatMap((c) => c.route.because);
    const gates = (ends.data?.gates ?? []).filter((gate) => gate.holds === false).flatMap((gate) => gate.evidence).filter((item) => !item.default);
    // Only where nothing matches, used or not, is a line missing for certain.
    const none = !decision.data?.uncertain && !decision.data?.ruled && !decision.data?.candidates.some((item) => item.state === "wins" || item.state === "unusable");
    const missing = !none ? [] : (decision.data?.missing?.chain ?? []).flatMap((step) => step.evidence).filter((item) => item.missing);
    // What keeps a prefix away, where no line of the device decides: its end of a neighbour that fails.
    const away = (decision.data?.missing?.chain ?? []).flatMap((step) => step.evidence).filter((item) => !item.missing && !item.default && item.device === device);
    const broken = branch && branch.verdict !== "delivered" && selected.index === branch.hops.length - 1;
    const filters = (hop ? filtersOf(hop) : []).flatMap((filter) => (filter.entry && filter.result !== "permit" ? [filter.entry] : []));
    const asked = target ? [] : (path.name?.evidence ?? []);
    return broken ? [...asked, ...filters, ...unusable, ...missing, ...gates, ...routes, ...away] : [...routes, ...gates];
  }, [device, hop, decision.data, ends.data, branch, selected.index, target, path.name]);

  useEffect(() => {
    document.title = `${path.from.device ?? ""} to ${path.to.device ?? path.to.address ?? ""}: ${WORKS_WORDS[path.works]} – Trochos`;
  }, [path]);

  const nothing = hop?.route?.protocol === "local"
    ? `The packet has arrived: ${device} keeps it.`
    : `The packet leaves ${device} nowhere, so there is no link to compare.`;
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_clamp(14rem,23vw,21rem)] grid-rows-[minmax(0,1fr)]">
      <div className="flex min-h-0 min-w-0 flex-col">
        <div className="flex items-baseline gap-3 px-4 pt-2">
          <p className={`text-[14px] font-semibold ${past ? "soft" : path.works === "yes" ? "good" : path.works === "unknown" ? "" : "stop"}`} data-testid="answer">
            {past ? `How it was: ${path.sentence}` : path.sentence}
          </p>
          <span className="no-print ml-auto flex shrink-0">
            <button type="button" className="btn btn-ghost btn-xs" onClick={() => downloadSvg(svg.current, "journey")}>SVG</button>
            <button type="button" className="btn btn-ghost btn-xs" onClick={() => downloadPng(svg.current, "journey")}>PNG</button>
          </span>
        </div>
        <AfterPaint>
          <div className="shrink-0 border-b border-base-300 px-3 pt-1">
            <Journey path={path} roles={roles} selected={selected} onSelect={onHop} svgRef={svg} />
          </div>
          <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1.25fr)_minmax(0,0.95fr)_minmax(0,1fr)]">
            <AfterPaint>
              <Decision survey={survey} device={device} out={hop?.out ?? null} question={question} target={target} filters={hop ? filtersOf(hop) : []} rewrites={hop ? rewritesOf(hop) : []} rules={hop?.rules} crossing={hop?.actions.find((action) => action.do === "instance")} verdict={branch && selected.index === branch.hops.length - 1 ? branch.verdict : undefined} reason={branch && branch.verdict !== "delivered" && selected.index === branch.hops.length - 1 && !path.sentence.endsWith(branch.reason) ? branch.reason : null} />
              <Ends survey={survey} device={device} question={endsQuestion} nothing={nothing} wrap={hop ? wrapOf(hop) : null} />
              <SourcePane survey={survey} device={device} evidence={evidence} />
            </AfterPaint>
          </div>
        </AfterPaint>
      </div>
      <AfterPaint><Aside survey={survey} question={question} path={path} also={also} ids={ids} /></AfterPaint>
    </div>
  );
}
