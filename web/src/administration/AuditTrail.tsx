import { useInfiniteQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";

import { ask, client, type Shapes } from "../api/client";
import { DataTable, type Column } from "../ui/DataTable";
import { Failed, Working } from "../ui/States";
import { when } from "../ui/words";

type Entry = Shapes["AuditEntry"];

/** Who did what, the newest first; nothing here can be changed. */
export function AuditTrail() {
  const [what, setWhat] = useState("");
  const trail = useInfiniteQuery({
    queryKey: ["audit-trail", what],
    initialPageParam: 0,
    queryFn: ({ pageParam }) => ask(client.GET("/api/audit", { params: { query: { ...(what ? { what } : {}), ...(pageParam ? { before: pageParam } : {}) } } })),
    getNextPageParam: (last) => (last.more ? last.entries.at(-1)?.id : undefined),
  });
  const columns = useMemo<Column<Entry>[]>(
    () => [
      { head: "when", value: (row) => row.at, width: "13.5rem", show: (row) => when(row.at) },
      { head: "who", value: (row) => `${row.who} ${row.by_token}`, width: "1fr", show: (row) => <>{row.who || <span className="soft">{row.peer ? "nobody known" : "the service"}</span>}{row.by_token ? <span className="soft block">by the token {row.by_token}</span> : null}</> },
      { head: "did", value: (row) => row.what, width: "1.1fr", show: (row) => <b>{row.what}</b> },
      { head: "about", value: (row) => row.about, width: "2.4fr" },
      { head: "from", value: (row) => row.peer, width: "9rem", mono: true },
    ],
    [],
  );
  if (trail.isPending) return <Working what="Opening the trail" />;
  if (trail.error) return <Failed error={trail.error} />;
  const entries = trail.data.pages.flatMap((page) => page.entries);
  const kinds = trail.data.pages[0]?.kinds ?? [];
  return (
    <div className="min-h-0 flex-1">
      <DataTable label="audit trail" file="audit-trail" rows={entries} columns={columns} rowKey={(row) => String(row.id)} empty="Nothing was done yet."
        tools={
          <>
            <select className="select select-sm w-52" aria-label="What was done" value={what} onChange={(event) => setWhat(event.target.value)}>
              <option value="">everything</option>
              {kinds.map((kind) => <option key={kind}>{kind}</option>)}
            </select>
            {trail.hasNextPage ? <button type="button" className="btn btn-sm" disabled={trail.isFetchingNextPage} onClick={() => void trail.fetchNextPage()}>Older ones</button> : null}
            <a className="btn btn-sm" href="/api/audit/export" download>The whole trail</a>
          </>
        } />
    </div>
  );
}
