import { useMemo } from "react";
import { Link, useParams } from "react-router";

import type { Shapes } from "../api/client";
import { useDevices, useFindings } from "../api/queries";
import { ManualLink } from "../manual/ManualLink";
import { Severity } from "../ui/Badge";
import { DataTable, type Column } from "../ui/DataTable";
import { EvidenceLink, evidencePlace } from "../ui/EvidenceLink";
import { Failed, Working } from "../ui/States";

type Finding = Shapes["FindingShape"];

/** What the absence of findings means: no more than what was read allows. */
export function calm(devices: { role: string }[]): string {
  const read = devices.filter((item) => item.role !== "unread").length;
  const unread = devices.length - read;
  if (read < 2) return "Nothing was found on the one device that was read. Whether it fits its neighbours cannot be said without them.";
  if (unread) return `Nothing was found on the ${read} devices that were read. What hangs on the ${unread} that could not be read is not known.`;
  return `Nothing was found: what is configured on the ${read} devices fits together.`;
}

/** Everything that is wrong or risky in a survey, most serious first. */
export function FindingsPage() {
  const survey = Number(useParams().survey);
  const findings = useFindings(survey);
  const devices = useDevices(survey);
  const columns = useMemo<Column<Finding>[]>(
    () => [
      { head: "severity", value: (row) => row.severity, width: "6.5rem", show: (row) => <Severity severity={row.severity} /> },
      {
        head: "device", value: (row) => row.device, width: "9rem",
        show: (row) => row.device ? <Link className="font-semibold hover:underline" to={`/s/${survey}/devices/${row.device}`}>{row.device}</Link> : <span className="soft">Trochos</span>,
      },
      {
        head: "finding", value: (row) => row.summary, width: "3fr",
        show: (row) => <><b>{row.summary}</b><span className="soft block">{row.detail} <ManualLink page="findings" word={row.kind} className="text-xs underline decoration-dotted">In the manual</ManualLink></span></>,
      },
      {
        head: "evidence", value: (row) => row.evidence.map(evidencePlace).join(", "), width: "1.4fr",
        show: (row) => (
          <>
            {row.evidence.slice(0, 4).map((item, index) => (
              <span key={index} className="block"><EvidenceLink survey={survey} item={item} /> <span className="mono soft">{item.text.slice(0, 60)}</span></span>
            ))}
          </>
        ),
      },
    ],
    [survey],
  );
  return (
    <div className="flex h-full min-h-0 flex-col p-4">
      <h1 className="pb-2 text-lg font-semibold">Findings</h1>
      {findings.isPending ? <Working what="Looking for what is wrong" /> : null}
      {findings.error ? <Failed error={findings.error} /> : null}
      {findings.data ? (
        <div className="min-h-0 flex-1">
          <DataTable label="findings" file="findings" rows={findings.data.findings} columns={columns} rowKey={(row) => row.id} rowHeight={90}
            empty={devices.data ? calm(devices.data.devices) : "Nothing was found."} />
        </div>
      ) : null}
    </div>
  );
}
