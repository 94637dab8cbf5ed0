import { Suspense, lazy, useMemo } from "react";
import { Link, useParams, useSearchParams } from "react-router";

import type { Shapes } from "../api/client";
import { useDevice, useNeighbours, useSource } from "../api/queries";
import { standing } from "../ui/address";
import { Severity } from "../ui/Badge";
import { DataTable, type Column } from "../ui/DataTable";
import { RelationGates } from "../neighbours/RelationGates";
import { relationKey } from "../neighbours/relations";
import { EvidenceLink, evidencePlace, type Evidence } from "../ui/EvidenceLink";
import { Failed, Working } from "../ui/States";
import { hopWords, many, protocolWords } from "../ui/words";

const SourceText = lazy(() => import("../ui/SourceText"));

type Device = Shapes["DeviceShape"];
type Interface = Shapes["InterfaceShape"];
type Route = Shapes["RouteShape"];
type Compared = Shapes["ComparedRouteShape"];

const PARTS = ["interfaces", "routes", "neighbours", "compare", "findings"] as const;
type Part = (typeof PARTS)[number];
const PART_WORDS: Record<Part, string> = {
  interfaces: "Interfaces", routes: "Routes", neighbours: "Neighbours", compare: "Computed beside gathered", findings: "Findings",
};

/** One device: what it has, what follows from it, and its own text beside it. */
export function DevicePage() {
  const params = useParams();
  const survey = Number(params.survey);
  const name = params["*"] ?? "";
  const [query, setQuery] = useSearchParams();
  const device = useDevice(survey, name);
  const wanted = query.get("part");
  const part: Part = PARTS.find((item) => item === wanted) ?? "interfaces";
  const file = query.get("file") ?? device.data?.main_file ?? device.data?.files[0]?.file ?? null;
  const line = Number(query.get("line")) || null;
  const source = useSource(survey, name, device.data ? file : null);
  const go = (changes: Record<string, string>) => {
    const next = standing();
    for (const [key, value] of Object.entries(changes)) next.set(key, value);
    setQuery(next, { replace: true });
  };
  const show = (item: Evidence) => {
    if (item.device === name) go({ file: item.file, line: String(item.line ?? "") });
  };
  const marks = useMemo(() => new Map<number, string | null>(line ? [[line, null]] : []), [line]);
  const open = useMemo(() => new Set((source.data?.unknown ?? []).filter((item) => item.matters).map((item) => item.line)), [source.data]);

  if (device.isPending) return <Working heading={name} what={`Opening ${name}`} />;
  if (device.error) return <Failed heading={name} error={device.error}><Link className="underline" to={`/s/${survey}/devices`}>All devices</Link></Failed>;
  const data = device.data;
  const compares = data.ipv4.gathered || data.ipv6.gathered;
  return (
    <div className="flex h-full min-h-0 flex-col">
      <header className="flex flex-wrap items-baseline gap-x-4 border-b border-base-300 px-4 py-2">
        <h1 className="text-lg font-semibold">{data.name}</h1>
        <span className="soft">{data.role}, read as {data.profile}{data.hostname && data.hostname !== data.name.split("/")[0] ? `, calls itself ${data.hostname}` : ""}</span>
        <nav aria-label="Parts of the device" className="ml-auto flex gap-1">
          {PARTS.filter((item) => item !== "compare" || compares).map((item) => (
            <button key={item} type="button" aria-pressed={item === part} onClick={() => go({ part: item })}
              className={`btn btn-sm ${item === part ? "btn-neutral" : "btn-ghost"}`}>
              {PART_WORDS[item]}{item === "findings" && data.findings.length ? ` ${data.findings.length}` : ""}
            </button>
          ))}
        </nav>
      </header>
      {data.uncertain.length ? (
        <div className="hatched border-b border-base-300 px-4 py-1.5">
          <b>Not certain.</b> {data.uncertain[0]?.why}
          {data.uncertain.length > 1 ? ` (and ${data.uncertain.length - 1} more)` : ""}. Answers that depend on it say so.
        </div>
      ) : null}
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1.55fr)_minmax(0,1fr)]">
        <div className="min-h-0 overflow-auto p-4">
          {part === "interfaces" ? <Interfaces survey={survey} data={data} show={show} /> : null}
          {part === "routes" ? <Routes survey={survey} data={data} show={show} /> : null}
          {part === "neighbours" ? <DeviceNeighbours survey={survey} device={name} /> : null}
          {part === "compare" ? <Compare data={data} /> : null}
          {part === "findings" ? <Findings data={data} show={show} /> : null}
        </div>
        <section aria-label="The source" className="flex min-h-0 min-w-0 flex-col border-l border-base-300">
          <div className="flex flex-wrap gap-1 p-2">
            {data.files.map((item) => (
              <button key={item.file} type="button" title={item.note ?? item.kind} aria-pressed={item.file === file}
                className={`btn btn-xs ${item.file === file ? "btn-neutral" : "btn-ghost"}`} onClick={() => go({ file: item.file, line: "" })}>
                {item.file}
              </button>
            ))}
          </div>
          {source.data ? (
            <>
              <p className="soft px-3 pb-1">
                {source.data.kind}, {many(source.data.lines.length, "line")}
                {open.size ? <b className="stop">, {open.size} not understood that matter</b> : ", nothing left open"}
              </p>
              <div className="min-h-0 flex-1">
                <Suspense fallback={<Working what="Opening the text" />}><SourceText lines={source.data.lines} marks={marks} open={open} focus={line} label={`Source of ${name}, ${file ?? ""}`} /></Suspense>
              </div>
            </>
          ) : data.files.length === 0 ? <p className="soft p-3">Nothing was gathered from {name}.</p> : source.error ? <Failed error={source.error} /> : <Working what="Opening the text" />}
        </section>
      </div>
    </div>
  );
}

