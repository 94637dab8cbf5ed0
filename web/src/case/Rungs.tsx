import { useLadder, type Question } from "../api/queries";
import { VERDICT_WORDS } from "../ui/words";

/** From the host outward: the first rung that fails is where to look. */
export function Rungs({ survey, question }: { survey: number; question: Question }) {
  const ladder = useLadder(survey, question);
  if (!ladder.data) return null;
  const first = ladder.data.first_failing;
  return (
    <section aria-label="From the host outward">
      <h2 className="pb-1.5"><b>From the host outward</b></h2>
      <ol className="space-y-0.5">
        {ladder.data.rungs.map((rung, index) => {
          const holds = rung.verdict === "delivered";
          const here = index === first;
          // What cannot be said is no failure: it is where to look next, and not red.
          const unknown = rung.verdict === "unknown";
          return (
            <li key={index} className={`flex gap-2 ${here ? `font-semibold ${unknown ? "" : "stop"}` : first !== null && index > first ? "soft" : ""}`} title={rung.reason}>
              <span aria-hidden className={`w-3 shrink-0 text-center ${holds ? "good" : here && !unknown ? "stop" : ""}`}>{holds ? "✓" : unknown ? "?" : here ? "✕" : "·"}</span>
              <span className="min-w-0">
                {rung.what} <span className="mono">{rung.target}</span>
                <span className={holds ? "sr-only" : ""}>: {holds ? "holds" : VERDICT_WORDS[rung.verdict]}</span>
              </span>
            </li>
          );
        })}
      </ol>
    </section>
  );
}
