"""URLs: the API, the one-time sign-in link, and for all else the front end's page."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie
from drf_spectacular.views import SpectacularAPIView

from . import metrics
from .accounts import administration
from .accounts import views as accounts
from .errors import UNEXPECTED, before_a_view
from .gathering import views as gathering
from .manual import ManualView
from .surveys import before, casework, changes, deletion, pasted
from .surveys import views as surveys


@ensure_csrf_cookie
def front_end(request: HttpRequest) -> HttpResponse:
    """The page that holds the application; it holds no data of its own."""
    page = settings.WEB / "index.html"
    if not page.exists():
        return HttpResponse(
            "The front end is not built. Run ./trochos up, which builds it.", status=503
        )
    response = HttpResponse(page.read_text())
    response["Cache-Control"] = "no-cache"
    return response


handler400 = before_a_view(400, "This request cannot be read. Check its address and its size.")
handler403 = before_a_view(403, "This is refused. Sign in again, and send the request from here.")
handler404 = before_a_view(404, "There is nothing at this address.")
handler500 = before_a_view(500, UNEXPECTED)

urlpatterns = [
    path("api/schema", SpectacularAPIView.as_view()),
    path("api/session", accounts.SessionView.as_view()),
    path("api/session/link", accounts.LinkView.as_view()),
    path("api/accounts", administration.AccountsView.as_view()),
    path("api/accounts/<int:account>", administration.AccountView.as_view()),
    path("api/accounts/<int:account>/link", administration.AccountLinkView.as_view()),
    path("api/accounts/<int:account>/sessions", administration.AccountSessionsView.as_view()),
    path("api/accounts/me/password", accounts.PasswordView.as_view()),
    path("api/tokens", accounts.TokensView.as_view()),
    path("api/tokens/<int:token>", accounts.TokenView.as_view()),
    path("api/audit", administration.AuditView.as_view()),
    path("api/audit/export", administration.AuditExportView.as_view()),
    path("api/networks", surveys.NetworksView.as_view()),
    path("api/service", surveys.ServiceView.as_view()),
    path("api/surveys", surveys.SurveysView.as_view()),
    path("api/surveys/incoming/<int:incoming>", surveys.IncomingView.as_view()),
    path("api/surveys/<int:survey>", surveys.SurveyView.as_view()),
    path("api/surveys/<int:survey>/deletion", deletion.SurveyDeletionView.as_view()),
    path("api/surveys/<int:survey>/reading", surveys.ReadingView.as_view()),
    path("api/surveys/<int:survey>/findings", surveys.FindingsView.as_view()),
    path("api/surveys/<int:survey>/neighbours", surveys.NeighboursView.as_view()),
    path("api/surveys/<int:survey>/names", surveys.NamesView.as_view()),
    path("api/surveys/<int:survey>/devices", surveys.DevicesView.as_view()),
    path("api/surveys/<int:survey>/devices/<path:device>", surveys.DeviceView.as_view()),
    path("api/surveys/<int:survey>/source", surveys.SourceView.as_view()),
    path("api/surveys/<int:survey>/path", surveys.PathView.as_view()),
    path("api/surveys/<int:survey>/ladder", surveys.LadderView.as_view()),
    path("api/surveys/<int:survey>/decision", surveys.DecisionView.as_view()),
    path("api/manual", ManualView.as_view()),
    path("api/surveys/<int:survey>/ends", surveys.EndsView.as_view()),
    path("api/surveys/<int:survey>/sources", surveys.SourceAddressesView.as_view()),
    path("api/surveys/<int:survey>/map", surveys.MapView.as_view()),
    path("api/surveys/<int:survey>/reach", surveys.ReachView.as_view()),
    path("api/surveys/<int:survey>/why", surveys.WhyView.as_view()),
    path("api/surveys/<int:survey>/cases", surveys.CasesView.as_view()),
    path("api/surveys/<int:survey>/diagnosis", changes.DiagnosisView.as_view()),
    path("api/surveys/<int:survey>/since", changes.SinceView.as_view()),
    path("api/surveys/<int:survey>/unknowns", changes.UnknownsView.as_view()),
    path("api/surveys/<int:survey>/desk", changes.DeskView.as_view()),
    path("api/answers/<int:answer>/stop", changes.StopView.as_view()),
    path("api/surveys/<int:survey>/order", before.OrderView.as_view()),
    path("api/surveys/<int:survey>/sweep", before.SweepView.as_view()),
    path("api/surveys/<int:survey>/expectations", before.ExpectationsView.as_view()),
    path("api/surveys/<int:survey>/expectations/suggested", before.SuggestedView.as_view()),
    path("api/surveys/<int:survey>/rehearsals", changes.RehearsalView.as_view()),
    path("api/surveys/<int:survey>/proposals", changes.ProposalsView.as_view()),
    path("api/surveys/<int:survey>/hand-overs", changes.HandOversView.as_view()),
    path("api/proposals/<int:proposal>", changes.ProposalView.as_view()),
    path("api/compare", changes.CompareView.as_view()),
    path("api/cases/<int:case>", surveys.CaseView.as_view()),
    path("api/cases/<int:case>/deletion", deletion.CaseDeletionView.as_view()),
    path("api/cases/<int:case>/steps", casework.StepsView.as_view()),
    path("api/cases/<int:case>/expectation", casework.KeepSoView.as_view()),
    path("api/cases/<int:case>/evidence", pasted.EvidenceView.as_view()),
    path("api/cases/<int:case>/evidence/<int:evidence>", pasted.EvidenceItemView.as_view()),
    path("api/cases/<int:case>/report", casework.ReportView.as_view()),
    path("api/inventory", gathering.InventoryView.as_view()),
    path("api/inventory/devices", gathering.InventoryDevicesView.as_view()),
    path("api/inventory/devices/<int:device>", gathering.InventoryDeviceView.as_view()),
    path("api/inventory/devices/<int:device>/trust", gathering.TrustView.as_view()),
    path("api/inventory/devices/<int:device>/test", gathering.TestView.as_view()),
    path("api/inventory/tests/<int:errand>", gathering.TestedView.as_view()),
    path("api/inventory/credentials", gathering.CredentialsView.as_view()),
    path("api/inventory/credentials/<int:credential>", gathering.CredentialView.as_view()),
    path("api/inventory/allowed", gathering.AllowedNetworksView.as_view()),
    path("api/inventory/allowed/<int:network>", gathering.AllowedNetworkView.as_view()),
    path("api/inventory/plan", gathering.PlanView.as_view()),
    path("api/surveys/<int:survey>/probes", gathering.ProbeView.as_view()),
    path("api/surveys/<int:survey>/probes/<int:errand>", gathering.ProbedView.as_view()),
    path("api/gatherings", gathering.GatheringsView.as_view()),
    path("api/gatherings/<int:gathering>", gathering.GatheringView.as_view()),
    path("api/gatherings/<int:gathering>/cancel", gathering.CancelView.as_view()),
    path("health", metrics.health),
    path("metrics", metrics.exposed),
    re_path(r"^(?!api/|static/).*$", front_end),
]