function LineButton({ item, show }: { item: Evidence | null; show: (item: Evidence) => void }) {
  if (!item?.line) return null;
  return (
    <button type="button" className="underline decoration-dotted underline-offset-2" title={item.text} onClick={() => show(item)}>
      line {item.line}
    </button>
  );
}

function Interfaces({ survey, data, show }: { survey: number; data: Device; show: (item: Evidence) => void }) {
  const columns = useMemo<Column<Interface>[]>(
    () => [
      {
        head: "interface", value: (row) => row.name, width: "1fr",
        show: (row) => <><b>{row.name}</b>{row.description ? <span className="soft block">{row.description}</span> : null}</>,
      },
      {
        head: "state", value: (row) => (row.up ? "up" : (row.why_down ?? "down")), width: "1.2fr",
        show: (row) => row.up ? <span className="good">up</span> : <span className="stop font-semibold">down: {row.why_down}</span>,
      },
      {
        head: "addresses", value: (row) => row.addresses.map((a) => a.value).join(" "), width: "1.9fr",
        show: (row) => row.addresses.length ? (
          <>
            {row.addresses.map((address) => (
              <span key={address.value} className="block"><span className="mono">{address.value}</span> <span className="soft">{address.captured ? "captured " : ""}<LineButton item={address.evidence} show={show} /></span></span>
            ))}
          </>
        ) : <span className="soft">no address</span>,
      },
      {
        head: "connects to", value: (row) => row.connects_to.map((end) => end.device).join(" "), width: "1.3fr",
        show: (row) => row.loopback ? <span className="soft">loopback</span> : row.connects_to.length ? (
          <>
            {row.lan ? <span className="soft block">LAN {row.lan}</span> : null}
            {row.connects_to.slice(0, 6).map((end) => (
              <span key={`${end.device} ${end.interface}`} className="block"><Link className="underline decoration-dotted" to={`/s/${survey}/devices/${end.device}`}>{end.device}</Link> {end.interface}</span>
            ))}
            {row.connects_to.length > 6 ? <span className="soft">and {row.connects_to.length - 6} more</span> : null}
          </>
        ) : <span className="soft">not known</span>,
      },
      { head: "MTU", value: (row) => row.mtu ?? "", width: "4.2rem", right: true },
    ],
    [survey, show],
  );
  return <DataTable label="interfaces" file={`${data.name}-interfaces`} rows={data.interfaces} columns={columns} rowKey={(row) => row.name} empty="No interface is known." />;
}

type FamilyRoute = Route & { key: string };

/** Every relation of this device, what fails first; each opens to all its gates. */
function DeviceNeighbours({ survey, device }: { survey: number; device: string }) {
  const neighbours = useNeighbours(survey);
  if (neighbours.isPending) return <Working what="Comparing all ends" />;
  if (neighbours.error) return <Failed error={neighbours.error} />;
  const mine = neighbours.data.pairs.filter((pair) => pair.left.device === device || pair.right.device === device);
  if (!mine.length) return <p className="soft">No routing protocol has, or should have, a neighbour here.</p>;
  return <div className="max-w-3xl space-y-4">{mine.map((pair) => <RelationGates key={relationKey(pair)} survey={survey} relation={pair} />)}</div>;
}

