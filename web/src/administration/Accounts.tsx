import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";

import { ask, client, type Shapes } from "../api/client";
import { useSession } from "../api/queries";
import { DataTable, type Column } from "../ui/DataTable";
import { ROLES, type Role } from "../ui/may";
import { Failed, Working } from "../ui/States";
import { many, when } from "../ui/words";

type Account = Shapes["Account"];
const at = (account: number) => ({ params: { path: { account } } });

/** Accounts: roles, links to come in, signing out, disabling. */
export function Accounts() {
  const queries = useQueryClient();
  const me = useSession().data?.user?.name;
  const accounts = useQuery({ queryKey: ["accounts"], queryFn: () => ask(client.GET("/api/accounts")) });
  const anew = () => {
    void queries.invalidateQueries({ queryKey: ["accounts"] });
    void queries.invalidateQueries({ queryKey: ["session"] });
  };
  const change = useMutation({
    mutationFn: ({ id, ...body }: { id: number; role?: Role; active?: boolean }) => ask(client.PATCH("/api/accounts/{account}", { ...at(id), body })),
    onSettled: anew,
  });
  const link = useMutation({ mutationFn: (id: number) => ask(client.POST("/api/accounts/{account}/link", at(id))), onSettled: anew });
  const leave = useMutation({ mutationFn: (id: number) => ask(client.DELETE("/api/accounts/{account}/sessions", at(id))), onSettled: anew });
  const columns = useMemo<Column<Account>[]>(
    () => [
      { head: "name", value: (row) => row.name, width: "1.2fr", show: (row) => <><b>{row.name}</b>{row.active ? null : <span className="stop"> disabled</span>}</> },
      {
        head: "role", value: (row) => row.role, width: "11rem",
        show: (row) => (
          <select className="select select-sm w-full" aria-label={`Role of ${row.name}`} value={row.role} disabled={!row.active} onChange={(event) => change.mutate({ id: row.id, role: event.target.value as Role })}>
            {ROLES.map(([role]) => <option key={role}>{role}</option>)}
          </select>
        ),
      },
      { head: "last signed in", value: (row) => row.last_seen ?? "", width: "1.2fr", show: (row) => (row.last_seen ? when(row.last_seen) : <span className="soft">never</span>) },
      { head: "signed in now", value: (row) => row.sessions, width: "1fr", show: (row) => <>{row.sessions ? many(row.sessions, "session") : <span className="soft">nowhere</span>}{row.tokens ? <span className="soft block">{many(row.tokens, "token")}</span> : null}</> },
      {
        head: "do", value: () => "", width: "17rem",
        show: (row) => (
          <span className="flex flex-wrap gap-1.5">
            <button type="button" className="btn btn-xs" disabled={!row.active} aria-label={`New link for ${row.name}`} onClick={() => link.mutate(row.id)}>New link</button>
            <button type="button" className="btn btn-xs" disabled={!row.sessions} aria-label={`Sign out ${row.name}`} onClick={() => leave.mutate(row.id)}>Sign out</button>
            <button type="button" className="btn btn-xs" disabled={row.name === me} aria-label={`${row.active ? "Disable" : "Enable"} ${row.name}`} onClick={() => change.mutate({ id: row.id, active: !row.active })}>{row.active ? "Disable" : "Enable"}</button>
          </span>
        ),
      },
    ],
    [change, link, leave, me],
  );
  if (accounts.isPending) return <Working what="Opening the accounts" />;
  if (accounts.error) return <Failed error={accounts.error} />;
  const problem = change.error ?? link.error ?? leave.error;
  return (
    <>
      <NewAccount onMade={anew} />
      {link.data?.link ? <Handed name={link.data.name} link={link.data.link} minutes={link.data.minutes} /> : null}
      {problem ? <p role="alert" className="stop font-semibold">{problem.message}</p> : null}
      <div className="min-h-0 flex-1">
        <DataTable label="accounts" file="accounts" rows={accounts.data.accounts} columns={columns} rowKey={(row) => String(row.id)} empty="There is no account." />
      </div>
      <dl className="soft grid grid-cols-[8rem_1fr] gap-x-3">
        {ROLES.map(([role, words]) => <div key={role} className="contents"><dt className="font-semibold">{role}</dt><dd>{words}</dd></div>)}
      </dl>
    </>
  );
}

function NewAccount({ onMade }: { onMade: () => void }) {
  const [name, setName] = useState("");
  const [role, setRole] = useState<Role>("engineer");
  const add = useMutation({
    mutationFn: () => ask(client.POST("/api/accounts", { body: { name, role } })),
    onSuccess: () => {
      setName("");
      onMade();
    },
  });
  return (
    <section aria-label="A new account">
      <form className="flex flex-wrap items-end gap-3" onSubmit={(event) => { event.preventDefault(); add.mutate(); }}>
        <label>Name of a colleague<input className="input input-sm block w-52" required maxLength={150} value={name} onChange={(event) => setName(event.target.value)} /></label>
        <label>Role
          <select className="select select-sm block w-40" aria-label="Role of the new account" value={role} onChange={(event) => setRole(event.target.value as Role)}>
            {ROLES.map(([item]) => <option key={item}>{item}</option>)}
          </select>
        </label>
        <button className="btn btn-sm" disabled={add.isPending}>Add account</button>
      </form>
      {add.error ? <p role="alert" className="stop pt-1 font-semibold">{add.error.message}</p> : null}
      {add.data?.link ? <Handed name={add.data.name} link={add.data.link} minutes={add.data.minutes} /> : null}
    </section>
  );
}

function Handed({ name, link, minutes }: { name: string; link: string; minutes: number }) {
  return <p role="status" className="pt-1">Hand this link to {name}; it signs in once, within {many(minutes, "minute")}: <code className="mono break-all select-all">{link}</code></p>;
}
