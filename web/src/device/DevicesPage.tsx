import { useMemo } from "react";
import { Link, useNavigate, useParams } from "react-router";

import type { Shapes } from "../api/client";
import { useDevices } from "../api/queries";
import { DataTable, type Column } from "../ui/DataTable";
import { Failed, Working } from "../ui/States";
import { many } from "../ui/words";

type Row = Shapes["DeviceSummaryShape"];

export function DevicesPage() {
  const survey = Number(useParams().survey);
  const devices = useDevices(survey);
  const navigate = useNavigate();
  const columns = useMemo<Column<Row>[]>(
    () => [
      {
        head: "device", value: (row) => row.name, width: "1.2fr",
        show: (row) => <Link className="font-semibold hover:underline" to={`/s/${survey}/devices/${row.name}`}>{row.name}</Link>,
      },
      { head: "role", value: (row) => row.role, width: "6rem" },
      { head: "read as", value: (row) => row.profile, width: "1.2fr" },
      { head: "interfaces", value: (row) => row.interfaces, width: "8rem", show: (row) => <>{row.interfaces}{row.interfaces_down ? <span className="stop"> {row.interfaces_down} down</span> : null}</> },
      { head: "routes", value: (row) => row.routes, width: "9rem", show: (row) => <>{row.routes}{row.unused_routes ? <span className="soft"> and {row.unused_routes} unused</span> : null}</> },
      {
        head: "findings", value: (row) => row.findings.breaks * 10000 + row.findings.risks * 100 + row.findings.notes, width: "1.4fr",
        show: (row) => (
          <>
            {row.findings.breaks ? <span className="stop font-semibold">{row.findings.breaks} break something </span> : null}
            {row.findings.risks ? <span className="font-semibold">{many(row.findings.risks, "risk")} </span> : null}
            {row.findings.notes ? <span className="soft">{many(row.findings.notes, "note")}</span> : null}
          </>
        ),
      },
      { head: "open lines", value: (row) => row.open_lines, width: "7rem", show: (row) => (row.open_lines ? <span className="stop">{row.open_lines}</span> : "") },
    ],
    [survey],
  );
  return (
    <div className="flex h-full min-h-0 flex-col p-4">
      <h1 className="pb-2 text-lg font-semibold">Devices</h1>
      {devices.isPending ? <Working what="Computing every table" /> : null}
      {devices.error ? <Failed error={devices.error} /> : null}
      {devices.data ? (
        <div className="min-h-0 flex-1">
          <DataTable label="devices" file="devices" rows={devices.data.devices} columns={columns} rowKey={(row) => row.name}
            onRow={(row) => void navigate(`/s/${survey}/devices/${row.name}`)} empty="This survey holds no device." />
        </div>
      ) : null}
    </div>
  );
}
