import { useMemo } from "react";
import { Link, useSearchParams } from "react-router";

import type { Shapes } from "../api/client";
import { useComparison, useSurveys } from "../api/queries";
import { DataTable, type Column } from "../ui/DataTable";
import { Empty, Failed, Working } from "../ui/States";
import { hopWords, many, protocolWords, when } from "../ui/words";
import { alongTabs, tabStop } from "../ui/tabs";

type Comparison = Shapes["ComparisonShape"];
type RouteChange = Shapes["RouteChangeShape"];
type FactChange = Shapes["FactChangeShape"];
type Pairs = Shapes["PairsShape"];
type Pair = Pairs["pairs"][number] & { state: string };
type Relation = Comparison["neighbours"]["gained"][number];
const TABS = ["what reaches what", "texts", "facts", "routes", "neighbours"] as const;
type Tab = (typeof TABS)[number];

/** Two surveys side by side: what differs in their texts, and what that changes. */
export function ComparePage() {
  const surveys = useSurveys();
  const [query, setQuery] = useSearchParams();
  const listed = surveys.data?.surveys ?? [];
  const number = (name: string) => (query.get(name) ? Number(query.get(name)) : null);
  const newer = number("new") ?? listed[0]?.id ?? null;
  const network = listed.find((item) => item.id === newer)?.network;
  const before = listed.filter((item) => item.id !== newer);
  const older = number("old") ?? (before.find((item) => item.network === network) ?? before[0])?.id ?? null;
  const found = useComparison(older, newer);
  const apart = new Set(listed.map((item) => item.network)).size > 1;
  const tab = TABS.find((name) => name === query.get("show")) ?? TABS[0];
  const set = (name: string, value: string) => setQuery((now) => { now.set(name, value); return now; }, { replace: true });
  const pick = (name: "old" | "new", label: string, value: number | null) => (
    <label className="flex min-w-0 items-center gap-2">{label}
      <select className="select select-sm w-[26rem] overflow-hidden pr-9 text-ellipsis" value={value ?? ""} onChange={(event) => set(name, event.target.value)}>
        {sameFirst(listed, name === "old" ? newer : older).map((item) => <option key={item.id} value={item.id}>{item.title}, {when(item.taken_at)}{apart ? ` (${item.network})` : ""}</option>)}
      </select>
    </label>
  );
  return (
    <div className="flex h-full min-h-0 flex-col gap-3 p-4">
      <h1 className="text-lg font-semibold">Two surveys compared</h1>
      <div className="flex flex-wrap items-center gap-4">
        {pick("old", "from", older)}
        {pick("new", "to", newer)}
        <Link className="btn btn-sm" to="/surveys">All surveys</Link>
      </div>
      {surveys.data && listed.length < 2 ? <Empty title="There is only one survey yet.">Store or gather another one, and what changed between them stands here.</Empty> : null}
      {older !== null && older === newer ? <Empty title="Choose two different surveys." /> : null}
      {older !== null && older !== newer && found.isPending ? <Working what="Computing both surveys" /> : null}
      {found.error ? <Failed error={found.error} /> : null}
      {found.data ? <Body data={found.data} tab={tab} onTab={(next) => set("show", next)} newer={newer ?? 0} /> : null}
    </div>
  );
}

/** The surveys of one network first, so that like is compared with like. */
function sameFirst(listed: Shapes["SurveyShape"][], beside: number | null) {
  const network = listed.find((item) => item.id === beside)?.network;
  return [...listed].sort((one, other) => Number(other.network === network) - Number(one.network === network));
}

