import { useEffect, useMemo, useRef, useState } from "react";

import type { Question } from "../api/queries";
import { useNames } from "../api/queries";
import { Combobox, type Choice } from "../ui/Combobox";
import { readService, serviceText } from "./question";

interface Props {
  survey: number;
  question: Question | null;
  onAsk: (question: Question) => void;
}

/** The complaint as a sentence that is a form. */
export function Sentence({ survey, question, onAsk }: Props) {
  const names = useNames(survey);
  const [from, setFrom] = useState(question?.from ?? "");
  const [to, setTo] = useState(question?.to ?? "");
  const [service, setService] = useState(serviceText(question));
  const [source, setSource] = useState(question?.source ?? "");
  const [size, setSize] = useState(question?.size ? String(question.size) : "");
  const [whole, setWhole] = useState(question?.dont_fragment ?? false);
  const [more, setMore] = useState(Boolean(question?.source || question?.size));
  const [problem, setProblem] = useState("");
  const who = useRef<HTMLInputElement>(null);
  const text = JSON.stringify(question);
  const [shown, setShown] = useState(text);
  if (shown !== text) {
    // The question came from elsewhere: another case, the palette, the back button.
    setShown(text);
    setFrom(question?.from ?? "");
    setTo(question?.to ?? "");
    setService(serviceText(question));
    setSource(question?.source ?? "");
    setSize(question?.size ? String(question.size) : "");
    setWhole(question?.dont_fragment ?? false);
  }

  const choices: Choice[] = useMemo(
    () =>
      (names.data?.names ?? []).flatMap((item) => [
        { value: item.device, hint: item.role === "router" ? "router" : (item.addresses[0] ?? item.role) },
        ...item.addresses.map((address) => ({ value: address, hint: item.device })),
      ]),
    [names.data],
  );
  const sources: Choice[] = useMemo(
    () =>
      (names.data?.names ?? [])
        .filter((item) => item.device === from)
        .flatMap((item) => item.addresses.map((address) => ({ value: address, hint: item.device }))),
    [names.data, from],
  );

  useEffect(() => {
    const focus = () => who.current?.focus();
    window.addEventListener("trochos-ask", focus);
    return () => window.removeEventListener("trochos-ask", focus);
  }, []);

  const ask = async (changed: Partial<Record<"from" | "to" | "service" | "source" | "size", string>> & { whole?: boolean } = {}) => {
    const next = { from, to, service, source, size, whole, ...changed };
    if (!next.from.trim() || !next.to.trim()) return;
    const asked: Question = { from: next.from.trim(), to: next.to.trim() };
    if (next.service.trim() === serviceText(question)) {
      if (question?.protocol) asked.protocol = question.protocol;
      if (question?.port) asked.port = question.port;
    } else {
      try {
        Object.assign(asked, await readService(next.service));
      } catch (error) {
        setProblem(error instanceof Error ? error.message : "The service could not be checked.");
        return;
      }
    }
    if (next.source.trim()) asked.source = next.source.trim();
    if (next.size.trim()) {
      if (!/^\d{1,5}$/.test(next.size.trim()) || Number(next.size) > 65535) {
        setProblem("A size is a number of bytes up to 65535.");
        return;
      }
      asked.size = Number(next.size);
    }
    if (next.whole) asked.dont_fragment = true;
    setProblem("");
    if (JSON.stringify(asked) !== JSON.stringify(question)) onAsk(asked);
  };

  return (
    <form
      role="search"
      aria-label="The complaint"
      className="flex flex-wrap items-center gap-x-2 gap-y-1.5"
      onSubmit={(event) => {
        event.preventDefault();
        void ask();
      }}
    >
      <Combobox inputRef={who} label="Who" value={from} onChange={setFrom} onCommit={(value) => void ask({ from: value })} choices={choices} placeholder="who" width="11.5rem" />
      <span>cannot reach</span>
      <Combobox label="What" value={to} onChange={setTo} onCommit={(value) => void ask({ to: value })} choices={choices} placeholder="what" width="11.5rem" />
      <span>for</span>
      <input aria-label="Service" aria-invalid={problem !== "" && service.trim() !== "" ? true : undefined} className={`input input-sm w-28 ${problem && service.trim() ? "input-error" : ""}`} placeholder="anything" value={service} onChange={(event) => { setService(event.target.value); setProblem(""); }} onBlur={() => void ask()} />
      {more ? (
        <>
          <span>from</span>
          <Combobox label="Source address" value={source} onChange={setSource} onCommit={(value) => void ask({ source: value })} choices={sources} placeholder="its own choice" width="10rem" />
          <span>with</span>
          <input aria-label="Size in bytes" inputMode="numeric" className="input input-sm w-20" placeholder="small" value={size} onChange={(event) => setSize(event.target.value)} onBlur={() => void ask()} />
          <label className="flex items-center gap-1">
            bytes,
            <input type="checkbox" className="checkbox checkbox-sm" checked={whole} onChange={(event) => { setWhole(event.target.checked); void ask({ whole: event.target.checked }); }} />
            in one piece
          </label>
        </>
      ) : (
        <button type="button" className="btn btn-ghost btn-xs" onClick={() => setMore(true)} aria-label="source, size… Add source address and size">
          source, size…
        </button>
      )}
      <button type="submit" className="sr-only">Ask</button>
      {problem ? <span role="alert" className="stop font-semibold">{problem}</span> : null}
    </form>
  );
}
