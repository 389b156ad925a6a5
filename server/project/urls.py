"""Every address of the server."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.urls import include, path, re_path, register_converter
from django.views.decorators.csrf import ensure_csrf_cookie
from drf_spectacular.views import SpectacularAPIView

from server.fleet.api import links, own_cloud, pairing, register
from server.oversight.api import coverage, devices, incidents, own_cloud_room, three_two_one, watch
from server.oversight.api import people as held
from server.oversight.api import views as oversight
from server.people.api import ages, clock, closed_days, server_key
from server.people.api import views as people
from server.plans.api import choices
from server.plans.api import pauses as plan_pauses
from server.plans.api import views as plans
from server.recovery.api import drills as recovery_drills
from server.recovery.api import exports as recovery_exports
from server.recovery.api import filling, offices
from server.recovery.api import views as recovery
from server.retention.api import consequences, draining, erasures, exceptions, freed, freezes, future, holds, leaving, room, versions
from server.retention.api import views as retention
from server.runs.api import copies, damage, differences, drives, imports, omissions
from server.runs.api import history as run_history
from server.runs.api import views as runs
from server.storage.api import quotas, slots, trial
from server.storage.api import views as storage
from server.telling.api import views as telling
from server.telling.api.metrics import metrics


class TableKind:
    """What a table can be had as."""

    regex = "csv|json"

    def to_python(self, value: str) -> str:
        """As Django asks for it."""
        return value

    def to_url(self, value: str) -> str:
        """As Django asks for it."""
        return value


register_converter(TableKind, "table")


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
    path("me/password", people.OwnPasswordView.as_view()),
    path("users/<int:id>", people.UserView.as_view()),
    path("users/<int:id>/password", people.ResetPasswordView.as_view()),
    path("users/<int:id>/sessions", people.SessionsView.as_view()),
    path("sign-out", people.SignOutView.as_view()),
    path("first-administrator", people.FirstAdministratorView.as_view()),
    path("office", people.OfficeView.as_view()),
    path("office/ages", ages.AgesView.as_view()),
    path("office/ages/preview", ages.AgesPreviewView.as_view()),
    path("office/line", people.LineView.as_view()),
    path("zones", people.ZonesView.as_view()),
    path("users", people.UsersView.as_view()),
    path("names", people.NamesView.as_view()),
    path("journal", people.JournalView.as_view()),
    path("teams", held.TeamsView.as_view()),
    path("teams/<int:id>", people.TeamNameView.as_view()),
    path("holders", held.HoldersView.as_view()),
    path("holders/<int:id>", held.HolderView.as_view()),
    path("holders/<int:id>/change", people.HolderNameView.as_view()),
    path("offers", pairing.OffersView.as_view()),
    path("guides", pairing.GuidesView.as_view()),
    path("devices", devices.DevicesView.as_view()),
    path("devices/unlinked", pairing.UnlinkedView.as_view()),
    path("devices/pair", pairing.PairView.as_view()),
    path("ssh-key", pairing.SshKeyView.as_view()),
    path("devices/folder", pairing.FolderView.as_view()),
    path("devices/sftp", pairing.SftpView.as_view()),
    path("devices/sftp/meet", pairing.MeetView.as_view()),
    path("devices/change", register.ChangeManyView.as_view()),
    path("devices/changes", register.LastBulkView.as_view()),
    path("devices/changes/<uuid:id>/undo", register.UndoView.as_view()),
    path("devices/import/preview", register.PreviewImportView.as_view()),
    path("devices/import", register.ImportView.as_view()),
    path("devices/export", register.RegisterExportView.as_view()),
    path("devices/<uuid:id>", devices.DeviceView.as_view()),
    path("devices/<uuid:id>/change", register.ChangeDeviceView.as_view()),
    path("devices/<uuid:id>/pair-again", pairing.PairAgainView.as_view()),
    path("devices/<uuid:id>/unpair", pairing.UnpairView.as_view()),
    path("devices/<uuid:id>/link", links.LinkView.as_view()),
    path("devices/<uuid:id>/link/preview", links.PreviewRulesView.as_view()),
    path("devices/<uuid:id>/readiness", links.ReadinessView.as_view()),
    path("devices/<uuid:id>/own-cloud", own_cloud.OwnCloudView.as_view()),
    path("devices/<uuid:id>/coverage", coverage.CoverageView.as_view()),
    path("devices/<uuid:id>/scan", coverage.ScanView.as_view()),
    path("devices/<uuid:id>/wipe", coverage.WipeView.as_view()),
    path("devices/<uuid:id>/wipe/answers", coverage.WipeAnswersView.as_view()),
    path("wipe-answers/<uuid:id>", coverage.WipeAnswerView.as_view()),
    path("imports", imports.ImportsView.as_view()),
    path("imports/<uuid:id>", imports.OneImportView.as_view()),
    path("imports/<uuid:id>/take", imports.TakeImportView.as_view()),
    path("devices/<uuid:id>/run", runs.AskRunView.as_view()),
    path("devices/<uuid:id>/backups", retention.DeviceBackupsView.as_view()),
    path("devices/<uuid:id>/endings", future.EndingsView.as_view()),
    path("plans/<uuid:id>/rule-versions", versions.PlanVersionsView.as_view()),
    path("rule-versions/<int:id>/beside", versions.VersionsBesideView.as_view()),
    path("rule-versions/<int:id>/compare", versions.CompareVersionsView.as_view()),
    path("devices/<uuid:id>/future", future.FutureView.as_view()),
    path("restore-points", future.RestorePointsView.as_view()),
    path("restore-points.csv", future.RestorePointsTableView.as_view()),
    path("stores", storage.StoresView.as_view()),
    path("stores/try", trial.TryPlaceView.as_view()),
    path("stores/attach", storage.AttachStoreView.as_view()),
    path("stores/<uuid:id>", storage.StoreView.as_view()),
    path("stores/<uuid:id>/occupied", quotas.OccupiedView.as_view()),
    path("stores/<uuid:id>/occupied.csv", quotas.OccupiedTableView.as_view()),
    path("stores/<uuid:id>/occupied/kinds", quotas.TeamKindsView.as_view()),
    path("stores/<uuid:id>/over-time", quotas.CourseView.as_view()),
    path("stores/<uuid:id>/over-time.csv", quotas.CourseTableView.as_view()),
    path("stores/<uuid:id>/allowances", quotas.AllowancesView.as_view()),
    path("stores/<uuid:id>/room", room.BenchView.as_view()),
    path("stores/<uuid:id>/room/tonight", room.TonightView.as_view()),
    path("stores/<uuid:id>/room/sooner", room.LeaveSoonerView.as_view()),
    path("stores/<uuid:id>/room/sweep", room.SweepNowView.as_view()),
    path("stores/<uuid:id>/room/sum", room.SumView.as_view()),
    path("stores/<uuid:id>/room/proposal", room.ProposalView.as_view()),
    path("stores/<uuid:id>/room/look", room.LookOnceMoreView.as_view()),
    path("stores/<uuid:id>/room/make", room.MakeRoomView.as_view()),
    path("allowances/<int:id>", quotas.AllowanceView.as_view()),
    path("stores/<uuid:id>/slots", slots.SlotsView.as_view()),
    path("stores/<uuid:id>/slots/<str:slot>", slots.SlotView.as_view()),
    path("stores/<uuid:id>/sweeping", storage.SweepingView.as_view()),
    path("stores/<uuid:id>/damage", damage.DamageView.as_view()),
    path("stores/retired", draining.RetiredStoresView.as_view()),
    path("stores/<uuid:id>/drain", draining.DrainView.as_view()),
    path("stores/<uuid:id>/drain/stop", draining.StopDrainingView.as_view()),
    path("stores/<uuid:id>/retire", draining.RetireView.as_view()),
    path("stores/<uuid:id>/mode", storage.StoreModeView.as_view()),
    path("stores/<uuid:id>/prove-passphrase", storage.ProvePassphraseView.as_view()),
    path("stores/<uuid:id>/check", runs.CheckStoreView.as_view()),
    path("kinds", plans.KindsView.as_view()),
    path("plans", plans.PlansView.as_view()),
    path("plans/consequences/bytes", freed.FreedByPlanView.as_view()),
    path("plans/consequences", consequences.ConsequencesView.as_view()),
    path("plans/preview", plans.PreviewPlanView.as_view()),
    path("plans/<uuid:id>", plans.PlanView.as_view()),
    path("plans/<uuid:id>/feed", plan_pauses.FeedView.as_view()),
    path("pauses", plan_pauses.PausesView.as_view()),
    path("pauses/<uuid:id>", plan_pauses.PauseView.as_view()),
    path("runs", run_history.RunsView.as_view()),
    path("runs/totals", run_history.TotalsView.as_view()),
    path("runs/causes", run_history.CausesView.as_view()),
    path("runs/export.<table:kind>", run_history.ExportView.as_view()),
    path("runs/<uuid:one>/with/<uuid:two>", run_history.CompareView.as_view()),
    path("runs/<uuid:id>", runs.RunView.as_view()),
    path("runs/<uuid:id>/stop", runs.StopRunView.as_view()),
    path("devices/<uuid:id>/kinds", choices.ChooseKindsView.as_view()),
    path("kind-choices/<int:id>", choices.KindChoiceView.as_view()),
    path("runs/<uuid:id>/accept", omissions.AcceptView.as_view()),
    path("omissions/<int:id>", omissions.OmissionView.as_view()),
    path("devices/<uuid:id>/omissions", omissions.DeviceOmissionsView.as_view()),
    path("backups/<uuid:id>", retention.BackupView.as_view()),
    path("backups/<uuid:id>/hold", runs.HoldView.as_view()),
    path("backups/<uuid:id>/after-release", leaving.AfterReleaseView.as_view()),
    path("backups/<uuid:id>/looked-at", leaving.LookedAtView.as_view()),
    path("backups/remove", leaving.RemoveView.as_view()),
    path("backups/remove/bytes", freed.FreedByRemovalView.as_view()),
    path("backups/remove/preview", leaving.RemovalPreviewView.as_view()),
    path("exceptions", exceptions.ExceptionsView.as_view()),
    path("devices/change/consequences", consequences.DeviceConsequencesView.as_view()),
    path("exceptions/consequences", exceptions.ExceptionConsequencesView.as_view()),
    path("holds", holds.HoldsView.as_view()),
    path("holds/still-needed", holds.StillNeededView.as_view()),
    path("holds/preview", holds.ReachView.as_view()),
    path("leaving", leaving.LeavingView.as_view()),
    path("leaving/keep", leaving.KeepView.as_view()),
    path("erasures", erasures.ErasuresView.as_view()),
    path("erasures/preview", erasures.ErasurePreviewView.as_view()),
    path("erasures/<uuid:id>", erasures.ErasureView.as_view()),
    path("erasures/<uuid:id>/take-again", erasures.TakeAgainView.as_view()),
    path("erasures/<uuid:id>/call-off", erasures.CallOffView.as_view()),
    path("freezes", freezes.FreezesView.as_view()),
    path("freezes/<uuid:id>/lift", freezes.LiftView.as_view()),
    path("backups/<uuid:id>/note", runs.NoteBackupView.as_view()),
    path("backups/<uuid:id>/copy", runs.CopyBackupView.as_view()),
    path("backups/<uuid:id>/inside", recovery.InsideView.as_view()),
    path("backups/<uuid:id>/item", recovery.ItemView.as_view()),
    path("backups/<uuid:id>/thumbnail", recovery.ThumbnailView.as_view()),
    path("devices/<uuid:id>/filling", filling.FillingView.as_view()),
    path("devices/<uuid:id>/filling/left-out", filling.LeaveOutView.as_view()),
    path("drills", recovery_drills.DrillsView.as_view()),
    path("drills/rules", recovery_drills.DrillRulesView.as_view()),
    path("drills/<uuid:id>", recovery_drills.DrillView.as_view()),
    path("drills/<uuid:id>/stop", recovery_drills.StopDrillView.as_view()),
    path("preflight", recovery.PreflightView.as_view()),
    path("restores", recovery.RestoresView.as_view()),
    path("restores/<uuid:id>", recovery.RestoreView.as_view()),
    path("restores/<uuid:id>/archive", recovery_exports.ArchiveView.as_view()),
    path("exports", recovery_exports.ExportsView.as_view()),
    path("exports/<uuid:id>/erase", recovery_exports.EraseExportView.as_view()),
    path("exports/<uuid:id>/keep", recovery_exports.KeepExportView.as_view()),
    path("restores/<uuid:id>/stop", recovery.StopRestoreView.as_view()),
    path("stores/<uuid:id>/differences", differences.DifferencesView.as_view()),
    path("stores/<uuid:id>/accept", differences.AcceptStoreView.as_view()),
    path("strays/<int:id>/adopt", differences.AdoptView.as_view()),
    path("drives", drives.DrivesView.as_view()),
    path("drives/rotations", drives.RotationsView.as_view()),
    path("drives/rotations/<int:id>", drives.RotationView.as_view()),
    path("drives/<uuid:id>", drives.DriveView.as_view()),
    path("drives/<uuid:id>/part", drives.PartDriveView.as_view()),
    path("drives/<uuid:id>/use", drives.UseDriveView.as_view()),
    path("copies", copies.CopiesView.as_view()),
    path("copies/sums", copies.CopySumsView.as_view()),
    path("copies/<int:id>/withdraw", copies.WithdrawCopyView.as_view()),
    path("stores/<uuid:id>/offices", offices.OfficesView.as_view()),
    path("stores/<uuid:id>/found", differences.FoundView.as_view()),
    path("stores/<uuid:id>/give-back", differences.GiveBackView.as_view()),
    path("stores/<uuid:id>/copies", copies.HurryCopiesView.as_view()),
    path("copies/<int:id>/give-up", differences.GiveUpView.as_view()),
    path("server-key", server_key.ServerKeyView.as_view()),
    path("clock", clock.ClockView.as_view()),
    path("clock/settle", clock.SettleClockView.as_view()),
    path("backups/<uuid:id>/date", runs.SettleDateView.as_view()),
    path("closed-days", closed_days.ClosedDaysView.as_view()),
    path("closed-days/read", closed_days.CalendarView.as_view()),
    path("closed-days/<str:day>", closed_days.ClosedDayView.as_view()),
    path("devices/<uuid:id>/own-cloud/letter", telling.OwnCloudLetterView.as_view()),
    path("me/wishes", telling.WishesView.as_view()),
    path("hooks", telling.HooksView.as_view()),
    path("hooks/<uuid:id>", telling.HookView.as_view()),
    path("hooks/<uuid:id>/try", telling.TryHookView.as_view()),
    path("messages", telling.MessagesView.as_view()),
    path("incidents", incidents.IncidentsView.as_view()),
    path("incidents/<uuid:id>", incidents.IncidentView.as_view()),
    path("incidents/<uuid:id>/put-off", incidents.PutOffView.as_view()),
    path("devices/<uuid:id>/own-cloud/room", own_cloud_room.OwnCloudRoomView.as_view()),
    path("three-two-one", three_two_one.ThreeTwoOneView.as_view()),
    path("anomalies", incidents.AnomaliesView.as_view()),
    path("anomalies/<uuid:id>/settle", incidents.SettleView.as_view()),
    path("night", watch.NightView.as_view()),
    path("night/rows", watch.NightRowsView.as_view()),
    path("promises", watch.PromisesView.as_view()),
    path("report", watch.ReportView.as_view()),
    path("today", oversight.TodayView.as_view()),
    path("causes/run", oversight.RunCauseView.as_view()),
    path("ribbon", oversight.RibbonView.as_view()),
]
urlpatterns = [
    path("healthz", oversight.healthz),
    path("readyz", oversight.readyz),
    path("metrics", metrics),
    path("feeds/<str:secret>.ics", plan_pauses.feed),
    path("api/live", runs.live),
    path("api/schema", SpectacularAPIView.as_view()),
    path("api/", include(api)),
    re_path(r"^(?!api/|static/|feeds/).*$", front_end),
]
handler400 = "server.api.problems.bad_request"
handler403 = "server.api.problems.forbidden"
handler404 = "server.api.problems.not_found"
handler500 = "server.api.problems.server_error"
