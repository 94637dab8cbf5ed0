import { Check, CircleHelp, KeyRound, Minus, OctagonX } from "lucide-react";
import { useMemo } from "react";

import { testDevice, trustKey, useChange, type LiveDevice, type Part } from "../api/gathering";
import { DataTable, type Column } from "../ui/DataTable";
import { when } from "../ui/words";
import { methodWords, outcomeWords, type Tone } from "./outcomes";

const ICONS: Record<Tone, typeof Check> = { good: Check, stop: OctagonX, ask: CircleHelp, soft: Minus };
const COLOURS: Record<Tone, string> = { good: "good", stop: "stop", ask: "font-semibold", soft: "soft" };

interface Props {
  devices: LiveDevice[];
  /** The parts of the run that is shown, by device. */
  parts: Map<string, Part>;
  mayChange: boolean;
  mayWork: boolean;
  onEdit: (device: LiveDevice) => void;
  height?: string;
}

function Outcome({ kind, says, tail }: { kind: string | null; says: string; tail?: string }) {
  const [words, tone] = outcomeWords(kind);
  const Icon = ICONS[tone];
  return (
    <>
      <span className={`inline-flex items-center gap-1.5 ${COLOURS[tone]}`}><Icon size={14} aria-hidden /> {words}{tail ? <span className="soft font-normal">{tail}</span> : null}</span>
      {says && kind !== "key-unknown" ? <span className="block text-xs">{kind === "key-changed" ? "It was replaced, or somebody stands in between. Nothing was sent to it." : says}</span> : null}
    </>
  );
}

function Running({ part }: { part: Part }) {
  return (
    <span className="block">
      <progress className="progress progress-primary w-24" value={part.of ? part.done : undefined} max={part.of || 1} aria-label={`${part.device}`} />
      <span className="soft ml-2">{part.step || "beginning"}</span>
    </span>
  );
}

/** Every device: where it is, whose key was trusted, how it went last or goes now. */
export function DeviceTable({ devices, parts, mayChange, mayWork, onEdit, height }: Props) {
  const test = useChange(testDevice);
  const trust = useChange(trustKey);
  const testing = test.isPending ? test.variables : null;
  const columns = useMemo<Column<LiveDevice>[]>(
    () => [
      {
        head: "device", value: (row) => `${row.name} ${row.group ?? ""}`, width: "1.1fr",
        show: (row) => mayChange
          ? <><button type="button" className="font-semibold underline decoration-dotted underline-offset-2" onClick={() => onEdit(row)}>{row.name}</button>{row.group ? <span className="soft block">{row.group}</span> : null}</>
          : <><b>{row.name}</b>{row.group ? <span className="soft block">{row.group}</span> : null}</>,
      },
      { head: "asked over", value: (row) => `${methodWords(row.method)} ${row.address} ${row.port}`, width: "1.3fr", show: (row) => <>{methodWords(row.method)}<span className="mono soft block">{row.address} {row.port}</span></> },
      {
        head: "key", value: (row) => row.shown_key ?? row.key ?? "", width: "2fr",
        show: (row) => <Key device={row} mayChange={mayChange} busy={trust.isPending} onTrust={(key) => trust.mutate({ device: row.id, key })} />,
      },
      {
        head: "outcome", value: (row) => outcomeWords(parts.get(row.name)?.state ?? row.outcome)[0], width: "2.6fr",
        show: (row) => {
          const part = parts.get(row.name);
          if (testing === row.id) return <span className="soft">asking it now</span>;
          if (part?.state === "running") return <Running part={part} />;
          if (part) return <Outcome kind={part.state} says={part.says} />;
          return <Outcome kind={row.outcome} says={row.says} tail={row.seen_at ? when(row.seen_at) : undefined} />;
        },
      },
      {
        head: "try", value: () => "", width: "5rem",
        show: (row) => <button type="button" className="btn btn-xs" disabled={testing !== null || !mayWork} aria-label={`Test ${row.name}`} onClick={() => test.mutate(row.id)}>Test</button>,
      },
    ],
    [parts, mayChange, mayWork, onEdit, testing, test, trust],
  );
  return (
    <>
      {test.error ? <p role="alert" className="stop font-semibold">{test.error.message}</p> : null}
      {trust.error ? <p role="alert" className="stop font-semibold">{trust.error.message}</p> : null}
      <DataTable label="devices" file="inventory" rows={devices} columns={columns} rowKey={(row) => String(row.id)} height={height}
        empty="There is no device yet. Enter a credential, then add devices, or take in an inventory file." />
    </>
  );
}

function Key({ device, mayChange, busy, onTrust }: { device: LiveDevice; mayChange: boolean; busy: boolean; onTrust: (key: string) => void }) {
  if (device.method === "snmp") return <span className="soft">SNMP has none</span>;
  const shown = device.shown_key;
  return (
    <>
      {device.key ? (
        <span className="block"><KeyRound size={13} className="mr-1 inline" aria-hidden />trusted{device.trusted_by ? ` by ${device.trusted_by}` : ""}<span className="mono soft block truncate" title={device.key}>{device.key}</span></span>
      ) : shown ? null : <span className="soft">not seen yet</span>}
      {shown ? (
        <span className="block">
          {device.key ? <b className="stop block">it shows another one now</b> : <span className="block">it shows</span>}
          <span className="mono block break-all">{shown}</span>
          {mayChange ? <button type="button" className="btn btn-xs mt-1" disabled={busy} onClick={() => onTrust(shown)} aria-label={`Trust the key of ${device.name}`}>I compared it: trust it</button> : null}
        </span>
      ) : null}
    </>
  );
}
