import { useState, type ReactNode } from "react";
import { useLocation, useNavigate } from "react-router";

import { useCases } from "../api/queries";
import { chosenCase, keepWalk, keptWalk, LEFT, stepAt, type Walk } from "./walk";

const SAYS: Record<1 | 2 | 3, [string, string]> = {
  1: ["The journey", "Above, the way there, below, the way back. A line ends where the packet dies, and under it stand that router's decision, both ends of the link, and the very line that decides."],
  2: ["The suspects", "At the right: what explains the break. Each remedy was tried on a copy of the whole network; proven means that the complaint works with it. Press Rehearse at the first one."],
  3: ["The change", "What it does to everybody, before anybody makes it: who heals, who breaks, whose way moves. Hand-over writes it for each device, with the way back."],
};

/** Offers a short walk through one case to who comes for the first time, and goes along. */
export function FirstWalk({ survey }: { survey: number }) {
  const [kept, setKept] = useState(keptWalk);
  const { pathname } = useLocation();
  const navigate = useNavigate();
  const offering = kept === null && /\/(desk|cases)$/.test(pathname);
  const change = (walk: Walk | typeof LEFT) => { keepWalk(walk); setKept(walk); };
  if (offering) return <Offer survey={survey} onLeave={() => change(LEFT)} onGo={(number) => { change({ survey, case: number, step: 1 }); void navigate(`/s/${survey}/cases/${number}`); }} />;
  const step = kept === null || kept === LEFT ? null : stepAt(kept, pathname);
  if (kept === null || kept === LEFT || step === null) return null;
  return (
    <Banner>
      <p role="status" className="min-w-0 flex-1"><b>{step} of 3: {SAYS[step][0]}.</b> {SAYS[step][1]}</p>
      {step === 1 ? <button type="button" className="btn btn-sm btn-primary" onClick={() => change({ ...kept, step: 2 })}>Next</button> : null}
      {step === 2 ? <button type="button" className="btn btn-sm btn-ghost" onClick={() => change({ ...kept, step: 1 })}>Back</button> : null}
      <button type="button" className={`btn btn-sm ${step === 3 ? "btn-primary" : "btn-ghost"}`} onClick={() => change(LEFT)}>{step === 3 ? "Done" : "Leave"}</button>
    </Banner>
  );
}

function Offer({ survey, onGo, onLeave }: { survey: number; onGo: (number: number) => void; onLeave: () => void }) {
  const cases = useCases(survey);
  const chosen = chosenCase(cases.data?.cases ?? []);
  if (!chosen) return null;
  return (
    <Banner>
      <p className="min-w-0 flex-1"><b>New here?</b> Three steps along one complaint: “{chosen.complaint}”.</p>
      <button type="button" className="btn btn-sm btn-primary" onClick={() => onGo(chosen.id)}>Show me</button>
      <button type="button" className="btn btn-sm btn-ghost" onClick={onLeave}>No, thanks</button>
    </Banner>
  );
}

function Banner({ children }: { children: ReactNode }) {
  return <section aria-label="A first walk" className="no-print flex items-center gap-2 border-b border-base-300 bg-base-100 px-4 py-1.5">{children}</section>;
}