function Routes({ survey, data, show }: { survey: number; data: Device; show: (item: Evidence) => void }) {
  const rows = useMemo<FamilyRoute[]>(
    () => [...data.ipv4.routes, ...data.ipv6.routes].map((route, index) => ({ ...route, key: `${route.prefix} ${index}` })),
    [data],
  );
  const columns = useMemo<Column<FamilyRoute>[]>(
    () => [
      { head: "prefix", value: (row) => row.prefix, width: "1.4fr", mono: true },
      { head: "from", value: (row) => protocolWords(row), width: "1fr" },
      { head: "distance", value: (row) => row.distance, width: "5rem", right: true },
      { head: "metric", value: (row) => row.metric, width: "4.5rem", right: true },
      {
        head: "next hop", value: (row) => row.next_hops.map(hopWords).join(", "), width: "1.8fr",
        show: (row) => <span className="mono">{row.next_hops.map((hop, i) => <span key={i} className="block">{hopWords(hop)}</span>)}{row.via.length ? <span className="soft block">by way of {row.via.join(", ")}</span> : null}</span>,
      },
      {
        head: "state", value: (row) => (row.selected ? "used" : `not used: ${row.why ?? ""}`), width: "1.8fr",
        show: (row) => row.selected ? <span className="good">used</span> : <><b className={row.next_hops.length ? "soft" : "stop"}>not used</b><span className="block">{row.why}</span></>,
      },
      {
        head: "line", value: (row) => row.because.map(evidencePlace).join(", "), width: "7.5rem",
        show: (row) => (
          <>
            {row.because.map((item, i) => (
              <span key={i} className="block">
                {item.device === data.name ? <LineButton item={item} show={show} /> : <EvidenceLink survey={survey} item={item} />}
              </span>
            ))}
          </>
        ),
      },
    ],
    [data.name, show, survey],
  );
  return <DataTable label="routes" file={`${data.name}-routes`} rows={rows} columns={columns} rowKey={(row) => row.key}
    rowClass={(row) => (row.next_hops.length ? "" : "hatched")} empty="No route follows from what was gathered." />;
}

const COMPARED = { same: "same", different: "differs", missing: "only gathered", extra: "only computed" } as const;

function Compare({ data }: { data: Device }) {
  const rows = useMemo(() => [...data.ipv4.compared, ...data.ipv6.compared], [data]);
  const odd = rows.filter((row) => row.state !== "same").length;
  const hops = (route: { next_hops: Shapes["NextHopShape"][] } | null) => route?.next_hops.map(hopWords).join(", ") ?? "";
  const columns: Column<Compared>[] = [
    { head: "prefix", value: (row) => row.prefix, width: "1.2fr", mono: true },
    { head: "", value: (row) => COMPARED[row.state], width: "8rem", show: (row) => <b className={row.state === "same" ? "good" : "stop"}>{COMPARED[row.state]}</b> },
    { head: "computed", value: (row) => row.computed ? `${protocolWords(row.computed)} ${hops(row.computed)}` : "", width: "1.6fr", mono: true },
    { head: "gathered", value: (row) => row.gathered ? `${row.gathered.protocol} ${hops(row.gathered)}` : "", width: "1.6fr", mono: true },
    { head: "likely because", value: (row) => row.reason ?? "", width: "1.8fr" },
  ];
  return (
    <div className="flex h-full flex-col">
      <p className="pb-2">{odd ? <b className="stop">{many(odd, "entry differs", "entries differ")}.</b> : "Every entry is the same."} <span className="soft">What the device gave is only set beside what its configuration implies.</span></p>
      <div className="min-h-0 flex-1"><DataTable label="tables side by side" file={`${data.name}-compared`} rows={rows} columns={columns} rowKey={(row) => row.prefix} rowClass={(row) => (row.state === "same" ? "" : "hatched")} empty="The device gave no table." /></div>
    </div>
  );
}

function Findings({ data, show }: { data: Device; show: (item: Evidence) => void }) {
  if (data.findings.length === 0) return <p className="soft">Nothing was found on {data.name}.</p>;
  return (
    <ul className="space-y-2">
      {data.findings.map((finding) => (
        <li key={finding.id} className="rounded-box border border-base-300 bg-base-100 p-3">
          <p><Severity severity={finding.severity} /> <b>{finding.summary}</b></p>
          <p className="soft pt-1">{finding.detail}</p>
          <p className="flex gap-3 pt-1">{finding.evidence.filter((item) => item.device === data.name).map((item, i) => <LineButton key={i} item={item} show={show} />)}</p>
        </li>
      ))}
    </ul>
  );
}
