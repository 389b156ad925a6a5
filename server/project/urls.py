"""Every address of the server."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.urls import include, path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie
from drf_spectacular.views import SpectacularAPIView

from server.fleet.api import views as fleet
from server.oversight.api import views as oversight
from server.people.api import views as people
from server.plans.api import views as plans
from server.recovery.api import views as recovery
from server.retention.api import views as retention
from server.runs.api import views as runs
from server.storage.api import views as storage


@ensure_csrf_cookie
def front_end(request: HttpRequest, **rest: str) -> HttpResponse:
    """The one page of the interface; its router takes over."""
    page = settings.WEB_DIST / "index.html"
    if not page.is_file():
        return HttpResponse("The front end is not built: run ./attic start.", status=503, content_type="text/plain")
    return HttpResponse(page.read_bytes(), content_type="text/html; charset=utf-8", headers={"Cache-Control": "no-store"})


api = [
    path("me", people.MeView.as_view()),
    path("sign-in", people.SignInView.as_view()),
    path("sign-out", people.SignOutView.as_view()),
    path("first-administrator", people.FirstAdministratorView.as_view()),
    path("office", people.OfficeView.as_view()),
    path("zones", people.ZonesView.as_view()),
    path("users", people.UsersView.as_view()),
    path("names", people.NamesView.as_view()),
    path("journal", people.JournalView.as_view()),
    path("offers", fleet.OffersView.as_view()),
    path("devices", oversight.DevicesView.as_view()),
    path("devices/pair", fleet.PairView.as_view()),
    path("devices/folder", fleet.FolderView.as_view()),
    path("devices/<uuid:id>", oversight.DeviceView.as_view()),
    path("devices/<uuid:id>/change", fleet.ChangeDeviceView.as_view()),
    path("devices/<uuid:id>/pair-again", fleet.PairAgainView.as_view()),
    path("devices/<uuid:id>/readiness", fleet.ReadinessView.as_view()),
    path("devices/<uuid:id>/run", runs.AskRunView.as_view()),
    path("devices/<uuid:id>/backups", retention.DeviceBackupsView.as_view()),
    path("stores", storage.StoresView.as_view()),
    path("stores/attach", storage.AttachStoreView.as_view()),
    path("stores/<uuid:id>", storage.StoreView.as_view()),
    path("stores/<uuid:id>/prove-passphrase", storage.ProvePassphraseView.as_view()),
    path("stores/<uuid:id>/check", runs.CheckStoreView.as_view()),
    path("kinds", plans.KindsView.as_view()),
    path("plans", plans.PlansView.as_view()),
    path("plans/preview", plans.PreviewPlanView.as_view()),
    path("plans/<uuid:id>", plans.PlanView.as_view()),
    path("runs", runs.RunsView.as_view()),
    path("runs/<uuid:id>", runs.RunView.as_view()),
    path("runs/<uuid:id>/stop", runs.StopRunView.as_view()),
    path("backups/<uuid:id>", retention.BackupView.as_view()),
    path("backups/<uuid:id>/hold", runs.HoldView.as_view()),
    path("backups/<uuid:id>/inside", recovery.InsideView.as_view()),
    path("backups/<uuid:id>/item", recovery.ItemView.as_view()),
    path("backups/<uuid:id>/thumbnail", recovery.ThumbnailView.as_view()),
    path("preflight", recovery.PreflightView.as_view()),
    path("restores", recovery.RestoresView.as_view()),
    path("restores/<uuid:id>", recovery.RestoreView.as_view()),
    path("restores/<uuid:id>/archive", recovery.ArchiveView.as_view()),
    path("today", oversight.TodayView.as_view()),
    path("ribbon", oversight.RibbonView.as_view()),
]
urlpatterns = [
    path("healthz", oversight.healthz),
    path("api/live", runs.live),
    path("api/schema", SpectacularAPIView.as_view()),
    path("api/", include(api)),
    re_path(r"^(?!api/|static/).*$", front_end),
]
