import { Suspense, lazy, useMemo } from "react";
import { Link } from "react-router";

import { useDevice, useSource } from "../api/queries";
import { type Evidence } from "../ui/EvidenceLink";
import { Failed, Working } from "../ui/States";
import { many } from "../ui/words";

const SourceText = lazy(() => import("../ui/SourceText"));

/** The device's own text, at the lines that decide. */
export function SourcePane({ survey, device, evidence }: {
  survey: number; device: string; evidence: Evidence[];
}) {
  const page = useDevice(survey, device);
  const mine = useMemo(() => evidence.filter((item) => item.device === device && (item.line || item.missing)), [evidence, device]);
  const file = mine[0]?.file ?? page.data?.main_file ?? null;
  const source = useSource(survey, device, file);
  const marks = useMemo(
    () => new Map(mine.filter((item) => item.file === file && item.line).map((item) => [item.line as number, item.text])),
    [mine, file],
  );
  const gaps = useMemo(
    () => new Map(mine.filter((item) => item.file === file && item.missing && item.after).map((item) => [item.after as number, item.text])),
    [mine, file],
  );
  const open = useMemo(
    () => new Set((source.data?.unknown ?? []).filter((line) => line.matters).map((line) => line.line)),
    [source.data],
  );
  const first = mine.find((item) => item.file === file);
  const focus = first?.line ?? first?.after ?? null;
  return (
    <section aria-label="The source" className="flex min-h-0 min-w-0 flex-col border-l border-base-300 p-3 pb-0">
      <h2 className="pb-1">
        <b>The source</b>{" "}
        {source.data ? (
          <span className="soft">
            <Link className="underline decoration-dotted" to={`/s/${survey}/devices/${device}?file=${encodeURIComponent(file ?? "")}`}>
              {device}, {file}
            </Link>
            , {many(source.data.lines.length, "line")}, {gaps.size ? "one missing" : `${marks.size} marked`}
          </span>
        ) : null}
      </h2>
      {page.isPending || (file && source.isPending) ? <Working what="Opening the text" /> : null}
      {page.error || source.error ? <Failed error={page.error ?? source.error} /> : null}
      {page.data && !file ? <p className="soft">Nothing was gathered from {device}.</p> : null}
      {source.data ? (
        <div className="min-h-0 flex-1">
          <Suspense fallback={<Working what="Opening the text" />}><SourceText lines={source.data.lines} marks={marks} gaps={gaps} open={open} focus={focus} wrap label={`Source of ${device}`} /></Suspense>
        </div>
      ) : null}
    </section>
  );
}
