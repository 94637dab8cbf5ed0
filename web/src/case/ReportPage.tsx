import Markdown from "react-markdown";
import { Link, useParams } from "react-router";
import gfm from "remark-gfm";

import { useCaseReport } from "../api/queries";
import { downloadText } from "../ui/download";
import { Failed, Working } from "../ui/States";

/** The report of a case: to read, to print, to send. */
export function ReportPage() {
  const params = useParams();
  const number = Number(params.case);
  const report = useCaseReport(number);
  if (report.isPending) return <Working heading="Report" what="Writing the report" />;
  if (report.error) return <Failed heading="Report" error={report.error} />;
  return (
    <div className="h-full overflow-auto">
      <p className="no-print flex gap-2 border-b border-base-300 px-4 py-2">
        <Link className="btn btn-sm" to={`/s/${params.survey ?? ""}/cases/${number}`}>Back to the case</Link>
        <button type="button" className="btn btn-sm" onClick={() => window.print()}>Print</button>
        <button type="button" className="btn btn-sm" onClick={() => downloadText(report.data.markdown, `case-${number}.md`)}>Download as Markdown</button>
      </p>
      <article className="report mx-auto max-w-4xl bg-base-100 p-8">
        <Markdown remarkPlugins={[gfm]}>{report.data.markdown}</Markdown>
      </article>
    </div>
  );
}
