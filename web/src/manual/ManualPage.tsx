import { Children, isValidElement, useEffect, useMemo, useState, type ReactNode } from "react";
import Markdown from "react-markdown";
import { Link, NavLink, useLocation, useParams } from "react-router";
import gfm from "remark-gfm";

import { useManual } from "../api/queries";
import { Empty, Failed, Working } from "../ui/States";
import { anchorOf, entriesOf, found } from "./search";

/** The words of what Markdown made. */
function wordsIn(node: ReactNode): string {
  if (typeof node === "string" || typeof node === "number") return String(node);
  if (Array.isArray(node)) return node.map(wordsIn).join("");
  return isValidElement<{ children?: ReactNode }>(node) ? wordsIn(node.props.children) : "";
}

const parts = {
  h1: ({ children }: { children?: ReactNode }) => <h2 id={anchorOf(wordsIn(children))}>{children}</h2>,
  h2: ({ children }: { children?: ReactNode }) => <h2 id={anchorOf(wordsIn(children))}>{children}</h2>,
  h3: ({ children }: { children?: ReactNode }) => <h3 id={anchorOf(wordsIn(children))}>{children}</h3>,
  // A row is found by its first cell.
  tr: ({ children }: { children?: ReactNode }) => <tr id={anchorOf(wordsIn(Children.toArray(children)[0]))}>{children}</tr>,
  th: ({ children }: { children?: ReactNode }) => <th scope="col">{children}</th>,
  a: ({ href, children }: { href?: string; children?: ReactNode }) => {
    const page = /^([a-z-]+)\.md(#.*)?$/.exec(href ?? "");
    return page ? <Link to={`/manual/${page[1] ?? ""}${page[2] ?? ""}`}>{children}</Link> : <span>{children}</span>;
  },
};

/** The manual: its pages, one open; everything in it can be searched, and every word has an address. */
export function ManualPage() {
  const { page: name } = useParams();
  const { hash } = useLocation();
  const manual = useManual();
  const [asked, setAsked] = useState("");
  const pages = useMemo(() => manual.data?.pages ?? [], [manual.data]);
  const entries = useMemo(() => entriesOf(pages), [pages]);
  const hits = found(entries, asked);
  const page = pages.find((item) => item.name === name) ?? pages[0];
  useEffect(() => {
    document.title = `${page?.title ?? "Manual"} – Trochos`;
    if (!page) return;
    const there = hash ? document.getElementById(decodeURIComponent(hash.slice(1))) : null;
    document.querySelectorAll(".manual .here").forEach((item) => item.classList.remove("here"));
    there?.classList.add("here");
    if (there) there.scrollIntoView({ block: "center" });
    else document.querySelector(".manual")?.parentElement?.scrollTo(0, 0);
  }, [page, hash]);
  if (manual.isPending) return <Working heading="Manual" what="Opening the manual" />;
  if (manual.error) return <Failed heading="Manual" error={manual.error} />;
  return (
    <div className="grid h-full min-h-0 grid-cols-[15rem_minmax(0,1fr)]">
      <nav aria-label="Pages of the manual" className="min-h-0 overflow-auto border-r border-base-300 p-3">
        <label className="block pb-2 font-semibold">Look for
          <input type="search" className="input input-sm mt-1 w-full font-normal" placeholder="a word, a finding, a gate" value={asked} onChange={(event) => setAsked(event.target.value)} />
        </label>
        {pages.map((item) => (
          <NavLink key={item.name} to={`/manual/${item.name}`} onClick={() => setAsked("")}
            className={() => `block rounded-field px-2 py-1 ${item === page && !asked ? "bg-base-100 font-semibold" : "soft hover:bg-base-100"}`}>
            {item.title}
          </NavLink>
        ))}
      </nav>
      <div tabIndex={0} role="region" aria-label="The page" className="min-h-0 overflow-auto">
        {asked.trim() ? (
          <section aria-label="What was found" className="p-6">
            <h1 className="pb-2 text-lg font-semibold">{hits.length ? `What speaks of “${asked.trim()}”` : ""}</h1>
            {hits.length === 0 ? <Empty title={`Nothing in the manual speaks of “${asked.trim()}”.`}>Try another word, or fewer.</Empty> : null}
            <ul>
              {hits.map((hit, index) => (
                <li key={index} className="border-t border-base-300 py-1.5">
                  <Link className="font-semibold underline decoration-dotted underline-offset-2" to={`/manual/${hit.page}${hit.anchor ? `#${hit.anchor}` : ""}`} onClick={() => setAsked("")}>{hit.head}</Link>{" "}
                  <span className="soft">{hit.title}</span>
                  <span className="block">{hit.says.trim().slice(0, 220)}{hit.says.trim().length > 220 ? "…" : ""}</span>
                </li>
              ))}
            </ul>
          </section>
        ) : page ? (
          <article className="report manual mx-auto max-w-4xl p-8">
            <h1>{page.title}</h1>
            <Markdown remarkPlugins={[gfm]} components={parts}>{page.text}</Markdown>
          </article>
        ) : <Empty title="The manual is not installed beside this server." />}
      </div>
    </div>
  );
}
