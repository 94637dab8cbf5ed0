import { BookOpen, Cable, Compass, FilePen, Handshake, ListChecks, MapIcon, Moon, FolderOpen, RadioTower, Search, ShieldCheck, Siren, Sun, SunMoon, Unplug, UserRound } from "lucide-react";
import { Suspense, useEffect, useState, type ReactNode } from "react";
import { NavLink, Outlet, useLocation, useNavigate, useParams } from "react-router";

import { useSession, useSurveys } from "../api/queries";
import { FirstWalk } from "./FirstWalk";
import { Help } from "./Help";
import { Hidden } from "./Hidden";
import { Palette } from "./Palette";
import { Working } from "./States";
import { useTheme } from "./theme";
import { Wheel } from "./Wheel";
import { when } from "./words";

function Item({ to, icon, children, shortcut }: { to: string; icon: ReactNode; children: string; shortcut: string }) {
  return (
    <NavLink
      to={to}
      title={`${children} (${shortcut})`}
      className={({ isActive }) =>
        `flex w-[5.2rem] flex-col items-center gap-0.5 rounded-box py-1.5 text-xs ${isActive ? "bg-base-100 font-semibold shadow-[0_0_0_1px_var(--color-base-300)]" : "soft hover:bg-base-100"}`
      }
    >
      {icon}
      {children}
    </NavLink>
  );
}

/** A key pressed in a field belongs to that field. */
function typing(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && (target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName));
}

