import { useMemo } from "react";
import { Link, useNavigate, useParams } from "react-router";

import type { Shapes } from "../api/client";
import { useCases } from "../api/queries";
import { Works } from "../ui/Badge";
import { DataTable, type Column } from "../ui/DataTable";
import { Failed, Working } from "../ui/States";
import { WORKS_WORDS } from "../ui/words";
import { Sentence } from "./Sentence";
import { STATE_WORDS } from "./steps";
import { queryOf } from "./question";

type Case = Shapes["CaseShape"];

/** All complaints of a survey, each with what is true of it. */
export function CaseList() {
  const survey = Number(useParams().survey);
  const cases = useCases(survey);
  const navigate = useNavigate();
  const columns = useMemo<Column<Case>[]>(
    () => [
      { head: "case", value: (row) => row.id, width: "4rem" },
      {
        head: "complaint", value: (row) => row.complaint, width: "2.4fr",
        show: (row) => (
          <>
            <Link className="font-semibold hover:underline" to={`/s/${survey}/cases/${row.id}`}>{row.complaint}</Link>
            {row.reporter || row.opened_on ? <span className="soft block">{[row.reporter, row.opened_on ? `since ${row.opened_on.title}` : ""].filter(Boolean).join(", ")}</span> : null}
          </>
        ),
      },
      {
        head: "who to what", value: (row) => `${row.sender} ${row.receiver}`, width: "1.6fr",
        show: (row) => <>{row.sender} → {row.receiver}{row.port ? <span className="soft"> for {row.protocol}/{row.port}</span> : null}</>,
      },
      {
        head: "state", value: (row) => STATE_WORDS[row.state], width: "9rem",
        show: (row) => (
          <>
            {STATE_WORDS[row.state]}
            {row.same_cause.length ? <span className="soft block">same cause as {row.same_cause.join(", ")}</span> : null}
          </>
        ),
      },
      {
        head: "on this survey", value: (row) => WORKS_WORDS[row.works], width: "10.5rem",
        show: (row) => (
          <>
            <Works state={row.works} text={WORKS_WORDS[row.works]} />
            {row.opened_on?.works && row.opened_on.works !== row.works ? <span className="soft block">then: {WORKS_WORDS[row.opened_on.works]}</span> : null}
          </>
        ),
      },
      { head: "what is true", value: (row) => row.sentence, width: "3fr" },
    ],
    [survey],
  );
  return (
    <div className="flex h-full min-h-0 flex-col">
      <header className="border-b border-base-300 px-4 py-2">
        <h1 className="sr-only">Cases</h1>
        <Sentence survey={survey} question={null} onAsk={(question) => void navigate(`/s/${survey}/case?${queryOf(question).toString()}`)} />
      </header>
      {cases.isPending ? <Working what="Following every complaint" /> : null}
      {cases.error ? <Failed error={cases.error} /> : null}
      {cases.data ? (
        <div className="min-h-0 flex-1 p-4">
          <DataTable
            label="cases" file="cases" rows={cases.data.cases} columns={columns}
            rowKey={(row) => String(row.id)} rowHeight={55}
            onRow={(row) => void navigate(`/s/${survey}/cases/${row.id}`)}
            empty={<>No complaint is kept for this survey. Ask who cannot reach what, and keep it as a case.</>}
          />
        </div>
      ) : null}
    </div>
  );
}