function Body({ data, tab, onTab, newer }: { data: Comparison; tab: Tab; onTab: (tab: Tab) => void; newer: number }) {
  const changed = data.neighbours.gained.length + data.neighbours.lost.length;
  const counts: Record<Tab, number> = {
    "what reaches what": data.breaks.count + data.heals.count + data.moves.count,
    texts: data.texts.length,
    facts: data.facts.length,
    routes: data.routes.length,
    neighbours: changed,
  };
  const nothing = Object.values(counts).every((count) => count === 0) && data.missing.length === 0 && data.unsure === 0;
  return (
    <>
      <p data-testid="compared">
        {nothing ? "Nothing differs." : (
          <>
            {many(data.texts.length, "text differs", "texts differ")}, {many(data.routes.length, "route")}, {many(changed, "neighbour relation")}.{" "}
            {data.breaks.count ? <b className="stop">{many(data.breaks.count, "pair")} no longer {data.breaks.count === 1 ? "works" : "work"}.</b> : (data.missing.length ? "Nothing that the newer survey holds and that worked fails now." : "Nothing that worked fails now.")}{" "}
            {data.heals.count ? <b className="good">{many(data.heals.count, "pair works", "pairs work")} again.</b> : null}{" "}
            {data.unsure ? <b>Of {many(data.unsure, "pair")} that worked, that is not known any more. </b> : null}
            {data.moves.count ? `${many(data.moves.count, "pair takes", "pairs take")} another way.` : null}
          </>
        )}
      </p>
      {data.note ? <p role="alert" className="stop font-semibold">{data.note}</p> : null}
      {data.missing.length ? (
        <p className="rounded-box border-l-4 border-warning bg-base-100 px-3 py-2" data-testid="missing">
          <b>{many(data.missing.length, "device is", "devices are")} not in the newer survey:</b>{" "}
          {data.missing.slice(0, 8).map((item) => item.device).join(", ")}{data.missing.length > 8 ? ` and ${data.missing.length - 8} more` : ""}.{" "}
          Of {many(data.missing.reduce((sum, item) => sum + item.pairs, 0), "pair")} that worked with {data.missing.length === 1 ? "it" : "them"}, nothing is known now.
        </p>
      ) : null}
      <div role="tablist" onKeyDown={alongTabs} aria-label="What differs" className="flex gap-1 border-b border-base-300">
        {TABS.map((name) => (
          <button key={name} type="button" role="tab" aria-selected={tab === name} tabIndex={tabStop(tab === name)} onClick={() => onTab(name)}
            className={`px-3 py-1 ${tab === name ? "border-b-2 border-primary font-semibold" : "soft"}`}>
            {name} <span className="soft font-normal">{counts[name]}</span>
          </button>
        ))}
      </div>
      <div className="min-h-0 flex-1">
        {tab === "texts" ? <Texts data={data} /> : null}
        {tab === "facts" ? <Facts rows={data.facts} survey={newer} /> : null}
        {tab === "routes" ? <Routes rows={data.routes} survey={newer} /> : null}
        {tab === "neighbours" ? <Relations data={data} /> : null}
        {tab === "what reaches what" ? <Verdicts data={data} survey={newer} /> : null}
      </div>
    </>
  );
}

function Texts({ data }: { data: Comparison }) {
  if (!data.texts.length) return <Empty title="Both surveys hold the same texts." />;
  return (
    <div className="h-full space-y-4 overflow-auto">
      {data.texts.filter((item) => item.device).map((item) => (
        <section key={`${item.device} ${item.file}`} aria-label={`${item.device ?? ""} ${item.file}`}>
          <h2 className="pb-1"><b>{item.device}</b> <span className="soft">{item.file}</span></h2>
          <pre tabIndex={0} className="mono max-h-96 overflow-auto rounded-box border border-base-300 bg-base-100 p-2">
            {item.diff.split("\n").filter((_, index) => index > 1).map((line, index) => line.startsWith("@@") ? (
              index ? <span key={index} className="soft block">…</span> : null
            ) : (
              <span key={index} className={`block ${line.startsWith("+") ? "good" : line.startsWith("-") ? "stop" : "soft"}`}>{line || " "}</span>
            ))}
          </pre>
        </section>
      ))}
    </div>
  );
}

function Facts({ rows, survey }: { rows: FactChange[]; survey: number }) {
  const columns = useMemo<Column<FactChange>[]>(
    () => [
      { head: "device", value: (row) => row.device, width: "1fr", show: (row) => <Link className="underline decoration-dotted" to={`/s/${survey}/devices/${row.device}`}>{row.device}</Link> },
      { head: "what", value: (row) => row.what, width: "1.2fr" },
      { head: "before", value: (row) => row.old ?? "nothing", width: "2fr", mono: true },
      { head: "after", value: (row) => row.new ?? "nothing", width: "2fr", mono: true },
    ],
    [survey],
  );
  return <DataTable label="facts that differ" file="facts-compared" rows={rows} columns={columns} rowKey={(row) => `${row.device} ${row.what}`} empty="Devices and interfaces are as they were." />;
}