/** The frame around every view of a survey. */
export function Shell() {
  const params = useParams();
  const surveys = useSurveys();
  const session = useSession();
  const survey = params.survey ?? String(surveys.data?.surveys[0]?.id ?? "");
  const [theme, nextTheme] = useTheme();
  const navigate = useNavigate();
  const location = useLocation();
  const [palette, setPalette] = useState(false);
  const [help, setHelp] = useState(false);
  const base = `/s/${survey}`;

  useEffect(() => {
    const go: Record<string, string> = { k: "desk", c: "cases", m: "map", d: "devices", f: "findings", n: "neighbours", r: "reading", h: "change", x: "failures", e: "expectations" };
    const onKey = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
        event.preventDefault();
        setPalette((open) => !open);
        return;
      }
      if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      if (document.querySelector("dialog[open]")) return;
      const place = go[event.key];
      if (event.key === "?") setHelp(true);
      else if (event.key === "/") {
        event.preventDefault();
        const focus = () => window.dispatchEvent(new Event("trochos-ask"));
        if (document.querySelector("form[role=search]")) focus();
        else if (survey) {
          // Views without a sentence lead to the one that has it.
          void Promise.resolve(navigate(`${base}/case`)).then(() => setTimeout(focus, 60));
        }
      } else if (event.key === "s") void navigate("/surveys");
      else if (event.key === "g") void navigate("/gather");
      else if (event.key === "b") void navigate("/manual");
      else if (event.key === "t") nextTheme();
      else if (place && survey) {
        // The map keeps the case that one is looking at.
        const keep = place === "map" && location.pathname.endsWith("/case") ? location.search : "";
        void navigate(`${base}/${place}${keep}`);
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });

  const ThemeIcon = theme === "system" ? SunMoon : theme === "chart" ? Sun : Moon;
  const words = { system: "as the system", chart: "light", watch: "dark" }[theme];
  return (
    <div className="grid h-screen grid-cols-[5.8rem_minmax(0,1fr)] grid-rows-[minmax(0,1fr)] bg-base-200 text-base-content">
      <a href="#content" className="btn btn-sm absolute -top-20 left-2 z-50 focus:top-2">To the content</a>
      <nav aria-label="Main" className="flex flex-col items-center gap-1 border-r border-base-300 py-2.5">
        <NavLink to={survey ? `${base}/cases` : "/surveys"} aria-label="Trochos, cases" className="mb-1 text-primary"><Wheel className="h-9 w-9" /></NavLink>
        {survey ? (
          <>
            <Item to={`${base}/desk`} icon={<Compass size={18} aria-hidden />} shortcut="k">Desk</Item>
            <Item to={`${base}/cases`} icon={<Siren size={18} aria-hidden />} shortcut="c">Cases</Item>
            <Item to={`${base}/map`} icon={<MapIcon size={18} aria-hidden />} shortcut="m">Map</Item>
            <Item to={`${base}/neighbours`} icon={<Handshake size={18} aria-hidden />} shortcut="n">Neighbours</Item>
            <Item to={`${base}/devices`} icon={<Cable size={18} aria-hidden />} shortcut="d">Devices</Item>
            <Item to={`${base}/change`} icon={<FilePen size={18} aria-hidden />} shortcut="h">Change</Item>
            <Item to={`${base}/failures`} icon={<Unplug size={18} aria-hidden />} shortcut="x">Failures</Item>
            <Item to={`${base}/expectations`} icon={<ShieldCheck size={18} aria-hidden />} shortcut="e">Expected</Item>
            <Item to={`${base}/findings`} icon={<ListChecks size={18} aria-hidden />} shortcut="f">Findings</Item>
          </>
        ) : null}
        <Item to="/surveys" icon={<FolderOpen size={18} aria-hidden />} shortcut="s">Surveys</Item>
        <Item to="/gather" icon={<RadioTower size={18} aria-hidden />} shortcut="g">Gather</Item>
        <span className="mt-auto flex flex-col items-center gap-1">
          <button type="button" className="btn btn-ghost btn-sm btn-square" aria-label="Go to anything (Ctrl K)" title="Go to anything (Ctrl K)" onClick={() => setPalette(true)}><Search size={17} /></button>
          <button type="button" className="btn btn-ghost btn-sm btn-square" aria-label={`Theme: ${words}`} title={`Theme: ${words} (t)`} onClick={nextTheme}><ThemeIcon size={17} /></button>
          <NavLink to="/manual" className={({ isActive }) => `btn btn-ghost btn-sm btn-square ${isActive ? "btn-active" : ""}`} aria-label="Manual" title="Manual (b)"><BookOpen size={17} /></NavLink>
          <button type="button" className="btn btn-ghost btn-sm btn-square" aria-label="Shortcuts" title="Shortcuts (?)" onClick={() => setHelp(true)}>?</button>
          <NavLink to="/account" className="btn btn-ghost btn-sm btn-square" aria-label={`Account ${session.data?.user?.name ?? ""}`} title={session.data?.user?.name}><UserRound size={17} /></NavLink>
        </span>
      </nav>
      <div className="flex min-h-0 min-w-0 flex-col">
        {params.survey ? (
          <section aria-label="The survey" className="flex items-center gap-2 border-b border-base-300 px-4 py-1">
            <label className="soft flex min-w-0 items-center gap-2">
              Survey
              <select
                className="select select-ghost select-xs w-auto max-w-xl pr-9 font-semibold text-base-content"
                value={params.survey}
                onChange={(event) => {
                  const rest = location.pathname.replace(/^\/s\/\d+/, "").replace(/^\/cases\/\d+.*$/, "/cases").replace(/^\/change\/\d+$/, "/change");
                  void navigate(`/s/${event.target.value}${rest}${location.search}`);
                }}
              >
                {(surveys.data?.surveys ?? []).map((item) => (
                  <option key={item.id} value={item.id}>{item.title}, {when(item.taken_at)}</option>
                ))}
              </select>
            </label>
            <Reading survey={Number(params.survey)} />
          </section>
        ) : null}
        {params.survey ? <FirstWalk survey={Number(params.survey)} /> : null}
        <main id="content" tabIndex={-1} className="min-h-0 flex-1 outline-none">
          <Suspense fallback={<Working heading="The view opens" what="Opening the view" />}><Outlet /></Suspense>
        </main>
      </div>
      <Palette open={palette} onClose={() => setPalette(false)} survey={survey} onHelp={() => setHelp(true)} onTheme={nextTheme} />
      <Help open={help} onClose={() => setHelp(false)} />
      <Hidden />
    </div>
  );
}

function Reading({ survey }: { survey: number }) {
  const surveys = useSurveys();
  const here = surveys.data?.surveys.find((item) => item.id === survey);
  if (!here) return null;
  return (
    <NavLink to={`/s/${survey}/reading`} className="soft ml-auto whitespace-nowrap underline decoration-dotted underline-offset-2">
      {here.devices - here.unread} of {here.devices} devices read, {here.open_lines ? <b className="stop">{here.open_lines} open lines</b> : "no open lines"}
    </NavLink>
  );
}
