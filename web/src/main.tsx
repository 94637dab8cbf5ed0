import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { lazy, StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Navigate, Route, Routes } from "react-router";

import { SignIn } from "./account/SignIn";
import { Problem } from "./api/client";
import { useSession, useSurveys } from "./api/queries";
import { goAhead } from "./ahead";
import { later } from "./pages";
import { keepPresses } from "./ui/pressing";
import { setProtocols } from "./ui/words";
import { CaseList } from "./case/CaseList";
import { CasePage } from "./case/CasePage";
import { DeskPage } from "./desk/DeskPage";
import { DevicePage } from "./device/DevicePage";
import { DevicesPage } from "./device/DevicesPage";
import { FindingsPage } from "./findings/FindingsPage";
import "./styles.css";
import { ReadingPage } from "./surveys/ReadingPage";
import { SurveysPage } from "./surveys/SurveysPage";
import { Shell } from "./ui/Shell";
import { Empty, Failed, Working } from "./ui/States";

// What one sees first comes first; the other views come when somebody opens them.
const AccountPage = lazy(later.account);
const AdministrationPage = lazy(later.administration);
const ExpectationsPage = lazy(later.expectations);
const SweepPage = lazy(later.sweep);
const ReportPage = lazy(later.report);
const ChangePage = lazy(later.change);
const GatherPage = lazy(later.gather);
const MapPage = lazy(later.map);
const ManualPage = lazy(later.manual);
const NeighboursPage = lazy(later.neighbours);
const ComparePage = lazy(later.compare);

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      refetchOnWindowFocus: false,
      // A refusal stays one; only a server that does not answer is asked again.
      retry: (count, error) => count < 2 && error instanceof Problem && error.status === 0,
    },
  },
});

function Home() {
  const surveys = useSurveys();
  if (surveys.isPending) return <Working heading="Trochos" what="Opening the newest survey" />;
  if (surveys.error) return <Failed heading="Trochos" error={surveys.error} />;
  const newest = surveys.data.surveys[0];
  return <Navigate replace to={newest ? `/s/${newest.id}/desk` : "/surveys"} />;
}

function App() {
  const session = useSession();
  if (session.isPending) return <Working heading="Trochos" what="Opening Trochos" />;
  if (session.error) return <Failed heading="Trochos" error={session.error} />;
  setProtocols(session.data.protocols);
  if (!session.data.user) return <SignIn />;
  return (
    <Routes>
      <Route element={<Shell />}>
        <Route index element={<Home />} />
        <Route path="sign-in" element={<Navigate replace to="/" />} />
        <Route path="surveys" element={<SurveysPage />} />
        <Route path="gather" element={<GatherPage />} />
        <Route path="gather/:run" element={<GatherPage />} />
        <Route path="surveys/compare" element={<ComparePage />} />
        <Route path="manual" element={<ManualPage />} />
        <Route path="manual/:page" element={<ManualPage />} />
        <Route path="account" element={<AccountPage />} />
        <Route path="administration" element={<AdministrationPage />} />
        <Route path="s/:survey/case" element={<CasePage />} />
        <Route path="s/:survey/cases" element={<CaseList />} />
        <Route path="s/:survey/cases/:case" element={<CasePage />} />
        <Route path="s/:survey/cases/:case/report" element={<ReportPage />} />
        <Route path="s/:survey/change" element={<ChangePage />} />
        <Route path="s/:survey/change/:proposal" element={<ChangePage />} />
        <Route path="s/:survey/map" element={<MapPage />} />
        <Route path="s/:survey/neighbours" element={<NeighboursPage />} />
        <Route path="s/:survey/devices" element={<DevicesPage />} />
        <Route path="s/:survey/devices/*" element={<DevicePage />} />
        <Route path="s/:survey/findings" element={<FindingsPage />} />
        <Route path="s/:survey/desk" element={<DeskPage />} />
        <Route path="s/:survey/failures" element={<SweepPage />} />
        <Route path="s/:survey/expectations" element={<ExpectationsPage />} />
        <Route path="s/:survey/reading" element={<ReadingPage />} />
        <Route path="*" element={<Empty title="There is no such page." />} />
      </Route>
    </Routes>
  );
}

keepPresses(document);
goAhead(document, queries);
createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <App />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