const routeWords = (route: RouteChange["old"]) => (route ? `${protocolWords(route)}: ${route.next_hops.map(hopWords).join(", ")}` : "none");

function Routes({ rows, survey }: { rows: RouteChange[]; survey: number }) {
  const columns = useMemo<Column<RouteChange>[]>(
    () => [
      { head: "device", value: (row) => row.device, width: "1fr", show: (row) => <Link className="underline decoration-dotted" to={`/s/${survey}/devices/${row.device}`}>{row.device}</Link> },
      { head: "prefix", value: (row) => row.prefix, width: "1.2fr", mono: true },
      { head: "before", value: (row) => routeWords(row.old), width: "2fr", mono: true },
      { head: "after", value: (row) => routeWords(row.new), width: "2fr", mono: true },
    ],
    [survey],
  );
  return <DataTable label="routes that differ" file="routes-compared" rows={rows} columns={columns} rowKey={(row) => `${row.device} ${row.prefix}`} empty="Every table is as it was." />;
}

function Verdicts({ data, survey }: { data: Comparison; survey: number }) {
  const rows = useMemo<Pair[]>(
    () => [
      ...data.breaks.pairs.map((pair) => ({ ...pair, state: "fails now" })),
      ...data.heals.pairs.map((pair) => ({ ...pair, state: "works now" })),
      ...data.moves.pairs.map((pair) => ({ ...pair, state: "another way" })),
    ],
    [data],
  );
  const columns = useMemo<Column<Pair>[]>(
    () => [
      { head: "now", value: (row) => row.state, width: "8rem", show: (row) => <b className={row.state === "fails now" ? "stop" : row.state === "works now" ? "good" : ""}>{row.state}</b> },
      { head: "from", value: (row) => `${row.from} ${row.source}`, width: "1.5fr", show: (row) => <>{row.from} <span className="mono soft">{row.source}</span></> },
      { head: "to", value: (row) => `${row.device} ${row.to}`, width: "1.5fr", show: (row) => <>{row.device} <span className="mono soft">{row.to}</span></> },
      { head: "see", value: () => "", width: "5rem", show: (row) => <Link className="btn btn-xs" to={`/s/${survey}/case?from=${encodeURIComponent(row.from)}&to=${encodeURIComponent(row.to)}&source=${encodeURIComponent(row.source)}`}>journey</Link> },
    ],
    [survey],
  );
  const cut = data.breaks.count + data.heals.count + data.moves.count > rows.length;
  return (
    <DataTable label="pairs that differ" file="pairs-compared" rows={rows} columns={columns} rowKey={(row) => `${row.state} ${row.from} ${row.source} ${row.to}`}
      tools={cut ? <span className="soft">the first of each kind</span> : undefined} empty="Everything reaches what it reached, by the same way." />
  );
}

function Relations({ data }: { data: Comparison }) {
  const rows = useMemo(
    () => [
      ...data.neighbours.lost.map((item) => ({ ...item, state: "lost" })),
      ...data.neighbours.gained.map((item) => ({ ...item, state: "gained" })),
    ],
    [data],
  );
  const end = (side: Relation["left"]) => `${side.device}${side.interface ? ` ${side.interface}` : ""}`;
  const columns: Column<(typeof rows)[number]>[] = [
    { head: "", value: (row) => row.state, width: "6rem", show: (row) => <b className={row.state === "lost" ? "stop" : "good"}>{row.state}</b> },
    { head: "protocol", value: (row) => `${row.protocol.toUpperCase()} ${row.family === "ipv4" ? "IPv4" : "IPv6"}`, width: "8rem" },
    { head: "one end", value: (row) => end(row.left), width: "1fr" },
    { head: "the other", value: (row) => end(row.right), width: "1fr" },
  ];
  return <DataTable label="neighbours that differ" file="neighbours-compared" rows={rows} columns={columns} rowKey={(row) => `${row.state} ${row.protocol} ${row.family} ${end(row.left)} ${end(row.right)}`} empty="All neighbours are as they were." />;
}
