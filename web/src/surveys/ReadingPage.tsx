import { useMemo } from "react";
import { Link, useParams } from "react-router";

import type { Shapes } from "../api/client";
import { useReading, useSurveys } from "../api/queries";
import { DataTable, type Column } from "../ui/DataTable";
import { Failed, Working } from "../ui/States";
import { many, when } from "../ui/words";

type Report = Shapes["FileReportShape"];

/** What was read and what was not, file by file and line by line. */
export function ReadingPage() {
  const survey = Number(useParams().survey);
  const reading = useReading(survey);
  const surveys = useSurveys();
  const here = surveys.data?.surveys.find((item) => item.id === survey);
  const reports = reading.data?.reading;
  const open = useMemo(
    () => (reports ?? []).flatMap((report) => report.unknown.filter((line) => line.matters).map((line) => ({ report, line }))),
    [reports],
  );
  const columns = useMemo<Column<Report>[]>(
    () => [
      {
        head: "device", value: (row) => row.device ?? "", width: "1fr",
        show: (row) => row.device ? <Link className="font-semibold hover:underline" to={`/s/${survey}/devices/${row.device}?file=${encodeURIComponent(row.file)}`}>{row.device}</Link> : <span className="soft">the survey</span>,
      },
      { head: "file", value: (row) => row.file, width: "1.2fr", mono: true },
      { head: "taken for", value: (row) => row.kind, width: "1.8fr", show: (row) => <>{row.kind}{row.note ? <span className="stop block">{row.note}</span> : null}</> },
      { head: "lines", value: (row) => row.lines, width: "6rem", right: true },
      { head: "understood", value: (row) => row.understood, width: "8rem", right: true },
      { head: "irrelevant", value: (row) => row.irrelevant, width: "7.5rem", right: true },
      { head: "not understood", value: (row) => row.unknown.length, width: "10rem", right: true, show: (row) => row.unknown.length ? <b className={row.unknown.some((l) => l.matters) ? "stop" : ""}>{row.unknown.length}</b> : "0" },
    ],
    [survey],
  );
  return (
    <div className="flex h-full min-h-0 flex-col gap-3 p-4">
      <header className="flex flex-wrap items-baseline gap-x-4">
        <h1 className="text-lg font-semibold">What was read</h1>
        {here ? <span className="soft">{here.title}, {when(here.taken_at)}, {many(here.devices, "device")}</span> : null}
        <span className="ml-auto flex gap-2">
          <Link className="btn btn-sm" to={`/s/${survey}/cases`}>Cases</Link>
          <Link className="btn btn-sm" to={`/s/${survey}/map`}>Map</Link>
        </span>
      </header>
      {reading.isPending ? <Working what="Opening the reading report" /> : null}
      {reading.error ? <Failed error={reading.error} /> : null}
      {reports ? (
        <>
          {open.length ? (
            <section aria-label="Lines that matter" className="max-h-56 shrink-0 overflow-auto rounded-box border-l-4 border-error bg-base-100 p-3">
              <h2 className="font-semibold">{many(open.length, "line was", "lines were")} not understood and could change an answer</h2>
              <ul className="pt-1">
                {open.slice(0, 200).map(({ report, line }) => (
                  <li key={`${report.device} ${report.file} ${line.line}`} className="py-0.5">
                    <Link className="underline decoration-dotted" to={`/s/${survey}/devices/${report.device ?? ""}?file=${encodeURIComponent(report.file)}&line=${line.line}`}>{report.device} {report.file} line {line.line}</Link>{" "}
                    <span className="mono">{line.text}</span> {line.why ? <span className="soft">– {line.why}</span> : null}
                  </li>
                ))}
              </ul>
            </section>
          ) : (
            <p className="good font-semibold">Every line that could change an answer was understood.</p>
          )}
          <div className="min-h-0 flex-1">
            <DataTable label="files" file={`survey-${survey}-reading`} rows={reports} columns={columns} rowKey={(row) => `${row.device} ${row.file}`} empty="The survey holds no files." />
          </div>
        </>
      ) : null}
    </div>
  );
}
