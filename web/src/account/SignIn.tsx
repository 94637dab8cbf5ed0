import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useLocation, useNavigate } from "react-router";

import { ask, client } from "../api/client";
import { Wheel } from "../ui/Wheel";

/** The only page without an account: by one-time link, or by name and password. */
export function SignIn() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { hash, pathname } = useLocation();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const entered = async () => {
    await queries.invalidateQueries({ queryKey: ["session"] });
    void navigate(pathname === "/sign-in" ? "/" : pathname, { replace: true });
  };
  const byLink = useMutation({
    mutationFn: (token: string) => ask(client.POST("/api/session/link", { body: { token } })),
    onSuccess: entered,
  });
  const byPassword = useMutation({
    mutationFn: () => ask(client.POST("/api/session", { body: { name, password } })),
    onSuccess: entered,
  });
  const token = pathname === "/sign-in" ? hash.replace(/^#/, "") : "";
  // The token works once, so it must be sent once, also where effects run twice.
  const sent = useRef("");
  const { mutate } = byLink;
  useEffect(() => {
    if (token && sent.current !== token) {
      sent.current = token;
      mutate(token);
    }
  }, [token, mutate]);
  const problem = byLink.error ?? byPassword.error;
  return (
    <main className="grid min-h-screen place-items-center bg-base-200 p-4">
      <div className="w-full max-w-sm space-y-4 rounded-box border border-base-300 bg-base-100 p-6">
        <h1 className="flex items-center gap-3 text-xl font-semibold"><Wheel className="h-9 w-9 text-primary" /> Trochos</h1>
        {byLink.isPending ? <p role="status">Signing you in</p> : null}
        {problem ? <p role="alert" className="stop font-semibold">{problem.message}</p> : null}
        <form
          className="space-y-3"
          onSubmit={(event) => {
            event.preventDefault();
            byPassword.mutate();
          }}
        >
          <label className="block">Name<input className="input w-full" autoComplete="username" required value={name} onChange={(event) => setName(event.target.value)} /></label>
          <label className="block">Password<input className="input w-full" type="password" autoComplete="current-password" required value={password} onChange={(event) => setPassword(event.target.value)} /></label>
          <button className="btn btn-primary w-full" disabled={byPassword.isPending}>Sign in</button>
        </form>
        <p className="soft">The first time, use the link that <code>./trochos up</code> prints.</p>
      </div>
    </main>
  );
}
