import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Shapes } from "../api/client";
import { useSession } from "../api/queries";
import { ROLES, type Role } from "../ui/may";
import { when } from "../ui/words";

type Token = Shapes["HeldToken"];

function stateOf(token: Token): string {
  if (token.ended_at) return `ended ${when(token.ended_at)}`;
  if (new Date(token.expires_at) < new Date()) return `expired ${when(token.expires_at)}`;
  return `until ${when(token.expires_at)}`;
}

/** What programs ask with in one's name. */
export function Tokens() {
  const queries = useQueryClient();
  const user = useSession().data?.user;
  const [name, setName] = useState("");
  const [role, setRole] = useState<Role>("reader");
  const [days, setDays] = useState("90");
  const held = useQuery({ queryKey: ["tokens"], queryFn: () => ask(client.GET("/api/tokens")) });
  const anew = () => queries.invalidateQueries({ queryKey: ["tokens"] });
  const make = useMutation({
    mutationFn: () => ask(client.POST("/api/tokens", { body: { name, role, days: Number(days) } })),
    onSuccess: () => {
      setName("");
      void anew();
    },
  });
  const end = useMutation({
    mutationFn: (token: number) => ask(client.DELETE("/api/tokens/{token}", { params: { path: { token } } })),
    onSettled: anew,
  });
  return (
    <section aria-label="Tokens" className="space-y-2">
      <h2 className="font-semibold">Tokens for automation</h2>
      <p className="soft">A program that shows one asks in your name, in the role you give it: <span className="mono">Authorization: Bearer ...</span></p>
      {held.data?.tokens.length ? (
        <table className="table table-sm">
          <thead><tr><th>name</th><th>role</th><th>holds</th><th>last used</th><th><span className="sr-only">end it</span></th></tr></thead>
          <tbody>
            {held.data.tokens.map((token) => {
              const holds = !token.ended_at && new Date(token.expires_at) > new Date();
              return (
                <tr key={token.id} className={holds ? "" : "soft"}>
                  <td className="font-semibold">{token.name}</td>
                  <td>{token.role}</td>
                  <td>{stateOf(token)}</td>
                  <td>{token.used_at ? when(token.used_at) : "never"}</td>
                  <td className="text-right">{holds ? <button type="button" className="btn btn-xs" aria-label={`End ${token.name}`} onClick={() => end.mutate(token.id)}>End it</button> : null}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      ) : null}
      <form className="flex flex-wrap items-end gap-3" onSubmit={(event) => { event.preventDefault(); make.mutate(); }}>
        <label>What it is for<input className="input block w-52" required maxLength={100} placeholder="build server" value={name} onChange={(event) => setName(event.target.value)} /></label>
        <label>Role
          <select className="select block w-40" value={role} onChange={(event) => setRole(event.target.value as Role)}>
            {ROLES.filter(([item]) => user?.may.includes(item)).map(([item]) => <option key={item}>{item}</option>)}
          </select>
        </label>
        <label>Days<input className="input block w-24" type="number" min={1} max={366} required value={days} onChange={(event) => setDays(event.target.value)} /></label>
        <button className="btn" disabled={make.isPending}>Make a token</button>
      </form>
      {make.error ? <p role="alert" className="stop font-semibold">{make.error.message}</p> : null}
      {make.data?.token ? <p role="status">This is shown once. Put it where {make.data.name} keeps its secrets:<br /><code className="mono break-all select-all">{make.data.token}</code></p> : null}
    </section>
  );
}
